"""What changed between two states of a model, in sentences for people: the small things counted, the telling ones named."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence

from indexa.core.compare.differences import Difference

_NAMED = 4
"""So many things of one kind are named; more are counted."""
_VERBS = {"new": "added", "gone": "removed", "changed": "changed"}


def change_notes(differences: Sequence[Difference]) -> list[str]:
    """Return sentences: tables first, then what happened to columns by schema, types, names, and the rest counted."""
    tables = [one for one in differences if one.what in ("table", "view")]
    notes = [
        *_tables(tables),
        *_renamed(differences),
        *_columns(differences),
        *_types(differences),
        *_rest(differences),
    ]
    return notes or (["Nothing but small print changed."] if differences else [])


def _tables(tables: Sequence[Difference]) -> list[str]:
    notes = []
    for kind in ("new", "gone"):
        found = [one for one in tables if one.kind == kind]
        if found:
            names = ", ".join(one.full_table for one in found[:_NAMED])
            more = f" and {len(found) - _NAMED:,} more" if len(found) > _NAMED else ""
            notes.append(f"{len(found):,} {_plural('table', len(found))} {_VERBS[kind]}: {names}{more}.")
    return notes


def _renamed(differences: Sequence[Difference]) -> list[str]:
    found = [one for one in differences if one.kind in ("renamed", "moved")]
    notes = []
    for one in found[: 2 * _NAMED]:
        before = one.before if one.what in ("table", "view") else f"{one.full_table}.{one.before}"
        notes.append(
            f"{before} is now called {one.after}." if one.kind == "renamed" else f"{before} is now {one.after}."
        )
    if len(found) > 2 * _NAMED:
        notes.append(f"{len(found) - 2 * _NAMED:,} more names changed.")
    return notes


def _columns(differences: Sequence[Difference]) -> list[str]:
    counts: dict[tuple[str, str], list[str]] = defaultdict(list)
    for one in differences:
        if one.what == "column" and one.kind in ("new", "gone"):
            counts[one.kind, one.schema].append(f"{one.table}.{one.name}")
    notes = []
    for (kind, schema), names in counts.items():
        where = f" in {schema}" if schema else ""
        listed = f": {', '.join(names)}" if len(names) <= _NAMED else ""
        notes.append(f"{len(names):,} {_plural('column', len(names))} {_VERBS[kind]}{where}{listed}.")
    return notes


def _types(differences: Sequence[Difference]) -> list[str]:
    found = [one for one in differences if one.what == "column" and one.field == "type"]
    notes = [f"{one.table}.{one.name} is now {one.after} instead of {one.before}." for one in found[: 2 * _NAMED]]
    if len(found) > 2 * _NAMED:
        notes.append(f"{len(found) - 2 * _NAMED:,} more columns have another type.")
    return notes


def _rest(differences: Sequence[Difference]) -> list[str]:
    counts: dict[tuple[str, str], int] = defaultdict(int)
    for one in differences:
        told = one.what in ("table", "view") and one.kind in ("new", "gone", "renamed", "moved")
        told = told or (one.what == "column" and (one.kind in ("new", "gone", "renamed") or one.field == "type"))
        if not told:
            counts[f"{one.what}{f' {one.field}' if one.field else ''}", one.kind] += 1
    return [f"{count:,} {_plural(what, count)} {_VERBS.get(kind, kind)}." for (what, kind), count in counts.items()]


def _plural(word: str, count: int) -> str:
    if count == 1:
        return word
    return (
        f"{word[:-1]}ies"
        if word.endswith("y") and not word.endswith("ey")
        else f"{word}{'es' if word.endswith(('x', 's')) else 's'}"
    )
