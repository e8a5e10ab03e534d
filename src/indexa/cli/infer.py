"""Proposes what a model does not declare: keys, relationships, and the parts that tables play."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from indexa.adapters.errors import SourceError
from indexa.cli.failing import run_or_say_why


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Describe what the command takes."""
    parser.add_argument("model", help="a model file; make one with `indexa read`")
    parser.add_argument("-o", "--output", default="-", help="where the proposals go, as JSON; - for standard output")
    parser.add_argument(
        "-w", "--wordbook", action="append", default=[], metavar="FILE",
        help="a two-column list (CSV, TSV or XLSX) of words and short forms; may be repeated",
    )  # fmt: skip
    parser.add_argument(
        "--data", default="", metavar="SOURCE",
        help="the database the model was read from (address or file): its rows are sampled by bounded queries as evidence",
    )  # fmt: skip
    parser.add_argument("--least", type=float, default=0.2, metavar="N", help="leave out what is less likely (0.2)")


def run(given: argparse.Namespace) -> int:
    """Write {"proposals": [...]}. Returns 0, or 1 where the model can't be read or the source not asked."""
    return run_or_say_why(lambda: _run(given), failed=1, about=given.model)


def _run(given: argparse.Namespace) -> int:
    import msgspec

    from indexa.core.infer.proposal import Proposals
    from indexa.core.infer.proposing import propose
    from indexa.core.model.file import read
    from indexa.core.naming.wordbook import Stack

    path = Path(given.model)
    if not path.is_file():
        raise SourceError("no-file", f"There is no file {path}.", "Make a model file with `indexa read`.")
    model = read(path.read_bytes())
    stack = Stack()
    if given.wordbook:
        from indexa.adapters.wordbook_files import read_wordbook_file

        stack = Stack([read_wordbook_file(Path(name)) for name in given.wordbook])
    report = _tell if sys.stderr.isatty() else None
    data = None
    if given.data:
        from indexa.cli.read import open_named
        from indexa.core.infer.asking import ask_in_rounds

        with open_named(given.data) as opened:
            data = ask_in_rounds(
                model, stack, lambda asked, seconds: opened.ask_rows(asked, report or _quiet, seconds), report
            )
        for line in data.said:
            print(f"indexa: {line}", file=sys.stderr)
    found = [one for one in propose(model, stack, data, report) if one.confidence >= given.least]
    written = msgspec.json.format(msgspec.json.encode(Proposals(found)), indent=1)
    if given.output == "-":
        sys.stdout.buffer.write(written + b"\n")
    else:
        Path(given.output).write_bytes(written + b"\n")
    return 0


def _quiet(*_: object) -> None:
    """Take no notice of progress."""


def _tell(step: str, done: int, total: int) -> None:
    """Tell progress on the terminal, in one line."""
    print(f"\r\x1b[K{step}{f' {done:,} of {total:,}' if total else ''}", end="", file=sys.stderr, flush=True)
