"""From the text of one statement to its tokens.

One compiled expression for each dialect takes a statement apart; each match is what lies before a token (space
and comments) and the token, so that joining all of them gives back the text.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import TypeAlias

from indexa.core.model import Column
from indexa.core.scripts.dialect import Dialect

Dead: TypeAlias = frozenset[str]
"""Kinds of quotes and comments, by what they begin with, that no sign closes any more."""
BLOCK_COMMENT = r"/\*[^*]*+(?:\*(?!/)[^*]*+)*+\*/"
_CONDITIONAL = re.compile(r"/\*M?!9{5}\d*+[^*]{0,5000}+\*/|/\*M?!\d*|\*/")
"""What is marked for a version that does not exist is a comment after all."""


def comments(dialect: Dialect, dead: Dead = frozenset()) -> list[str]:
    """Return the patterns of comments: those that end with their line, those in braces, and blocks, the last.

    `dead` are the kinds, by what they begin with, that are never closed from here on: they are no comments. "/*/*" stands
    for comments that hold others.
    """
    patterns = [r"--[^\n]*+"]
    if dialect.hash_comments:
        patterns.append(r"#[^\n]*+")
    elif not dialect.dollar_quotes:  # where # is an operator of no kind, people write comments with it all the same
        patterns.append(r"#(?=\s)[^\n]*+")
    if dialect.slash_comments:
        patterns.append(r"//[^\n]*+")
    if dialect.brace_comments and "{" not in dead:
        patterns.append(r"\{[^}]*+\}")
    if dialect.nested_comments and "/*/*" not in dead:
        patterns.append(_around(_around(BLOCK_COMMENT)))
    return patterns if "/*" in dead else [*patterns, BLOCK_COMMENT]


def _around(inner: str) -> str:
    """Return the pattern of a block comment that may hold such comments as the inner pattern matches."""
    return rf"/\*(?:[^*/]++|\*(?!/)|/(?!\*)|{inner})*+\*/"


_ESCAPED = r"'(?:[^'\\]++|\\.|'')*+'"
_PAIRS = (("[", "]"), ("{", "}"), ("(", ")"), ("<", ">"), ("!", "!"), ("|", "|"))


def strings(dialect: Dialect, dead: Dead = frozenset()) -> dict[str, str]:
    """Return the patterns of strings and quoted names by what they begin with; none holds a capturing group.

    "e'" and "q'[" stand for strings that a letter before the quote begins. `dead` are kinds that are never closed from
    here on: what begins them is a sign like others.
    """
    patterns = {}
    if dialect.q_quotes:
        for a, b in _PAIRS:
            patterns[f"q'{a}"] = rf"[nN]?[qQ]'\{a}[^\{b}]*+(?:\{b}(?!')[^\{b}]*+)*+\{b}'"
    if not dialect.backslash:
        patterns["e'"] = "[eE]" + _ESCAPED
    patterns["'"] = _ESCAPED if dialect.backslash else r"'(?:[^']++|'')*+'"
    if '"' in dialect.identifier_quotes or dialect.double_quoted_strings:
        patterns['"'] = r'"(?:[^"\\]++|\\.|"")*+"' if dialect.double_quoted_strings else r'"(?:[^"]++|"")*+"'
    patterns["`"] = r"`(?:[^`]++|``)*+`"  # means nothing else anywhere
    if "[" in dialect.identifier_quotes:  # on one line, and no name is longer
        patterns["["] = r"\[(?:[^\]\n]{1,200}+|\]\]){0,8}+\]"
    return {kind: pattern for kind, pattern in patterns.items() if kind not in dead}


_PLACEHOLDER = r"(?:[$@&]\{[^}\n]*\}|\$\([\w ]*\)|\{\{[^}\n]*\}\}|(?:&&?|\$)[^\W\d]\w*)[\w$#@]*+"
"""Where a tool puts a name in before it runs the script: ${schema}, @{table}, $(Name), {{ name }}, &owner."""
_PATTERNS: dict[tuple[str, Dead], re.Pattern[str]] = {}


def token_pattern(dialect: Dialect, dead: Dead = frozenset()) -> re.Pattern[str]:
    """Compile the dialect's one expression: group 1 is what lies before the token, group 2 the token."""
    between = "|".join([r"\s++", *comments(dialect, dead)])
    quoted = strings(dialect, dead).values()
    dollar = [r"\$\$(?:[^$]++|\$(?!\$))*+\$\$"] if dialect.dollar_quotes else []
    token = "|".join(
        [
            r"(?:[^\W\d]|[@#](?!\{))[\w$#@]*+(?!')",
            r"[(),;]",
            *quoted,
            *([] if "'" in dead else [r"[xXbBnN]'(?:[^']++|'')*+'"]),
            *dollar,
            r"[^\W\d]\w*+",
            r"\d[\w.]*+",
            _PLACEHOLDER,
            r"::|:=|<=|>=|<>|!=|\|\||->>?|=>",
            r".",
        ]
    )
    return re.compile(rf"((?:{between})*+)({token}|\Z)", re.S)


def _in_capitals(tokens: tuple[str, ...]) -> list[str]:
    """Write all tokens in capitals: in one go, unless one holds the mark that parts them."""
    found = "\0".join(tokens).upper().split("\0")
    return found if len(found) == len(tokens) else [token.upper() for token in tokens]


def _pattern(dialect: Dialect, dead: Dead = frozenset()) -> re.Pattern[str]:
    pattern = _PATTERNS.get((dialect.name, dead))
    if pattern is None:
        pattern = _PATTERNS[dialect.name, dead] = token_pattern(dialect, dead)
    return pattern


def _pairs(text: str, dialect: Dialect, unclosed: Sequence[tuple[int, Dead]]) -> list[tuple[str, str]]:
    """Take a text apart stretch by stretch, each without the kinds that are never closed from there on."""
    pairs: list[tuple[str, str]] = []
    between = ""
    ends = [start for start, _ in unclosed[1:]] + [len(text)]
    for (start, dead), end in zip(unclosed, ends, strict=True):
        for before, token in _pattern(dialect, dead).findall(text, start, end):
            between += before
            if token:
                pairs.append((between, token))
                between = ""
    return [*pairs, (between, "")]


_NEAR = 12
_MAY_COMMENT = ("--", "/*", "#", "//", "{")


class Statement:
    """One statement's tokens: `raw` as written, `up` in capitals, `before` what lies in front of each.

    All three lists end with an empty token. `line` is the file's line on which `text` begins. `known` are the runs of
    columns that were taken out of the text where it has a mark.
    """

    __slots__ = ("_lines", "before", "dialect", "file", "known", "line", "raw", "text", "up")

    def __init__(
        self, text: str, dialect: Dialect, file: str, line: int, unclosed: Sequence[tuple[int, Dead]] = ()
    ) -> None:
        """Take the text apart. `unclosed` says from which letter on which kinds of quotes and comments are never closed."""
        self.known: list[list[tuple[str, Column, str, str]]] = []
        if dialect.conditional_comments and ("/*!" in text or "/*M!" in text):
            text = _CONDITIONAL.sub(lambda found: " " * len(found[0]), text)
        pairs = _pairs(text, dialect, unclosed) if unclosed else _pattern(dialect).findall(text)
        if len(pairs) > 1 and not pairs[-2][1]:
            pairs.pop()
        if not pairs or pairs[-1][1]:
            pairs.append(("", ""))
        before, raw = zip(*pairs, strict=True)
        self.before: tuple[str, ...] = before
        self.raw: tuple[str, ...] = raw
        self.up = _in_capitals(raw)
        self._lines: list[int] | None = None
        self.text, self.dialect, self.file, self.line = text, dialect, file, line

    def line_of(self, place: int) -> int:
        """Return the file's line on which the token at this place stands."""
        if place < min(_NEAR, len(self.raw)):  # most are asked for where a statement begins
            passed = "".join([part for i in range(place) for part in (self.before[i], self.raw[i])])
            return self.line + passed.count("\n") + self.before[place].count("\n")
        if self._lines is None:
            self._lines, line = [], self.line
            for before, raw in zip(self.before, self.raw, strict=True):
                line += before.count("\n")
                self._lines.append(line)
                line += raw.count("\n")
        return self._lines[min(place, len(self._lines) - 1)]

    def has_comments(self) -> bool:
        """Say whether a comment stands anywhere between the tokens."""
        if not any(mark in self.text for mark in _MAY_COMMENT):
            return False
        return any(before and not before.isspace() for before in self.before)
