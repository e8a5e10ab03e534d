"""Serving an edition's files: one by one, or all as a zip made while it is sent."""

from __future__ import annotations

import gzip
import io
import mimetypes
import zipfile
from collections.abc import Iterator

from django.http import Http404, HttpRequest, HttpResponse, StreamingHttpResponse
from django.utils.http import content_disposition_header
from django.utils.text import slugify

from indexa.editions.files import content_of
from indexa.editions.models import Edition, EditionFile

_TYPES = {".js": "text/javascript", ".woff2": "font/woff2", ".css": "text/css", ".html": "text/html"}


def serve_file(request: HttpRequest, edition: Edition, path: str) -> HttpResponse:
    """Answer with one file of an edition, compressed where the browser takes that."""
    found = EditionFile.objects.filter(edition=edition, path=path or "index.html").select_related("stored").first()
    if found is None:
        raise Http404("The edition has no such page.")
    suffix = f".{found.path.rpartition('.')[2]}"
    kind = _TYPES.get(suffix) or mimetypes.guess_type(found.path)[0] or "application/octet-stream"
    charset = "; charset=utf-8" if kind.startswith("text/") else ""
    content = bytes(found.stored.content)
    zipped = "gzip" in request.headers.get("Accept-Encoding", "")
    response = HttpResponse(content if zipped else gzip.decompress(content), content_type=kind + charset)
    if zipped:
        response["Content-Encoding"] = "gzip"
    response["Vary"] = "Accept-Encoding"
    if found.path.startswith(("documents/", "open/")):
        response["Content-Disposition"] = content_disposition_header(True, document_name(edition, found.path)) or ""
    response["X-Robots-Tag"] = "noindex"
    return response


def document_name(edition: Edition, path: str) -> str:
    """Return what a document of an edition is called where it is saved."""
    folder, _, name = path.rpartition("/")
    named = f"{slugify(edition.title) or 'edition'}-{edition.number or 'draft'}"
    return f"{named}-{name}" if folder == "open" else f"{named}{name.removeprefix('edition')}"


def serve_zip(edition: Edition) -> StreamingHttpResponse:
    """Answer with all files of an edition as a zip; memory holds one file at a time."""
    name = f"{slugify(edition.title) or 'edition'}-{edition.number or 'draft'}"
    response = StreamingHttpResponse(_zip(edition, name), content_type="application/zip")
    response["Content-Disposition"] = f'attachment; filename="{name}.zip"'
    return response


def _zip(edition: Edition, folder: str) -> Iterator[bytes]:
    sink = _Sink()
    with zipfile.ZipFile(sink, "w", zipfile.ZIP_DEFLATED) as archive:
        for found in (
            EditionFile.objects.filter(edition=edition)
            .select_related("stored")
            .order_by("path")
            .iterator(chunk_size=50)
        ):
            entry = zipfile.ZipInfo(f"{folder}/{found.path}", edition.made_at.timetuple()[:6])
            entry.compress_type = zipfile.ZIP_DEFLATED
            archive.writestr(entry, content_of(found))
            yield sink.take()
    yield sink.take()


class _Sink(io.RawIOBase):
    """A file that can only be written to, and emptied."""

    def __init__(self) -> None:
        self._pieces: list[bytes] = []

    def writable(self) -> bool:
        return True

    def write(self, data: object) -> int:
        piece = bytes(data)  # type: ignore[call-overload]
        self._pieces.append(piece)
        return len(piece)

    def take(self) -> bytes:
        taken, self._pieces = b"".join(self._pieces), []
        return taken
