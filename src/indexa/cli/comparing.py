"""Compares two models, and writes the script that brings one to the other."""

from __future__ import annotations

import argparse
import datetime as dt
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from indexa.adapters.errors import SourceError
from indexa.cli.building import DIALECTS, same_platform
from indexa.cli.failing import run_or_say_why

if TYPE_CHECKING:
    from indexa.core.change.script import ChangeScript

_IGNORABLE = ("comments", "order", "storage", "constraint names", "indexes", "owners", "layout of queries", "case")
_BROKEN = 2


def add_compare(parser: argparse.ArgumentParser) -> None:
    """Describe what `compare` takes."""
    _add_sides(parser)
    parser.add_argument(
        "--format", choices=("text", "json", "markdown"), default="text", help="how the report is written"
    )
    parser.add_argument("--fail-on", choices=("difference",), default="", help="end with 1 where they differ")
    parser.add_argument("-o", "--output", default="-", help="where the report goes; - for standard output")


def add_change(parser: argparse.ArgumentParser) -> None:
    """Describe what `change` takes."""
    _add_sides(parser)
    parser.add_argument("--dialect", required=True, choices=DIALECTS, help="the platform that the script is for")
    parser.add_argument("-o", "--output", default="-", help="where the script goes; - for standard output")
    parser.add_argument("--revert", default="", metavar="FILE", help="where the script goes that takes it back")
    parser.add_argument("--report", default="", metavar="FILE", help="where the steps with their risks go, as JSON")
    parser.add_argument("--allow-drops", action="store_true", help="drop what the later model has not")
    parser.add_argument(
        "--online",
        action="store_true",
        help="hold no lock for long, for large tables (PostgreSQL; no transaction then)",
    )
    parser.add_argument("--no-comments", action="store_true", help="leave comments in the database alone")


def _add_sides(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("before", help="a model file, or anything that `indexa read` takes")
    parser.add_argument("after", help="the same, of the state that is wanted")
    parser.add_argument(
        "--ignore", action="append", default=[], choices=_IGNORABLE, help="what does not matter; may be repeated"
    )


def compare(given: argparse.Namespace) -> int:
    """Write what differs. Returns 0, 1 where they differ and --fail-on difference is given, 2 where it can't be told."""
    return run_or_say_why(lambda: _compare(given), failed=_BROKEN)


def change(given: argparse.Namespace) -> int:
    """Write the change script. What it leaves as it is, is told on standard error. Returns 0, or 1 where it can't."""
    return run_or_say_why(lambda: _change(given), failed=1)


def _compare(given: argparse.Namespace) -> int:
    from indexa.cli.inputs import model_of
    from indexa.core.compare import reporting
    from indexa.core.compare.comparing import compare as compared
    from indexa.core.compare.ignoring import ignored

    found = compared(model_of(given.before), model_of(given.after))
    left_out = ignored(found, given.ignore)
    rows = [reporting.Reported(difference=one) for one in found.differences if one.id not in left_out]
    if given.format == "json":
        _write(given.output, reporting.as_json(given.before, given.after, rows))
    else:
        write = reporting.as_markdown if given.format == "markdown" else reporting.as_text
        _write(given.output, write(given.before, given.after, rows))
    return int(bool(rows) and given.fail_on == "difference")


def _change(given: argparse.Namespace) -> int:
    import msgspec

    from indexa.cli.inputs import model_of
    from indexa.core.change.script import Options
    from indexa.core.change.writing import change_of, revert_of
    from indexa.core.compare.applying import apply
    from indexa.core.compare.comparing import compare as compared
    from indexa.core.compare.ignoring import ignored

    platform = same_platform(given.dialect)
    before, after = model_of(given.before, platform), model_of(given.after, platform)
    for model in (before, after):
        if model.platform and model.platform != platform:
            why = f"{model.name or 'A model'} is of {model.platform}, the script would be of {platform}."
            raise SourceError("platform", why, "Derive the model for that platform first.")
    found = compared(before, after)
    left_out = ignored(found, given.ignore)
    if left_out:
        wanted = apply(found, {one.id for one in found.differences} - left_out)
        found = compared(before, wanted.model, renames=wanted.renames())
    made = change_of(
        found, platform, Options(allow_drops=given.allow_drops, comments=not given.no_comments, online=given.online)
    )
    now = dt.datetime.now(dt.UTC).strftime("%-d %B %Y, %H:%M UTC")
    made.header = f"From {given.before} to {given.after}, {now}"
    _write(given.output, made.text())
    if given.revert:
        back = revert_of(found, platform)
        back.header = f"Takes back: from {given.after} to {given.before}, {now}"
        _write(given.revert, back.text())
    if given.report:
        _write(given.report, msgspec.json.format(msgspec.json.encode(report_of(made)), indent=2))
    for one in made.kept:
        print(f"left as it is: {one.object}: {one.what}", file=sys.stderr)
    return 0


def report_of(made: ChangeScript) -> dict[str, object]:
    """Return a change script as a report: what loses data first, then all steps in their order."""
    steps = [
        {
            "step": number, "what": step.what, "object": step.object, "risk": step.risk, "check": step.check, "fill": step.fill,
            "differences": list(step.differences), "statements": [one.text for one in step.statements],
        }
        for number, step in enumerate(made.steps, 1)
    ]  # fmt: skip
    return {
        "platform": made.platform,
        "loses data": [step for step in steps if step["risk"] == "loses data"],
        "steps": steps,
        "left as it is": [{"object": one.object, "why": one.what} for one in made.kept],
    }


def _write(path: str, content: str | bytes) -> None:
    data = content.encode() if isinstance(content, str) else content
    if path == "-":
        sys.stdout.buffer.write(data)
    else:
        Path(path).write_bytes(data)
