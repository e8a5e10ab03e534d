"""Choices of deriving: lists of values, numbers and subtypes as each platform can hold them, read back from its script."""

from __future__ import annotations

import copy
from unittest import TestCase

from indexa.core.compare.comparing import compare
from indexa.core.ddl.targets import TARGETS
from indexa.core.ddl.writing import write_ddl
from indexa.core.logical.options import DeriveOptions
from indexa.core.logical.physical import Derived, derive_physical
from indexa.core.model import Column, Domain, Enum, ForeignKey, Key, Model, Table
from indexa.core.naming.patterns import render
from indexa.core.naming.standard import DEFAULT
from tests.core.test_ddl import read_back


def logical() -> Model:
    """A party with two subtypes, one of them with a list of values and a domain, and a complaint about one."""
    party = Table(
        name="Party", columns=[Column("Party Number", 1, "integer", False), Column("Name", 2, "varchar(80)", False)],
        primary_key=Key(name="", columns=("Party Number",)),
    )  # fmt: skip

    def subtype(name: str, *columns: Column) -> Table:
        return Table(
            name=name, columns=[Column("Party Number", 1, "integer", False), *columns], table_role="subtype",
            primary_key=Key(name="", columns=("Party Number",)),
            foreign_keys=[ForeignKey(name="", columns=("Party Number",), ref_schema="", ref_table="Party", ref_columns=("Party Number",))],
        )  # fmt: skip

    person = subtype("Person", Column("Mood", 2, "mood", False), Column("Debt", 3, "amount"))
    company = subtype("Company", Column("Legal Form", 2, "varchar(20)", False))
    complaint = Table(
        name="Complaint", columns=[Column("Complaint Number", 1, "integer", False), Column("Party Number", 2, "integer", False)],
        primary_key=Key(name="", columns=("Complaint Number",)),
        foreign_keys=[ForeignKey(name="", columns=("Party Number",), ref_schema="", ref_table="Person", ref_columns=("Party Number",))],
    )  # fmt: skip
    return Model(
        name="care", layer="logical", tables=[party, person, company, complaint],
        enums=[Enum(name="mood", schema="", values=("calm", "can't say"))], domains=[Domain(name="amount", schema="", type="decimal(12, 2)")],
    )  # fmt: skip


def derived(platform: str, **options: str) -> Derived:
    return derive_physical(
        copy.deepcopy(logical()), platform, DEFAULT, name="care", schema="care", renderer=render, options=DeriveOptions(**options)
    )  # fmt: skip


def table(model: Model, name: str) -> Table:
    return next(one for one in model.tables if one.name.lower() == name)


class DerivingTests(TestCase):
    def test_lists_of_values_are_types_texts_with_a_check_or_tables(self) -> None:
        model = derived("postgresql").model
        self.assertEqual(table(model, "person").columns[1].type, "care.mood")
        self.assertEqual(model.enums[0].values, ("calm", "can't say"))
        self.assertEqual(table(derived("mysql").model, "person").columns[1].type, "enum('calm','can''t say')")
        for platform in ("oracle", "sqlserver", "sqlite"):
            person = table(derived(platform).model, "person")
            self.assertIn("'can''t say'", person.checks[0].expression)
        model = derived("postgresql", enums="lookup").model
        codes = table(model, "mood")
        self.assertEqual(codes.primary_key and codes.primary_key.columns, ("mood_code",))
        self.assertIn("mood", [key.ref_table for key in table(model, "person").foreign_keys])

    def test_domains_stay_where_the_platform_has_them(self) -> None:
        self.assertEqual(table(derived("postgresql").model, "person").columns[2].type, "care.amount")
        self.assertEqual(table(derived("mysql").model, "person").columns[2].type, "decimal(12,2)")

    def test_numbers_come_from_the_column_or_a_sequence(self) -> None:
        self.assertTrue(table(derived("postgresql", numbering="identity").model, "party").columns[0].identity)
        self.assertFalse(table(derived("postgresql", numbering="identity").model, "person").columns[0].identity)
        model = derived("oracle", numbering="sequence").model
        self.assertEqual(table(model, "party").columns[0].default, "CARE.SQ_PARTY_PARTY_NUMBER.NEXTVAL")
        self.assertEqual(len(model.sequences), 2)
        made = derived("mysql", numbering="sequence")
        self.assertTrue(any("counts by no sequence" in note for note in made.notes))

    def test_subtypes_are_put_into_one_table_or_rolled_down(self) -> None:
        model = derived("postgresql", subtypes="one").model
        self.assertEqual({one.name for one in model.tables}, {"party", "complaint"})
        party = table(model, "party")
        self.assertEqual([c.name for c in party.columns][2:], ["party_type", "mood", "debt", "legal_form"])
        self.assertTrue(all(c.nullable for c in party.columns[2:]))
        self.assertEqual(table(model, "complaint").foreign_keys[0].ref_table, "party")
        made = derived("postgresql", subtypes="each")
        self.assertEqual({one.name for one in made.model.tables}, {"person", "company", "complaint"})
        self.assertIn("name", [c.name for c in table(made.model, "company").columns])
        self.assertEqual(table(made.model, "complaint").foreign_keys[0].ref_table, "person")

    def test_every_choice_on_every_platform_gives_a_script_that_is_read_back(self) -> None:
        for platform in TARGETS:
            for subtypes in ("own", "one", "each"):
                for enums, numbering in (("platform", "identity"), ("lookup", "sequence"), ("check", "model")):
                    with self.subTest(platform, subtypes=subtypes, enums=enums):
                        model = derived(platform, subtypes=subtypes, enums=enums, numbering=numbering).model
                        back = read_back(write_ddl(model, platform).text(), platform)
                        told = {(one.name, tuple(c.name for c in one.columns)) for one in model.tables}
                        self.assertEqual({(one.name, tuple(c.name for c in one.columns)) for one in back.tables}, told)

    def test_what_is_built_from_a_derived_model_and_read_again_differs_in_nothing(self) -> None:
        for platform in TARGETS:
            for schema in ("care", ""):
                with self.subTest(platform, schema=schema):
                    model = derive_physical(
                        copy.deepcopy(logical()), platform, DEFAULT, name="care", schema=schema, renderer=render
                    ).model
                    script = write_ddl(model, platform)
                    back = read_back(script.text(), platform)
                    told = {one.object for one in script.remarks}
                    left = [one for one in compare(model, back).differences if one.full_table not in told]
                    self.assertEqual([(one.id, one.before, one.after) for one in left], [], script.text())
