"""What patterns take and leave."""

from __future__ import annotations

from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from indexa.core.compare.comparing import compare
from indexa.core.intake.choice import OBJECT_KINDS, Choice, patterns
from indexa.core.intake.narrowing import complete, narrow
from indexa.core.intake.receipt import counted
from indexa.core.model import Model, Table, file
from tests.core.strategies import models


class ChoiceTests(TestCase):
    cases = (
        (Choice(), "bill", "inv", True),
        (Choice(include=("inv*",)), "bill", "INV_LN", True),
        (Choice(include=("inv*",)), "bill", "acct", False),
        (Choice(include=("bill.*",)), "bill", "acct", True),
        (Choice(include=("bill.*",)), "cust", "acct", False),
        (Choice(include=("a*", "cust.?????"), exclude=("*_old",)), "cust", "acct_old", False),
        (Choice(exclude=("cust.*",)), "cust", "acct", False),
        (Choice(include=("a[b",)), "s", "a[b", True),
        (Choice(schemas=("bill",)), "cust", "acct", False),
        (Choice(schemas=("bill",)), "", "acct", True),
    )

    def test_names_are_taken_by_pattern_and_schema(self) -> None:
        for choice, schema, name, taken in self.cases:
            with self.subTest(choice=choice, name=f"{schema}.{name}"):
                self.assertEqual(choice.takes(Table(schema=schema, name=name)), taken)

    def test_what_people_type_is_taken_apart(self) -> None:
        self.assertEqual(patterns(" a*, b?\nc;a*  "), ("a*", "b?", "c"))


class NarrowingTests(TestCase):
    @settings(max_examples=60)
    @given(
        models(),
        st.frozensets(st.sampled_from(sorted(OBJECT_KINDS))),
        st.sampled_from(["", "a*", "*e*"]),
        st.booleans(),
    )
    def test_what_a_choice_leaves_out_comes_back_from_the_reading_before(
        self, whole: Model, kinds: frozenset[str], excluded: str, one_schema: bool
    ) -> None:
        schemas = tuple({table.schema for table in whole.tables})[:1] if one_schema else ()
        choice = Choice(schemas, kinds, exclude=patterns(excluded))
        narrower = file.read(file.write(whole))
        narrow(narrower, choice)
        complete(narrower, whole, choice)
        self.assertEqual(compare(whole, narrower).differences, [])


class CountedTests(TestCase):
    def test_a_kind_is_worded_as_it_stands_behind_its_number(self) -> None:
        for kind, single in {
            "tables": "table", "indexes": "index", "policies": "policy", "statements with data": "statement with data",
            "roles and users": "roles and users", "storage": "storage", "foreign keys": "foreign key",
        }.items():  # fmt: skip
            self.assertEqual((counted(kind, 1), counted(kind, 2), counted(kind, 0)), (single, kind, kind))
