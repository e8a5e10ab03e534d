"""The logical model that stands beside a physical one: entity beside table, attribute beside column."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping

from indexa.core.model import VIEW_KINDS, Column, ForeignKey, Key, Model, Table


def derive_logical(physical: Model, name: str) -> Model:
    """Make the logical model of a physical one and link both.

    Schemas are how a database is divided, and no part of an entity's name: an entity has one only where tables of several
    schemas have the same name.

    Every table (not a view: it is a way to look at entities, no entity) becomes an entity; its
    columns become attributes of the same name, without a business name until a person gives one.
    The parts of physical must have ids, no two the same; the logical parts get the id of what they stand for with a
    "~" before it, and physical is linked by setting `realises`. An attribute that a foreign key
    brings from another entity gets `migrated_from`.
    """
    tables = [table for table in physical.tables if table.kind not in VIEW_KINDS]
    counts = Counter(table.name for table in tables)
    schemas = {(table.schema, table.name): table.schema if counts[table.name] > 1 else "" for table in tables}
    entities: list[Table] = []
    for table in tables:
        entity = Table(
            name=table.name,
            schema=schemas[table.schema, table.name],
            columns=[Column(c.name, c.position, c.type, c.nullable, id=f"~{c.id}") for c in table.columns],
            primary_key=_bare(table.primary_key),
            unique=[Key(name=key.name, columns=key.columns) for key in table.unique],
            foreign_keys=[_bare_reference(key, schemas) for key in table.foreign_keys],
            id=f"~{table.id}",
        )
        table.realises = entity.id
        for column in table.columns:
            column.realises = f"~{column.id}"
        entities.append(entity)
    migrate_keys(entities)
    return Model(name=name, layer="logical", tables=entities)


def migrate_keys(entities: list[Table]) -> None:
    """Set `migrated_from` of every attribute that a foreign key brings, to the key's first origin.

    A chain of keys (a part of a primary key that is itself a foreign key) is followed to its end;
    a circle ends it. Where two keys bring one attribute, the identifying one counts, then the first.
    """
    direct: dict[str, str] = {}
    by_name = {(entity.schema, entity.name): entity for entity in entities}
    ids = {id(entity): {column.name: column.id for column in entity.columns} for entity in entities}
    for entity in entities:
        primary = set(entity.primary_key.columns) if entity.primary_key else set()
        own = ids[id(entity)]
        for key in sorted(entity.foreign_keys, key=lambda key: not set(key.columns) <= primary):
            parent = by_name.get((key.ref_schema, key.ref_table))
            if parent is None:
                continue
            theirs = ids[id(parent)]
            for column, ref_column in zip(key.columns, key.ref_columns, strict=True):
                if column in own and ref_column in theirs and own[column] != theirs[ref_column]:
                    direct.setdefault(own[column], theirs[ref_column])
    for entity in entities:
        for attribute in entity.columns:
            seen, at = {attribute.id}, attribute.id
            while at in direct and direct[at] not in seen:
                at = direct[at]
                seen.add(at)
            attribute.migrated_from = "" if at == attribute.id else at


def _bare(key: Key | None) -> Key | None:
    return Key(name=key.name, columns=key.columns) if key else None


def _bare_reference(key: ForeignKey, schemas: Mapping[tuple[str, str], str]) -> ForeignKey:
    return ForeignKey(
        name=key.name,
        columns=key.columns,
        ref_schema=schemas.get((key.ref_schema, key.ref_table), key.ref_schema),
        ref_table=key.ref_table,
        ref_columns=key.ref_columns,
    )
