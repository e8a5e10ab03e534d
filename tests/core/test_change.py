"""Change scripts: read over the script of the earlier model, they give the later one, on every platform; by example and by property."""

from __future__ import annotations

import copy
import random
import sqlite3
from typing import Any
from unittest import TestCase

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from indexa.core.change.filling import FillError, filled
from indexa.core.change.script import ChangeScript, Options
from indexa.core.change.worded import worded_change
from indexa.core.change.writing import change_of, revert_of, risks_of_differences, write_change
from indexa.core.compare.comparing import compare
from indexa.core.compare.matching import KnownRenames
from indexa.core.ddl.targets import TARGETS
from indexa.core.ddl.templates import Facts, render
from indexa.core.ddl.writing import write_ddl
from indexa.core.model import Column, Enum, ForeignKey, Index, IndexPart, Key, Model, Table
from tests.changed_models import dressed, mutated
from tests.core.test_ddl import models, read_back

ALL = Options(allow_drops=True)


def over(platform: str, before: Model, change: ChangeScript) -> Model:
    """Return what a database is after a change script, as our reader understands both scripts."""
    return read_back(write_ddl(before, platform).text() + "\n" + change.text(), platform)


def told(model: Model) -> set[tuple[Any, ...]]:
    """Return what of a model a change script has to reach."""
    found: set[tuple[Any, ...]] = set()
    for table in model.tables:
        found.add((table.name, "key", table.primary_key.columns if table.primary_key else ()))
        key = set(table.primary_key.columns) if table.primary_key else set()
        for column in table.columns:
            found.add(
                (
                    table.name,
                    column.name,
                    column.type.lower().replace(" ", ""),
                    column.nullable and column.name not in key,
                )
            )
        for foreign in table.foreign_keys:
            found.add((table.name, "foreign", foreign.columns, foreign.ref_table))
    return found


def worn(model: Model) -> set[tuple[Any, ...]]:
    """Return keys, indexes and comments of a model; not the indexes that MySQL makes for foreign keys by their name."""
    found: set[tuple[Any, ...]] = told(model)
    for table in model.tables:
        own = {key.name for key in table.foreign_keys}
        for index in table.indexes:
            if index.name not in own:
                parts = tuple((part.column, part.descending) for part in index.parts)
                found.add((table.name, index.name, index.unique, parts))
        found |= {(table.name, "unique", key.columns) for key in table.unique}
        found |= {(table.name, one.name, "comment", one.comment) for one in (*table.columns, table) if one.comment}
    return found


class PropertyTests(TestCase):
    """From any model to any other of the same platform."""

    def test_the_script_brings_one_model_to_another_on_every_platform(self) -> None:
        for platform in sorted(TARGETS):
            with self.subTest(platform):
                self.bring(platform)

    def bring(self, platform: str) -> None:
        @settings(max_examples=8, suppress_health_check=list(HealthCheck))
        @given(models(platform), models(platform), st.integers(0, 1_000_000), st.booleans())
        def check(before: Model, other: Model, seed: int, edited: bool) -> None:
            after = mutated(before, platform, random.Random(seed)) if edited else other
            change = write_change(before, after, platform, ALL)
            if any("can't" in one.what or "only by the name" in one.what for one in change.kept):
                return  # it says what the platform can't
            wanted = told(read_back(write_ddl(after, platform).text(), platform))
            self.assertEqual(told(over(platform, before, change)), wanted, change.text())

        check()

    def test_keys_indexes_and_comments_follow_on_every_platform(self) -> None:
        for platform in sorted(TARGETS):
            with self.subTest(platform):
                self.follow(platform)

    def follow(self, platform: str) -> None:
        @settings(max_examples=8, suppress_health_check=list(HealthCheck))
        @given(models(platform), st.integers(0, 1_000_000))
        def check(model: Model, seed: int) -> None:
            draw = random.Random(seed)
            before = dressed(model, platform, draw)
            after = dressed(mutated(model, platform, draw), platform, draw)
            change = write_change(before, after, platform, ALL)
            if change.kept:
                return  # it says what the platform can't
            wanted = worn(read_back(write_ddl(after, platform).text(), platform))
            self.assertEqual(worn(over(platform, before, change)), wanted, change.text())

        check()

    @settings(max_examples=15)
    @given(st.data())
    def test_sqlite_takes_it_and_keeps_the_rows(self, data: st.DataObject) -> None:
        before, after = data.draw(models("sqlite")), data.draw(models("sqlite"))
        after.tables[0].name = before.tables[0].name
        kept = {c.name for c in before.tables[0].columns} & {c.name for c in after.tables[0].columns}
        database = sqlite3.connect(":memory:")
        database.executescript(write_ddl(before, "sqlite").text())
        database.executescript(write_change(before, after, "sqlite", ALL).text())
        names = {row[0] for row in database.execute("select name from sqlite_master where type = 'table'")}
        self.assertEqual(
            {name for name in names if not name.startswith("sqlite_")}, {table.name for table in after.tables}
        )
        self.assertTrue(kept is not None)


def simple(platform: str = "postgresql") -> Model:
    customer = Table(
        schema="s", name="customer", primary_key=Key(name="customer_pk", columns=("id",)),
        columns=[Column("id", 1, "integer", False), Column("name", 2, "varchar(40)"), Column("born", 3, "date")],
    )  # fmt: skip
    bill = Table(
        schema="s", name="bill", primary_key=Key(name="bill_pk", columns=("id",)),
        columns=[Column("id", 1, "integer", False), Column("customer_id", 2, "integer", False)],
        foreign_keys=[ForeignKey(name="bill_customer", columns=("customer_id",), ref_schema="s", ref_table="customer", ref_columns=("id",))],
        indexes=[Index(name="bill_by_customer", parts=(IndexPart("customer_id"),))],
    )  # fmt: skip
    view = Table(
        schema="s",
        name="names",
        kind="view",
        definition_sql="select name from s.customer",
        columns=[Column("name", 1, "varchar(40)")],
    )
    return Model(name="m", platform=platform, tables=[customer, bill, view])


class ExampleTests(TestCase):
    def setUp(self) -> None:
        self.before, self.after = simple(), simple()

    def change(self, options: Options = ALL) -> ChangeScript:
        return write_change(self.before, self.after, "postgresql", options)

    def words(self, options: Options = ALL) -> list[str]:
        return [one.text for one in self.change(options).statements]

    def test_nothing_to_do_is_an_empty_script(self) -> None:
        self.assertEqual(self.change().text(), "")

    def test_a_view_on_a_column_goes_first_and_comes_back(self) -> None:
        self.after.tables[0].columns[1].type = "varchar(20)"
        self.after.tables[2].columns[0].type = "varchar(20)"
        change = self.change()
        kinds = [one.kind for one in change.statements]
        self.assertEqual((kinds[0], kinds[-1]), ("drop", "view"))
        step = next(one for one in change.steps if "type of s.customer.name" in one.what)
        self.assertEqual(step.risk, "may fail")
        self.assertEqual(step.check, "SELECT COUNT(*) FROM s.customer WHERE CHAR_LENGTH(name) > 20")

    def test_a_rename_is_a_rename_and_keeps_its_rows(self) -> None:
        self.after.tables[0].name, self.after.tables[0].columns[1].name = "client", "full_name"
        self.after.tables[1].foreign_keys[0].ref_table = "client"
        del self.before.tables[2], self.after.tables[2]
        renames = KnownRenames([(("s", "customer"), ("s", "client"))], [(("s", "client"), "name", "full_name")])
        change = change_of(compare(self.before, self.after, renames=renames), "postgresql", ALL)
        self.assertEqual(
            [one.text for one in change.statements],
            ["ALTER TABLE s.customer RENAME TO client", "ALTER TABLE s.client RENAME COLUMN name TO full_name"],
        )

    def test_drops_are_only_written_when_asked_for_and_are_told(self) -> None:
        del self.after.tables[0].columns[2]
        kept = self.change(Options())
        self.assertEqual((kept.statements, [one.object for one in kept.kept]), ([], ["s.customer.born"]))
        [step] = self.change().steps
        self.assertEqual(
            (step.risk, step.statements[0].text), ("loses data", "ALTER TABLE s.customer DROP COLUMN born")
        )

    def test_a_column_that_is_never_empty_comes_in_steps_with_a_place_to_fill_in(self) -> None:
        self.after.tables[0].columns.append(Column("kind", 4, "char(1)", False))
        change = self.change()
        self.assertEqual([one.risk for one in change.steps], ["safe", "may fail"])
        self.assertIn("-- UPDATE s.customer SET kind = ...;", change.text())

    def test_rows_without_a_value_get_the_default_before_it_is_demanded(self) -> None:
        self.after.tables[0].columns[1].nullable, self.after.tables[0].columns[1].default = False, "'?'"
        words = self.words()
        self.assertIn("UPDATE s.customer SET name = '?' WHERE name IS NULL", words)
        self.assertLess(words.index("UPDATE s.customer SET name = '?' WHERE name IS NULL"), len(words) - 1)

    def test_values_of_a_type_come_where_they_stand_and_a_type_that_lost_some_is_made_anew(self) -> None:
        for model in (self.before, self.after):
            model.enums = [Enum(name="mood", schema="s", values=("bad", "good"))]
            model.tables[0].columns.append(Column("mood", 4, "s.mood"))
        self.after.enums = [Enum(name="mood", schema="s", values=("bad", "fair", "good"))]
        self.assertEqual(self.words(), ["ALTER TYPE s.mood ADD VALUE 'fair' AFTER 'bad'"])
        self.after.tables[0].columns[-1].default = "'fair'::s.mood"
        words = self.words()
        self.assertIn("CREATE TYPE s.mood AS ENUM ('bad', 'fair', 'good')", words)
        self.assertIn("ALTER TYPE s.mood ADD VALUE 'fair' AFTER 'bad'", self.words(Options(online=True)))
        self.after.tables[0].columns[-1].default = None
        self.after.enums = [Enum(name="mood", schema="s", values=("good",))]
        self.assertIn("ALTER TABLE s.customer ALTER COLUMN mood TYPE s.mood USING mood::text::s.mood", self.words())

    def test_a_new_key_is_asked_about_before(self) -> None:
        self.after.tables[0].unique = [Key(name="customer_name", columns=("name",))]
        [step] = self.change().steps
        self.assertIn("GROUP BY name HAVING COUNT(*) > 1", step.check)
        self.after = simple()
        self.after.tables[0].foreign_keys = [
            ForeignKey(name="f", columns=("id",), ref_schema="s", ref_table="bill", ref_columns=("id",))
        ]
        [step] = self.change().steps
        self.assertIn("NOT EXISTS (SELECT 1 FROM s.bill p WHERE p.id = c.id)", step.check)

    def test_a_place_to_fill_in_is_filled_with_one_value_and_nothing_else(self) -> None:
        self.after.tables[0].columns.append(Column("kind", 4, "char(1)", False))
        change = self.change()
        whole = filled(change, 2, "CASE WHEN id > 5 THEN 'a' ELSE lower(name) END", "postgres")
        self.assertEqual(
            [step.statements[0].text for step in whole.steps][1:],
            [
                "UPDATE s.customer SET kind = CASE WHEN id > 5 THEN 'a' ELSE lower(name) END",
                "ALTER TABLE s.customer ALTER COLUMN kind SET NOT NULL",
            ],
        )
        self.assertEqual([(step.fill, step.check) for step in whole.steps], [("", "")] * 3)
        self.assertNotEqual(whole.checksum(), change.checksum())
        for wrong in (
            "",
            "1, 2",
            "1; drop table x",
            "x -- y",
            "x from t",
            "1 union select 2",
            "*",
            "'open",
            "1 limit 1",
        ):
            with self.subTest(wrong), self.assertRaises(FillError):
                filled(change, 2, wrong, "postgres")
        for number in (0, 1, 9):
            with self.assertRaisesRegex(FillError, "nothing to fill in"):
                filled(change, number, "1", "postgres")

    def test_for_large_tables_no_step_holds_a_lock_for_long(self) -> None:
        customer, bill = self.after.tables[:2]
        customer.unique = [Key(name="customer_name", columns=("name",))]
        customer.columns[1].nullable = False
        bill.indexes = [Index(name="bill_by_id", parts=(IndexPart("id"),))]
        bill.foreign_keys.append(
            ForeignKey(name="twice", columns=("id",), ref_schema="s", ref_table="customer", ref_columns=("id",))
        )
        change = self.change(Options(allow_drops=True, online=True))
        words = [one.text for one in change.statements]
        for wanted in (
            "DROP INDEX CONCURRENTLY s.bill_by_customer",
            "CREATE INDEX CONCURRENTLY bill_by_id ON s.bill (id)",
            "CREATE UNIQUE INDEX CONCURRENTLY customer_name ON s.customer (name)",
            "ALTER TABLE s.customer ADD CONSTRAINT customer_name UNIQUE USING INDEX customer_name",
            "ALTER TABLE s.bill ADD CONSTRAINT twice FOREIGN KEY (id) REFERENCES s.customer (id) NOT VALID",
            "ALTER TABLE s.bill VALIDATE CONSTRAINT twice",
            'ALTER TABLE s.customer ADD CONSTRAINT "name_is_never_empty" CHECK (name IS NOT NULL) NOT VALID',
            'ALTER TABLE s.customer DROP CONSTRAINT "name_is_never_empty"',
        ):
            self.assertIn(wanted, words)
        self.assertEqual((change.transactional, change.begin), (False, []))

    def test_what_is_made_is_worded_by_templates_and_what_changes_is_not(self) -> None:
        self.after.tables[1].indexes.append(Index(name="bill_by_id", parts=(IndexPart("id"),)))
        self.after.tables[0].columns.append(Column("kind", 4, "text"))
        sources = {"index": "{{ statement }} TABLESPACE fast", "table": "never used", "header": "-- by {{ person }}"}
        made = worded_change(self.change(), sources, Facts(person="Ines"), render)
        words = [one.text for one in made.statements]
        self.assertEqual(
            words,
            ["ALTER TABLE s.customer ADD COLUMN kind text", "CREATE INDEX bill_by_id ON s.bill (id) TABLESPACE fast"],
        )
        self.assertIn("-- by Ines\n", made.text())

    def test_the_risk_of_each_difference_is_the_greatest_of_its_steps(self) -> None:
        del self.after.tables[0].columns[2]
        self.after.tables[1].indexes = []
        risks = risks_of_differences(compare(self.before, self.after), "postgresql")
        self.assertEqual(sorted(risks.values()), ["loses data", "safe"])
        self.assertEqual(risks_of_differences(compare(self.before, self.after), "elsewhere"), {})

    def test_a_table_goes_first_whose_names_a_new_one_takes_and_after_those_that_refer_to_it(self) -> None:
        client = copy.deepcopy(self.before.tables[0])
        client.name, client.columns = "client", [Column("number", 1, "integer", False)]
        client.primary_key = Key(name="customer_pk", columns=("number",))
        self.after.tables = [client]
        words = self.words()
        self.assertLess(
            words.index("DROP TABLE s.customer"), next(at for at, one in enumerate(words) if "CREATE TABLE" in one)
        )
        for model in (self.before, self.after):
            model.platform, model.tables = "duckdb", [one for one in model.tables if one.kind == "table"]
        self.before.tables.sort(key=lambda table: table.name)
        words = [one.text for one in write_change(self.before, self.after, "duckdb", ALL).statements]
        self.assertEqual(words[:2], ["DROP TABLE s.bill", "DROP TABLE s.customer"])
        self.after.tables = [copy.deepcopy(self.before.tables[1])]
        self.after.tables[0].columns[1].type = "varchar(9)"
        words = [one.text for one in write_change(self.before, self.after, "duckdb", ALL).statements]
        self.assertLess(words.index("DROP TABLE s.bill"), words.index("DROP TABLE s.customer"))

    def test_comments_are_said_otherwise_and_forgotten_in_the_platforms_words(self) -> None:
        for model, comments in ((self.before, ("old", "gone", "kept")), (self.after, ("new", "", "kept"))):
            model.tables[0].comment = comments[0]
            model.tables[0].columns[1].comment, model.tables[0].columns[2].comment = comments[1:]
            model.tables[1].columns[1].comment = comments[0] if model is self.after else ""
        self.after.tables[0].columns.append(Column("kind", 4, "integer", comment="came"))
        for platform, wanted in {
            "postgresql": [
                "TABLE s.customer IS 'new'", "COLUMN s.customer.name IS NULL", "COLUMN s.customer.kind IS 'came'",
                "COLUMN s.bill.customer_id IS 'new'",
            ],
            "oracle": [
                "TABLE s.customer IS 'new'", "COLUMN s.customer.name IS ''", "COLUMN s.customer.kind IS 'came'",
                "COLUMN s.bill.customer_id IS 'new'",
            ],
            "sqlserver": ["sp_updateextendedproperty", "sp_dropextendedproperty", "sp_addextendedproperty", "sp_addextendedproperty"],
            "bigquery": [
                "s.customer SET OPTIONS (description='new')", "ALTER COLUMN name SET OPTIONS (description=NULL)",
                "ALTER COLUMN customer_id SET OPTIONS (description='new')",
            ],
        }.items():  # fmt: skip
            with self.subTest(platform):
                for model in (self.before, self.after):
                    model.platform, model.tables = platform, model.tables[:2]
                change = write_change(self.before, self.after, platform, ALL)
                words = [one.text for one in change.statements if one.kind == "comment"]
                self.assertEqual(len(words), len(wanted), words)
                for one, part in zip(words, wanted, strict=True):
                    self.assertIn(part, one.replace('"', ""))

    def test_what_was_changed_is_taken_back(self) -> None:
        draw = random.Random(3)
        self.after.tables[0].columns.append(Column("kind", 4, draw.choice(["text", "date"])))
        self.after.tables[1].indexes = []
        comparison = compare(self.before, self.after)
        words = [one.text for one in revert_of(comparison, "postgresql").statements]
        self.assertEqual(
            words, ["ALTER TABLE s.customer DROP COLUMN kind", "CREATE INDEX bill_by_customer ON s.bill (customer_id)"]
        )
