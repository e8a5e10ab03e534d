"""From the text of one statement to its tokens.

One compiled expression for each dialect takes a statement apart; each match is what lies before a token (space
and comments) and the token, so that joining all of them gives back the text.
"""

from __future__ import annotations

import re

from indexa.core.model import Column
from indexa.core.scripts.dialect import Dialect

_BLOCK_COMMENT = r"/\*[^*]*+(?:\*(?!/)[^*]*+)*+\*/"
_CONDITIONAL = re.compile(r"/\*M?!9{5}\d*[^*]*\*/|/\*M?!\d*|\*/")
"""What is marked for a version that does not exist is a comment after all."""


def comments(dialect: Dialect) -> list[str]:
    """Return the patterns of comments: those that end with their line, those in braces, and blocks, the last."""
    patterns = [r"--[^\n]*+"]
    if dialect.hash_comments:
        patterns.append(r"#[^\n]*+")
    elif not dialect.dollar_quotes:  # where # is an operator of no kind, people write comments with it all the same
        patterns.append(r"#(?=\s)[^\n]*+")
    if dialect.slash_comments:
        patterns.append(r"//[^\n]*+")
    if dialect.brace_comments:
        patterns.append(r"\{[^}]*+\}")
    if dialect.nested_comments:
        patterns.append(_around(_around(_BLOCK_COMMENT)))
    return [*patterns, _BLOCK_COMMENT]


def _around(inner: str) -> str:
    """Return the pattern of a block comment that may hold such comments as the inner pattern matches."""
    return rf"/\*(?:[^*/]++|\*(?!/)|/(?!\*)|{inner})*+\*/"


def strings(dialect: Dialect) -> list[str]:
    """Return the patterns of strings and quoted names; none holds a capturing group."""
    escaped = r"'(?:[^'\\]++|\\.|'')*+'"
    patterns = [escaped if dialect.backslash else r"'(?:[^']++|'')*+'"]
    if not dialect.backslash:
        patterns.insert(0, "[eE]" + escaped)
    if dialect.q_quotes:
        pairs = (("[", "]"), ("{", "}"), ("(", ")"), ("<", ">"), ("!", "!"), ("|", "|"))
        closed = [rf"\{a}[^\{b}]*+(?:\{b}(?!')[^\{b}]*+)*+\{b}" for a, b in pairs]
        patterns.insert(0, "[nN]?[qQ]'(?:" + "|".join(closed) + ")'")
    if '"' in dialect.identifier_quotes or dialect.double_quoted_strings:
        inside = r'"(?:[^"\\]++|\\.|"")*+"' if dialect.double_quoted_strings else r'"(?:[^"]++|"")*+"'
        patterns.append(inside)
    patterns.append(r"`(?:[^`]++|``)*+`")  # means nothing else anywhere
    if "[" in dialect.identifier_quotes:
        patterns.append(r"\[(?:[^\]\n]++|\]\])*+\]")
    return patterns


_PLACEHOLDER = r"(?:[$@&]\{[^}\n]*\}|\$\([\w ]*\)|\{\{[^}\n]*\}\}|(?:&&?|\$)[^\W\d]\w*)[\w$#@]*+"
"""Where a tool puts a name in before it runs the script: ${schema}, @{table}, $(Name), {{ name }}, &owner."""
_PATTERNS: dict[str, re.Pattern[str]] = {}


def token_pattern(dialect: Dialect) -> re.Pattern[str]:
    """Compile the dialect's one expression: group 1 is what lies before the token, group 2 the token."""
    between = "|".join([r"\s++", *comments(dialect)])
    quoted = strings(dialect)
    dollar = [r"\$\$(?:[^$]++|\$(?!\$))*+\$\$"] if dialect.dollar_quotes else []
    token = "|".join(
        [
            r"(?:[^\W\d]|[@#](?!\{))[\w$#@]*+(?!')",
            r"[(),;]",
            *quoted,
            r"[xXbBnN]'(?:[^']++|'')*+'",
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


_NEAR = 12
_MAY_COMMENT = ("--", "/*", "#", "//", "{")


class Statement:
    """One statement's tokens: `raw` as written, `up` in capitals, `before` what lies in front of each.

    All three lists end with an empty token. `line` is the file's line on which `text` begins. `known` are the runs of
    columns that were taken out of the text where it has a mark.
    """

    __slots__ = ("_lines", "before", "dialect", "file", "known", "line", "raw", "text", "up")

    def __init__(self, text: str, dialect: Dialect, file: str, line: int) -> None:
        self.known: list[list[tuple[str, Column, str, str]]] = []
        if dialect.conditional_comments and ("/*!" in text or "/*M!" in text):
            text = _CONDITIONAL.sub(lambda found: " " * len(found[0]), text)
        pattern = _PATTERNS.get(dialect.name)
        if pattern is None:
            pattern = _PATTERNS[dialect.name] = token_pattern(dialect)
        pairs = pattern.findall(text)
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
