"""Comparing two states of a model: the earlier reading and the later one."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterator
from typing import Any, Literal

import msgspec

from indexa.core import platforms
from indexa.core.collector import gc_paused
from indexa.core.compare.code import signature
from indexa.core.compare.differences import Difference
from indexa.core.compare.matching import (
    KnownRenames,
    Matches,
    TableMatch,
    column_rename_id,
    match_known,
    match_tables,
    rename_id,
)
from indexa.core.compare.meaning import Meanings
from indexa.core.compare.wording import worded
from indexa.core.model import VIEW_KINDS, ForeignKey, Model, Sequence, Table
from indexa.core.model.translating import Name, Names, Owned, translated, translated_sequence

COLUMN_FIELDS = ("type", "nullable", "default", "comment", "identity", "generated", "collation", "remark")
_VIEW_COLUMN_FIELDS = ("type", "comment", "remark")
"""What a view's column has of its own: whether it may be empty, how it sorts and what it is without a value are the table's it shows, and
only some servers repeat them."""
_EXPRESSIONS = ("default", "generated")
TABLE_FIELDS = (
    "kind",
    "comment",
    "definition_sql",
    "owner",
    "unlogged",
    "options",
    "server",
    "inherits",
    "partition_by",
    "partitions",
)
OWNED = {
    "unique key": "unique", "foreign key": "foreign_keys", "check": "checks", "exclusion": "exclusions", "index": "indexes",
    "trigger": "triggers",
}  # fmt: skip
"""Kind of part → the member of a table that lists such parts."""
APART = {
    "schema": "schemas", "enum type": "enums", "domain": "domains", "composite type": "composites", "range type": "ranges",
    "sequence": "sequences", "routine": "routines",
}  # fmt: skip
"""Kind of object → the member of a model that lists such objects."""


Objects = dict[tuple[str, ...], Any]
"""Objects of one kind by what tells them apart."""


class PartMatch(msgspec.Struct):
    """A part of a table in both states, or in one of them; `id` is that of their difference."""

    id: str
    what: str
    before: Any = None
    after: Any = None


class Comparison(msgspec.Struct):
    """Two states, what of them is one and the same, and how they differ."""

    before: Model
    after: Model
    matches: Matches
    forward: Names
    """Earlier names → later ones."""
    differences: list[Difference]
    parts: dict[Name, list[PartMatch]]
    """By the earlier name of a table that differs: all its parts."""
    meanings: Meanings
    """What both tell in other words but mean alike."""


def compare(
    before: Model,
    after: Model,
    rejected_renames: Collection[str] = (),
    renames: KnownRenames | None = None,
    paired: KnownRenames | None = None,
) -> Comparison:
    """Compare two states.

    `rejected_renames` are ids of renames that a person said are none: those are gone and new. `paired` are what a person said
    are renames, beside those that are found. With `renames` nothing is guessed: only these are renames.
    """
    with gc_paused():
        return _compare(before, after, rejected_renames, renames, paired)


def _compare(
    before: Model,
    after: Model,
    rejected_renames: Collection[str],
    renames: KnownRenames | None,
    paired: KnownRenames | None,
) -> Comparison:
    matches = (
        match_tables(before.tables, after.tables, rejected_renames, paired)
        if renames is None
        else match_known(before.tables, after.tables, renames)
    )
    made = Comparison(before, after, matches, _names(matches), [], {}, Meanings(before, after))
    found = made.differences
    for table in after.tables:
        match = matches.by_after.get((table.schema, table.name))
        if match is None:
            found.append(_whole("new", table))
        elif _may_differ(match, made.forward):
            match.fill()
            found.extend(_of_table(match, made))
    found.extend(
        _whole("gone", table) for table in before.tables if (table.schema, table.name) not in matches.by_before
    )
    _bind_to_references(made)
    found.extend(_apart(made))
    return made


def _bind_to_references(made: Comparison) -> None:
    """Let a gone column require that the relationships to it go too, and a new relationship that the columns it refers to come.

    Those within one table are told where its parts are compared.
    """
    place = {one.id: number for number, one in enumerate(made.differences)}

    def require(id_: str, needed: str) -> None:
        if id_ in place and needed in place:
            one = made.differences[place[id_]]
            requires = tuple(dict.fromkeys((*one.requires, needed)))
            made.differences[place[id_]] = msgspec.structs.replace(one, requires=requires)

    for table in made.before.tables:
        for key in table.foreign_keys:
            match = made.matches.by_before.get((key.ref_schema, key.ref_table))
            if match is None or match.same:
                continue
            for column in set(key.ref_columns) - set(match.columns.values()):
                require(f"column:{match.before.full_name}:{column}:gone", _id_of_reference(made, table, key, "gone"))
    for table in made.after.tables:
        for key in table.foreign_keys:
            match = made.matches.by_after.get((key.ref_schema, key.ref_table))
            if match is None or match.same:
                continue
            for column in set(key.ref_columns) - set(match.columns):
                require(_id_of_reference(made, table, key, "new"), f"column:{match.before.full_name}:{column}:new")


def _id_of_reference(made: Comparison, table: Table, key: ForeignKey, kind: Literal["gone", "new"]) -> str:
    """Return the id that the difference of a relationship has, or of its table where that is gone or new as a whole."""
    name = (table.schema, table.name)
    match = made.matches.by_before.get(name) if kind == "gone" else made.matches.by_after.get(name)
    if match is None:
        return f"table:{table.full_name}:{kind}"
    parts = made.parts.get((match.before.schema, match.before.name), [])
    return next((one.id for one in parts if key is (one.before if kind == "gone" else one.after)), "")


def _names(matches: Matches) -> Names:
    names = Names()
    for name, match in matches.by_before.items():
        if name != (match.after.schema, match.after.name):
            names.tables[name] = (match.after.schema, match.after.name)
        renamed = {old: new for new, old in match.columns.items() if old != new}
        if renamed:
            names.columns[name] = renamed
    return names


def _may_differ(match: TableMatch, names: Names) -> bool:
    """Say whether a table has to be looked at."""
    if not match.same:
        return True
    return bool(names) and any(
        (key.ref_schema, key.ref_table) in names.tables or (key.ref_schema, key.ref_table) in names.columns
        for key in match.before.foreign_keys
    )


def _kind_of(table: Table) -> str:
    return "view" if table.kind in VIEW_KINDS else "table"


def _whole(kind: Any, table: Table) -> Difference:
    text = f"{len(table.columns)} columns"
    return Difference(
        id=f"table:{table.full_name}:{kind}", kind=kind, what=_kind_of(table), schema=table.schema, table=table.name, name=table.name,
        before=text if kind == "gone" else "", after=text if kind == "new" else "",
    )  # fmt: skip


def _of_table(match: TableMatch, made: Comparison) -> Iterator[Difference]:
    before, after = match.before, match.after
    place: dict[str, Any] = {"schema": before.schema, "table": before.name}
    if (before.schema, before.name) != (after.schema, after.name):
        yield Difference(
            id=rename_id(before), kind="renamed" if before.name != after.name else "moved", what=_kind_of(before), name=before.name,
            before=before.full_name, after=after.full_name, evidence=match.evidence, **place,
        )  # fmt: skip
    for field in TABLE_FIELDS:
        was, now = getattr(before, field), getattr(after, field)
        if field == "inherits":
            was = tuple(made.forward.full_name(parent) for parent in was)
        if field == "owner" and not (was and now):
            continue  # a script does not say it
        if was != now and not _mean_the_same(field, before, after, made.meanings):
            yield Difference(
                id=f"table:{before.full_name}.{field}", kind="changed", what=_kind_of(before), name=before.name,
                field=field.replace("_", " "), before=worded(was), after=worded(now), **place,
            )  # fmt: skip
    yield from _of_columns(match, made.meanings, place)
    yield from _of_parts(match, made, place)


def _mean_the_same(field: str, before: Table, after: Table, meanings: Meanings) -> bool:
    if field == "definition_sql":
        return meanings.same_query(before, after)
    if field == "partitions":
        return meanings.same_partitions(before, after)
    return field == "partition_by" and meanings.same_partitioning(before.partition_by, after.partition_by)


def _of_columns(match: TableMatch, meanings: Meanings, place: dict[str, Any]) -> Iterator[Difference]:
    before, after = match.before, match.after
    earlier = {column.name: column for column in before.columns}
    for column in after.columns:
        old_name = match.columns.get(column.name)
        if old_name is None:
            yield Difference(
                id=f"column:{before.full_name}:{column.name}:new", kind="new", what="column", name=column.name,
                after=column.type, **place,
            )  # fmt: skip
            continue
        if old_name != column.name:
            yield Difference(
                id=column_rename_id(before, old_name), kind="renamed", what="column", name=old_name, before=old_name,
                after=column.name, evidence=match.why.get(column.name, ()), **place,
            )  # fmt: skip
        old = earlier[old_name]
        for field in _VIEW_COLUMN_FIELDS if after.kind in VIEW_KINDS else COLUMN_FIELDS:
            was, now = getattr(old, field), getattr(column, field)
            if field == "type" and not (was and now) and (after.kind in VIEW_KINDS or column.generated):
                continue  # a script does not say what its expression comes to
            if was != now and not (field in _EXPRESSIONS and meanings.same_expression(was, now)):
                yield Difference(
                    id=f"column:{before.full_name}:{old_name}.{field}", kind="changed", what="column", name=old_name, field=field,
                    before=worded(was), after=worded(now), **place,
                )  # fmt: skip
    kept = set(match.columns.values())
    for column in before.columns:
        if column.name not in kept:
            users = tuple(part_id for part_id, columns in _used(match) if column.name in columns)
            yield Difference(
                id=f"column:{before.full_name}:{column.name}:gone", kind="gone", what="column", name=column.name,
                before=column.type, requires=users, **place,
            )  # fmt: skip
    was_order = [column.name for column in before.columns if column.name in kept]
    now_order = [match.columns[column.name] for column in after.columns if column.name in match.columns]
    if was_order != now_order:
        yield Difference(
            id=f"table:{before.full_name}.order", kind="changed", what=_kind_of(before), name=before.name, field="order of columns",
            before=", ".join(was_order), after=", ".join(now_order), **place,
        )  # fmt: skip


def _used(match: TableMatch) -> Iterator[tuple[str, tuple[str, ...]]]:
    """Yield the id of each difference that an earlier part would be, and the earlier columns that it uses."""
    for part_id, part in _parts_of(match.before).items():
        yield f"{part_id[0]}:{match.before.full_name}:{part_id[1]}", columns_used(part)


def columns_used(part: Owned) -> tuple[str, ...]:
    """Return the columns of its own table that a part can not be without."""
    if hasattr(part, "parts"):
        return tuple(one.column for one in part.parts if one.column)
    return tuple(getattr(part, "columns", ()))


def _parts_of(table: Table) -> dict[tuple[str, str], Any]:
    """Return a table's parts by kind and name; those without a name, or with one twice, by their place among them."""
    found: dict[tuple[str, str], Any] = {}
    if table.primary_key:
        found["primary key", ""] = table.primary_key
    for what, member in OWNED.items():
        for number, part in enumerate(getattr(table, member)):
            key = (what, part.name)
            if not part.name or key in found:
                key = (what, f"{part.name}({', '.join(columns_used(part))})")
                if key in found:
                    key = (what, f"{key[1]}#{number}")
            found[key] = part
    return found


def _of_parts(match: TableMatch, made: Comparison, place: dict[str, Any]) -> Iterator[Difference]:
    before, after = match.before, match.after
    name = (before.schema, before.name)
    earlier = _parts_of(before)
    later = _parts_of(after)
    text = {key: translated(part, name, made.forward) for key, part in earlier.items()}
    pairs: list[tuple[tuple[str, str], Any, Any]] = []
    named = {key for key, part in earlier.items() if part.name and not _is_made_up(key[0], made)}
    fresh = {key: part for key, part in later.items() if key not in named}
    for key, part in earlier.items():
        if key in later and key in named:
            pairs.append((key, part, later[key]))
            continue
        twin = next(
            (
                other
                for other, now in fresh.items()
                if other[0] == key[0] and _same_but_name(text[key], now, made.meanings)
            ),
            None,
        )
        pairs.append((key, part, fresh.pop(key if twin is None else twin, None)))
    pairs += [(key, None, part) for key, part in fresh.items()]
    listed = made.parts[name] = []
    for key, was, now in pairs:
        part_id = f"{key[0]}:{before.full_name}:{key[1]}"
        listed.append(PartMatch(part_id, key[0], was, now))
        if was is not None and now is not None and made.meanings.same_part(text[key], now, after.schema):
            continue
        kind: Any = "new" if was is None else "gone" if now is None else "changed"
        yield Difference(
            id=part_id, kind=kind, what=key[0], name=(was or now).name, before="" if was is None else worded(text[key]),
            after="" if now is None else worded(now), requires=_columns_needed(match, now), **place,
        )  # fmt: skip


def _is_made_up(what: str, made: Comparison) -> bool:
    """Say whether the names of parts of a kind are those that a platform makes up each time."""
    return made.meanings.names_are_made_up and what in ("primary key", "unique key", "foreign key", "check")


def _columns_needed(match: TableMatch, part: Any) -> tuple[str, ...]:
    """Return the ids of the new columns without which a later part can't be."""
    if part is None:
        return ()
    return tuple(
        f"column:{match.before.full_name}:{column}:new" for column in columns_used(part) if column not in match.columns
    )


def _same_but_name(one: Any, other: Any, meanings: Meanings) -> bool:
    return meanings.same_part(msgspec.structs.replace(one, name=other.name), other)


def _apart(made: Comparison) -> Iterator[Difference]:
    """Yield how the objects differ that belong to no table."""
    for what, member in APART.items():
        earlier, later = objects_by_key(made.before, member), objects_by_key(made.after, member)
        along = _brought_along(made, earlier, later) if what == "sequence" else set()
        for key, part in later.items():
            was = earlier.get(key)
            if isinstance(was, Sequence):
                was = translated_sequence(was, made.forward)
            if key in along if was is None else made.meanings.same_object(was, part):
                continue
            place = {"schema": getattr(part, "schema", ""), "name": part.name}
            kind: Any = "new" if was is None else "changed"
            yield Difference(
                id=object_id(what, key),
                kind=kind,
                what=what,
                before="" if was is None else worded(was),
                after=worded(part),
                **place,
            )
        for key, part in earlier.items():
            if key not in later and key not in along:
                yield Difference(
                    id=object_id(what, key), kind="gone", what=what, schema=getattr(part, "schema", ""), name=part.name,
                    before=worded(part),
                )  # fmt: skip


def _brought_along(made: Comparison, earlier: Objects, later: Objects) -> set[tuple[str, ...]]:
    """Return the sequences of one state that an identity column brings along in the other, without a name or by another one."""
    told = {key: translated_sequence(one, made.forward) for key, one in earlier.items() if key not in later}
    told |= {key: one for key, one in later.items() if key not in earlier}
    told = {key: one for key, one in told.items() if one.owned_by}
    if not told:
        return set()
    counting = [
        {
            f"{forward.full_name(table.full_name)}.{forward.column((table.schema, table.name), column.name)}"
            for table in model.tables
            for column in table.columns
            if column.identity
        }
        for model, forward in ((made.before, made.forward), (made.after, Names()))
    ]
    served: dict[str, list[Sequence]] = defaultdict(list)
    for one in told.values():
        served[one.owned_by].append(one)
    return {
        key
        for key, one in told.items()
        if all(one.owned_by in columns for columns in counting) and _count_alike(served[one.owned_by])
    }


def _count_alike(sequences: list[Sequence]) -> bool:
    """Return whether sequences count the same way; a single one, as one does that nothing is said of."""
    if len(sequences) == 1:
        return (sequences[0].start, sequences[0].increment, sequences[0].cycle) == (1, 1, False)
    first = sequences[0]
    bare = {"name": first.name, "owner": first.owner, "comment": first.comment}
    return all(msgspec.structs.replace(one, **bare) == first for one in sequences)


def object_id(what: str, key: tuple[str, ...]) -> str:
    """Return the id of a difference between objects that belong to no table."""
    return f"{what}:{'.'.join(key)}"


def objects_by_key(model: Model, member: str) -> Objects:
    """Return the objects of one kind by what tells them apart: schema, name, and of routines the types of their arguments."""
    dialect = platforms.dialect_of(model.platform) if member == "routines" else None
    found: Objects = {}
    for part in getattr(model, member):
        told = getattr(part, "arguments", "")
        if told and dialect is not None:
            told = ", ".join(signature(told, dialect)) if dialect.routines_share_names else ""
        key = (getattr(part, "schema", ""), part.name, told)
        while key in found:
            key = (*key, "again")  # type: ignore[assignment]
        found[key] = part
    return found
