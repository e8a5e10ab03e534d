"""What is left out of an edition is nowhere in it: keys, views and diagrams that would name it follow."""

from __future__ import annotations

import re
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from indexa.core.diagram.parts import Card, Drawing, Line, Row
from indexa.core.edition.finding import finder, words_of
from indexa.core.edition.mentions import left_out_of, mentions
from indexa.core.edition.parts import Contents, Frozen, Picture, Section, Term
from indexa.core.edition.withholding import picture_within, tells_of, without
from indexa.core.model import Column, ForeignKey, Key, Model, Routine, Sequence, Table, Trigger


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

    def test_sequences_routines_and_triggers_follow(self) -> None:
        def routine(name: str, body: str) -> Routine:
            return Routine(
                name=name, schema="s", kind="function", arguments="", returns="int", language="sql", definition=body
            )

        numbers = {"schema": "s", "type": "bigint", "start": 1, "increment": 1, "minimum": 1, "maximum": 9}
        self.model.sequences = [
            Sequence(name="own", owned_by="s.cust.iban", **numbers), Sequence(name="free", **numbers)
        ]  # type: ignore[arg-type]  # fmt: skip
        self.model.routines = [routine("f", "select iban from s.cust"), routine("g", "select no from s.cust")]
        self.model.tables[1].triggers = [
            Trigger(name="copies", definition="update s.cust set IBAN = ''"), Trigger(name="counts", definition="call g()")
        ]  # fmt: skip
        left = without(self.model, set(), {12})
        self.assertEqual([one.name for one in left.sequences], ["free"])
        self.assertEqual([one.definition for one in left.routines], ["", "select no from s.cust"])
        self.assertEqual([one.name for one in left.tables[1].triggers], ["counts"])


class MentionTests(TestCase):
    """What people wrote is not changed, but told to those who sign it."""

    def setUp(self) -> None:
        self.model = Model(name="shop", tables=[
            made_table(1, "cust", "no", "acct_no", "note"), made_table(2, "inv", "no", "amount", "note")
        ])  # fmt: skip
        self.model.tables[0].columns[1].business_name = "Bank Account"
        self.model.tables[0].columns[2].business_name = "Note"

    def found(self, text: str, **more: object) -> list[tuple[str, str, tuple[str, ...]]]:
        """Return what is found where the definition of s.inv.amount is a text, without the last two columns of s.cust."""
        self.model.tables[1].columns[1].definition = text
        left = without(self.model, set(), {12, 13})
        frozen = Frozen(area="a", title="t", note="", contents=Contents(), models=[left], **more)  # type: ignore[arg-type]
        gone = left_out_of(self.model, left).values()
        return [(one.place, one.text, one.names) for one in mentions(frozen, gone)]

    def test_a_machine_name_a_path_or_a_business_name_is_found(self) -> None:
        for text in ("Taken from ACCT_NO.", "see `cust.acct_no`", "by the bank\naccount of the payer"):
            with self.subTest(text):
                self.assertEqual(self.found(text), [("s.inv.amount", "definition", ("s.cust.acct_no",))])

    def test_a_word_of_prose_or_a_name_that_something_else_has_is_not(self) -> None:
        self.assertEqual(self.found("A note on the account; inv.note, s.inv.note."), [])
        self.assertEqual(self.found("See cust.note."), [("s.inv.amount", "definition", ("s.cust.note",))])
        self.model.tables[1].columns[2].business_name = "bank account"
        self.assertEqual(self.found("The bank account."), [])

    def test_a_text_that_several_have_is_told_once(self) -> None:
        self.model.tables[1].columns[2].definition = "Taken from acct_no."
        self.found("Taken from acct_no.")
        left = without(self.model, set(), {12, 13})
        frozen = Frozen(area="a", title="t", note="", contents=Contents(), models=[left])
        [found] = mentions(frozen, left_out_of(self.model, left).values())
        self.assertEqual((found.place, found.more, found.table, found.column), ("s.inv.amount", 1, 2, 22))

    def test_all_texts_are_looked_at_and_comments_only_where_they_are_told(self) -> None:
        self.model.tables[1].comment = "acct_no"
        found = self.found(
            "", terms=[Term("Payer", "has an acct_no")], sections=[Section("Read", "acct_no")], said={"t2": {"Source": "acct_no"}}
        )  # fmt: skip
        self.assertEqual(
            [one[:2] for one in found],
            [("Read", "own text"), ("s.inv", "comment"), ("s.inv", "Source"), ("Term Payer", "definition")],
        )
        left = without(self.model, set(), {12})
        silent = Frozen(area="a", title="t", note="", contents=Contents(comments=False), models=[left])
        self.assertEqual(mentions(silent, left_out_of(self.model, left).values()), [])

    @given(
        st.lists(st.from_regex(r"[a-c_]{1,3}( [a-c_]{1,3})?", fullmatch=True), max_size=4),
        st.text("abcA_ .,\n", max_size=30),
    )
    def test_it_finds_what_an_expression_would(self, names: list[str], text: str) -> None:
        found = finder((name, name) for name in names)(text)
        for name in names:
            pattern = r"\W+".join(map(re.escape, words_of(name)))
            there = re.search(rf"(?<!\w){pattern}(?!\w)", text, re.IGNORECASE) is not None
            self.assertEqual(name in {*found, *(one for one in names if words_of(one) in map(words_of, found))}, there)
