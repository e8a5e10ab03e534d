"""Reads any source into a model file: a database by its URL, scripts, the result of a field kit, a database file."""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import TYPE_CHECKING

from indexa.adapters.errors import SourceError
from indexa.cli.dialects import dialect
from indexa.cli.failing import run_or_say_why
from indexa.core.intake.choice import OBJECT_KINDS, Choice, patterns
from indexa.core.intake.receipt import Receipt
from indexa.core.model import Model

if TYPE_CHECKING:
    from indexa.adapters.address import Address
    from indexa.adapters.live import Reading

PASSWORD = "INDEXA_SOURCE_PASSWORD"  # noqa: S105  the name of a variable
_MOST_NOTES = 60


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Describe what the command takes."""
    parser.add_argument(
        "source",
        nargs="+",
        help="a URL, or files: scripts (.sql, .gz, .zip), a kit's result (.csv, .xlsx), .sqlite, .duckdb",
    )
    parser.add_argument("-o", "--output", default="-", help="the model file to write; - for standard output")
    parser.add_argument(
        "-d",
        "--dialect",
        type=dialect,
        default="",
        help="the platform of a script or kit result; proposed from the text if not given",
    )
    parser.add_argument("-s", "--schema", action="append", default=[], help="read this schema only; may be repeated")
    parser.add_argument(
        "--tables-only", action="store_true", help="leave out views, routines, triggers, sequences and types"
    )
    parser.add_argument(
        "--include", default="", metavar="PATTERNS", help="names to read, with * and ?, commas between them"
    )
    parser.add_argument("--exclude", default="", metavar="PATTERNS", help="names to leave out")
    parser.add_argument("--encoding", default="", help="of the files; found out if not given")
    parser.add_argument("--default-schema", default=None, help="where a script's unqualified names go at first")
    parser.add_argument("--name", default="", help="of the model; the source's own if not given")
    parser.add_argument("-q", "--quiet", action="store_true", help="no receipt on standard error")


def run(given: argparse.Namespace) -> int:
    """Read, write the model file, print the receipt. Returns 1 if the source can't be read."""
    return run_or_say_why(lambda: _run(given), failed=1)


def _run(given: argparse.Namespace) -> int:
    from indexa.core.model.file import write

    model, receipt = _read(given)
    content = write(model)
    if given.output == "-":
        with suppress(BrokenPipeError):
            sys.stdout.buffer.write(content + b"\n")
    else:
        target = Path(given.output)
        whole_file = target.is_file() or not target.exists()  # never a device or a pipe
        part = target.with_name(f"{target.name}.part") if whole_file else target
        try:
            part.write_bytes(content)
            if whole_file:
                part.replace(target)
        except OSError as error:
            print(f"indexa: {given.output} can't be written: {error.strerror}.", file=sys.stderr)
            return 1
    if not given.quiet:
        _print_receipt(receipt)
    return 0


def read_source(source: list[str], dialect: str) -> Model:
    """Return the model of a source for another command, which prints no receipt."""
    parser = argparse.ArgumentParser()
    add_arguments(parser)
    return _read(parser.parse_args([*source, "--dialect", dialect, "--quiet"]))[0]


def _read(given: argparse.Namespace) -> tuple[Model, Receipt]:
    kinds = frozenset({"tables"}) if given.tables_only else frozenset(OBJECT_KINDS)
    choice = Choice(tuple(given.schema), kinds, patterns(given.include), patterns(given.exclude))
    first = given.source[0]
    if "://" in first:
        return _read_live(given, first, choice)
    paths = [(Path(name).name, Path(name)) for name in given.source]
    for name, path in paths:
        if not path.is_file():
            raise SourceError("no-file", f"There is no file {path}.", f"{name} is neither a file nor a URL.")
    with paths[0][1].open("rb") as file:
        start = file.read(4096)
    if start.startswith(b"SQLite format 3\0"):
        return _read_database("sqlite", str(paths[0][1]), given, choice)
    if start[8:12] == b"DUCK":
        return _read_database("duckdb", str(paths[0][1]), given, choice)
    if paths[0][1].suffix.lower() in (".csv", ".tsv", ".xlsx") or b"table_name" in start[:2000].lower().split(b"\n")[0]:
        return _read_kit(given, *paths[0], choice)
    return _read_scripts(given, paths, choice)


@contextmanager
def open_named(source: str) -> Iterator[Reading]:
    """Open the live database or database file that a URL or path names."""
    from indexa.adapters.live import open_source

    if "://" in source:
        platform, address, password = _live_address(source)
    else:
        path = Path(source)
        if not path.is_file():
            raise SourceError("no-file", f"There is no file {path}.", f"{source} is neither a file nor a URL.")
        start = path.open("rb").read(16)
        if not start.startswith(b"SQLite format 3") and start[8:12] != b"DUCK":
            raise SourceError(
                "no-rows", f"{path} holds no rows to ask.", "Name a live database, a SQLite or a DuckDB file."
            )
        from indexa.adapters.address import Address

        platform, address, password = "duckdb" if start[8:12] == b"DUCK" else "sqlite", Address("", 0, source), ""
    with open_source(platform, address, os.environ.get(PASSWORD) or password, trusted=True) as reading:
        yield reading


def _live_address(url: str) -> tuple[str, Address, str]:
    from indexa.adapters.address import Address, parse_address, platform_of
    from indexa.adapters.live import OTHER

    platform = platform_of(url)
    if platform == "postgresql":
        from indexa.adapters.postgresql import parse_url

        return platform, *parse_url(url, trusted=True)
    if platform and "+" not in url.split("://", 1)[0]:
        return parse_address(url)
    return OTHER, Address(database=url), ""


def _read_live(given: argparse.Namespace, url: str, choice: Choice) -> tuple[Model, Receipt]:
    platform, address, password = _live_address(url)
    return _read_open(platform, address, os.environ.get(PASSWORD) or password, given, choice)


def _read_database(platform: str, path: str, given: argparse.Namespace, choice: Choice) -> tuple[Model, Receipt]:
    from indexa.adapters.address import Address

    return _read_open(platform, Address("", 0, path), "", given, choice)


def _read_open(
    platform: str, address: object, password: str, given: argparse.Namespace, choice: Choice
) -> tuple[Model, Receipt]:
    from indexa.adapters.address import Address
    from indexa.adapters.live import open_source

    assert isinstance(address, Address)
    with open_source(platform, address, password, trusted=True) as reading:
        if not choice.schemas:
            holding = tuple(schema.schema for schema in reading.count() if any(schema.counts.values()))
            choice = Choice(holding, choice.kinds, choice.include, choice.exclude)
        model, receipt = reading.read(choice, _no_tick, given.name or Path(address.database).stem or "model")
        model.platform_version = receipt.source_version = reading.version
    return model, receipt


def _read_kit(given: argparse.Namespace, name: str, path: Path, choice: Choice) -> tuple[Model, Receipt]:
    from indexa.adapters.kit_files import kit_rows
    from indexa.core import platforms
    from indexa.core.intake.kit import read_kit

    canonical = platforms.get(given.dialect).dialect.canonical_type if given.dialect else str
    return read_kit(kit_rows(name, path), given.dialect, choice, _no_tick, given.name or path.stem, canonical)


def _read_scripts(given: argparse.Namespace, paths: list[tuple[str, Path]], choice: Choice) -> tuple[Model, Receipt]:
    from indexa.adapters.script_files import open_scripts
    from indexa.core import platforms
    from indexa.core.scripts.proposal import propose_for
    from indexa.core.scripts.reader import read_scripts

    with open_scripts(paths, given.encoding) as files:
        dialect = given.dialect
        if not dialect:
            proposed = propose_for(files)
            dialect = proposed[0][0] if proposed else "postgresql"
            if not given.quiet:
                message = "read as" if proposed else "nothing shows the dialect; read as"
                print(f"{message} {platforms.get(dialect).label}; --dialect chooses another", file=sys.stderr)
        narrowed = choice if choice != Choice() else None
        return read_scripts(
            files,
            platforms.get(dialect).dialect,
            _no_tick,
            given.name or paths[0][1].stem,
            choice=narrowed,
            default_schema=given.default_schema,
        )


def _no_tick(what: str, done: int, total: int) -> None:
    """Take no notice of progress: the command is its own progress."""


def _print_receipt(receipt: Receipt) -> None:
    print("arrived: " + ", ".join(f"{count:,} {kind}" for kind, count in receipt.arrived.items()), file=sys.stderr)
    for note in receipt.notes[:_MOST_NOTES]:
        count = f" ({note.count:,})" if note.count > 1 else ""
        place = f" [{note.place}]" if note.place else ""
        print(f"{note.fate}: {note.kind}{count}: {note.reason}{place}", file=sys.stderr)
    if len(receipt.notes) > _MOST_NOTES:
        print(f"and {len(receipt.notes) - _MOST_NOTES:,} lines more", file=sys.stderr)
