"""Differences that do not matter to somebody: comments, order, storage and the like, by kind."""

from __future__ import annotations

import re
from collections.abc import Collection
from typing import Any

import msgspec

from indexa.core.compare.comparing import Comparison
from indexa.core.compare.differences import Difference
from indexa.core.model.translating import translated

IGNORABLE = {
    "comments": "what comments say",
    "order": "the order of columns",
    "storage": "options, tablespaces, partitions",
    "constraint names": "what keys, checks and indexes are called",
    "indexes": "indexes that back no key",
    "owners": "who owns what",
    "layout of queries": "blanks, line breaks and capitals in views, routines and triggers",
    "case": "capitals in names",
}
"""What can be ignored, with what it means."""
_STORAGE = frozenset({"options", "unlogged", "server", "partition by", "partitions"})
_BLANKS = re.compile(r"\s+")


def ignored(comparison: Comparison, kinds: Collection[str]) -> set[str]:
    """Return the ids of the differences that are of these kinds alone."""
    if not kinds:
        return set()
    parts = {part.id: (part, name) for name, listed in comparison.parts.items() for part in listed}
    return {one.id for one in comparison.differences if _is_ignored(one, set(kinds), comparison, parts.get(one.id))}


def _is_ignored(one: Difference, kinds: set[str], comparison: Comparison, part: Any) -> bool:
    if one.field == "comment":
        return "comments" in kinds
    if one.field == "order of columns":
        return "order" in kinds
    if one.field in _STORAGE:
        return "storage" in kinds
    if one.field == "owner":
        return "owners" in kinds
    if one.field == "definition sql" or (one.what in ("trigger", "routine") and one.kind == "changed"):
        return "layout of queries" in kinds and _plain(one.before) == _plain(one.after)
    if one.kind == "renamed":
        return "case" in kinds and one.before.rpartition(".")[2].lower() == one.after.rpartition(".")[2].lower()
    if one.what == "index" and "indexes" in kinds:
        return True
    return part is not None and one.kind == "changed" and _same_but(part, kinds, comparison)


def _plain(text: str) -> str:
    return _BLANKS.sub(" ", text).strip().rstrip(";").lower()


def _same_but(part: Any, kinds: set[str], comparison: Comparison) -> bool:
    """Return whether a key or index differs in nothing but its name or comment, where these are ignored."""
    match, table = part
    before, after = translated(match.before, table, comparison.forward), match.after
    if "constraint names" in kinds:
        before = msgspec.structs.replace(before, name=after.name)
    if "comments" in kinds:
        before = msgspec.structs.replace(before, comment=after.comment)
    return bool(before == after)
