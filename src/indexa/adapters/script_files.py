"""Files of scripts and kit results: plain, gzipped or zipped, in whatever encoding, bounded in size."""

from __future__ import annotations

import codecs
import gzip
import tempfile
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from mmap import ACCESS_READ, mmap
from pathlib import Path
from typing import IO

from indexa.adapters.errors import SourceError
from indexa.core.scripts.reader import ScriptFile

LARGEST = 4 * 1024**3
"""Bytes that the files of one source may have together once they are unpacked."""
MOST_MEMBERS = 2000
_CHUNK = 1 << 20
_SQL_ENDINGS = (
    ".sql",
    ".ddl",
    ".txt",
    ".dump",
    ".pgsql",
    ".mysql",
    ".tab",
    ".tables",
    ".pks",
    ".pkb",
    ".vw",
    ".trg",
    ".prc",
)


@contextmanager
def open_scripts(paths: list[tuple[str, Path]], encoding: str = "") -> Iterator[list[ScriptFile]]:
    """Open files, given as name and path, in their order; members of a zip follow in the order it lists them.

    An encoding that is not given is found out. Raises SourceError for what can't be read or is too large.
    """
    with ExitStack() as stack:
        opened: list[ScriptFile] = []
        room = LARGEST
        for name, path in paths:
            for member, file in _unpacked(stack, name, path, room):
                file.seek(0, 2)
                room -= file.tell()
                if room < 0:
                    raise _too_large(name)
                opened.append(_script_file(stack, member, file, encoding))
        yield opened


def _unpacked(stack: ExitStack, name: str, path: Path, room: int) -> Iterator[tuple[str, IO[bytes]]]:
    try:
        file: IO[bytes] = stack.enter_context(path.open("rb"))
    except OSError as error:
        raise SourceError("no-file", f"“{name}” can't be opened.", error.strerror or "Check the path.") from None
    magic = file.read(4)
    file.seek(0)
    try:
        if magic[:2] == b"\x1f\x8b":
            yield name.removesuffix(".gz"), _copied(stack, gzip.GzipFile(fileobj=file), room, name)
        elif magic == b"PK\x03\x04":
            yield from _members(stack, zipfile.ZipFile(file), room, name)
        else:
            yield name, file
    except (OSError, EOFError, zipfile.BadZipFile, zlib.error, NotImplementedError, RuntimeError) as error:
        raise SourceError(
            "damaged", f"“{name}” can't be unpacked.", f"The file is damaged, cut off or encrypted: {str(error)[:200]}"
        ) from None


def _members(stack: ExitStack, archive: zipfile.ZipFile, room: int, name: str) -> Iterator[tuple[str, IO[bytes]]]:
    members = [one for one in archive.infolist() if not one.is_dir() and one.filename.lower().endswith(_SQL_ENDINGS)]
    if not members:
        raise SourceError(
            "no-script", f"“{name}” holds no script.", f"Files that end with {', '.join(_SQL_ENDINGS[:4])} are read."
        )
    if len(members) > MOST_MEMBERS:
        raise SourceError(
            "too-many",
            f"“{name}” holds {len(members)} files.",
            f"At most {MOST_MEMBERS} are read; hand them in as one script.",
        )
    for member in members:
        with archive.open(member) as packed:
            file = _copied(stack, packed, room, name)
        room -= file.tell()
        yield member.filename, file


def _copied(stack: ExitStack, packed: IO[bytes] | gzip.GzipFile, room: int, name: str) -> IO[bytes]:
    """Unpack into a nameless file on disk, not further than there is room."""
    target: IO[bytes] = stack.enter_context(tempfile.TemporaryFile())  # noqa: SIM115
    written = 0
    while chunk := packed.read(_CHUNK):
        written += len(chunk)
        if written > room:
            raise _too_large(name)
        target.write(chunk)
    target.flush()
    return target


def _too_large(name: str) -> SourceError:
    return SourceError(
        "too-large",
        f"“{name}” is larger than {LARGEST // 1024**3} GB once it is unpacked.",
        "Dump the structure without the data.",
    )


def _script_file(stack: ExitStack, name: str, file: IO[bytes], encoding: str) -> ScriptFile:
    file.seek(0)
    start = file.read(4)
    wide = _wide_encoding(start, encoding)
    if wide:
        file = _recoded(stack, file, wide)
        encoding = "utf-8"
    file.seek(0, 2)
    if file.tell() == 0:
        return ScriptFile(name, b"", "utf-8")
    content = stack.enter_context(mmap(file.fileno(), 0, access=ACCESS_READ))
    return ScriptFile(name, content, encoding or find_encoding(content))


def _wide_encoding(start: bytes, encoding: str) -> str:
    if start[:2] in (codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE):
        return "utf-16"
    if len(start) == 4 and start[1] == 0 == start[3] and start[0]:
        return "utf-16-le"
    if len(start) == 4 and start[0] == 0 == start[2] and start[1]:
        return "utf-16-be"
    keeps_ascii = not encoding or "a'\\;".encode(encoding, "replace") == b"a'\\;"
    return (
        ""
        if keeps_ascii and encoding.lower() not in ("gbk", "gb18030", "big5", "shift_jis", "cp932", "cp949", "johab")
        else encoding
    )


def _recoded(stack: ExitStack, file: IO[bytes], encoding: str) -> IO[bytes]:
    target: IO[bytes] = stack.enter_context(tempfile.TemporaryFile())  # noqa: SIM115
    decoder = codecs.getincrementaldecoder(encoding)("replace")
    file.seek(0)
    while chunk := file.read(_CHUNK):
        target.write(decoder.decode(chunk).encode())
    target.write(decoder.decode(b"", final=True).encode())
    target.flush()
    return target


def find_encoding(content: bytes | mmap) -> str:
    """Return "utf-8" where all of it is, else "cp1252"."""
    decoder = codecs.getincrementaldecoder("utf-8")()
    try:
        for at in range(0, len(content), _CHUNK):
            decoder.decode(content[at : at + _CHUNK])
        decoder.decode(b"", final=True)
    except UnicodeDecodeError:
        return "cp1252"
    return "utf-8"
