"""Names without a server: `split`, `expand` and `mine`. One name or record a line, JSON lines out, in the same order."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable, Iterable, Iterator
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING, BinaryIO

from indexa.cli.failing import run_or_say_why
from indexa.core.errors import CoreError
from indexa.core.model import Model
from indexa.core.naming.evidence import Place
from indexa.core.naming.wordbook import Stack

if TYPE_CHECKING:
    from indexa.core.naming.splitting import Splitter

_MOST_LINES = 5_000_000
_LONGEST_LINE = 1_000_000


def add_split(parser: argparse.ArgumentParser) -> None:
    """Describe what `split` takes."""
    _add_wordbook(parser)


def add_expand(parser: argparse.ArgumentParser) -> None:
    """Describe what `expand` takes."""
    parser.add_argument(
        "model",
        nargs="?",
        default="-",
        help="a model file, or JSON lines with name, table, comment; - for standard input",
    )
    _add_wordbook(parser)


def add_mine(parser: argparse.ArgumentParser) -> None:
    """Describe what `mine` takes."""
    parser.add_argument("model", nargs="+", help="model files")
    parser.add_argument("--all-kinds", action="store_true", help="homonyms, synonyms and misspellings as well")
    _add_wordbook(parser)


def _add_wordbook(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "-w", "--wordbook", action="append", default=[], metavar="FILE",
        help="a two-column list (CSV, TSV or XLSX) of words and short forms; repeat it to stack several, the nearest first",
    )  # fmt: skip


def split(given: argparse.Namespace) -> int:
    """Write {"name", "words"} for each line of standard input."""
    from indexa.core.naming.splitting import Splitter

    return _run(lambda: _split(Splitter(_stack(given).abbreviations()), [line for _, line in _lines(sys.stdin.buffer)]))


def _split(splitter: Splitter, names: list[str]) -> Iterator[dict[str, object]]:
    splitter.learn(names)
    for name in names:
        yield {"name": name, "words": splitter.split(name)}


def expand(given: argparse.Namespace) -> int:
    """Write {"table", "name", "words", "business_name", "confidence"} for each name."""
    return _run(lambda: _expand(given))


def _expand(given: argparse.Namespace) -> Iterator[dict[str, object]]:
    from indexa.core.naming.evidence import Join
    from indexa.core.naming.expanding import Expander
    from indexa.core.naming.places import joins_of, places_of

    joins: list[Join] = []
    if given.model != "-":
        model = _model(given.model)
        places, joins = places_of(model), joins_of([model])
    else:
        lines = list(_lines(sys.stdin.buffer))
        whole = "\n".join(line for _, line in lines)
        if '"tables"' in whole[:100_000] and not _is_record(lines):
            model = _parsed(whole.encode(), "standard input")
            places, joins = places_of(model), joins_of([model])
        else:
            places = [_place(number, line) for number, line in lines if line.strip()]
    for one in Expander(places, _stack(given), joins).expand_all():
        yield {
            "table": one.table,
            "name": one.name,
            "words": one.words,
            "business_name": one.business_name,
            "confidence": one.confidence,
        }


def _is_record(lines: list[tuple[int, str]]) -> bool:
    first = next((line for _, line in lines if line.strip()), "")
    with suppress(ValueError):
        record = json.loads(first)
        return isinstance(record, dict) and "name" in record and "tables" not in record
    return False


def _place(number: int, line: str) -> Place:
    try:
        record = json.loads(line)
    except ValueError as error:
        raise CoreError(f"line {number} is not JSON: {error}") from error
    if not isinstance(record, dict) or not isinstance(record.get("name"), str):
        raise CoreError(f'line {number} has no text under "name": {line[:60]}')
    fields = {}
    for field in ("table", "comment", "type"):
        value = record.get(field)
        if value is not None and not isinstance(value, str):
            raise CoreError(f'line {number}: "{field}" is not a text: {line[:60]}')
        fields[field] = value or ""
    return Place(record["name"], fields["table"], fields["comment"], fields["type"])


def mine(given: argparse.Namespace) -> int:
    """Write {"short", "word", "confidence", "evidence", "count"} for each proposal."""
    return _run(lambda: _mine(given))


def _mine(given: argparse.Namespace) -> Iterator[dict[str, object]]:
    from indexa.core.naming.mining import mine as found_in

    for one in found_in([_model(name) for name in given.model], _stack(given)):
        if one.kind == "short form" or given.all_kinds:
            text: dict[str, object] = {
                "short": one.short,
                "word": one.word,
                "confidence": one.confidence,
                "evidence": one.evidence,
                "count": one.count,
            }
            yield text | ({"kind": one.kind} if given.all_kinds else {})


# in and out ----------------------------------------------------------------------------------------------------------


def _run(work: Callable[[], Iterable[dict[str, object]]]) -> int:
    """Write the records one a line; return 1 with a sentence on standard error where it can't be done."""

    def write() -> int:
        out = sys.stdout.buffer
        with suppress(BrokenPipeError):
            for record in work():
                out.write(json.dumps(record, ensure_ascii=False).encode() + b"\n")
            out.flush()
        return 0

    return run_or_say_why(write, failed=1)


def _lines(stream: BinaryIO) -> Iterator[tuple[int, str]]:
    for number, raw in enumerate(stream, 1):
        if number > _MOST_LINES:
            raise CoreError(f"more than {_MOST_LINES:,} lines; hand them in in parts")
        yield number, raw.decode("utf-8-sig" if number == 1 else "utf-8", "replace").rstrip("\r\n")


def _model(name: str) -> Model:
    from indexa.adapters.errors import SourceError

    path = Path(name)
    if not path.is_file():
        raise SourceError("no-file", f"There is no file {name}.", "Make a model file with `indexa read`.")
    return _parsed(path.read_bytes(), name)


def _parsed(content: bytes, name: str) -> Model:
    from indexa.core.model.file import read

    try:
        return read(content)
    except CoreError as error:
        raise CoreError(f"{name}: {error}") from error


def _stack(given: argparse.Namespace) -> Stack:
    if not given.wordbook:
        return Stack()
    from indexa.adapters.wordbook_files import read_wordbook_file

    return Stack([read_wordbook_file(Path(name)) for name in given.wordbook])
