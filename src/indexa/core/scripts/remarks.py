"""The line comments that people write beside a column: kept apart, as proposals for its definition."""

from __future__ import annotations

import re

from indexa.core.scripts.cursor import Cursor
from indexa.core.scripts.known_columns import MARK
from indexa.core.scripts.state import Draft
from indexa.core.scripts.tokens import Statement

_MARKS = re.compile(r"^(?:--+|#+|//+|/\*+)\s*|\s*\*+/$")
_EMPTY = re.compile(r"^[\W_]*$")
LONGEST = 2000
"""Letters of a remark that are kept."""


def remark_columns(statement: Statement, draft: Draft) -> None:
    """Give each column the comment that stands on its line, or on lines of its own right above it."""
    key, plain_name = statement.dialect.key, Cursor(statement).plain_name
    above: list[str] = []
    last_column: str = ""
    depth = 0
    for before, raw in zip(statement.before, statement.raw, strict=True):
        if before and not before.isspace():
            same_line, below = _comments(before)
            if same_line and last_column and depth >= 1:
                _give(draft, last_column, same_line)
            above = below
        elif "\n" in before and above and before.count("\n") > 1:
            above = []
        if raw == "(":
            depth += 1
            starts_element = depth == 1
        elif raw == ")":
            depth -= 1
            starts_element = False
        elif raw in (",", MARK) and depth == 1:
            starts_element = True
        elif raw:
            if depth == 1 and starts_element:
                name = key(plain_name(raw))
                last_column = name if name in draft.columns else ""
                if above and last_column:
                    _give(draft, last_column, " ".join(above))
            if depth >= 1:
                starts_element = False
            above = []


def _comments(before: str) -> tuple[str, list[str]]:
    """Part what lies between two tokens into the comment on the first one's line, and those on lines below."""
    first, *rest = before.split("\n")
    same = cleaned(first)
    if first.strip().startswith("/*") and "*/" not in first:  # goes over several lines: belongs to what comes next
        return "", [text for line in before.split("\n") if (text := cleaned(line.strip().lstrip("*")))]
    below = [text for line in rest if (text := cleaned(line))]
    return same, below


def cleaned(line: str) -> str:
    """Return what a line of a comment says, without marks; "" where it says nothing."""
    text = line.strip()
    while not (text[:1].isalnum() and text[-1] != "/") and (shorter := _MARKS.sub("", text)) != text:
        text = shorter.strip()
    return "" if _EMPTY.match(text) else text[:LONGEST]


def _give(draft: Draft, name: str, text: str) -> None:
    column = draft.columns[name]
    column.remark = f"{column.remark} {text}".strip()[:LONGEST]
