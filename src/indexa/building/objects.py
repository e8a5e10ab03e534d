"""Objects of a model written by hand: made, changed and deleted, each time one change set."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

import msgspec
from django.db import transaction

from indexa.areas.models import Area, Person
from indexa.building.loading import load_part
from indexa.building.records import record_of_owned, record_of_schemas, record_of_table
from indexa.building.saving import Saving
from indexa.changes.recording import Recorder, record
from indexa.core.building import objects
from indexa.core.building.parts import BuildError, Column
from indexa.core.model import Check, Domain, Enum, Index, Routine, Sequence, Table, Trigger
from indexa.core.model import Column as ModelColumn
from indexa.store.assertions import refresh_roles
from indexa.store.locks import try_for_editing
from indexa.store.models import StoredCheck, StoredColumn, StoredIndex, StoredModel, StoredObject, StoredTable
from indexa.store.signals import send_model_changed

_STRUCTS: dict[str, Any] = {
    "index": Index, "check": Check, "trigger": Trigger, "enum": Enum, "domain": Domain, "sequence": Sequence, "routine": Routine,
}  # fmt: skip
_OF_TABLE: dict[str, Any] = {"index": StoredIndex, "check": StoredCheck}
_MOST_TOLD = 5
_MOST_TABLES_OF_A_VIEW = 200


def kinds_for(model: StoredModel, *, of_table: bool) -> dict[str, objects.Kind]:
    """Return the kinds of objects that can be written in a model, or on a table of it."""
    return {
        name: kind
        for name, kind in objects.KINDS.items()
        if kind.of_table == of_table and (kind.logical or model.layer == "physical")
    }


def find(model: StoredModel, kind: str, pk: int, table: StoredTable | None) -> Any:
    """Return the core's record of a stored object; None where there is none of that number.

    A trigger's number is its place on its table, from 1.
    """
    if kind == "view":
        return StoredTable.objects.filter(model=model, pk=pk, kind="view", removed_at__isnull=True).first()
    if kind == "trigger":
        triggers = table.properties.get("triggers", []) if table else []
        return msgspec.convert(triggers[pk - 1], Trigger) if 0 < pk <= len(triggers) else None
    row = _row(model, kind, pk, table)
    if row is None:
        return None
    found = msgspec.convert(row.properties, _STRUCTS[kind])
    found.name = row.name
    return found


def _row(model: StoredModel, kind: str, pk: int, table: StoredTable | None) -> Any:
    stored = _OF_TABLE.get(kind)
    if stored is not None:
        return stored.objects.filter(pk=pk, table=table).first()
    return StoredObject.objects.filter(pk=pk, model=model, kind=kind).first()


@transaction.atomic
def save(
    *,
    area: Area,
    person: Person,
    model: StoredModel,
    kind: str,
    given: Mapping[str, str],
    table: StoredTable | None = None,
    pk: int = 0,
) -> str:
    """Make an object (`pk` 0) or change one. Returns its name. Raises BuildError with what is wrong in it."""
    _hold(model)
    word = objects.KINDS[kind].word
    with record(
        area=area, person=person, model_id=model.pk, why=f"{'Changed' if pk else 'New'} {word} {given.get('name', '')[:80]}".rstrip()
    ) as changes:  # fmt: skip
        if kind == "view":
            name = _save_view(changes, model, given, pk)
        elif kind == "trigger":
            assert table is not None
            name = _save_trigger(changes, model, table, given, pk)
        elif kind in _OF_TABLE:
            assert table is not None
            name = _save_of_table(changes, model, kind, table, given, pk)
        else:
            name = _save_apart(changes, model, kind, given, pk)
        _mark_changed(model)
    return name


def _hold(model: StoredModel) -> None:
    StoredModel.objects.select_for_update(of=("self",)).get(pk=model.pk)
    if not try_for_editing(model.pk):
        raise BuildError("The model is being read again at this moment. Try again in half a minute.")


def _mark_changed(model: StoredModel) -> None:
    if model.snapshot_id and not model.changed_by_hand:
        model.changed_by_hand = True
        model.save(update_fields=["changed_by_hand"])


def _save_of_table(
    changes: Recorder, model: StoredModel, kind: str, table: StoredTable, given: Mapping[str, str], pk: int
) -> str:
    part: Any = objects.make(kind, given)
    stored = _OF_TABLE[kind]
    taken: Any
    if kind == "index":
        _refuse_unknown_columns(part, table)
        part = _as_source(part, table)
        for key in part.parts:
            key.nulls_first = key.descending and model.platform == "postgresql"
        taken = StoredIndex.objects.filter(table__model=model, table__schema=table.schema, name__iexact=part.name)
    else:
        taken = StoredCheck.objects.filter(table=table, name__iexact=part.name)
    if taken.exclude(pk=pk).exists():
        raise BuildError(f"The {kind} {part.name} is there already. Take another name.")
    row = stored.objects.filter(pk=pk, table=table).first() if pk else stored(table=table)
    _write(changes, kind, row, part, f"{table.full_name}.{part.name}")
    refresh_roles({table.pk})
    return str(part.name)


def _write(changes: Recorder, target: str, row: Any, part: Any, label: str) -> None:
    """Give a row the content of a part, and note it."""
    if row is None:
        raise BuildError("It is no longer there. Load the page again.")
    before = record_of_owned(row) if row.pk else None
    row.name, row.properties = part.name, msgspec.to_builtins(part)
    row.save()
    if before is None:
        changes.create(target, row.pk, label, "record", record_of_owned(row))
    elif before != record_of_owned(row):
        changes.update(target, row.pk, label, "record", before, record_of_owned(row))


def _refuse_unknown_columns(index: Index, table: StoredTable) -> None:
    names = set(table.columns.filter(removed_at__isnull=True).values_list("name", flat=True))
    asked = [*(part.column for part in index.parts if part.column), *index.included]
    unknown = next((name for name in asked if name not in names), None)
    if unknown is not None:
        raise BuildError(f"{table.name} has no column {unknown}. It has: {', '.join(sorted(names)[:30])}.")


def _as_source(index: Index, table: StoredTable) -> Index:
    """Return an index with the columns' names as the source has them, which is how indexes are kept."""
    names = dict(
        table.columns.exclude(source_name="").filter(removed_at__isnull=True).values_list("name", "source_name")
    )
    for part in index.parts:
        part.column = names.get(part.column, part.column)
    index.included = tuple(names.get(name, name) for name in index.included)
    return index


def _save_trigger(changes: Recorder, model: StoredModel, table: StoredTable, given: Mapping[str, str], pk: int) -> str:
    trigger = objects.trigger_of(model.platform, given.get("text", ""), _core_table(table))
    triggers = list(table.properties.get("triggers", []))
    others = [one["name"].lower() for at, one in enumerate(triggers, 1) if at != pk]
    if trigger.name.lower() in others:
        raise BuildError(f"{table.name} has a trigger {trigger.name} already.")
    made = msgspec.to_builtins(trigger)
    if pk:
        triggers[pk - 1] = made
    else:
        triggers.append(made)
    _write_triggers(changes, table, triggers)
    return trigger.name


def _write_triggers(changes: Recorder, table: StoredTable, triggers: list[Any]) -> None:
    before = {"properties": dict(table.properties)}
    table.properties = {name: value for name, value in table.properties.items() if name != "triggers"}
    if triggers:
        table.properties["triggers"] = triggers
    table.save(update_fields=["properties"])
    changes.update("table", table.pk, table.full_name, "record", before, {"properties": table.properties})


def _core_table(table: StoredTable) -> Table:
    columns = table.columns.filter(removed_at__isnull=True).order_by("position")
    fields = columns.values_list("name", "position", "type", "nullable")
    return Table(name=table.name, schema=table.schema, columns=[ModelColumn(*values) for values in fields])


def _save_apart(changes: Recorder, model: StoredModel, kind: str, given: Mapping[str, str], pk: int) -> str:
    part: Any = (
        objects.routine_of(model.platform, given.get("text", "")) if kind == "routine" else objects.make(kind, given)
    )
    same = StoredObject.objects.filter(model=model, kind=kind, schema=part.schema, name__iexact=part.name)
    if kind == "routine":
        same = same.filter(properties__arguments=part.arguments)
    if same.exclude(pk=pk).exists():
        raise BuildError(f"There is a {objects.KINDS[kind].word} {part.name} already. Take another name.")
    row = (
        StoredObject.objects.filter(pk=pk, model=model, kind=kind).first()
        if pk
        else StoredObject(model=model, kind=kind)
    )
    if row is not None:
        if pk and kind in ("enum", "domain"):
            _rename_type(changes, model, _type_name(row.schema, row.name), _type_name(part.schema, part.name))
        row.schema = part.schema
    _write(changes, "object", row, part, _type_name(part.schema, part.name))
    _add_schema(changes, model, part.schema)
    return str(part.name)


def _type_name(schema: str, name: str) -> str:
    return f"{schema}.{name}" if schema else name


def _of_type(model: StoredModel, name: str) -> Any:
    """Return the columns that have a type, by its full name or its bare one."""
    return StoredColumn.objects.filter(
        table__model=model, table__removed_at__isnull=True, removed_at__isnull=True, type__in={name, name.rpartition(".")[2]}
    ).select_related("table").order_by("pk")  # fmt: skip


def _rename_type(changes: Recorder, model: StoredModel, before: str, after: str) -> None:
    if before == after:
        return
    columns = list(_of_type(model, before))
    for column in columns:
        changes.update(
            "column", column.pk, f"{column.table.name}.{column.name}", "record", {"type": column.type}, {"type": after}
        )
        column.type = after
    StoredColumn.objects.bulk_update(columns, ["type"], batch_size=2_000)
    send_model_changed(columns=[column.pk for column in columns])


def _add_schema(changes: Recorder, model: StoredModel, schema: str) -> None:
    """List a schema that the model has not named so far."""
    if not schema or any(one.get("name") == schema for one in model.schemas):
        return
    before = record_of_schemas(model)
    model.schemas = [*model.schemas, {"name": schema}]
    model.save(update_fields=["schemas"])
    changes.update("model", model.pk, model.name, "record", before, record_of_schemas(model))


def _save_view(changes: Recorder, model: StoredModel, given: Mapping[str, str], pk: int) -> str:
    """Make a view, or give one another query; its columns follow."""
    schema, query = given.get("schema", "").strip(), given.get("text", "")
    mentioned = {word.lower() for word in re.findall(r"[^\W\d]\w*", query)}
    found = StoredTable.objects.filter(model=model, removed_at__isnull=True).exclude(pk=pk)
    names = [pk for pk, name in found.values_list("pk", "name") if name.lower() in mentioned]
    tables = [_core_table(one) for one in found.filter(pk__in=names[:_MOST_TABLES_OF_A_VIEW])]
    view = objects.view_of(model.platform, given.get("name", "").strip(), schema, query, tables)
    if found.filter(schema=schema, name__iexact=view.name).exists():
        raise BuildError(f"There is a {view.name} already. Take another name.")
    if pk:
        row = found.model.objects.get(pk=pk, model=model)
        before = {"name": row.name, "schema": row.schema, "definition_sql": row.definition_sql}
        after = {"name": view.name, "schema": schema, "definition_sql": view.definition_sql}
        if before != after:
            StoredTable.objects.filter(pk=pk).update(**after)
            changes.update("table", pk, row.full_name, "record", before, after)
    else:
        row = StoredTable.objects.create(
            model=model, schema=schema, name=view.name, kind="view", definition_sql=view.definition_sql
        )
        changes.create("table", row.pk, row.full_name, "record", record_of_table(row))
    _save_columns(changes, model, row.pk, view)
    _add_schema(changes, model, schema)
    send_model_changed(tables=[row.pk])
    return view.name


def _save_columns(changes: Recorder, model: StoredModel, table_id: int, view: Table) -> None:
    before = load_part(model, [table_id])
    after = before.copy()
    own = after.tables[table_id]
    known = {column.name: column for column in own.columns}
    own.columns = []
    for column in view.columns:
        kept = known.get(column.name) or Column(id=after.fresh_id(), name=column.name)
        kept.type, kept.nullable = column.type, column.nullable
        own.columns.append(kept)
    Saving(changes, model, before, after).save()


def in_use(model: StoredModel, kind: str, row_name: str) -> list[str]:
    """Return the columns that have a type, as far as they can be told in a line."""
    if kind not in ("enum", "domain"):
        return []
    return [f"{one.table.name}.{one.name}" for one in _of_type(model, row_name)[: _MOST_TOLD + 1]]


@transaction.atomic
def delete(
    *, area: Area, person: Person, model: StoredModel, kind: str, pk: int, table: StoredTable | None = None
) -> str:
    """Delete an object. Returns its name. Raises BuildError where columns have it as their type."""
    _hold(model)
    part = find(model, kind, pk, table)
    if part is None:
        raise BuildError("It is no longer there. Load the page again.")
    if users := in_use(model, kind, _type_name(getattr(part, "schema", ""), part.name)):
        raise BuildError(f"Columns have this type: {', '.join(users[:_MOST_TOLD])}. Give them another one first.")
    with record(
        area=area, person=person, model_id=model.pk, why=f"Deleted {objects.KINDS[kind].word} {part.name}"
    ) as changes:
        if kind == "trigger":
            assert table is not None
            triggers = table.properties.get("triggers", [])
            _write_triggers(changes, table, [one for at, one in enumerate(triggers, 1) if at != pk])
        else:
            row = _row(model, kind, pk, table)
            label = f"{table.full_name}.{row.name}" if table else _type_name(row.schema, row.name)
            changes.delete(kind if kind in _OF_TABLE else "object", row.pk, label, "record", record_of_owned(row))
            row.delete()
            if table is not None:
                refresh_roles({table.pk})
        _mark_changed(model)
    return str(part.name)


def add_schema(*, area: Area, person: Person, model: StoredModel, name: str) -> None:
    """List a schema in a model. Raises BuildError for a name that is none or is there."""
    name = " ".join(name.replace("\x00", "").split())
    if not name or len(name) > 200:
        raise BuildError("The schema needs a name of at most 200 characters.")
    if any(one.get("name", "").lower() == name.lower() for one in model.schemas):
        raise BuildError(f"There is a schema {name} already.")
    with record(area=area, person=person, model_id=model.pk, why=f"New schema {name}") as changes:
        _add_schema(changes, model, name)
