"""Triggers and routines as texts: the same where they differ in layout, capitals, quotes, and words that a server adds."""

from __future__ import annotations

import re

from indexa.core.ddl.types import plain
from indexa.core.model import Routine
from indexa.core.scripts.dialect import Dialect

_TOKEN = re.compile(
    r"""(?P<body>\$(?P<tag>\w*)\$(?P<inner>.*?)\$(?P=tag)\$) | (?P<text>'(?:[^'\\]|''|\\.)*') | (?P<quoted>"(?:[^"]|"")*"|`(?:[^`]|``)*`|\[[^\]]*\])"""
    r"""| (?P<remark>--[^\n]*|/\*.*?\*/) | (?P<word>[^\W\d]\w*) | (?P<rest>\d[\w.]*|[^\w\s])""",
    re.VERBOSE | re.DOTALL,
)
_SAME_WORDS = {"procedure": "function", "int": "integer", "bool": "boolean"}
"""Words that platforms take for each other: EXECUTE PROCEDURE and EXECUTE FUNCTION call the same."""


def same_code(was: str, now: str, schema: str, dialect: Dialect | None = None) -> bool:
    """Return whether two definitions are the same but for their layout; `schema` is where what they belong to lies."""
    same_letters = dialect is not None and not dialect.case_matters and dialect.fold == "keep"
    same_letters = same_letters and dialect is not None and not dialect.double_quoted_strings
    return was == now or _tokens(was, schema, same_letters) == _tokens(now, schema, same_letters)


def _tokens(text: str, schema: str, same_letters: bool = False) -> list[str]:
    """Return what a definition is made of: texts as they are, names without quotes and without that of the schema.

    With `same_letters` capitals count in no name, in quotes or not.
    """
    found: list[str] = []
    for match in _TOKEN.finditer(text):
        kind, piece = match.lastgroup, match[0]
        if kind == "remark":
            continue
        if match["body"] is not None:
            piece = match["inner"].strip()
        elif kind == "quoted":
            # On some platforms these are texts, in which capitals count.
            piece = piece[1:-1].lower() if piece[0] != '"' or piece.islower() or same_letters else piece
        elif kind == "word":
            piece = _SAME_WORDS.get(piece.lower(), piece.lower())
        found.append(piece)
    while found and found[-1] == ";":
        found.pop()
    home = schema.lower()
    kept = []
    for at, piece in enumerate(found):
        in_front = at + 1 < len(found) and found[at + 1] == "." and piece == home
        behind = piece == "." and at > 0 and found[at - 1] == home
        if not in_front and not behind:
            kept.append(piece)
    return kept


_MODES = frozenset({"in", "inout", "variadic"})
_BODY = re.compile(r"\$(?P<tag>\w*)\$(?P<inner>.*?)\$(?P=tag)\$", re.DOTALL)
_WITH_VALUE = frozenset({"cost", "rows", "support"})
_SAID = frozenset({
    "immutable", "stable", "strict", "leakproof", "definer", "safe", "restricted", "cost", "rows", "support", "set", "window", "deterministic",
    "modifies", "reads", "contains",
})  # fmt: skip
"""Words of a routine's head that say how it works; what is usual is not said by every platform."""


def signature(arguments: str, dialect: Dialect) -> tuple[str, ...]:
    """Return the types of the arguments that are given to a routine: what tells it from others of its name."""
    found = []
    for argument in _split(arguments):
        words = [word for word in argument.split() if word.lower() not in _MODES]
        if not words or words[0].lower() == "out":
            continue
        whole, rest = " ".join(words), " ".join(words[1:])
        type_ = whole if len(words) == 1 or (plain(whole) is not None and plain(rest) is None) else rest
        found.append(dialect.canonical_type(type_.lower()))
    return tuple(found)


def _split(arguments: str) -> list[str]:
    """Return the arguments one by one, without what they are when they are not given."""
    found, depth = [""], 0
    for match in _TOKEN.finditer(arguments):
        piece = match[0]
        depth += {"(": 1, ")": -1}.get(piece, 0)
        if piece == "," and not depth:
            found.append("")
        else:
            found[-1] += piece if piece in "().[]" or found[-1][-1:] in "(." else f" {piece}"
    return [re.split(r"(?i)\bdefault\b|:?\s*=", one, maxsplit=1)[0].strip() for one in found]


def same_routine(was: Routine, now: Routine, dialect: Dialect) -> bool:
    """Return whether two routines, of one signature where the platform knows it, do the same."""
    if (was.kind, was.language.lower()) != (now.kind, now.language.lower()):
        return False
    if was.returns and now.returns:
        returns = [dialect.canonical_type(one.returns.lower()) for one in (was, now)]
        if returns[0] != returns[1]:
            return False
    bodies = [_BODY.search(one.definition) for one in (was, now)]
    if bodies[0] and bodies[1]:
        return bodies[0]["inner"].strip() == bodies[1]["inner"].strip() and _said(was) == _said(now)
    one, other = (_tokens(routine.definition, routine.schema) for routine in (was, now))
    if (one[:1] == ["create"]) != (other[:1] == ["create"]):  # of one a server tells the body alone
        long, short = (one, other) if one[:1] == ["create"] else (other, one)
        bare = short[1:-1] if (short[:1], short[-1:]) == (["("], [")"]) else short  # a macro's, in brackets
        return any(body and long[-len(body) :] == body for body in (short, bare))
    return one == other


def _said(routine: Routine) -> set[tuple[str, ...]]:
    """Return what the head of a routine says of how it works."""
    head = _tokens(_BODY.sub(" ", routine.definition), "")
    return {tuple(head[at : at + 1 + (word in _WITH_VALUE)]) for at, word in enumerate(head) if word in _SAID}
