"""A folder of the server that a web server, a share or a backup reads."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from indexa.adapters.pushing.file_stores import FilePusher, FileStore
from indexa.adapters.pushing.registry import Place, PushError, register


@register("folder", "Folder of the server", "/srv/documentation", has_secret=False)
class Folder(FilePusher):
    """Pushes to a folder."""

    @contextmanager
    def open(self, place: Place) -> Iterator[FileStore]:
        """Make the folder where it is not there."""
        folder = allowed_folder(place)
        try:
            folder.mkdir(parents=True, exist_ok=True)
            yield _Files(folder)
        except OSError as error:
            raise PushError(
                f"{folder} can't be written to: {error.strerror}. What was written stays; push again."
            ) from None


def allowed_folder(place: Place) -> Path:
    """Return the folder of a place. Raises PushError unless an administrator of the server allows it."""
    folder = (Path(place.address) / place.name).resolve()
    if not any(folder.is_relative_to(Path(one).resolve()) for one in place.folders):
        allowed = ", ".join(place.folders) or "none yet"
        raise PushError(
            f"{folder} is not below a folder that may be written to. Allowed: {allowed} (INDEXA_PUSH_FOLDERS)."
        )
    return folder


class _Files:
    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def get(self, path: str) -> bytes | None:
        file = self._folder / path
        return file.read_bytes() if file.exists() else None

    def put(self, path: str, content: bytes) -> None:
        target = self._folder / path
        target.parent.mkdir(parents=True, exist_ok=True)
        with tempfile.NamedTemporaryFile(dir=target.parent, delete=False) as file:
            file.write(content)
        os.chmod(file.name, 0o644)  # noqa: PTH101  whoever serves the folder reads it
        os.replace(file.name, target)  # noqa: PTH105  whole at any moment

    def delete(self, path: str) -> None:
        (self._folder / path).unlink(missing_ok=True)
