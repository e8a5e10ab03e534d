"""The names that an expression holds, as far as its tokens tell them."""

from __future__ import annotations

import re

from indexa.core.scripts.dialect import Dialect

_STRING_OR_NAME = re.compile(r"""'(?:[^']|'')*'|"(?:[^"]|"")+"|`(?:[^`]|``)+`|\w+""")
_PLAIN = re.compile(r"[A-Za-z_]\w*")
_RESERVED = frozenset(
    "all and as between by case check column constraint create cross default desc distinct else end foreign from grant group having in into "
    "is join key like limit not null on or order primary references select set table then to union unique user using values when where with".split()
)
"""Words that are no names without quotes on nearly every platform."""


def names_in(expression: str, dialect: Dialect) -> list[str]:
    """Return the names and words of an expression as the dialect reads them: folded, or as they are quoted."""
    return [dialect.plain_name(token) for token in _STRING_OR_NAME.findall(expression) if token[0] != "'"]


def renamed_in(expression: str, old: str, new: str, dialect: Dialect) -> str:
    """Return an expression with one name in place of another; `old` is as the dialect compares names."""
    written = written_name(new, dialect)

    def told(token: re.Match[str]) -> str:
        word = token[0]
        return written if word[0] != "'" and dialect.key(dialect.plain_name(word)) == old else word

    return _STRING_OR_NAME.sub(told, expression)


def written_name(name: str, dialect: Dialect) -> str:
    """Return a name as a script writes it: in quotes where it needs them."""
    if _PLAIN.fullmatch(name) and dialect.plain_name(name) == name and name.lower() not in _RESERVED:
        return name
    quote = "`" if "`" in dialect.identifier_quotes[:1] else '"'
    return f"{quote}{name.replace(quote, quote * 2)}{quote}"


_LONGEST_QUERY, _MOST_BRACKETS, _DEEPEST_BRACKETS, _MOST_PLACES = 200_000, 5000, 200, 200
"""Of a query that is parsed, by judgement: letters, round brackets, their depth, and places in lists one behind the other ("a[1][2]"), for
which the parser takes long."""


def is_too_much(query: str) -> bool:
    """Say whether a query is too long or too deep to be given to the general parser."""
    many = query.count("(") > _MOST_BRACKETS or query.count("][") > _MOST_PLACES
    return len(query) > _LONGEST_QUERY or many or bracket_depth(query) > _DEEPEST_BRACKETS


def bracket_depth(text: str) -> int:
    """Return how deep round brackets nest in a text."""
    depth = deepest = 0
    for letter in text:
        if letter == "(":
            depth += 1
            deepest = max(deepest, depth)
        elif letter == ")":
            depth -= 1
    return deepest
