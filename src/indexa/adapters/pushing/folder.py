"""A folder of the server that a web server, a share or a backup reads: the files of an edition, those that are gone taken away."""

from __future__ import annotations

import hashlib
import json
import os
import tempfile
from pathlib import Path

from indexa.adapters.pushing.registry import Place, Pushed, PushError, Sent, register

_LIST = ".indexa-edition.json"
"""Digests of the files that a push put there: nothing else in the folder is touched."""


@register("folder", "Folder of the server", "/srv/documentation", has_secret=False)
class Folder:
    """Pushes to a folder."""

    def test(self, place: Place) -> str:
        """Write a file and take it away again."""
        folder = _folder(place)
        try:
            folder.mkdir(parents=True, exist_ok=True)
            with tempfile.NamedTemporaryFile(dir=folder, prefix=".indexa-"):
                pass
        except OSError as error:
            raise PushError(f"{folder} can't be written to: {error.strerror}.") from None
        return f"{folder} can be written to."

    def plan(self, place: Place, sent: Sent) -> Pushed:
        """Compare with what was pushed before."""
        return _compare(_known(_folder(place)), {path: _digest(content) for path, content in sent.files})

    def push(self, place: Place, sent: Sent) -> Pushed:
        """Write what is new or changed, then take away what is gone; each file is whole at any moment."""
        folder = _folder(place)
        self.test(place)
        known, now = _known(folder), {}
        try:
            for path, content in sent.files:
                now[path] = _digest(content)
                if known.get(path) != now[path] or not (folder / path).exists():
                    _write(folder / path, content)
            outcome = _compare(known, now)
            for path in known.keys() - now.keys():
                (folder / path).unlink(missing_ok=True)
            _write(folder / _LIST, json.dumps(now, sort_keys=True).encode())
        except OSError as error:
            raise PushError(f"{folder}: {error.strerror}. What was written stays; push again.") from None
        return outcome


def _folder(place: Place) -> Path:
    folder = (Path(place.address) / place.name).resolve()
    if not any(folder.is_relative_to(Path(one).resolve()) for one in place.folders):
        allowed = ", ".join(place.folders) or "none yet"
        raise PushError(
            f"{folder} is not below a folder that may be written to. Allowed: {allowed} (INDEXA_PUSH_FOLDERS)."
        )
    return folder


def _known(folder: Path) -> dict[str, str]:
    try:
        found = json.loads((folder / _LIST).read_bytes())
    except (OSError, ValueError):
        return {}
    inside = {str(path): str(digest) for path, digest in found.items()} if isinstance(found, dict) else {}
    return {path: digest for path, digest in inside.items() if (folder / path).resolve().is_relative_to(folder)}


def _compare(known: dict[str, str], now: dict[str, str]) -> Pushed:
    added = len(now.keys() - known.keys())
    unchanged = sum(known.get(path) == digest for path, digest in now.items())
    return Pushed(added, len(now) - added - unchanged, unchanged, len(known.keys() - now.keys()))


def _digest(content: bytes) -> str:
    return hashlib.sha256(content).hexdigest()


def _write(path: Path, content: bytes) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.NamedTemporaryFile(dir=path.parent, delete=False) as file:
        file.write(content)
    os.replace(file.name, path)  # noqa: PTH105  replaces in one step
