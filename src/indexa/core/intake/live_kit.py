"""Platforms that are read live by the very query of their field kit."""

from __future__ import annotations

from collections.abc import Iterator

from indexa.core.collector import gc_paused
from indexa.core.intake.choice import Choice, SchemaCount
from indexa.core.intake.kit import MEMBERS, read_kit
from indexa.core.intake.receipt import Receipt
from indexa.core.model import Model
from indexa.core.platforms import Platform, Session, Tick
from indexa.core.scripts.splitting import Splitter

BEYOND_A_KIT = (
    "Read live: indexes, checks, triggers, routines, sequences and the actions of foreign keys, which a script tells.",
)


class KitPlatform(Platform):
    """A platform whose catalog is read by its field kit's query, through whatever driver there is."""

    hides: str = ""
    """What its catalog keeps from a login without rights, as a sentence; "" where it shows everything to everybody."""

    def limits(self, session: Session) -> list[str]:
        """Say what the login may not see. How much that is, the catalog does not tell."""
        del session
        return [self.hides] if self.hides else []

    def balance(self, session: Session, receipt: Receipt, choice: Choice) -> None:
        """Leave the receipt as it is: the query that was read is all that there is to count."""

    def count(self, session: Session) -> list[SchemaCount]:
        """Count tables and views of each schema."""
        found: dict[str, dict[str, set[str]]] = {}
        for _, row in self._rows(session):
            kinds = found.setdefault(row[0], {"tables": set(), "views": set()})
            kinds["views" if "view" in row[2] else "tables"].add(row[1])
        return [
            SchemaCount(schema, {kind: len(names) for kind, names in kinds.items()})
            for schema, kinds in sorted(found.items())
        ]

    def table_names(self, session: Session, choice: Choice) -> list[tuple[str, str, bool]]:
        """List schema, name and whether it is a view, of what the choice takes."""
        listed = dict.fromkeys((row[0], row[1], "view" in row[2]) for _, row in self._rows(session))
        return [
            one
            for one in listed
            if choice.takes_schema(one[0])
            and choice.takes_name(one[0], one[1])
            and ("views" if one[2] else "tables") in choice.kinds
        ]

    def read(self, session: Session, choice: Choice, tick: Tick, name: str) -> tuple[Model, Receipt]:
        """Build the model of what was chosen."""
        with gc_paused():
            session.begin_snapshot()
            rows = self._rows(session)
            return read_kit(_with_header(rows), self.name, choice, tick, name, self.dialect.canonical_type)

    def _rows(self, session: Session) -> Iterator[tuple[int, list[str]]]:
        *first, query = self.kit_statements()
        for statement in first:
            for _ in session.fetch(statement.replace("%", "%%"), {}):
                pass
        for number, row in enumerate(session.fetch(query.replace("%", "%%"), {}), 2):
            yield number, ["" if cell is None else str(cell) for cell in row]

    def kit_statements(self) -> list[str]:
        """Return the statements of the kit, the last of which gives the result."""
        kit = self.kit().encode()
        pieces = [piece for piece in Splitter(kit, self.dialect).pieces() if piece.kind == "statement"]
        return [kit[piece.start : piece.end].decode().strip().rstrip(";") for piece in pieces]


def _with_header(rows: Iterator[tuple[int, list[str]]]) -> Iterator[tuple[int, list[str]]]:
    yield 1, list(MEMBERS)
    yield from rows
