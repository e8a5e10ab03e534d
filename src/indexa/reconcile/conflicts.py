"""Where a person changed what the source changed too: both values, who made which, and what human work a loss would touch."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from indexa.changes.models import Change
from indexa.core.compare.comparing import Comparison
from indexa.core.compare.differences import Difference
from indexa.core.compare.merging import in_the_way, own_changes
from indexa.core.model.translating import Name
from indexa.reconcile.models import FoundDifference
from indexa.store.known import KnownColumn, KnownTable
from indexa.store.loading import load_model
from indexa.store.models import StoredColumn, StoredModel, StoredRelationship, StoredTable
from indexa.store.updating import known_tables

_MOST_TOLD = 5
"""How many changes of people are told beside one of the source's."""
NAME, GONE, DEFINITION, REFERENCE, STRUCTURE = "name", "gone", "definition", "reference", "structure"


class _Mine(msgspec.Struct):
    """What a person made of something."""

    conflict: str
    mine: str
    theirs: str
    target: str
    id: int
    field: str


def mark_conflicts(rows: Sequence[FoundDifference], comparison: Comparison, physical: StoredModel) -> None:
    """Write conflicts and notes into rows that are not saved yet; a conflict waits for a person. Some six queries."""
    names = {(row.schema, row.table) for row in rows if row.table}
    known, _ = known_tables(physical.pk, names)
    attributes = _words(known)
    references = _asserted(known)
    own = structure_of(physical, comparison)
    found: list[tuple[FoundDifference, _Mine]] = []
    for row in rows:
        table = known.get((row.schema, row.table))
        if table is None:
            continue
        column = next((one for one in table.columns if one.name_in_source == row.name and not one.gone), None)
        column_of = column if row.what == "column" else None
        mine = _mine_of(row, table, column_of, attributes, references, comparison)
        mine = mine or _structure(row, table, column_of, own)
        if mine is not None:
            found.append((row, mine))
        if row.kind == "gone":
            row.note = _kept(row, table, column, attributes)
    writers = _writers([mine for _, mine in found])
    for row, mine in found:
        row.conflict, row.mine, row.theirs = mine.conflict, mine.mine, mine.theirs
        row.target, row.object_id, row.decision = mine.target, mine.id, FoundDifference.Decision.LATER
        change = writers.get((mine.target, mine.id, mine.field))
        if change is not None:
            person = change.change_set.person
            row.by, row.by_at = person.display_name if person else "somebody", change.change_set.at


def structure_of(physical: StoredModel, comparison: Comparison) -> dict[str, Difference]:
    """Return what people changed in the structure since the last reading, by id."""
    if not physical.changed_by_hand:
        return {}
    return own_changes(comparison.before, load_model(physical, as_source=True))


def _structure(
    row: FoundDifference, table: KnownTable, column: KnownColumn | None, own: dict[str, Difference]
) -> _Mine | None:
    """Return what people changed in the structure that this change of the source can't stand beside."""
    in_it = in_the_way(row.as_core(), own)
    if not in_it:
        return None
    target, id_ = ("column", column.id) if column is not None else ("table", table.id)
    theirs = "no longer there" if row.kind == "gone" else row.after
    return _Mine(STRUCTURE, "; ".join(_in_words(one) for one in in_it[:_MOST_TOLD]), theirs, target, id_, "record")


def _in_words(one: Difference) -> str:
    if one.kind == "gone":
        return f"{one.what} {one.name} deleted"
    if one.kind == "new":
        return f"{one.what} {one.name} added: {one.after}"
    return one.after if one.field else f"{one.what} {one.name}: {one.after}"


def _words(known: dict[Name, KnownTable]) -> dict[int, tuple[str, str]]:
    """Return business name and definition of the attributes that tables' columns implement, by id."""
    links = {column.link for table in known.values() for column in table.columns if column.link}
    found = StoredColumn.objects.filter(pk__in=links).values_list("pk", "business_name", "definition")
    return {id_: (name, definition) for id_, name, definition in found}


def _asserted(known: dict[Name, KnownTable]) -> dict[tuple[int, frozenset[int]], StoredRelationship]:
    ids = [table.id for table in known.values()]
    found = StoredRelationship.objects.filter(table_id__in=ids, asserted_at__isnull=False, ref_table__isnull=False)
    return {(one.table_id, frozenset(one.column_ids)): one for one in found.select_related("ref_table")}


def _mine_of(
    row: FoundDifference,
    table: KnownTable,
    column: KnownColumn | None,
    attributes: dict[int, tuple[str, str]],
    references: dict[tuple[int, frozenset[int]], StoredRelationship],
    comparison: Comparison,
) -> _Mine | None:
    """Return what a person made of the very thing that the source changed; None where nobody touched it."""
    item: KnownTable | KnownColumn = column if column is not None else table
    target = "column" if column is not None else "table"
    about = row.what in ("table", "view") or column is not None
    if (
        row.kind in ("renamed", "moved")
        and about
        and item.source_name
        and row.before.rsplit(".", 1)[-1] != row.after.rsplit(".", 1)[-1]
    ):
        return _Mine(NAME, item.name, row.after.rsplit(".", 1)[-1], target, item.id, "name")
    if row.kind == "gone" and about and item.source_name:
        return _Mine(GONE, item.name, "", target, item.id, "name")
    if row.kind == "changed" and row.field == "comment" and about and row.after not in ("", "none"):
        place = item.link or item.id
        definition = (
            attributes.get(place, ("", ""))[1] if column is not None else item.definition or _entity_definition(item)
        )
        if definition and definition not in (row.after, row.before):
            return _Mine(DEFINITION, definition, row.after, target, place, "definition")
    if row.what == "foreign key" and row.kind in ("new", "changed"):
        return _reference(row, table, references, comparison)
    return None


def _entity_definition(table: KnownTable | KnownColumn) -> str:
    found = (
        StoredTable.objects.filter(pk=table.link).values_list("definition", flat=True).first() if table.link else None
    )
    return found or ""


def _reference(
    row: FoundDifference,
    table: KnownTable,
    references: dict[tuple[int, frozenset[int]], StoredRelationship],
    comparison: Comparison,
) -> _Mine | None:
    """Return the asserted relationship of the same columns that leads elsewhere."""
    part = next((one for one in comparison.parts.get((row.schema, row.table), ()) if one.id == row.identity), None)
    if part is None or part.after is None:
        return None
    ids = {column.name_in_source: column.id for column in table.columns if not column.gone}
    mine = references.get((table.id, frozenset(ids.get(name, 0) for name in part.after.columns)))
    if mine is None or mine.ref_table is None:
        return None
    there = f"{part.after.ref_schema}.{part.after.ref_table}" if part.after.ref_schema else part.after.ref_table
    if mine.ref_table.full_name == there:
        return None
    return _Mine(REFERENCE, f"→ {mine.ref_table.full_name}", f"→ {there}", "relationship", mine.pk, "asserted")


def _kept(
    row: FoundDifference, table: KnownTable, column: KnownColumn | None, attributes: dict[int, tuple[str, str]]
) -> str:
    """Word what people wrote that stays with a gone object."""
    columns = [column] if row.what == "column" and column else table.columns if row.what in ("table", "view") else []
    own = [(one.business_name, one.definition) for one in columns]
    above = [attributes.get(one.link or 0, ("", "")) for one in columns]
    named = sum(any(pair) for pair in zip((name for name, _ in own), (name for name, _ in above), strict=True))
    defined = sum(any(pair) for pair in zip((text for _, text in own), (text for _, text in above), strict=True))
    if not (named or defined):
        return ""
    if row.what == "column":
        kept = " and ".join(text for text, count in (("a business name", named), ("a definition", defined)) if count)
        return f"Kept with it: {kept}."
    kept = " and ".join(
        f"{text} of {count:,} column{'' if count == 1 else 's'}"
        for text, count in (("business names", named), ("definitions", defined))
        if count
    )
    return f"Kept with it: {kept}."


def _writers(found: Sequence[_Mine]) -> dict[tuple[str, int, str], Change]:
    """Return the latest change of each place."""
    ids = {mine.id for mine in found}
    changes = Change.objects.filter(object_id__in=ids).select_related("change_set__person").order_by("pk")
    return {(change.target, change.object_id, change.field): change for change in changes}


def difference_row(number: int, one: Difference) -> FoundDifference:
    """Return a difference as a row, not saved yet."""
    return FoundDifference(
        number=number, identity=one.id, kind=one.kind, what=one.what, schema=one.schema, table=one.table, name=one.name,
        field=one.field, before=one.before, after=one.after, evidence=list(one.evidence), requires=list(one.requires),
    )  # fmt: skip
