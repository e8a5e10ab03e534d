"""What patterns take and leave."""

from __future__ import annotations

from unittest import TestCase

from indexa.core.intake.choice import Choice, patterns
from indexa.core.model import Table


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
