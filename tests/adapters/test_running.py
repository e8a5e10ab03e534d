"""Running change scripts where no transaction holds them together, and on files."""

from __future__ import annotations

from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase

from indexa.adapters.errors import SourceError
from indexa.adapters.running import StepDone, run_script
from indexa.adapters.throwaway import server
from indexa.adapters.writing import Limits, open_writing
from indexa.core.change.writing import write_change
from indexa.core.model import Column, Key, Model, Table


def shop(*columns: str) -> Model:
    given = [
        Column("id", 1, "int", False),
        *(Column(name, 2 + at, "varchar(20)", True) for at, name in enumerate(columns)),
    ]
    return Model(
        name="shop",
        tables=[Table(schema="", name="customer", columns=given, primary_key=Key(name="pk", columns=("id",)))],
    )


class RunningTests(TestCase):
    def test_on_mariadb_what_was_done_before_the_error_stays_done_and_is_told(self) -> None:
        change = write_change(shop("a"), shop("a", "b"), "mysql")
        with server("mysql") as own:
            home = own.database("home")
            home.run("create table customer (id int not null primary key, a varchar(20))")
            change.steps *= 2  # the second time the column is there
            with open_writing("mysql", own.database("beside").address, "", Limits(lock=1)) as session:
                session.run("use home")
                done = run_script(change, session, lambda *_: None)
            self.assertEqual([step.state for step in done], ["done", "stopped"])
            self.assertIn("Duplicate column name", done[1].error)
            self.assertEqual(
                home.value("select count(*) from information_schema.columns where table_schema = 'home'"), 3
            )

    def test_a_connection_to_mariadb_that_is_ended_leaves_the_step_unknown(self) -> None:
        change = write_change(shop("a"), shop("a", "b"), "mysql")
        with server("mysql") as own:
            home = own.database("home")
            home.run("create table customer (id int not null primary key, a varchar(20))")
            with open_writing("mysql", home.address, "", Limits()) as session:
                session.run("use home")
                number = session.value("select connection_id()")

                def kill(*_: object) -> None:
                    home.run(f"kill {number}")

                done = run_script(change, session, kill)
        self.assertEqual([step.state for step in done], ["not known"])

    def test_files_are_changed_in_one_transaction(self) -> None:
        for platform in ("sqlite", "duckdb"):
            with self.subTest(platform), server(platform) as own:
                home = own.database("file")
                home.run("create table customer (id int primary key, a varchar(20))")
                home.run("insert into customer values (1, 'x')")
                home.close()
                change = write_change(shop("a"), shop("a", "b"), platform)
                with open_writing(platform, home.address, "", Limits()) as session:
                    done = run_script(change, session, lambda *_: None)
                    self.assertEqual({step.state for step in done}, {"done"}, done)
                    self.assertEqual(session.value("select count(*) from customer where b is null"), 1)
                    change.steps[-1].statements *= 2
                    again = run_script(change, session, lambda *_: None)
                self.assertEqual({step.state for step in again} - {"not begun"}, {"stopped"} | {
                    step.state for step in again if step.state == "taken back"
                })  # fmt: skip

    def test_no_other_file_is_made_or_reached(self) -> None:
        with TemporaryDirectory() as folder:
            missing = Path(folder) / "none.db"
            with server("sqlite") as own:
                address = own.database("file").address
            for platform in ("sqlite", "duckdb"):
                with self.assertRaises(SourceError), open_writing(platform, address, "", Limits()):
                    pass
            with server("sqlite") as own:
                home = own.database("file")
                home.run("create table x (a int)")
                with open_writing("sqlite", home.address, "", Limits()) as session:
                    done = self._stopped(session, f"attach '{missing}' as other")
            self.assertIn("too many attached", done.error)
            self.assertFalse(missing.exists())

    def _stopped(self, session: object, statement: str) -> StepDone:
        change = write_change(shop("a"), shop("a", "b"), "sqlite")
        first = change.steps[0].statements[0]
        change.steps[0].statements = [type(first)(first.kind, "", "", statement)]
        return run_script(change, session, lambda *_: None)[0]  # type: ignore[arg-type]
