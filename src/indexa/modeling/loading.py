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
from indexa.modeling.models import StoredModel

_APART = {
    "enum": ("enums", Enum),
    "domain": ("domains", Domain),
    "composite": ("composites", Composite),
    "range": ("ranges", Range),
    "sequence": ("sequences", Sequence),
    "routine": ("routines", Routine),
}


def load_model(stored: StoredModel, *, with_words: bool = False) -> Model:
    """Return everything of a stored model that is not gone, in nine queries.

    with_words: business names and definitions are those that each part shows, wherever they are
    kept; without it, only what is kept at the part itself.
    """
    model = Model(
        name=stored.name,
        layer="logical" if stored.layer == "logical" else "physical",
        platform=stored.platform,
        platform_version=stored.platform_version,
        comment=stored.comment,
        schemas=[msgspec.convert(schema, SchemaInfo) for schema in stored.schemas],
    )
    tables = _load_tables(stored.pk, with_words)
    names = _load_columns(stored.pk, tables, with_words)
    _load_owned(stored.pk, tables, names)
    for kind, facts in _rows("select kind, facts from model_object where model_id = %s order by id", stored.pk):
        member, part = _APART[kind]
        getattr(model, member).append(msgspec.convert(facts, part))
    model.tables = list(tables.values())
    return model


def _rows(sql: str, model_id: int) -> list[tuple[Any, ...]]:
    with connection.cursor() as cursor:
        cursor.execute(sql, [model_id])
        columns = [index for index, column in enumerate(cursor.description) if column.name == "facts"]
        rows: list[tuple[Any, ...]] = cursor.fetchall()
    if not columns:
        return rows
    # Django hands jsonb over as text; msgspec reads it.
    place = columns[0]
    return [(*row[:place], msgspec.json.decode(row[place]), *row[place + 1 :]) for row in rows]


def _load_tables(model_id: int, with_words: bool) -> dict[int, Table]:
    words = (
        "coalesce(nullif(t.business_name, ''), e.business_name, ''), "
        "coalesce(nullif(t.definition, ''), e.definition, '')"
        if with_words
        else "t.business_name, t.definition"
    )
    tables = {}
    for id_, schema, name, kind, comment, body, origin, entity, business_name, definition, facts in _rows(
        "select t.id, t.schema, t.name, t.kind, t.comment, t.definition_sql, t.origin, t.entity_id, "
        f"{words}, t.facts from model_table t left join model_table e on e.id = t.entity_id "
        "where t.model_id = %s and t.gone_since is null order by lower(t.schema), lower(t.name)",
        model_id,
    ):
        tables[id_] = Table(
            schema=schema, name=name, kind=kind, comment=comment, definition_sql=body, origin=origin,
            business_name=business_name, definition=definition, id=f"t{id_}",
            realises=f"t{entity}" if entity else "",
            owner=facts.get("owner", ""),
            unlogged=facts.get("unlogged", False),
            options=tuple(facts.get("options", ())),
            server=facts.get("server", ""),
            inherits=tuple(facts.get("inherits", ())),
            partition_by=facts.get("partition_by", ""),
            partitions=msgspec.convert(facts.get("partitions", []), list[Partition]),
            triggers=msgspec.convert(facts.get("triggers", []), list[Trigger]),
        )  # fmt: skip
    return tables


def _load_columns(model_id: int, tables: dict[int, Table], with_words: bool) -> dict[int, str]:
    words = "d.business_name, d.definition" if with_words else "c.business_name, c.definition"
    names = {}
    for (
        id_, table_id, name, position, type_, nullable, default, comment, identity, generated, collation,
        attribute, migrated_from, origin, remark, business_name, definition,
    ) in _rows(
        'select d.id, d.table_id, d.name, d.position, d.type, d.nullable, d."default", d.comment, d.identity, '
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
                generated,
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
    return names


def _load_owned(model_id: int, tables: dict[int, Table], names: dict[int, str]) -> None:
    """Hang keys, relationships, indexes and checks on their tables; column names are those of today."""
    of_model = "join model_table t on t.id = o.table_id where t.model_id = %s and t.gone_since is null order by o.id"
    for table_id, kind, column_ids, facts in _rows(
        f"select o.table_id, o.kind, o.column_ids, o.facts from model_key o {of_model}",
        model_id,
    ):
        table = tables[table_id]
        if kind == "exclusion":
            table.exclusions.append(msgspec.convert(facts, Exclusion))
            continue
        key = msgspec.convert(facts, Key)
        key.columns = tuple(names[id_] for id_ in column_ids if id_ in names)
        if kind == "primary":
            table.primary_key = key
        else:
            table.unique.append(key)
    for table_id, column_ids, facts in _rows(
        f"select o.table_id, o.column_ids, o.facts from model_relationship o {of_model}",
        model_id,
    ):
        foreign = msgspec.convert(facts, ForeignKey)
        foreign.columns = tuple(names[id_] for id_ in column_ids if id_ in names)
        tables[table_id].foreign_keys.append(foreign)
    parts: dict[str, Any] = {"index": Index, "check": Check}
    for kind, part in parts.items():
        owned = defaultdict(list)
        for table_id, facts in _rows(f"select o.table_id, o.facts from model_{kind} o {of_model}", model_id):
            owned[table_id].append(msgspec.convert(facts, part))
        for table_id, found in owned.items():
            setattr(tables[table_id], {"index": "indexes", "check": "checks"}[kind], found)
