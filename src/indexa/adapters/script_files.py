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

from indexa.adapters.archives import MOST_MEMBERS, check_ratio, open_archive
from indexa.adapters.errors import SourceError
from indexa.core.scripts.reader import ScriptFile

LARGEST = 4 * 1024**3
"""Bytes that the files of one source may have together once they are unpacked."""
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
    if encoding and not is_text_encoding(encoding):
        raise SourceError("encoding", f"There is no encoding of texts called “{encoding}”.", "Try utf-8 or cp1252.")
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


_PEEKED = 400_000
_FILES_PEEKED = 20


@contextmanager
def peek_scripts(paths: list[tuple[str, Path]], encoding: str = "") -> Iterator[list[ScriptFile]]:
    """Open the beginning of the first files only, a few hundred kilobytes of each, as `open_scripts` opens all of them."""
    with ExitStack() as stack:
        opened: list[ScriptFile] = []
        for name, path in paths[:_FILES_PEEKED]:
            for member, file in _unpacked(stack, name, path, LARGEST, peek=True):
                opened.append(_script_file(stack, member, _beginning(stack, file), encoding))
                if len(opened) == _FILES_PEEKED:
                    break
        yield opened


def _beginning(stack: ExitStack, file: IO[bytes]) -> IO[bytes]:
    start: IO[bytes] = stack.enter_context(tempfile.TemporaryFile())  # noqa: SIM115
    file.seek(0)
    start.write(file.read(_PEEKED))
    start.flush()
    return start


def _unpacked(
    stack: ExitStack, name: str, path: Path, room: int, *, peek: bool = False
) -> Iterator[tuple[str, IO[bytes]]]:
    try:
        file: IO[bytes] = stack.enter_context(path.open("rb"))
    except OSError as error:
        raise SourceError("no-file", f"“{name}” can't be opened.", error.strerror or "Check the path.") from None
    magic = file.read(4)
    file.seek(0)
    try:
        if magic[:2] == b"\x1f\x8b":
            yield (
                name.removesuffix(".gz"),
                _copied(stack, gzip.GzipFile(fileobj=file), room, name, packed=path.stat().st_size, peek=peek),
            )
        elif magic == b"PK\x03\x04":
            yield from _members(stack, open_archive(name, file), room, name, peek=peek)
        else:
            yield name, file
    except (OSError, EOFError, zipfile.BadZipFile, zlib.error, NotImplementedError, RuntimeError) as error:
        raise SourceError(
            "damaged",
            f"“{name}” can't be unpacked.",
            f"It is damaged, cut off or encrypted ({str(error)[:200]}). Make the file again and upload it.",
        ) from None


def _members(
    stack: ExitStack, archive: zipfile.ZipFile, room: int, name: str, *, peek: bool
) -> Iterator[tuple[str, IO[bytes]]]:
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
        with archive.open(member) as stream:
            file = _copied(stack, stream, room, name, packed=member.compress_size, peek=peek)
        room -= file.tell()
        yield member.filename, file


def _copied(
    stack: ExitStack, stream: IO[bytes] | gzip.GzipFile, room: int, name: str, *, packed: int, peek: bool
) -> IO[bytes]:
    """Unpack so many packed bytes into a nameless file on disk, not further than there is room; the first piece to peek."""
    target: IO[bytes] = stack.enter_context(tempfile.TemporaryFile())  # noqa: SIM115
    written = 0
    while chunk := stream.read(_CHUNK):
        written += len(chunk)
        if written > room:
            raise _too_large(name)
        check_ratio(name, packed, written)
        target.write(chunk)
        if peek:
            break
    target.flush()
    return target


def _too_large(name: str) -> SourceError:
    return SourceError(
        "too-large",
        f"“{name}” is larger than {LARGEST // 1024**3} GB once it is unpacked.",
        "Dump the structure without the data.",
    )


_KNOWN_STARTS = {
    b"%PDF": "a PDF document",
    b"\x89PNG": "a picture",
    b"\xff\xd8\xff": "a picture",
    b"GIF8": "a picture",
    b"\xd0\xcf\x11\xe0": "a document or spreadsheet of an office program",
    b"{\\rtf": "a document of an office program",
    b"SQLite format 3": "an SQLite database: enter it as a database file",
    b"PGDMP": "a dump in PostgreSQL's own format: make one as plain text (pg_dump --format plain)",
    b"PAR1": "a Parquet file",
    b"\x7fELF": "a program",
    b"MZ": "a program",
}
_LOOKED_AT = 64 * 1024
_MOST_CONTROLS = 0.02
"""Share of control characters above which a file holds no text."""


def _refuse_binary(name: str, start: bytes) -> None:
    what = next((words for known, words in _KNOWN_STARTS.items() if start.startswith(known)), "")
    controls = sum(byte < 9 or 13 < byte < 32 for byte in start)
    if what or controls > _MOST_CONTROLS * len(start):
        raise SourceError(
            "no-script",
            f"“{name}” is no script: it is {what or 'a file of bytes that are no text'}.",
            "A script is a text of statements such as create table.",
        )


def _script_file(stack: ExitStack, name: str, file: IO[bytes], encoding: str) -> ScriptFile:
    file.seek(0)
    start = file.read(_LOOKED_AT)
    wide = _wide_encoding(start[:4], encoding)
    if not wide:
        _refuse_binary(name, start)
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


_NO_TEXT = frozenset({"idna", "punycode", "unicode_escape", "raw_unicode_escape", "undefined", "mbcs", "oem"})


def is_text_encoding(name: str) -> bool:
    """Say whether a name is that of an encoding in which people keep texts: base64, zlib and their like are none."""
    try:
        found = codecs.lookup(name)
    except (LookupError, ValueError):
        return False
    kind = getattr(found, "_is_text_encoding", True)
    return bool(kind) and found.name.replace("-", "_") not in _NO_TEXT


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
