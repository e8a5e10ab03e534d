"""Archives that people hand in: bounded in members, in size and in how far they unpack, before anything is unpacked."""

from __future__ import annotations

import struct
import zipfile
from typing import IO

from indexa.adapters.errors import SourceError

MOST_MEMBERS = 2_000
MOST_ENTRIES = 100_000
"""Entries of a zip's directory, each of which takes memory when the zip is opened."""
HIGHEST_RATIO = 200
"""Times that something may be larger once it is unpacked; structure as text packs to a tenth, rows to a thirtieth."""
FREE_OF_RATIO = 64 * 1024**2
"""Bytes that may be unpacked whatever the ratio."""
_END = struct.Struct("<4s4H2LH")
_LONGEST_COMMENT = 65_536


def open_archive(name: str, file: IO[bytes]) -> zipfile.ZipFile:
    """Open a zip whose directory is of a sane size. Raises SourceError, or BadZipFile where it is none."""
    file.seek(0, 2)
    size = file.tell()
    file.seek(max(0, size - _END.size - _LONGEST_COMMENT))
    tail = file.read()
    at = tail.rfind(b"PK\x05\x06")
    if at < 0 or len(tail) - at < _END.size:
        raise zipfile.BadZipFile("it has no directory")
    _, _, _, _, entries, length, *_ = _END.unpack_from(tail, at)
    # A zip of over 65,535 entries says so in a record of its own; none that is handed in here needs one.
    if entries == 0xFFFF or length > MOST_ENTRIES * 300:
        raise SourceError("too-many", f"“{name}” holds too many files.", "Hand in fewer files at a time.")
    file.seek(0)
    return zipfile.ZipFile(file)


def check_archive(name: str, archive: zipfile.ZipFile, largest: int, hint: str) -> None:
    """Raise SourceError where an archive says that it unpacks to more than may be."""
    unpacked = sum(one.file_size for one in archive.infolist())
    packed = sum(one.compress_size for one in archive.infolist())
    if unpacked > largest:
        raise SourceError("too-large", f"“{name}” is too large once it is unpacked.", hint)
    check_ratio(name, packed, unpacked)


def check_ratio(name: str, packed: int, unpacked: int) -> None:
    """Raise SourceError where something unpacks to so much more than it is that it was made to fill a disk."""
    if unpacked > FREE_OF_RATIO and unpacked > packed * HIGHEST_RATIO:
        raise SourceError(
            "packed-too-far",
            f"“{name}” unpacks to more than {HIGHEST_RATIO} times its size.",
            "Hand in the file as it is, not packed.",
        )
