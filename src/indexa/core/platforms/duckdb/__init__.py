"""DuckDB 1.1 and later, from a file."""

from __future__ import annotations

from indexa.core.collector import gc_paused
from indexa.core.intake.choice import Choice, SchemaCount
from indexa.core.intake.receipt import Receipt
from indexa.core.model import Model
from indexa.core.platforms import Platform, Session, Tick
from indexa.core.platforms.duckdb import build
from indexa.core.platforms.duckdb.dialect import DIALECT


class DuckDB(Platform):
    """The platform's entry in the registry."""

    def count(self, session: Session) -> list[SchemaCount]:
        """Count what each schema holds."""
        found: dict[str, dict[str, int]] = {}
        for schema, kind, number in session.fetch(build.COUNTS, {}):
            counts = found.setdefault(schema, dict.fromkeys(self.kinds, 0))
            if kind:
                counts[kind] = number
        return [SchemaCount(schema, counts) for schema, counts in found.items()]

    def table_names(self, session: Session, choice: Choice) -> list[tuple[str, str, bool]]:
        """List schema, name and whether it is a view, of what the choice takes."""
        rows = session.fetch(build.TABLE_NAMES, {})
        return [
            (schema, name, bool(view))
            for schema, name, view in rows
            if choice.takes_schema(schema)
            and choice.takes_name(schema, name)
            and ("views" if view else "tables") in choice.kinds
        ]

    def read(self, session: Session, choice: Choice, tick: Tick, name: str) -> tuple[Model, Receipt]:
        """Build the model of what was chosen."""
        with gc_paused():
            return build.CatalogReading(session, choice, tick).build(name)


PLATFORM = DuckDB(
    name="duckdb",
    label="DuckDB",
    dialect=DIALECT,
    has_kit=True,
    kinds=("tables", "views", "types", "sequences", "routines"),
    families={"bit": "binary", "enum": "text", "union": "document"},
    cannot=(
        "The schema of a referenced table: the catalog names the table alone, and only its own schema is allowed.",
    ),
)
