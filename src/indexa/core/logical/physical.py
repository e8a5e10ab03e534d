"""A physical model made of a logical one for one platform: names by the standard, types in the platform's words."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping

import msgspec

from indexa.core import platforms
from indexa.core.ddl.defaults import translated_default
from indexa.core.ddl.targets import TARGETS
from indexa.core.ddl.types import plain, translated
from indexa.core.logical.options import DeriveOptions, Prepared, check_of_values, names_of, prepare
from indexa.core.model import (
    Check,
    Column,
    Domain,
    Enum,
    ForeignKey,
    Index,
    IndexPart,
    Key,
    Model,
    SchemaInfo,
    Sequence,
    Table,
)
from indexa.core.naming.key_names import name_keys
from indexa.core.naming.making import Maker
from indexa.core.naming.patterns import Renderer
from indexa.core.naming.standard import Standard
from indexa.core.naming.wordbook import Stack
from indexa.core.scripts.naming import name_foreign_indexes

_WHOLE = {"small", "tiny", "integer", "big", "decimal"}
NEXT_VALUE = {
    "postgresql": "nextval('{name}'::regclass)", "greenplum": "nextval('{name}'::regclass)", "oracle": "{name}.NEXTVAL",
    "db2": "NEXT VALUE FOR {name}", "sqlserver": "NEXT VALUE FOR {name}", "duckdb": "nextval('{name}')",
}  # fmt: skip
"""What gives the next number of a sequence, as the default of a column."""
_PLAIN_TYPE = "varchar(200)"
"""The type of an attribute that has none yet."""


class Derived(msgspec.Struct):
    """The physical model, and in words what of the logical one it has otherwise or not at all."""

    model: Model
    notes: list[str]


def derive_physical(
    logical: Model,
    platform: str,
    standard: Standard,
    stack: Stack | None = None,
    *,
    name: str,
    schema: str,
    renderer: Renderer,
    options: DeriveOptions | None = None,
) -> Derived:
    """Make the physical model of a logical one; its parts realise the entities and attributes, whose ids they name.

    Words are the business names, or the names where there are none. Names are folded as the platform folds them, so that nothing needs
    quotes. All tables are in `schema`, or where the platform itself puts them.
    """
    standard = msgspec.structs.replace(standard, platform=platform)
    options = options or DeriveOptions()
    prepared = prepare(logical, options)
    return _Deriving(prepared, platform, standard, stack, renderer, options).run(name, schema)


class _Types(msgspec.Struct):
    """Types of the physical model, by the names that they have in the logical one."""

    enums: dict[str, Enum] = msgspec.field(default_factory=dict)
    domains: dict[str, Domain] = msgspec.field(default_factory=dict)


class _Deriving:
    def __init__(
        self,
        prepared: Prepared,
        platform: str,
        standard: Standard,
        stack: Stack | None,
        renderer: Renderer,
        options: DeriveOptions,
    ) -> None:
        self._logical, self._platform, self._standard, self._options = prepared.model, platform, standard, options
        self._renderer, self._stack = renderer, stack
        self._maker = Maker(standard, stack)
        self._dialect = platforms.get(platform).dialect
        self._notes = prepared.notes
        self._checks: dict[int, list[tuple[int, Enum]]] = defaultdict(list)
        self._types = _Types()

    def run(self, name: str, schema: str) -> Derived:
        entities = self._logical.tables
        schema = self._dialect.folded(schema) if TARGETS[self._platform].has_schemas else ""
        schema = schema or self._dialect.default_schema  # where the platform itself puts them
        self._schema = schema
        made = self._maker.make_all("table", [entity.business_name or entity.name for entity in entities])
        names = [self._folded(one.name, entity.name) for one, entity in zip(made, entities, strict=True)]
        for entity, one in zip(entities, made, strict=True):
            self._notes += [f"{entity.name}: {note}" for note in one.notes]
        columns = [self._columns(entity) for entity in entities]
        of_attribute = {id(entity): dict(zip([c.name for c in entity.columns], [c.name for c in own], strict=True))
                        for entity, own in zip(entities, columns, strict=True)}  # fmt: skip
        called = {
            (entity.schema, entity.name): (own, of_attribute[id(entity)])
            for entity, own in zip(entities, names, strict=True)
        }
        tables = [
            self._table(entity, table_name, own, schema, called)
            for entity, table_name, own in zip(entities, names, columns, strict=True)
        ]
        model = Model(
            name=name, platform=self._platform, tables=tables, comment=self._logical.comment,
            enums=list(self._types.enums.values()), domains=list(self._types.domains.values()),
        )  # fmt: skip
        if self._options.numbering != "model":
            self._number(model)
        name_keys(model, self._standard, self._stack, self._renderer)
        self._as_a_server_has_it(model)
        return Derived(model, self._notes)

    def _as_a_server_has_it(self, model: Model) -> None:
        """Add what the platform makes by itself, so that nothing of it is a difference once the model was built."""
        model.schemas = [SchemaInfo(name=self._schema)] if self._schema else []
        for table in model.tables:
            for index in table.indexes:
                index.method = self._dialect.index_method
            if self._dialect.names_constraints == "mysql" and table.primary_key is not None:
                table.primary_key.name = "PRIMARY"
            name_foreign_indexes(self._dialect, table)

    def _folded(self, made: str, fallback: str) -> str:
        return self._dialect.folded(made or "".join(letter for letter in fallback if letter.isalnum()) or "unnamed")

    def _columns(self, entity: Table) -> list[Column]:
        made = self._maker.make_all("column", [column.business_name or column.name for column in entity.columns])
        found = []
        for at, (attribute, one) in enumerate(zip(entity.columns, made, strict=True)):
            self._notes += [f"{entity.name}.{attribute.name}: {note}" for note in one.notes]
            found.append(
                Column(
                    self._folded(one.name, attribute.name), attribute.position, self._type(entity, attribute, at), attribute.nullable,
                    self._default(entity, attribute), attribute.definition or attribute.comment, attribute.identity, realises=attribute.id,
                )
            )  # fmt: skip
        return found

    def _default(self, entity: Table, attribute: Column) -> str | None:
        if attribute.default is None or not attribute.default.strip():
            return None
        kind = plain(attribute.type, self._logical.platform)
        is_boolean = kind is not None and kind.kind == "boolean"
        made = translated_default(attribute.default, is_boolean=is_boolean, target=TARGETS[self._platform])
        if made is None:
            self._notes.append(f"{entity.name}.{attribute.name}: The default {attribute.default} is left out.")
        return made

    def _type(self, entity: Table, attribute: Column, at: int) -> str:
        label = f"{entity.name}.{attribute.name}"
        given = attribute.type.strip() or _PLAIN_TYPE
        if not attribute.type.strip():
            self._notes.append(f"{label}: It has no type; it becomes {_PLAIN_TYPE}.")
        enum = next((one for one in self._logical.enums if given.lower() in names_of(one)), None)
        if enum is not None:
            return self._enum(entity, at, enum)
        domain = next((one for one in self._logical.domains if one.name.lower() == given.lower()), None)
        if domain is not None and TARGETS[self._platform].domains:
            return self._domain(domain)
        base = domain.type if domain else given
        keys = {name for key in (entity.primary_key, *entity.unique) if key for name in key.columns}
        keys |= {name for key in entity.foreign_keys for name in key.columns}
        written = translated(base, self._logical.platform, self._platform, in_key=attribute.name in keys)
        if written is None:
            self._notes.append(f"{label}: The type {given} is not known; it becomes a text.")
            written = translated("text", "", self._platform)
            assert written is not None
        if written.lost:
            self._notes.append(f"{label}: {given} becomes {written.text}: {written.lost}.")
        return self._dialect.canonical_type(written.text)

    def _enum(self, entity: Table, at: int, enum: Enum) -> str:
        """Return the type of an attribute that lists its values: an own type, one within the table, or a text with a check."""
        way = TARGETS[self._platform].enums if self._options.enums == "platform" else "check"
        if way == "type":
            own = self._types.enums.setdefault(
                enum.name, Enum(name=self._folded_name(enum.name), schema=self._schema, values=enum.values, comment=enum.comment)
            )  # fmt: skip
            return f"{own.schema}.{own.name}" if own.schema else own.name
        if way == "inline":
            values = ",".join("'" + value.replace("'", "''") + "'" for value in enum.values)
            return f"enum({values})"
        self._checks[id(entity)].append((at, enum))
        return self._written(f"varchar({max(len(value) for value in enum.values)})")

    def _domain(self, domain: Domain) -> str:
        own = self._types.domains.setdefault(
            domain.name,
            Domain(
                name=self._folded_name(domain.name), schema=self._schema, type=self._written(domain.type),
                nullable=domain.nullable, default=domain.default, checks=domain.checks, comment=domain.comment,
            ),
        )  # fmt: skip
        return f"{own.schema}.{own.name}" if own.schema else own.name

    def _folded_name(self, name: str) -> str:
        return self._folded(self._maker.make_all("column", [name])[0].name, name)

    def _written(self, type_: str) -> str:
        written = translated(type_, self._logical.platform, self._platform)
        return self._dialect.canonical_type(written.text if written else type_)

    def _number(self, model: Model) -> None:
        """Let keys of one whole number count by themselves: by the column, or by a sequence where the platform has one."""
        target = TARGETS[self._platform]
        for table in model.tables:
            key = table.primary_key.columns if table.primary_key else ()
            brought = {name for one in table.foreign_keys for name in one.columns}
            column = next((one for one in table.columns if key == (one.name,) and one.name not in brought), None)
            kind = plain(column.type, self._platform) if column else None
            if column is None or kind is None or kind.kind not in _WHOLE or kind.scale > 0:
                continue
            next_value = NEXT_VALUE.get(self._platform) if self._options.numbering == "sequence" else None
            if self._options.numbering == "sequence" and next_value is None:
                self._notes.append(
                    f"{table.name}.{column.name}: The platform counts by no sequence; the column counts itself."
                )
            if next_value is not None:
                name = self._dialect.folded(f"sq_{table.name}_{column.name}")
                model.sequences.append(
                    Sequence(
                        name=name, schema=table.schema, type="bigint", start=1, increment=1, minimum=1, maximum=2**63 - 1,
                    )
                )  # fmt: skip
                column.default = next_value.format(name=f"{table.schema}.{name}" if table.schema else name)
            elif target.identity:
                column.identity = next(iter(target.identity))
            else:
                self._notes.append(f"{table.name}.{column.name}: The platform has no column that counts itself.")

    def _table(
        self,
        entity: Table,
        name: str,
        columns: list[Column],
        schema: str,
        called: Mapping[tuple[str, str], tuple[str, Mapping[str, str]]],
    ) -> Table:
        own = called[entity.schema, entity.name][1]

        def names(attributes: tuple[str, ...]) -> tuple[str, ...]:
            return tuple(own[one] for one in attributes if one in own)

        primary = entity.primary_key
        table = Table(
            schema=schema, name=name, columns=columns, comment=entity.definition or entity.comment, realises=entity.id,
            primary_key=Key(name="key", columns=names(primary.columns)) if primary else None,
            unique=[Key(name=f"unique {at}", columns=names(key.columns)) for at, key in enumerate(entity.unique)],
            checks=[Check(name=check.name, expression=check.expression) for check in entity.checks],
        )  # fmt: skip
        for at, enum in self._checks[id(entity)]:
            check = check_of_values(columns[at].name, enum)
            table.checks.append(
                msgspec.structs.replace(check, name=self._dialect.folded(f"ck_{name}_{columns[at].name}"))
            )
        for column in columns:
            if primary and column.name in (table.primary_key or Key(name="", columns=())).columns:
                column.nullable = False
        for at, key in enumerate(entity.foreign_keys):
            parent = called.get((key.ref_schema, key.ref_table))
            if parent is None:
                self._notes.append(
                    f"{entity.name}: The relationship {key.name} leads out of the model and is left out."
                )
                continue
            table.foreign_keys.append(
                ForeignKey(
                    name=f"relationship {at}", columns=names(key.columns), ref_schema=schema, ref_table=parent[0],
                    ref_columns=tuple(parent[1][one] for one in key.ref_columns), on_delete=key.on_delete, on_update=key.on_update,
                    phrase=key.phrase, phrase_back=key.phrase_back,
                )
            )  # fmt: skip
        table.indexes = self._indexes(table)
        return table

    def _indexes(self, table: Table) -> list[Index]:
        """Return an index for each relationship whose columns no key begins with: without one the parent's changes read all rows."""
        if not TARGETS[self._platform].indexes or self._platform == "mysql":
            return []
        keys = [key.columns for key in (table.primary_key, *table.unique) if key]
        found: list[tuple[str, ...]] = []
        for foreign in table.foreign_keys:
            covered = any(key[: len(foreign.columns)] == foreign.columns for key in keys)
            if not covered and foreign.columns not in found:
                found.append(foreign.columns)
        return [
            Index(name=f"index {at}", parts=tuple(IndexPart(name) for name in columns))
            for at, columns in enumerate(found)
        ]
