"""A WebDAV folder, as a document server has it: files put one by one, folders made as they are needed."""

from __future__ import annotations

import base64
import mimetypes
import urllib.error
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from urllib.parse import quote, urlsplit

from indexa.adapters.pushing.file_stores import FilePusher, FileStore
from indexa.adapters.pushing.registry import NoRedirect, Place, PushError, register

_SECONDS = 60
_LARGEST = 64 * 1024 * 1024


@register("webdav", "WebDAV folder", "https://documents.example/dav/catalog", has_secret=True)
class WebDav(FilePusher):
    """Pushes by WebDAV; the secret is "name:password"."""

    @contextmanager
    def open(self, place: Place) -> Iterator[FileStore]:
        """Make the folder where it is not there."""
        if urlsplit(place.address).scheme not in ("http", "https"):
            raise PushError("The address begins with http:// or https://.")
        store = _Dav(place)
        store.make_folder("")
        yield store


class _Dav:
    def __init__(self, place: Place) -> None:
        self._base = f"{place.address.rstrip('/')}/{quote(place.name)}"
        self._host = urlsplit(place.address).netloc.rpartition("@")[2]
        sign = base64.b64encode(place.secret.encode()).decode()
        self._headers = {"User-Agent": "Indexa"} | ({"Authorization": f"Basic {sign}"} if place.secret else {})
        self._opener = urllib.request.build_opener(NoRedirect)
        self._made: set[str] = set()

    def get(self, path: str) -> bytes | None:
        status, content = self._ask("GET", path)
        if status == 404:
            return None
        if status != 200:
            raise self._refused(status, path)
        return content

    def put(self, path: str, content: bytes) -> None:
        folder = path.rpartition("/")[0]
        if folder:
            self.make_folder(folder)
        kind = mimetypes.guess_type(path)[0] or "application/octet-stream"
        status, _ = self._ask("PUT", path, content, {"Content-Type": kind})
        if status not in (200, 201, 204):
            raise self._refused(status, path)

    def delete(self, path: str) -> None:
        status, _ = self._ask("DELETE", path)
        if status not in (200, 204, 404):
            raise self._refused(status, path)

    def make_folder(self, folder: str) -> None:
        """Make a folder and those above it."""
        parts = folder.split("/") if folder else []
        for count in range(len(parts) + 1):
            one = "/".join(parts[:count])
            if one in self._made:
                continue
            status, _ = self._ask("MKCOL", f"{one}/" if one else "")
            if status not in (201, 405):  # made, or there already
                raise self._refused(status, one or "the folder")
            self._made.add(one)

    def _ask(
        self, method: str, path: str, content: bytes | None = None, headers: dict[str, str] | None = None
    ) -> tuple[int, bytes]:
        address = f"{self._base}/{quote(path)}"
        request = urllib.request.Request(  # noqa: S310  the scheme was checked
            address, data=content, method=method, headers=self._headers | (headers or {})
        )
        try:
            with self._opener.open(request, timeout=_SECONDS) as answer:
                return answer.status, answer.read(_LARGEST)
        except urllib.error.HTTPError as error:
            return error.code, b""
        except (urllib.error.URLError, OSError) as error:
            raise PushError(f"{self._host} can't be reached: {getattr(error, 'reason', error)}") from None

    def _refused(self, status: int, path: str) -> PushError:
        why = {
            401: "it refuses the name or password",
            403: "it does not allow that",
            409: "the folder above is not there",
            507: "it is full",
        }
        return PushError(f"{self._host}: {path}: {why.get(status, f'it answers {status}')}.")
