"""What is left out of an edition is nowhere in it: keys, views and diagrams that would name it follow."""

from __future__ import annotations

from unittest import TestCase

from indexa.core.diagram.parts import Card, Drawing, Line, Row
from indexa.core.edition.parts import Picture
from indexa.core.edition.withholding import picture_within, tells_of, without
from indexa.core.model import Column, ForeignKey, Key, Model, Table


def made_table(number: int, name: str, *columns: str, **more: object) -> Table:
    """Return a table of the schema "s" whose columns have the ids c<number><place>."""
    own = [
        Column(name=one, position=place, type="text", id=f"c{number}{place}") for place, one in enumerate(columns, 1)
    ]
    return Table(schema="s", name=name, columns=own, id=f"t{number}", **more)  # type: ignore[arg-type]


class WithholdingTests(TestCase):
    def setUp(self) -> None:
        key = ForeignKey(name="fk", columns=("cust_no",), ref_schema="s", ref_table="cust", ref_columns=("no",))
        self.model = Model(name="shop", tables=[
            made_table(1, "cust", "no", "iban", primary_key=Key(name="pk", columns=("no",))),
            made_table(2, "inv", "no", "cust_no", foreign_keys=[key]),
            made_table(3, "accounts", "no", kind="view", definition_sql="select no, c.iban from s.cust c"),
        ])  # fmt: skip
        cards = [
            Card(
                key=("s", table.name), name=table.name, title=table.name, business_name="", kind="table",
                rows=[Row(one.name, one.name, "", one.type) for one in table.columns], hidden=0, described=0,
                width=1, height=1, head=1,
            )
            for table in self.model.tables
        ]  # fmt: skip
        line = Line("fk", ("s", "inv"), ("s", "cust"), ("cust_no",), ("no",))
        self.picture = Picture(0, Drawing(title="all", cards=cards, lines=[line]))

    def test_a_column_goes_from_views_and_cards(self) -> None:
        left = without(self.model, set(), {12})
        self.assertEqual([one.name for one in left.tables[0].columns], ["no"])
        self.assertEqual(left.tables[2].definition_sql, "")
        drawing = picture_within(self.picture, left, tells_of(())).drawing
        self.assertEqual([row.column for row in drawing.cards[0].rows], ["no"])
        self.assertEqual(len(drawing.lines), 1)

    def test_a_key_column_takes_the_relationship_with_it(self) -> None:
        left = without(self.model, set(), {11})
        self.assertIsNone(left.tables[0].primary_key)
        self.assertEqual(left.tables[1].foreign_keys, [])
        self.assertEqual(picture_within(self.picture, left, tells_of(())).drawing.lines, [])

    def test_a_table_goes_from_keys_views_and_diagrams(self) -> None:
        left = without(self.model, {1}, set())
        self.assertEqual([one.name for one in left.tables], ["inv", "accounts"])
        self.assertEqual((left.tables[0].foreign_keys, left.tables[1].definition_sql), ([], ""))
        drawing = picture_within(self.picture, left, tells_of(())).drawing
        self.assertEqual(([one.name for one in drawing.cards], drawing.lines), (["inv", "accounts"], []))
