"""Holds the names of a model file or of scripts against a naming standard; ends with 1 where they break it."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from indexa.adapters.errors import SourceError
from indexa.cli.dialects import dialect
from indexa.cli.failing import run_or_say_why
from indexa.core.errors import CoreError
from indexa.core.model import Model

if TYPE_CHECKING:
    from indexa.core.naming.checking import Finding


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Describe what the command takes."""
    parser.add_argument("source", nargs="+", help="a model file, or scripts (.sql, .gz, .zip) in their order")
    parser.add_argument("-s", "--standard", default="", help="the naming standard, JSON; a plain one if not given")
    parser.add_argument(
        "-w", "--wordbook", action="append", default=[], metavar="FILE", help="a two-column list; may be repeated"
    )
    parser.add_argument(
        "-d", "--dialect", type=dialect, default="", help="the platform of scripts; proposed from the text if not given"
    )
    parser.add_argument(
        "--structure", action="store_true", help="also the model's structure: keys, relationships, types, indexes"
    )
    parser.add_argument("-f", "--format", choices=("text", "json", "sarif", "junit"), default="text")
    parser.add_argument("-o", "--output", default="-", help="where the report goes; - for standard output")
    parser.add_argument(
        "--fail-on", choices=("note", "warning", "error"), default="warning", help="the severity that ends with 1"
    )
    parser.add_argument("--baseline", default="", metavar="FILE", help="findings that are known and not reported again")
    parser.add_argument(
        "--write-baseline", action="store_true", help="write all findings into the baseline file, and end with 0"
    )


def run(given: argparse.Namespace) -> int:
    """Check and report. Returns 0, 1 on findings of the severity asked for, 2 where the check can't be made."""
    return run_or_say_why(lambda: _run(given), failed=2)


def _run(given: argparse.Namespace) -> int:
    from indexa.adapters.templates import render_confined
    from indexa.cli.inputs import standard_and_words
    from indexa.core.naming.checking import at_least, check
    from indexa.core.naming.reports import FORMATS, lines_of

    if given.write_baseline and not given.baseline:
        raise CoreError("--write-baseline needs --baseline FILE, the file to write.")
    standard, stack = standard_and_words(given.standard, given.wordbook)
    model, text = _model(given)
    findings = check(model, standard, stack, renderer=render_confined)
    if given.structure:
        findings += _of_structure(model)
    if given.write_baseline:
        known = {"version": 1, "findings": sorted(one.fingerprint for one in findings)}
        Path(given.baseline).write_text(json.dumps(known, ensure_ascii=False, indent=1) + "\n", "utf-8")
        print(
            f"{len(findings):,} findings are in {given.baseline}; from now on only new ones are reported.",
            file=sys.stderr,
        )
        return 0
    if given.baseline:
        known_ones = _baseline(Path(given.baseline))
        findings = [one for one in findings if one.fingerprint not in known_ones]
    report = FORMATS[given.format](findings, given.source[0], lines_of(text) if text else None)
    if given.output == "-":
        sys.stdout.write(report)
    else:
        Path(given.output).write_text(report, "utf-8")
    return 1 if at_least(findings, given.fail_on) else 0


def _of_structure(model: Model) -> list[Finding]:
    """Return the faults of a model's structure in the shape that reports have."""
    from indexa.core.checks.structure import check_structure
    from indexa.core.naming.checking import Finding

    return [
        Finding(
            rule=one.rule, severity=one.severity, kind="table", place=one.place, name=one.place.rpartition(".")[2], why=one.why,
            table=one.table,
        )
        for one in check_structure(model)
    ]  # fmt: skip


def _model(given: argparse.Namespace) -> tuple[Model, str]:
    """Return the model, and the script's text where lines are known: of one script that is no archive."""
    first = Path(given.source[0])
    if not first.is_file():
        raise SourceError("no-file", f"There is no file {first}.", "Name a model file or a script.")
    start = first.open("rb").read(4096).lstrip(b"\xef\xbb\xbf \t\r\n")
    if start.startswith((b"{", b"[")) or first.suffix.lower() == ".json":
        from indexa.core.model.file import read

        if len(given.source) > 1:
            raise CoreError("One model file at a time.")
        try:
            return read(first.read_bytes()), ""
        except CoreError as error:
            raise CoreError(f"{first}: {error}") from error
    from indexa.cli.read import read_source

    model = read_source(given.source, given.dialect)
    plain = len(given.source) == 1 and not start.startswith(
        (b"PK\x03\x04", b"\x1f\x8b", b"SQLite", b"\xff\xfe", b"\xfe\xff")
    )
    return model, first.read_bytes().decode("utf-8", "replace") if plain else ""


def _baseline(path: Path) -> frozenset[str]:
    try:
        known = json.loads(path.read_text("utf-8"))
        return frozenset(str(one) for one in known["findings"])
    except (ValueError, KeyError, TypeError) as error:
        raise CoreError(f"{path} is no baseline: {error}. Make one with --write-baseline.") from error
