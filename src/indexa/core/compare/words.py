"""The words in which two texts differ, so that a person need not look for them."""

from __future__ import annotations

import re
from difflib import SequenceMatcher
from typing import Literal, NamedTuple

_PIECES = re.compile(r"\s+|\w+|[^\w\s]")
_MOST = 1_500
"""Pieces of a text beyond which both are shown whole."""


class Run(NamedTuple):
    """Some words that are in both texts, only in the earlier one, or only in the later one."""

    kind: Literal["same", "gone", "new"]
    text: str


def words_that_differ(before: str, after: str) -> list[Run]:
    """Return the runs of words that make both texts; together those that are not new make the earlier one."""
    one, other = _PIECES.findall(before), _PIECES.findall(after)
    if max(len(one), len(other)) > _MOST:
        return [run for run in (Run("gone", before), Run("new", after)) if run.text]
    found: list[Run] = []
    for kind, a, b, c, d in SequenceMatcher(None, one, other, autojunk=False).get_opcodes():
        if kind == "equal":
            found.append(Run("same", "".join(one[a:b])))
            continue
        found += [run for run in (Run("gone", "".join(one[a:b])), Run("new", "".join(other[c:d]))) if run.text]
    return found
