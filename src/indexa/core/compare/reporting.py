"""A comparison as text, Markdown or JSON: what differs, by table, with both values."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from itertools import groupby

import msgspec

from indexa.core.compare.comparing import compare
from indexa.core.compare.differences import Difference
from indexa.core.compare.ignoring import ignored
from indexa.core.compare.matching import KnownRenames
from indexa.core.compare.wording import kind_in_words
from indexa.core.model import Model

_LONGEST = 120


class Reported(msgspec.Struct, kw_only=True):
    """A difference in a report; `side` says who changed it, `decision` what becomes of it; both may be unknown."""

    difference: Difference
    side: str = ""
    decision: str = ""


def counts_in_words(differences: Sequence[Difference]) -> str:
    """Return how many differences there are, by kind: "3 new, 1 removed"."""
    counts = Counter(one.kind for one in differences)
    return ", ".join(f"{count:,} {kind_in_words(kind)}" for kind, count in counts.items()) or "no difference"


def left_between(now: Model, wanted: Model, most: int, *, also: Model | None = None) -> list[str]:
    """Return in words what differs between two models of one server, but for the order of columns and owners.

    `also` is the wanted state in other words (as somebody wrote it, as a server tells it): what differs from one of both
    alone is a matter of wording.
    """
    found = compare(now, wanted, renames=KnownRenames())
    left_out = ignored(found, ("order", "owners"))
    if also is not None:
        there = {one.id for one in compare(now, also, renames=KnownRenames()).differences}
        left_out |= {one.id for one in found.differences} - there
    rows = [Reported(difference=one) for one in found.differences if one.id not in left_out]
    return [line.strip() for line in as_text("", "", rows).splitlines()[1:] if line.startswith("  ")][:most]


def as_text(before: str, after: str, rows: Sequence[Reported]) -> str:
    """Return a report that is read in a terminal."""
    lines = [f"{before} → {after}: {counts_in_words([row.difference for row in rows])}"]
    for table, group in _by_table(rows):
        lines += ["", table or "beside the tables"]
        for row in group:
            end = "; ".join(text for text in (row.side, row.decision) if text)
            lines.append(f"  {_line(row.difference)}{f'  [{end}]' if end else ''}")
    return "\n".join(lines) + "\n"


def as_markdown(before: str, after: str, rows: Sequence[Reported]) -> str:
    """Return a report in Markdown: a heading and a table for each table that differs."""
    lines = [f"# {_escaped(before)} → {_escaped(after)}", "", f"{counts_in_words([row.difference for row in rows])}."]
    for table, group in _by_table(rows):
        lines += [
            "",
            f"## {_escaped(table) or 'Beside the tables'}",
            "",
            "| what | before | after | side | decision |",
            "|---|---|---|---|---|",
        ]
        for row in group:
            one = row.difference
            what = " ".join(
                text
                for text in (kind_in_words(one.kind), one.what, one.name if one.name != one.table else "", one.field)
                if text
            )
            cells = (what, one.before, one.after, row.side, row.decision)
            lines.append("| " + " | ".join(_escaped(_short(cell)) for cell in cells) + " |")
    return "\n".join(lines) + "\n"


def as_json(before: str, after: str, rows: Sequence[Reported]) -> bytes:
    """Return a report for programs."""
    found = {
        "before": before, "after": after, "counts": dict(Counter(row.difference.kind for row in rows)),
        "differences": [_record(row) for row in rows],
    }  # fmt: skip
    return msgspec.json.format(msgspec.json.encode(found), indent=2)


def _record(row: Reported) -> Mapping[str, object]:
    beside = {name: value for name, value in (("side", row.side), ("decision", row.decision)) if value}
    return msgspec.to_builtins(row.difference) | beside  # type: ignore[no-any-return]


def _by_table(rows: Sequence[Reported]) -> list[tuple[str, list[Reported]]]:
    ordered = sorted(rows, key=lambda row: (not row.difference.table, row.difference.full_table))
    return [(table, list(group)) for table, group in groupby(ordered, key=lambda row: row.difference.full_table)]


def _line(one: Difference) -> str:
    name = one.name if one.name != one.table else ""
    head = " ".join(text for text in (kind_in_words(one.kind), one.what, name, one.field) if text)
    if one.kind in ("changed", "renamed", "moved"):
        return f"{head}: {_short(one.before) or 'nothing'} → {_short(one.after) or 'nothing'}"
    value = _short(one.after or one.before)
    return f"{head}: {value}" if value else head


def _short(text: str) -> str:
    text = " ".join(text.split())
    return text if len(text) <= _LONGEST else f"{text[:_LONGEST]}…"


def _escaped(text: str) -> str:
    for mark in ("\\", "|", "*", "_", "`", "<", "[", "#"):
        text = text.replace(mark, f"\\{mark}")
    return text
