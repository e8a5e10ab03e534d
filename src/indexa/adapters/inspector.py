"""Anything else that SQLAlchemy has a dialect for: its inspector as the reader, and a receipt of what it can't see."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager, suppress
from typing import Any

from indexa.adapters import profiling
from indexa.adapters.errors import SourceError
from indexa.adapters.sqlalchemy_urls import OtherAddress
from indexa.core.collector import gc_paused
from indexa.core.infer.data import DataSaid
from indexa.core.infer.questions import Questions
from indexa.core.intake.catalog import CatalogBuilder
from indexa.core.intake.choice import Choice, SchemaCount
from indexa.core.intake.receipt import Receipt
from indexa.core.model import Check, Column, ForeignKey, Index, IndexPart, Key, Model, Table
from indexa.core.platforms import RefusedError, Tick

UNSEEN = ("triggers", "routines", "sequences", "types and domains", "partitions")
_SYSTEM = frozenset({"information_schema", "sys", "system", "pg_catalog"})


@contextmanager
def open_inspection(address: OtherAddress, password: str) -> Iterator[Inspection]:
    """Open a database by its SQLAlchemy URL, read-only and bounded in time where its dialect can.

    Raises SourceError, also from within.
    """
    import sqlalchemy
    from sqlalchemy.exc import SQLAlchemyError
    from sqlalchemy.pool import NullPool

    url = address.url.set(password=password) if password else address.url
    try:
        engine = sqlalchemy.create_engine(url, poolclass=NullPool, connect_args=address.settings)
    except (SQLAlchemyError, ImportError, ValueError, TypeError) as error:
        raise SourceError("url", "No dialect fits this URL.", f"{str(error)[:200]}.") from None
    try:
        with engine.connect() as connection:
            _calm(connection, address)
            yield Inspection(sqlalchemy.inspect(connection), address.backend)
    except (SQLAlchemyError, OSError, RuntimeError) as error:
        message = " ".join(str(getattr(error, "orig", None) or error).split())[:300]
        for secret in (password, url.password):
            if secret:
                message = message.replace(str(secret), "…")
        raise SourceError("database", "The database refused or broke off.", f"It said: {message}") from None
    finally:
        engine.dispose()


def _calm(connection: Any, address: OtherAddress) -> None:
    """Make the session read-only, and bound its statements and locks in time."""
    from sqlalchemy.exc import SQLAlchemyError

    for statement in address.statements:
        connection.exec_driver_sql(statement)
    for statement in address.optional:
        with suppress(SQLAlchemyError):
            connection.exec_driver_sql(statement)
    connection.commit()  # what was set holds from the next transaction on
    if address.backend == "oracle":
        connection.exec_driver_sql("set transaction read only")


class Inspection:
    """An open database, looked at through the inspector."""

    def __init__(self, inspector: Any, backend: str) -> None:
        self._inspector, self._backend = inspector, backend

    @property
    def version(self) -> str:
        """The server's version, as far as the dialect tells."""
        found = getattr(self._inspector.dialect, "server_version_info", None)
        return ".".join(str(part) for part in found) if found else ""

    def _schemas(self) -> list[str | None]:
        try:
            named = [
                schema for schema in self._inspector.get_schema_names() if schema and schema.lower() not in _SYSTEM
            ]
        except NotImplementedError:
            named = []
        return named or [None]

    def count(self) -> list[SchemaCount]:
        """Count tables and views of each schema."""
        found = []
        for schema in self._schemas():
            counts = {"tables": len(self._inspector.get_table_names(schema)), "views": len(self._views(schema))}
            found.append(SchemaCount(schema or "", counts))
        return found

    def ask_rows(self, asked: Questions, report: Tick, seconds: float) -> DataSaid:
        """Ask nothing: how such a database limits a query is not known."""
        del asked, report, seconds
        return DataSaid(said=[profiling.NOT_ASKED.format(platform=self._backend)])

    def read_codes(self, schema: str, table: str, code: str, meaning: str) -> list[tuple[str, str]]:
        """Read nothing, for the same reason."""
        raise RefusedError(f"the rows of this kind of source ({self._backend}) can't be read")

    def limits(self) -> list[str]:
        """Say what can't be seen this way, whatever the rights."""
        return [f"{', '.join(UNSEEN).capitalize()}: the general reader does not see them."]

    def _views(self, schema: str | None) -> list[str]:
        try:
            return list(self._inspector.get_view_names(schema))
        except NotImplementedError:
            return []

    def table_names(self, choice: Choice) -> list[tuple[str, str, bool]]:
        """List schema, name and whether it is a view, of what the choice takes."""
        listed: list[tuple[str, str, bool]] = []
        for schema in self._schemas():
            listed += [(schema or "", name, False) for name in self._inspector.get_table_names(schema)]
            listed += [(schema or "", name, True) for name in self._views(schema)]
        return [
            one for one in listed
            if choice.takes_schema(one[0]) and choice.takes_name(one[0], one[1]) and ("views" if one[2] else "tables") in choice.kinds
        ]  # fmt: skip

    def read(self, choice: Choice, tick: Tick, name: str) -> tuple[Model, Receipt]:
        """Build the model of what was chosen."""
        with gc_paused():
            builder = CatalogBuilder(name, self._backend, choice)
            schemas = [schema for schema in self._schemas() if choice.takes_schema(schema or "")]
            for number, schema in enumerate(schemas):
                tick(f"Reading {schema or 'tables'}", number, len(schemas))
                self._read_schema(builder, schema)
            for kind in UNSEEN:
                builder.note(
                    "left out", kind, "The general reader does not see them. A script of the database may tell.", 0
                )
            return builder.finish()

    def _read_schema(self, builder: CatalogBuilder, schema: str | None) -> None:
        inspector, unseen = self._inspector, set()
        listed = [(name, False) for name in inspector.get_table_names(schema)] + [
            (name, True) for name in self._views(schema)
        ]
        for name, view in listed:
            table = Table(schema=schema or "", name=name, kind="view" if view else "table")
            if not builder.take(table):
                continue
            for part in (
                "columns",
                "primary key",
                "unique keys",
                "foreign keys",
                "indexes",
                "checks",
                "comments",
                "view definitions",
            ):
                if view != (part == "view definitions") and part not in ("columns", "comments"):
                    continue
                try:
                    _PARTS[part](inspector, table, schema)
                except NotImplementedError:
                    unseen.add(part)
        for part in sorted(unseen):
            builder.note("left out", part, "The dialect does not tell them.", 0, schema or "")


def _columns(inspector: Any, table: Table, schema: str | None) -> None:
    dialect = inspector.dialect
    for entry in inspector.get_columns(table.name, schema):
        try:
            type_ = entry["type"].compile(dialect=dialect)
        except Exception:
            type_ = str(entry["type"])
        column = Column(
            entry["name"], len(table.columns) + 1, type_, bool(entry.get("nullable", True)), entry.get("default")
        )
        column.comment = entry.get("comment") or ""
        if entry.get("autoincrement") is True or entry.get("identity"):
            column.identity = "always" if (entry.get("identity") or {}).get("always") else "by default"
        if entry.get("computed"):
            column.generated = str(entry["computed"].get("sqltext", ""))
            column.default = None
        table.columns.append(column)


def _primary_key(inspector: Any, table: Table, schema: str | None) -> None:
    found = inspector.get_pk_constraint(table.name, schema)
    if found and found.get("constrained_columns"):
        table.primary_key = Key(name=found.get("name") or "", columns=tuple(found["constrained_columns"]))


def _unique_keys(inspector: Any, table: Table, schema: str | None) -> None:
    for found in inspector.get_unique_constraints(table.name, schema):
        table.unique.append(Key(name=found.get("name") or "", columns=tuple(found["column_names"])))


def _foreign_keys(inspector: Any, table: Table, schema: str | None) -> None:
    for found in inspector.get_foreign_keys(table.name, schema):
        options = found.get("options") or {}
        table.foreign_keys.append(
            ForeignKey(
                name=found.get("name") or "",
                columns=tuple(found["constrained_columns"]),
                ref_schema=found.get("referred_schema") or table.schema,
                ref_table=found["referred_table"],
                ref_columns=tuple(found["referred_columns"]),
                on_delete=_action(options.get("ondelete")),
                on_update=_action(options.get("onupdate")),
            )
        )


def _action(said: str | None) -> Any:
    lowered = (said or "no action").lower()
    return lowered if lowered in ("restrict", "cascade", "set null", "set default") else "no action"


def _indexes(inspector: Any, table: Table, schema: str | None) -> None:
    keys = {frozenset(key.columns) for key in table.unique}
    for found in inspector.get_indexes(table.name, schema):
        columns = tuple(name or "" for name in found["column_names"])
        if found.get("unique") and (found.get("duplicates_constraint") or frozenset(columns) in keys):
            continue
        expressions = found.get("expressions") or columns
        parts = tuple(
            IndexPart(column=name) if name else IndexPart(expression=text or "")
            for name, text in zip(columns, expressions, strict=False)
        )
        table.indexes.append(Index(name=found.get("name") or "", parts=parts, unique=bool(found.get("unique"))))


def _checks(inspector: Any, table: Table, schema: str | None) -> None:
    for found in inspector.get_check_constraints(table.name, schema):
        table.checks.append(Check(name=found.get("name") or "", expression=found.get("sqltext") or ""))


def _comments(inspector: Any, table: Table, schema: str | None) -> None:
    table.comment = (inspector.get_table_comment(table.name, schema) or {}).get("text") or ""


def _view_definition(inspector: Any, table: Table, schema: str | None) -> None:
    table.definition_sql = inspector.get_view_definition(table.name, schema) or ""


_PARTS = {
    "columns": _columns,
    "primary key": _primary_key,
    "unique keys": _unique_keys,
    "foreign keys": _foreign_keys,
    "indexes": _indexes,
    "checks": _checks,
    "comments": _comments,
    "view definitions": _view_definition,
}
