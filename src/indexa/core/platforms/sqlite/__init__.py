"""SQLite 3.37 and later, from a file."""

from __future__ import annotations

from indexa.core.collector import gc_paused
from indexa.core.intake.choice import Choice, SchemaCount
from indexa.core.intake.receipt import Receipt
from indexa.core.model import Model
from indexa.core.platforms import Platform, Session, Tick
from indexa.core.platforms.sqlite import build
from indexa.core.platforms.sqlite.dialect import DIALECT


class SQLite(Platform):
    """The platform's entry in the registry."""

    def count(self, session: Session) -> list[SchemaCount]:
        """Count what the file holds."""
        counts = dict.fromkeys(self.kinds, 0) | dict(session.fetch(build.COUNTS, {}))
        return [SchemaCount(build.SCHEMA, counts)]

    def table_names(self, session: Session, choice: Choice) -> list[tuple[str, str, bool]]:
        """List schema, name and whether it is a view, of what the choice takes."""
        listed = [(build.SCHEMA, name, bool(view)) for name, view in session.fetch(build.TABLE_NAMES, {})]
        return [
            one
            for one in listed
            if choice.takes_name(one[0], one[1]) and ("views" if one[2] else "tables") in choice.kinds
        ]

    def read(self, session: Session, choice: Choice, tick: Tick, name: str) -> tuple[Model, Receipt]:
        """Build the model of what was chosen."""
        with gc_paused():
            return build.CatalogReading(session, choice, tick).build(name)

    def family(self, type_name: str) -> str:
        """Sort a type into a family, by SQLite's rules of affinity where the word itself says nothing."""
        found = super().family(type_name)
        if found != "other":
            return found
        upper = type_name.upper()
        for words, family in (
            (("INT",), "number"),
            (("CHAR", "CLOB", "TEXT"), "text"),
            (("REAL", "FLOA", "DOUB"), "number"),
        ):
            if any(word in upper for word in words):
                return family
        return "binary" if "BLOB" in upper else "other"


PLATFORM = SQLite(
    name="sqlite",
    label="SQLite",
    dialect=DIALECT,
    has_kit=True,
    kinds=("tables", "views", "triggers"),
    cannot=(
        "Comments on tables and columns: the platform has none. Those written beside a column are kept as remarks.",
    ),
)
