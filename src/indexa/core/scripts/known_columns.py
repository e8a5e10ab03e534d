"""Columns that need no tokens: what stands behind their names was understood before, in the same words.

Most columns of a large script are said by a few hundred wordings, `varchar(40) NOT NULL` among them. They are taken out
of the text of CREATE TABLE before it is tokenized; a mark stays in their place, so that columns keep their order.
"""

from __future__ import annotations

import re
from functools import lru_cache
from typing import TypeAlias

from indexa.core.model import Column
from indexa.core.scripts.dialect import Dialect
from indexa.core.scripts.state import Script

MARK = "\ue01d"  # of no script: it is for private use
Run: TypeAlias = list[tuple[str, Column, str, str]]
"""Names as written, each with the column that was said in the same words before, its comment, and its line comment."""

_NAME = r'(?:[A-Za-z_]\w*+|"[^"\n]++"|`[^`\n]++`|\[[^\]\n]++\])'
_HEAD = re.compile(rf"CREATE\s+TABLE\s+(?:IF\s+NOT\s+EXISTS\s+)?{_NAME}(?:\s*\.\s*{_NAME})*\s*\(", re.I)
_WORDS = r"[^\n,()'\"`*/#:={-]*+"
_BESIDE = r"(?:[ \t]*+--++[ \t]*+([^\n]*+))?"
_COLUMN = re.compile(
    rf"\s*({_NAME})[ \t]++([A-Za-z\[]{_WORDS}(?:\([\d, \t]*+\){_WORDS})?)(?:(?<=COMMENT )'((?:[^'\\]++|'')*+)'\s*)?,{_BESIDE}",
    re.I,
)
_COMMENT = re.compile(r"\s*(?:--|/\*|#|//|\{)")


def take_known_columns(text: str, script: Script) -> tuple[str, list[Run]]:
    """Return the statement's text with a mark for each run of known columns, and the runs in their order.

    Lines are kept as they are counted. Any other text than that of CREATE TABLE comes back as it is.
    """
    head = _HEAD.match(text)
    known = script.plain_columns
    if head is None or not known or MARK in text:
        return text, []
    at = head.end()
    kept, runs = [text[:at]], []
    column, other = _COLUMN.match, _other_element(script.dialect).match
    while True:
        run: Run = []
        start = last = at
        while found := column(text, at):
            name, words, message, context_words = found.groups()
            like = known.get(words if message is None else words[: -len("COMMENT ")].rstrip())
            if like is None:
                break
            run.append((name, like, message.replace("''", "'") if message else "", context_words or ""))
            last, at = at, found.end()
        if run and _COMMENT.match(text, at):  # it speaks of the last one
            run.pop()
            at = last
        if run:
            runs.append(run)
            kept.append("\n" * text.count("\n", start, at) + MARK)  # a comment may stand before it
        element = other(text, at)
        if element is None:
            break
        kept.append(element[0])
        at = element.end()
    if not runs:
        return text, []
    return "".join([*kept, text[at:]]), runs


@lru_cache(maxsize=32)
def _other_element(dialect: Dialect) -> re.Pattern[str]:
    """Return the pattern of any element with its comma, line comments around it, and brackets three deep at most."""
    quoted = [r"'(?:[^'\\]++|'')*+'", r'"[^"\\]*+"', r"`[^`]*+`"]
    if "[" in dialect.identifier_quotes:
        quoted.append(r"\[[^\]]*+\]")
    plain = r"[^,()'\"`/#{-]++" if "[" not in dialect.identifier_quotes else r"[^,()'\"`/#{\[-]++"
    minus = r"-(?!-)"
    inner = rf"\((?:{plain}|,|{minus}|{'|'.join(quoted)})*+\)"
    middle = rf"\((?:{plain}|,|{minus}|{'|'.join(quoted)}|{inner})*+\)"
    outer = rf"\((?:{plain}|,|{minus}|{'|'.join(quoted)}|{middle})*+\)"
    return re.compile(rf"(?:\s*+--[^\n]*+)*+(?:{plain}|{minus}|{'|'.join(quoted)}|{outer})++,{_BESIDE}")
