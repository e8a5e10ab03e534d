"""Names that were given anew, put into the expressions that mention them."""

from __future__ import annotations

import re
from collections.abc import Mapping

_TOKENS = re.compile(r"""'(?:[^']|'')*'|"(?:[^"]|"")*"|`[^`]*`|\[[^\]]*\]|[^\W\d][\w$#]*""")
_PLAIN = re.compile(r"[a-z_][a-z0-9_]*")
_QUOTES = {'"': '"', "`": "`", "[": "]"}


def renamed_in(expression: str, names: Mapping[str, str]) -> str:
    """Return an SQL expression with columns called by their new names; text between quotation marks stays as it is.

    `names` are old name → new name. A bare word counts as a column's name whatever its capitals, but where a bracket
    follows, which makes it a function. A new name is quoted as the old one was, and where it would not stand bare.
    """
    if not names:
        return expression
    folded = {old.lower(): new for old, new in names.items()}

    def change(found: re.Match[str]) -> str:
        token = found.group()
        quote = token[0]
        if quote == "'":
            return token
        if quote in _QUOTES:
            new = names.get(token[1:-1])
            return token if new is None else f"{quote}{new}{_QUOTES[quote]}"
        new = folded.get(token.lower())
        if new is None or expression[found.end() :].lstrip().startswith("("):
            return token
        return new if _PLAIN.fullmatch(new) else f'"{new}"'

    return _TOKENS.sub(change, expression)
