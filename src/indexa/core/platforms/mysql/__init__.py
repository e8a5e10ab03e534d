"""MariaDB 10.2 and later, MySQL 5.7 and later."""

from __future__ import annotations

from indexa.core.collector import gc_paused
from indexa.core.intake.choice import Choice, SchemaCount
from indexa.core.intake.receipt import Receipt
from indexa.core.model import Model
from indexa.core.platforms import Platform, Session, Tick
from indexa.core.platforms.mysql import queries
from indexa.core.platforms.mysql.build import CatalogReading
from indexa.core.platforms.mysql.dialect import DIALECT


class MySQL(Platform):
    """The platform's entry in the registry."""

    def count(self, session: Session) -> list[SchemaCount]:
        """Count what each schema (a database, in its words) holds; events count as routines."""
        found: dict[str, dict[str, int]] = {}
        for schema, kind, number in session.fetch(queries.COUNTS, {}):
            counts = found.setdefault(schema, dict.fromkeys(self.kinds, 0))
            if kind:
                kind = "routines" if kind == "events" else kind
                counts[kind] = counts.get(kind, 0) + int(number)
        return [SchemaCount(schema, counts) for schema, counts in found.items()]

    def limits(self, session: Session) -> list[str]:
        """Say which texts the login may not see: views need SHOW VIEW, routines their definer's rights."""
        ((views, routines),) = session.fetch(queries.HIDDEN, {})
        message = []
        if views:
            message.append(
                f"The queries of views ({views:,}): the login has no SHOW VIEW on them. Their columns will be read."
            )
        if routines:
            message.append(f"The bodies of routines ({routines:,}): the login may only see their names and parameters.")
        return message

    def table_names(self, session: Session, choice: Choice) -> list[tuple[str, str, bool]]:
        """List schema, name and whether it is a view, of what the choice takes."""
        rows = session.fetch(queries.TABLE_NAMES, {"schemas": tuple(choice.schemas) or ("",)})
        listed = [(schema, name, bool(view)) for schema, name, view in rows if choice.takes_name(schema, name)]
        return [one for one in listed if ("views" if one[2] else "tables") in choice.kinds]

    def read(self, session: Session, choice: Choice, tick: Tick, name: str) -> tuple[Model, Receipt]:
        """Build the model of what was chosen."""
        with gc_paused():
            return CatalogReading(session, choice, tick, self.dialect).build(name)


PLATFORM = MySQL(
    name="mysql",
    label="MariaDB / MySQL",
    dialect=DIALECT,
    has_kit=True,
    kinds=("tables", "views", "sequences", "routines", "triggers"),
    families={"bit": "binary", "set": "text", "year": "date and time"},
    cannot=("Comments on views, on keys and on schemas: the platform has none.",),
)
