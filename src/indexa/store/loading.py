"""A stored model as the core's Model: for documents, the model file, and all that computes."""

from __future__ import annotations

from collections import defaultdict
from typing import Any

import msgspec
from django.db import connection

from indexa.core.model import (
    Check,
    Column,
    Composite,
    Domain,
    Enum,
    Exclusion,
    ForeignKey,
    Index,
    Key,
    Model,
    Partition,
    Range,
    Routine,
    SchemaInfo,
    Sequence,
    Table,
    Trigger,
)
from indexa.core.model.renaming import renamed_in
from indexa.store.models import StoredModel

_APART = {
    "enum": ("enums", Enum),
    "domain": ("domains", Domain),
    "composite": ("composites", Composite),
    "range": ("ranges", Range),
    "sequence": ("sequences", Sequence),
    "routine": ("routines", Routine),
}


def load_model(stored: StoredModel, *, with_words: bool = False, as_source: bool = False) -> Model:
    """Return everything of a stored model that is not gone, in eleven queries.

    with_words: business names and definitions are those that each part shows, wherever they are
    kept; without it, only what is kept at the part itself. as_source: in the names that the source has, and without what
    people only assert of it, so that it can be compared with a reading.
    """
    model = Model(
        name=stored.name,
        layer="logical" if stored.layer == "logical" else "physical",
        platform=stored.platform,
        platform_version=stored.platform_version,
        comment=stored.comment,
        schemas=[msgspec.convert(schema, SchemaInfo) for schema in stored.schemas],
    )
    tables = _load_tables(stored.pk, with_words, as_source)
    names, renamed = _load_columns(stored.pk, tables, with_words, as_source)
    _load_owned(stored.pk, tables, names, renamed, as_source)
    for kind, name, properties in _rows(
        "select kind, name, properties from model_object where model_id = %s order by id", stored.pk
    ):
        member, part = _APART[kind]
        one = msgspec.convert(properties, part)
        if not as_source:
            one.name = name
        getattr(model, member).append(one)
    model.tables = list(tables.values())
    if not as_source:
        _say_today(stored.pk, model, tables, renamed)
    return model


def _say_today(model_id: int, model: Model, tables: dict[int, Table], renamed: Renamed) -> None:
    """Put today's names where the source's are mentioned by their full name: parents of tables, owners of sequences."""
    called = {
        id_: f"{schema}.{source_name}"
        for id_, schema, source_name in _rows(
            "select id, schema, source_name from model_table where model_id = %s and source_name <> '' and removed_at is null",
            model_id,
        )
    }
    if not called and not renamed:
        return
    today = {name: tables[id_].full_name for id_, name in called.items()}
    for table in model.tables:
        table.inherits = tuple(today.get(parent, parent) for parent in table.inherits)
    columns = {
        f"{called.get(id_, tables[id_].full_name)}.{old}": new for id_, of in renamed.items() for old, new in of.items()
    }
    for sequence in model.sequences:
        table_name, _, column = sequence.owned_by.rpartition(".")
        if table_name:
            column = columns.get(sequence.owned_by, column)
            sequence.owned_by = f"{today.get(table_name, table_name)}.{column}"


def _rows(sql: str, model_id: int) -> list[tuple[Any, ...]]:
    with connection.cursor() as cursor:
        cursor.execute(sql, [model_id])
        columns = [index for index, column in enumerate(cursor.description) if column.name == "properties"]
        rows: list[tuple[Any, ...]] = cursor.fetchall()
    if not columns:
        return rows
    # Django hands jsonb over as text; msgspec reads it.
    place = columns[0]
    return [(*row[:place], msgspec.json.decode(row[place]), *row[place + 1 :]) for row in rows]


def _load_tables(model_id: int, with_words: bool, as_source: bool) -> dict[int, Table]:
    words = (
        "coalesce(nullif(t.business_name, ''), e.business_name, ''), "
        "coalesce(nullif(t.definition, ''), e.definition, '')"
        if with_words
        else "t.business_name, t.definition"
    )
    tables = {}
    for (
        id_,
        schema,
        name,
        kind,
        comment,
        body,
        origin,
        entity,
        table_role,
        business_name,
        definition,
        properties,
    ) in _rows(
        f"select t.id, t.schema, {_name('t', as_source)}, t.kind, t.comment, t.definition_sql, t.origin, t.entity_id, t.table_role, "
        f"{words}, t.properties from model_table t left join model_table e on e.id = t.entity_id "
        "where t.model_id = %s and t.removed_at is null order by lower(t.schema), lower(t.name)",
        model_id,
    ):
        tables[id_] = Table(
            schema=schema, name=name, kind=kind, comment=comment, definition_sql=body, origin=origin,
            business_name=business_name, definition=definition, id=f"t{id_}",
            realises=f"t{entity}" if entity else "",
            table_role=table_role,
            owner=properties.get("owner", ""),
            unlogged=properties.get("unlogged", False),
            options=tuple(properties.get("options", ())),
            server=properties.get("server", ""),
            inherits=tuple(properties.get("inherits", ())),
            partition_by=properties.get("partition_by", ""),
            partitions=msgspec.convert(properties.get("partitions", []), list[Partition]),
            triggers=msgspec.convert(properties.get("triggers", []), list[Trigger]),
        )  # fmt: skip
    return tables


def _name(table: str, as_source: bool) -> str:
    """Return SQL for the name of a table or column: today's, or the source's."""
    return f"coalesce(nullif({table}.source_name, ''), {table}.name)" if as_source else f"{table}.name"


Renamed = dict[int, dict[str, str]]
"""By the id of a table: columns that a person gave another name, the source's name → today's."""


def renamed_columns(model_id: int) -> Renamed:
    """Return the columns of a model that have another name than the source gives them."""
    renamed: Renamed = defaultdict(dict)
    for table_id, source_name, name in _rows(
        "select c.table_id, c.source_name, c.name from model_column c join model_table t on t.id = c.table_id "
        "where t.model_id = %s and t.removed_at is null and c.source_name <> '' and c.removed_at is null",
        model_id,
    ):
        renamed[table_id][source_name] = name
    return renamed


def _load_columns(
    model_id: int, tables: dict[int, Table], with_words: bool, as_source: bool
) -> tuple[dict[int, str], Renamed]:
    words = "d.business_name, d.definition" if with_words else "c.business_name, c.definition"
    names = {}
    renamed = {} if as_source else renamed_columns(model_id)
    for (
        id_, table_id, name, position, type_, nullable, default, comment, identity, generated, collation,
        attribute, migrated_from, origin, remark, business_name, definition,
    ) in _rows(
        f'select d.id, d.table_id, {_name("c", as_source)}, d.position, d.type, d.nullable, d."default", d.comment, d.identity, '
        "d.generated, d.collation, d.attribute_id, c.migrated_from_id, c.origin, c.remark, "
        f"{words} from described_column d join model_column c on c.id = d.id "
        "where d.model_id = %s order by d.table_id, d.position",
        model_id,
    ):  # fmt: skip
        names[id_] = name
        tables[table_id].columns.append(
            Column(
                name,
                position,
                type_,
                nullable,
                default,
                comment,
                identity,
                renamed_in(generated, renamed[table_id]) if generated and table_id in renamed else generated,
                collation,
                business_name,
                definition,
                f"c{id_}",
                origin,
                f"c{attribute}" if attribute else "",
                remark,
                f"c{migrated_from}" if migrated_from else "",
            )
        )
    for table_id, changed in renamed.items():
        tables[table_id].partition_by = renamed_in(tables[table_id].partition_by, changed)
    return names, renamed


def _load_owned(
    model_id: int, tables: dict[int, Table], names: dict[int, str], renamed: Renamed, as_source: bool
) -> None:
    """Hang keys, relationships, indexes and checks on their tables, in the names of today or of the source."""
    of_model = "join model_table t on t.id = o.table_id where t.model_id = %s and t.removed_at is null order by o.id"
    declared = of_model.replace(" order by", " and o.asserted_at is null order by") if as_source else of_model
    for table_id, kind, name, column_ids, properties in _rows(
        f"select o.table_id, o.kind, o.name, o.column_ids, o.properties from model_key o {declared}",
        model_id,
    ):
        table = tables[table_id]
        if kind == "exclusion":
            exclusion = msgspec.convert(properties, Exclusion)
            exclusion.name = exclusion.name if as_source else name
            table.exclusions.append(exclusion)
            continue
        key = msgspec.convert(properties, Key)
        key.name = key.name if as_source else name
        key.columns = tuple(names[id_] for id_ in column_ids if id_ in names)
        if kind == "primary":
            table.primary_key = key
        else:
            table.unique.append(key)
    for table_id, ref_table, name, column_ids, ref_column_ids, properties in _rows(
        "select o.table_id, o.ref_table_id, o.name, o.column_ids, o.ref_column_ids, o.properties "
        f"from model_relationship o {declared}",
        model_id,
    ):
        foreign = msgspec.convert(properties, ForeignKey)
        foreign.name = foreign.name if as_source else name
        foreign.columns = tuple(names[id_] for id_ in column_ids if id_ in names)
        if parent := tables.get(ref_table):
            foreign.ref_schema, foreign.ref_table = parent.schema, parent.name
            foreign.ref_columns = tuple(names[id_] for id_ in ref_column_ids if id_ in names) or foreign.ref_columns
        if as_source:
            foreign.phrase = foreign.phrase_back = ""
        tables[table_id].foreign_keys.append(foreign)
    for table_id, name, properties in _rows(
        f"select o.table_id, o.name, o.properties from model_index o {of_model}", model_id
    ):
        index = msgspec.convert(properties, Index)
        index.name = index.name if as_source else name
        tables[table_id].indexes.append(index_today(index, renamed.get(table_id, {})))
    for table_id, name, properties in _rows(
        f"select o.table_id, o.name, o.properties from model_check o {of_model}", model_id
    ):
        check = msgspec.convert(properties, Check)
        check.name = check.name if as_source else name
        check.expression = renamed_in(check.expression, renamed.get(table_id, {}))
        tables[table_id].checks.append(check)


def index_today(index: Index, names: dict[str, str]) -> Index:
    """Tell an index, as it was read, in the names that its columns have today."""
    if names:
        for part in index.parts:
            part.column = names.get(part.column, part.column)
            part.expression = renamed_in(part.expression, names)
        index.included = tuple(names.get(name, name) for name in index.included)
        index.predicate = renamed_in(index.predicate, names) if index.predicate else index.predicate
    return index
