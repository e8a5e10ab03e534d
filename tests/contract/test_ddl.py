"""DDL that servers take: a model read live, written as DDL, made on a new server and read again is the same model."""

from __future__ import annotations

from django.test import TransactionTestCase

from indexa.adapters.address import Address
from indexa.adapters.live import open_source
from indexa.core.ddl.writing import write_ddl
from indexa.core.intake.choice import Choice
from indexa.core.model import Model
from tests.contract.differences import differences
from tests.contract.test_live import HERE as LIVE
from tests.contract.test_live import SCRIPTS, MySQLHere, quiet

HERE = LIVE | {"mysql": MySQLHere("written")}

KNOWN = {"mysql": ("'event') is missing",)}
"""What does not come back, by platform: MariaDB's catalog has of an event only what it does, not when."""


class DdlRoundTripTests(TransactionTestCase):
    maxDiff = None

    def read(self, name: str, address: Address, password: str, schemas: tuple[str, ...]) -> Model:
        with open_source(name, address, password) as opened:
            return opened.read(Choice(schemas), quiet, "contract")[0]

    def test_what_is_written_is_what_was_read(self) -> None:
        for path in sorted(SCRIPTS.glob("*.sql")):
            name = path.name.split(".")[0]
            here = HERE[name]
            schemas = ("works", "stores") if path.stem == "postgresql.changed" else here.schemas
            with self.subTest(path.stem):
                with here.source(path.read_text()) as (address, password):
                    first = self.read(name, address, password, schemas)
                script = write_ddl(first, name)
                made = [one for one in script.statements if not (name == "mysql" and one.kind == "schema")]
                script.statements = made
                with here.source(script.text()) as (address, password):
                    second = self.read(name, address, password, schemas)
                found = [
                    line for line in differences(first, second) if not any(part in line for part in KNOWN.get(name, ()))
                ]
                self.assertEqual(found, [], [f"{one.object}: {one.what}" for one in script.remarks])

    def test_what_is_written_for_another_platform_is_taken_there_with_all_tables_and_keys(self) -> None:
        for begin in HERE:
            with HERE[begin].source((SCRIPTS / f"{begin}.sql").read_text()) as (address, password):
                model = self.read(begin, address, password, HERE[begin].schemas)
            for end in HERE.keys() - {begin}:
                with self.subTest(f"{begin} to {end}"):
                    self.assert_taken(model, end)

    def assert_taken(self, model: Model, end: str) -> None:
        home = {"mysql": "written", "sqlite": "main"}.get(end, "s")
        for part in (*model.tables, *model.enums, *model.domains, *model.sequences):
            part.schema = home
        for table in model.tables:
            for key in table.foreign_keys:
                key.ref_schema = home
        script = write_ddl(model, end)
        if end == "mysql":
            script.statements = [one for one in script.statements if one.kind != "schema"]
        here = HERE[end]
        with here.source(script.text()) as (address, password):
            made = self.read(end, address, password, (home,))
        left_out = " ".join(f"{one.object}: {one.what}" for one in script.remarks)
        there = {table.name.lower(): table for table in made.tables}
        for table in model.tables:
            if table.kind not in ("table", "partitioned table"):
                continue
            twin = there[table.name.lower()]
            self.assertEqual([c.name.lower() for c in table.columns], [c.name.lower() for c in twin.columns])
            primary = set(_lower(table.primary_key.columns)) if table.primary_key else set()
            may = [column.nullable and column.name.lower() not in primary for column in table.columns]
            self.assertEqual(may, [c.nullable and c.name.lower() not in primary for c in twin.columns], table.name)
            self.assertEqual(bool(table.primary_key), bool(twin.primary_key), table.name)
            wanted = {
                _lower(key.columns) for key in table.foreign_keys if f"the foreign key {key.name}:" not in left_out
            }
            self.assertEqual(wanted, {_lower(key.columns) for key in twin.foreign_keys}, table.name)


def _lower(names: tuple[str, ...]) -> tuple[str, ...]:
    return tuple(name.lower() for name in names)
