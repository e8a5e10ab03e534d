"""DDL that servers take: a model read live, written as DDL, made on a new server and read again is the same model."""

from __future__ import annotations

from django.test import TransactionTestCase

from indexa.adapters.address import Address
from indexa.adapters.live import open_source
from indexa.core.ddl.writing import write_ddl
from indexa.core.intake.choice import Choice
from indexa.core.model import Model
from tests.contract.differences import differences
from tests.contract.test_live import HERE, SCRIPTS, quiet

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
