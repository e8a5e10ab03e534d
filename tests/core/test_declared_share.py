"""What a schema declares by itself counts against what it does not."""

from __future__ import annotations

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from indexa.core.infer.declared import undeclared_share, with_odds
from indexa.core.infer.proposing import propose
from indexa.core.model import Column, ForeignKey, Key, Model, Table

_CONFIDENCES = st.lists(st.floats(0.01, 0.99), max_size=40)


def table(name: str, *columns: str, refers: dict[str, str] | None = None, key: str = "") -> Table:
    made = Table(
        schema="s",
        name=name,
        columns=[
            Column(name=one, position=place, type="bigint", nullable=False) for place, one in enumerate(columns, 1)
        ],
    )
    made.primary_key = Key(name=f"{name}_pk", columns=(key or columns[0],))
    made.foreign_keys = [
        ForeignKey(name=f"{name}_{column}", columns=(column,), ref_schema="s", ref_table=other, ref_columns=("id",))
        for column, other in (refers or {}).items()
    ]
    return made


class ShareTests(SimpleTestCase):
    @given(st.integers(0, 500), _CONFIDENCES)
    def test_the_more_is_declared_the_less_is_missing(self, declared: int, confidences: list[float]) -> None:
        share = undeclared_share(declared, confidences)
        self.assertTrue(0 < share <= 1)
        self.assertLessEqual(undeclared_share(declared + 10, confidences), share + 1e-6)
        self.assertTrue(all(with_odds(one, share) <= one + 1e-9 for one in confidences))

    def test_nothing_declared_leaves_everything_as_it_was(self) -> None:
        self.assertEqual(undeclared_share(0, [0.4, 0.9]), 1.0)
        self.assertAlmostEqual(with_odds(0.9, 1.0), 0.9)


class SchemaTests(SimpleTestCase):
    def schema(self, *, declares: bool) -> Model:
        tables = [table("customer", "id", "public_id"), table("status", "id", "public_id")]
        tables += [
            table(
                f"thing{number}",
                "id",
                "public_id",
                "customer_id",
                refers={"customer_id": "customer"} if declares else None,
            )
            for number in range(14)
        ]
        tables.append(table("note", "id", "customer"))
        tables.append(table("directory", "public_id"))
        return Model(name="m", platform="postgresql", tables=tables)

    def confidence(self, model: Model, name: str, column: str) -> float:
        found = [
            one
            for one in propose(model)
            if one.table == name and one.columns == (column,) and one.kind == "foreign_key"
        ]
        return max((one.confidence for one in found), default=0.0)

    def test_a_reference_that_alone_is_not_declared_is_less_sure(self) -> None:
        among_hidden = self.confidence(self.schema(declares=False), "note", "customer")
        among_declared = self.confidence(self.schema(declares=True), "note", "customer")
        self.assertLess(among_declared, among_hidden)
        self.assertGreater(among_declared, 0.3)

    def test_an_identifier_that_most_tables_have_refers_to_none(self) -> None:
        self.assertLessEqual(self.confidence(self.schema(declares=True), "customer", "public_id"), 0.5)
