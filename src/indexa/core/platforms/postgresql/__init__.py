"""PostgreSQL 12 and later."""

from collections.abc import Iterable
from typing import Any

from indexa.core.collector import gc_paused
from indexa.core.intake.choice import OBJECT_KINDS, Choice, SchemaCount
from indexa.core.intake.receipt import Receipt
from indexa.core.model import Model
from indexa.core.platforms import Platform, Session, Tick
from indexa.core.platforms.postgresql import queries
from indexa.core.platforms.postgresql.build import VIEW_RELKINDS, CatalogReading, relkinds
from indexa.core.platforms.postgresql.dialect import DIALECT


class PostgreSQL(Platform):
    """The platform's entry in the registry."""

    def count(self, session: Session) -> list[SchemaCount]:
        """Count what each schema holds, by the kinds that can be chosen and partitions."""
        found: dict[str, dict[str, int]] = {}
        usable: dict[str, bool] = {}
        rows: Iterable[tuple[Any, ...]] = session.fetch(queries.SCHEMA_COUNTS, {})
        for schema, may_use, kind, count in rows:
            usable[schema] = may_use
            counts = found.setdefault(schema, dict.fromkeys(OBJECT_KINDS, 0))
            if kind:
                counts[kind] = count
        return [SchemaCount(schema, counts, usable[schema]) for schema, counts in found.items()]

    def table_names(self, session: Session, choice: Choice) -> list[tuple[str, str, bool]]:
        """List schema, name and whether it is a view, of what the choice takes."""
        parameters = {"schemas": list(choice.schemas), "relkinds": relkinds(choice)}
        rows = session.fetch(queries.RELATION_NAMES, parameters)
        return [(schema, name, kind in VIEW_RELKINDS) for schema, name, kind in rows if choice.takes_name(schema, name)]

    def read(self, session: Session, choice: Choice, tick: Tick, name: str) -> tuple[Model, Receipt]:
        """Build the model of what was chosen. Schemas are taken as given: an empty choice reads nothing."""
        with gc_paused():
            return CatalogReading(session, choice, tick).build(name)


PLATFORM = PostgreSQL(name="postgresql", label="PostgreSQL", dialect=DIALECT, has_kit=True)
