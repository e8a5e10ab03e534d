"""Finding again what was renamed or moved: tables and columns of the earlier state in the later one, with evidence."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from difflib import SequenceMatcher

import msgspec

from indexa.core.model import VIEW_KINDS, Column, Table
from indexa.core.model.translating import Name
from indexa.core.naming.same_words import abbreviates

_HALF, _MOST_COLUMNS_SHARED, _SIMILAR = 0.5, 0.7, 0.6
_BY_HAND = "a person said that it is the same"
_COMMON = 200
"""A column name that more tables have says nothing of any of them."""


class TableMatch(msgspec.Struct):
    """A table in both states; `evidence` is empty where the name is the same."""

    before: Table
    after: Table
    evidence: tuple[str, ...] = ()
    columns: dict[str, str] = msgspec.field(default_factory=dict)
    """Later name → earlier name of the columns that are in both."""
    why: dict[str, tuple[str, ...]] = msgspec.field(default_factory=dict)
    """Later name of a renamed column → why it is the same one."""
    same: bool = False
    """True where nothing differs to the last letter: then `columns` stays empty until it is asked for."""

    def fill(self) -> None:
        """Fill in the columns of a table that is the same."""
        if self.same and not self.columns:
            self.columns = {column.name: column.name for column in self.after.columns}


class Matches(msgspec.Struct):
    """All tables that are in both states, by their later name."""

    by_after: dict[Name, TableMatch]
    by_before: dict[Name, TableMatch]


class KnownRenames(msgspec.Struct):
    """Renames that are known, so that none has to be guessed."""

    tables: list[tuple[Name, Name]] = msgspec.field(default_factory=list)
    """Earlier and later name."""
    columns: list[tuple[Name, str, str]] = msgspec.field(default_factory=list)
    """Later name of the table, earlier and later name of the column."""

    def reversed(self) -> KnownRenames:
        """Return the same renames seen from the later state."""
        back = {later: earlier for earlier, later in self.tables}
        return KnownRenames(
            [(later, earlier) for earlier, later in self.tables],
            [(back.get(table, table), later, earlier) for table, earlier, later in self.columns],
        )


def match_known(before: Sequence[Table], after: Sequence[Table], renames: KnownRenames) -> Matches:
    """Find the tables of one state in the other by name and by the renames that are known, and in no other way."""
    earlier = {(table.schema, table.name): table for table in before}
    called = {later: old for old, later in renames.tables}
    columns: dict[Name, dict[str, str]] = defaultdict(dict)
    for table_name, old, new in renames.columns:
        columns[table_name][new] = old
    found = []
    for table in after:
        name = (table.schema, table.name)
        known = earlier.get(called.get(name, name))
        if known is None:
            continue
        names = {column.name for column in known.columns}
        pairs = {column.name: columns[name].get(column.name, column.name) for column in table.columns}
        found.append(TableMatch(known, table, columns={new: old for new, old in pairs.items() if old in names}))
    return Matches(
        {(one.after.schema, one.after.name): one for one in found},
        {(one.before.schema, one.before.name): one for one in found},
    )


def match_tables(
    before: Sequence[Table],
    after: Sequence[Table],
    rejected_renames: Collection[str] = (),
    paired: KnownRenames | None = None,
) -> Matches:
    """Find the tables of one state in the other.

    `rejected_renames` are ids of renames that a person said are none, `paired` those that a person said are some; pairs of
    which a part is not there, or is there under its own name, are passed over.
    """
    paired = paired or KnownRenames()
    earlier = {(table.schema, table.name): table for table in before}
    found: list[TableMatch] = []
    fresh: dict[Name, Table] = {}
    for table in after:
        known = earlier.pop((table.schema, table.name), None)
        if known is None:
            fresh[table.schema, table.name] = table
        else:
            found.append(TableMatch(known, table))
    for old, new in paired.tables:
        if old in earlier and new in fresh:
            found.append(_take(earlier, fresh, old, fresh[new], _BY_HAND))
    columns: dict[Name, dict[str, str]] = defaultdict(dict)
    for table_name, old_column, new_column in paired.columns:
        columns[table_name][new_column] = old_column
    for match in _again(earlier, fresh):
        if rename_id(match.before) in rejected_renames:
            continue
        found.append(match)
    for match in found:
        match.same = match.before == match.after  # most are, and it is known in no time
        if not match.same:
            match_columns(match, rejected_renames, columns[match.after.schema, match.after.name])
    return Matches(
        {(one.after.schema, one.after.name): one for one in found},
        {(one.before.schema, one.before.name): one for one in found},
    )


def rename_id(table: Table) -> str:
    """Return the id of the difference that a table's renaming is."""
    return f"table:{table.full_name}.name"


def column_rename_id(table: Table, column: str) -> str:
    """Return the id of the difference that a column's renaming is, by its earlier names."""
    return f"column:{table.full_name}:{column}.name"


def _again(earlier: dict[Name, Table], fresh: dict[Name, Table]) -> Iterable[TableMatch]:
    """Yield renamed and moved tables, the surest first; takes them out of both."""
    parents = {(part.schema, part.name): table for table in fresh.values() for part in table.partitions}
    for name, table in list(earlier.items()):
        parent = parents.get(name)
        if parent is not None and (parent.schema, parent.name) in fresh and _shared(table, parent) >= _HALF:
            yield _take(earlier, fresh, name, parent, "it is a partition of that table now")
    by_origin = {table.origin: table for table in fresh.values() if table.origin}
    for name, table in list(earlier.items()):
        other = by_origin.get(table.origin) if table.origin else None
        if other is not None and (other.schema, other.name) in fresh and _shared(table, other) >= _HALF:
            yield _take(earlier, fresh, name, other, "the database knows it by the same handle")
    by_name: dict[str, list[Table]] = defaultdict(list)
    for table in fresh.values():
        by_name[table.name].append(table)
    for name, table in list(earlier.items()):
        same = [one for one in by_name[table.name] if (one.schema, one.name) in fresh and _shared(table, one) >= _HALF]
        if len(same) == 1 and sum(1 for schema, other in earlier if other == table.name) == 1:
            yield _take(earlier, fresh, name, same[0], "it has the same name in another schema")
    yield from _by_columns(earlier, fresh)


def _by_columns(earlier: dict[Name, Table], fresh: dict[Name, Table]) -> Iterable[TableMatch]:
    """Yield tables that have the same columns under another name, each with its best partner."""
    holding: dict[str, list[Name]] = defaultdict(list)
    for name, table in fresh.items():
        for column in table.columns:
            holding[column.name].append(name)
    scored = []
    parts: Counter[Name] = Counter()
    for name, table in earlier.items():
        shared: Counter[Name] = Counter()
        for column in table.columns:
            if len(holding[column.name]) <= _COMMON:
                shared.update(holding[column.name])
        for other, count in shared.most_common(5):
            partner = fresh[other]
            if 2 * count < max(len(table.columns), len(partner.columns)) or _is_view(table) != _is_view(partner):
                continue
            alike, similar = _alike(table, partner), similarity(table.name, partner.name)
            if alike >= _MOST_COLUMNS_SHARED or (alike >= _HALF and similar >= _SIMILAR):
                scored.append((alike + similar / 2, name, other))
                parts[name] += alike == 1 and table.name.lower() in partner.name.lower()
    for _, name, other in sorted(scored, key=lambda one: (-one[0], one[1], one[2])):
        if name in earlier and other in fresh:
            if parts[name] > 1:
                split = f"{parts[name]} new tables have just its columns and its name in theirs: it may have been split"
                yield _take(earlier, fresh, name, fresh[other], split)
            else:
                yield _take(earlier, fresh, name, fresh[other])


def _is_view(table: Table) -> bool:
    return table.kind in VIEW_KINDS


def _take(earlier: dict[Name, Table], fresh: dict[Name, Table], name: Name, other: Table, *said: str) -> TableMatch:
    before = earlier.pop(name)
    after = fresh.pop((other.schema, other.name))
    evidence = list(said)
    same = len({(c.name, c.type) for c in before.columns} & {(c.name, c.type) for c in after.columns})
    evidence.append(f"{same} of {len(before.columns)} columns are the same")
    if before.primary_key and after.primary_key and before.primary_key.columns == after.primary_key.columns:
        evidence.append("the primary key is the same")
    if before.comment and before.comment == after.comment:
        evidence.append("the comment is the same")
    if before.schema == after.schema and similarity(before.name, after.name) >= _SIMILAR:
        evidence.append("the names are alike")
    return TableMatch(before, after, tuple(evidence))


def _shared(one: Table, other: Table) -> float:
    """Return the share of the earlier table's columns whose names the later one has."""
    names = {column.name for column in other.columns}
    return sum(column.name in names for column in one.columns) / max(1, len(one.columns))


def _alike(one: Table, other: Table) -> float:
    """Return how much two tables have the same columns of the same types, from 0 to 1."""
    first, second = {(c.name, c.type) for c in one.columns}, {(c.name, c.type) for c in other.columns}
    return len(first & second) / max(1, len(first | second))


def similarity(one: str, other: str) -> float:
    """Return how alike two names are, from 0 to 1."""
    return SequenceMatcher(None, one.lower(), other.lower(), autojunk=False).ratio()


def match_columns(
    match: TableMatch, rejected_renames: Collection[str] = (), paired: Mapping[str, str] | None = None
) -> None:
    """Find a table's columns of the earlier state in the later one; renamed ones get the reason written down.

    `paired` are later and earlier names that a person said are one column's.
    """
    earlier = {column.name: column for column in match.before.columns}
    fresh = []
    for column in match.after.columns:
        if column.name in earlier:
            del earlier[column.name]
            match.columns[column.name] = column.name
        else:
            fresh.append(column)
    for column in list(fresh):
        old = (paired or {}).get(column.name)
        if old in earlier:
            del earlier[old]
            fresh.remove(column)
            match.columns[column.name] = old
            match.why[column.name] = (_BY_HAND,)
    if not earlier or not fresh:
        return
    for column in fresh:
        for other in list(earlier.values()):
            if column_rename_id(match.before, other.name) in rejected_renames:
                continue
            why = _same_column(match, other, column)
            if why:
                del earlier[other.name]
                match.columns[column.name] = other.name
                match.why[column.name] = why
                break


def _same_column(match: TableMatch, before: Column, after: Column) -> tuple[str, ...]:
    """Return why a column is another one under a new name; nothing where it is none."""
    why = []
    same_table = bool(match.before.origin) and match.before.origin == match.after.origin
    if same_table and before.origin and before.origin == after.origin and before.type == after.type:
        why.append("the database knows it by the same handle")
    alike = before.type == after.type
    place = _place(match.before, before) == _place(match.after, after)
    message = bool(before.comment) and before.comment == after.comment
    similar = similarity(before.name, after.name) >= _SIMILAR
    shortened = alike and place and not similar and abbreviates(before.name, after.name)
    key = _in_the_same_key(match, before.name, after.name) if alike and (place or similar) else ""
    if not why and not (alike and (message or key or (place and (similar or shortened)))):
        return ()
    if alike:
        why.append("the type is the same")
    if place:
        why.append("it is at the same position")
    if message:
        why.append("the comment is the same")
    if similar:
        why.append("the names are alike")
    if shortened:
        why.append("one name is the other with words shortened")
    if key:
        why.append(f"it stands in its place in {key}")
    return tuple(why)


def _in_the_same_key(match: TableMatch, before: str, after: str) -> str:
    """Return the name of a key or index in which one column stands where the other stood, all else of it being the same."""

    def parts(table: Table) -> dict[str, tuple[str, ...]]:
        keys = [key for key in (table.primary_key, *table.unique) if key and key.name]
        return {key.name: key.columns for key in keys} | {
            index.name: tuple(part.column for part in index.parts) for index in table.indexes if index.name
        }

    later = parts(match.after)
    for name, columns in parts(match.before).items():
        if before in columns and later.get(name) == tuple(after if column == before else column for column in columns):
            return name
    return ""


def _place(table: Table, column: Column) -> int:
    return next(number for number, one in enumerate(table.columns) if one.name == column.name)
