"""Change scripts for large PostgreSQL tables: no step keeps writers waiting while rows are read, and none is in a transaction.

An index is built concurrently. A constraint comes unvalidated and is validated after that, which lets rows be written
meanwhile. A column is proven never to be empty by a check, so that PostgreSQL (from 12 on) need not read the table again.
"""

from __future__ import annotations

import re
from collections.abc import Iterable

from indexa.core.change.altering import Altering
from indexa.core.change.script import Risk
from indexa.core.ddl.script import Statement

_INDEX = re.compile(r"^CREATE (UNIQUE )?INDEX (?!CONCURRENTLY)")
_CONSTRAINT = re.compile(r'^ALTER TABLE (?P<table>.+?) ADD CONSTRAINT (?P<name>"(?:[^"]|"")+"|\S+) (?P<rest>.*)$', re.S)
_KEY = re.compile(r"^(?P<kind>UNIQUE|PRIMARY KEY) \((?P<columns>[^()]*)\)$")
_NEVER_EMPTY = re.compile(r"^ALTER TABLE (?P<table>.+?) ALTER COLUMN (?P<column>.+) SET NOT NULL$")


class AlteringOnline(Altering):
    """Writes a change script whose steps hold no lock for long."""

    def step(
        self,
        what: str,
        object_: str,
        statements: Iterable[str | Statement],
        *,
        risk: Risk = "safe",
        ids: Iterable[str] = (),
        check: str = "",
        fill: str = "",
        kind: str = "table",
    ) -> None:
        """Put a step at the end, in the words that lock least; tables that the script makes have nobody who waits."""
        given = [one if isinstance(one, Statement) else Statement(kind, "", object_, one) for one in statements if one]
        if not given or object_ in self._of_the_script():
            super().step(what, object_, given, risk=risk, ids=ids, check=check, fill=fill, kind=kind)
            return
        found = [text for one in given for text in self._worded(one)]
        changed = [one.text for one in found] != [one.text for one in given]
        told = "safe" if changed and risk == "locks" else risk
        super().step(what, object_, found, risk=told, ids=ids, check=check, fill=fill, kind=kind)

    def _of_the_script(self) -> set[str]:
        """Return new tables, and partitioned ones, of which PostgreSQL can build no index concurrently."""
        partitioned = {table.full_name for table in self.plan.comparison.after.tables if table.partition_by}
        return partitioned | {table.full_name for table in self.plan.new}

    def _worded(self, one: Statement) -> list[Statement]:
        text = one.text
        if _INDEX.match(text):
            return [self._as(one, _INDEX.sub(lambda found: f"CREATE {found[1] or ''}INDEX CONCURRENTLY ", text))]
        if text.startswith("DROP INDEX "):
            return [self._as(one, text.replace("DROP INDEX ", "DROP INDEX CONCURRENTLY ", 1))]
        if found := _CONSTRAINT.match(text):
            return [self._as(one, line) for line in _constraint(found, text)]
        if found := _NEVER_EMPTY.match(text):
            return [self._as(one, line) for line in _never_empty(found, text)]
        return [one]

    def _as(self, one: Statement, text: str) -> Statement:
        return Statement(one.kind, one.schema, one.name, text)


def _constraint(found: re.Match[str], text: str) -> list[str]:
    table, name, rest = found["table"], found["name"], found["rest"]
    if key := _KEY.match(rest):
        return [
            f"CREATE UNIQUE INDEX CONCURRENTLY {name} ON {table} ({key['columns']})",
            f"ALTER TABLE {table} ADD CONSTRAINT {name} {key['kind']} USING INDEX {name}",
        ]
    if rest.startswith(("CHECK", "FOREIGN KEY")) and not rest.endswith("NOT VALID"):
        return [f"{text} NOT VALID", f"ALTER TABLE {table} VALIDATE CONSTRAINT {name}"]
    return [text]


def _never_empty(found: re.Match[str], text: str) -> list[str]:
    table, column = found["table"], found["column"]
    name = f'"{column.strip(chr(34))[:40]}_is_never_empty"'
    return [
        f"ALTER TABLE {table} ADD CONSTRAINT {name} CHECK ({column} IS NOT NULL) NOT VALID",
        f"ALTER TABLE {table} VALIDATE CONSTRAINT {name}",
        text,
        f"ALTER TABLE {table} DROP CONSTRAINT {name}",
    ]
