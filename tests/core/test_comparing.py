"""Comparing two states, and the state that decisions make: by example and by property."""

from __future__ import annotations

import random
from typing import Any
from unittest import TestCase

import msgspec
from hypothesis import given, settings
from hypothesis import strategies as st

from indexa.core.compare.applying import apply
from indexa.core.compare.comparing import compare
from indexa.core.compare.differences import Difference, with_required, without_dependent
from indexa.core.compare.matching import KnownRenames
from indexa.core.compare.words import words_that_differ
from indexa.core.model import Column, ForeignKey, Index, IndexPart, Key, Model, Partition, Sequence, Table
from tests.core.strategies import models


def column(name: str, position: int, type_: str = "bigint", **facts: Any) -> Column:
    return Column(name, position, type_, **facts)


def billing() -> Model:
    account = Table(
        schema="crm", name="acct", comment="Accounts", origin="1",
        columns=[
            column("acct_id", 1, origin="1.1", nullable=False), column("acct_no", 2, "varchar(12)", origin="1.2"),
            column("opn_dt", 3, "date", origin="1.3", comment="Opened on"), column("sts_cd", 4, "char(1)", origin="1.4"),
        ],
        primary_key=Key(name="acct_pkey", columns=("acct_id",)),
        indexes=[Index(name="ix_no", parts=(IndexPart("acct_no"),))],
    )  # fmt: skip
    invoice = Table(
        schema="bill", name="inv", origin="2",
        columns=[column("inv_id", 1, origin="2.1"), column("acct_id", 2, origin="2.2"), column("amt", 3, "numeric(9,2)", origin="2.3")],
        primary_key=Key(name="inv_pkey", columns=("inv_id",)),
        foreign_keys=[ForeignKey(name="inv_acct", columns=("acct_id",), ref_schema="crm", ref_table="acct", ref_columns=("acct_id",))],
    )  # fmt: skip
    sequence = Sequence(
        schema="bill",
        name="inv_seq",
        type="bigint",
        start=1,
        increment=1,
        minimum=1,
        maximum=9,
        owned_by="bill.inv.inv_id",
    )
    return Model(name="billing", tables=[account, invoice], sequences=[sequence])


def told(differences: list[Difference]) -> set[tuple[str, str, str]]:
    return {(one.kind, one.what, f"{one.name}.{one.field}" if one.field else one.name) for one in differences}


class CompareTests(TestCase):
    def setUp(self) -> None:
        self.before, self.after = billing(), billing()
        self.account, self.invoice = self.after.tables

    def differences(self) -> list[Difference]:
        return compare(self.before, self.after).differences

    def test_the_same_differs_in_nothing_even_if_its_handles_do(self) -> None:
        self.assertEqual(self.differences(), [])
        self.account.origin = "77"
        for one in self.account.columns:
            one.origin = f"77{one.origin}"
        self.assertEqual(self.differences(), [])

    def test_each_kind_of_change_is_told_once(self) -> None:
        self.account.columns[1].type = "varchar(20)"
        self.account.columns[3].nullable = False
        del self.account.columns[2]
        self.account.columns.append(column("eml", 4, "text"))
        self.invoice.foreign_keys[0].on_delete = "cascade"
        self.after.tables.append(Table(schema="bill", name="pmt", columns=[column("pmt_id", 1)]))
        self.assertEqual(
            told(self.differences()),
            {
                ("changed", "column", "acct_no.type"), ("changed", "column", "sts_cd.nullable"), ("gone", "column", "opn_dt"),
                ("new", "column", "eml"), ("changed", "foreign key", "inv_acct"), ("new", "table", "pmt"),
            },
        )  # fmt: skip

    def test_a_rename_is_one_difference_and_not_one_of_all_that_mention_the_name(self) -> None:
        self.account.name, self.account.columns[0].name = "account", "account_id"
        self.account.primary_key = Key(name="acct_pkey", columns=("account_id",))
        self.invoice.foreign_keys[0].ref_table, self.invoice.foreign_keys[0].ref_columns = "account", ("account_id",)
        found = self.differences()
        self.assertEqual(told(found), {("renamed", "table", "acct"), ("renamed", "column", "acct_id")})
        self.assertIn("the database knows it by the same handle", found[0].evidence)

    def test_a_rename_is_found_without_handles(self) -> None:
        for model in (self.before, self.after):
            for table in model.tables:
                table.origin = ""
                for one in table.columns:
                    one.origin = ""
        self.account.name = "account"
        self.account.columns[2].name = "open_date"
        self.assertEqual(
            told(self.differences()) - {("changed", "foreign key", "inv_acct")},
            {("renamed", "table", "acct"), ("renamed", "column", "opn_dt")},
        )

    def test_a_move_to_another_schema(self) -> None:
        self.invoice.schema, self.invoice.origin = "ledger", ""
        self.after.sequences[0].owned_by = "ledger.inv.inv_id"
        self.assertEqual(told(self.differences()), {("moved", "table", "inv")})

    def test_a_table_that_became_a_partition_is_its_parent_and_one_that_was_split_says_so(self) -> None:
        parts = [msgspec.structs.replace(self.invoice, name=f"inv_{year}", origin=str(year)) for year in (2025, 2026)]
        self.before.tables = self.before.tables[:1] + parts
        self.invoice.partitions = [Partition("bill", one.name, "by year") for one in parts]
        moved = {one.name: one for one in self.differences() if one.kind in ("renamed", "gone")}
        self.assertEqual({name: one.kind for name, one in moved.items()}, {"inv_2025": "renamed", "inv_2026": "gone"})
        self.assertIn("it is a partition of that table now", moved["inv_2025"].evidence)

        self.before, self.after = billing(), billing()
        self.after.tables = self.after.tables[:1] + parts
        (renamed,) = [one for one in self.differences() if one.kind == "renamed"]
        self.assertIn(
            "2 new tables have just its columns and its name in theirs: it may have been split", renamed.evidence
        )

    def test_a_rename_that_is_none_is_gone_and_new(self) -> None:
        self.account.columns[2].name = "clos_dt"
        (renamed,) = self.differences()
        again = compare(self.before, self.after, {renamed.id})
        self.assertEqual(told(again.differences), {("gone", "column", "opn_dt"), ("new", "column", "clos_dt")})
        self.assertEqual(
            apply(again, {one.id for one in again.differences}).columns["crm", "acct"].get("clos_dt"), None
        )

    def test_a_column_whose_words_were_shortened_in_place_is_the_same(self) -> None:
        for table in (*self.before.tables, *self.after.tables):
            for one in table.columns:
                one.origin = ""
        self.before.tables[0].columns[1].name, self.account.columns[1].name = "registration_identifier", "rg_id"
        self.before.tables[0].indexes, self.account.indexes = [], []
        (renamed,) = self.differences()
        self.assertEqual((renamed.kind, renamed.after), ("renamed", "rg_id"))
        self.assertIn("one name is the other with words shortened", renamed.evidence)
        self.account.columns[1].name = "supplier_zone_rate"
        self.assertEqual({one.kind for one in self.differences()}, {"gone", "new"})

    def test_what_a_person_paired_is_a_rename(self) -> None:
        for table in self.after.tables:
            table.origin = ""
            for one in table.columns:
                one.origin = ""
        self.account.columns[1].name, self.account.columns[1].type = "ref", "uuid"
        self.account.indexes = []
        self.invoice.name = "zz"
        self.invoice.columns = [column("whole", 1), column("other", 2)]
        self.invoice.primary_key, self.invoice.foreign_keys = None, []
        self.assertFalse([one for one in self.differences() if one.kind == "renamed"])
        paired = KnownRenames([(("bill", "inv"), ("bill", "zz"))], [(("crm", "acct"), "acct_no", "ref")])
        found = compare(self.before, self.after, paired=paired)
        renamed = {(one.what, one.name, one.after) for one in found.differences if one.kind == "renamed"}
        self.assertEqual(renamed, {("table", "inv", "bill.zz"), ("column", "acct_no", "ref")})
        apart = KnownRenames([(("bill", "gone"), ("bill", "zz"))], [(("crm", "acct"), "acct_id", "nothing")])
        self.assertEqual(compare(self.before, self.after, paired=apart).differences, self.differences())

    def test_a_key_takes_its_new_column_along_and_a_gone_column_its_index(self) -> None:
        self.account.columns.append(column("eml", 5, "text"))
        self.account.unique.append(Key(name="one_eml", columns=("eml",)))
        del self.account.columns[1]
        self.account.indexes = []
        found = self.differences()
        by_name = {(one.what, one.name): one for one in found}
        key, new = by_name["unique key", "one_eml"].id, by_name["column", "eml"].id
        self.assertEqual(with_required(found, {key}), {key, new})
        self.assertEqual(without_dependent(found, {new}), {key, new})
        self.assertEqual(by_name["column", "acct_no"].requires, (by_name["index", "ix_no"].id,))

    def test_a_gone_column_takes_the_relationships_of_other_tables_along_and_a_new_one_brings_its_column(self) -> None:
        self.account.columns[0] = column("uid", 1, "uuid", origin="1.9", nullable=False)
        self.account.primary_key = Key(name="acct_pkey", columns=("uid",))
        self.invoice.columns.append(column("acct_uid", 4, "uuid"))
        self.invoice.foreign_keys = [
            ForeignKey(name="inv_uid", columns=("acct_uid",), ref_schema="crm", ref_table="acct", ref_columns=("uid",))
        ]
        by_name = {(one.what, one.name): one for one in self.differences()}
        self.assertIn(by_name["foreign key", "inv_acct"].id, by_name["column", "acct_id"].requires)
        needed = {by_name["column", "acct_uid"].id, by_name["column", "uid"].id}
        self.assertEqual(set(by_name["foreign key", "inv_uid"].requires), needed)


def mutated(model: Model, draw: random.Random) -> Model:
    """Return a later state: some of everything that happens to a database between two readings."""
    after = msgspec.convert(msgspec.to_builtins(model), Model)
    for table in list(after.tables):
        was = (table.schema, table.name)
        act = draw.randrange(9)
        if act == 0 and len(after.tables) > 1:
            after.tables.remove(table)
            continue
        if act == 1:
            table.name = f"{table.name}{draw.choice(['_x', '2'])}"
        elif act == 2:
            table.schema = "c"
        elif act == 3:
            table.comment += "!"
        elif act == 4:
            table.unique = table.unique[1:]
        elif act == 5:
            table.columns.append(Column(f"n{draw.randrange(3)}~", len(table.columns) + 1, "text"))
            table.unique.append(Key(name="fresh", columns=(table.columns[-1].name,)))
        for one in table.columns:
            if draw.random() < 0.2:
                one.type = draw.choice(["bigint", "text", "date"])
            if draw.random() < 0.1:
                one.comment += "?"
        if draw.random() < 0.3:
            old, new = table.columns[0].name, f"{table.columns[0].name}_r"
            _rename(table, old, new)
            for other in after.tables:
                for key in other.foreign_keys:
                    if (key.ref_schema, key.ref_table) == was:
                        key.ref_columns = tuple(new if name == old else name for name in key.ref_columns)
        for other in after.tables:
            for key in other.foreign_keys:
                if (key.ref_schema, key.ref_table) == was:
                    key.ref_schema, key.ref_table = table.schema, table.name
        if draw.random() < 0.2 and len(table.columns) > 1:
            dropped = table.columns[-1].name
            _drop(table, dropped)
            for other in after.tables:
                other.foreign_keys = [
                    key for key in other.foreign_keys
                    if (key.ref_schema, key.ref_table) != (table.schema, table.name) or dropped not in key.ref_columns
                ]  # fmt: skip
        if draw.random() < 0.2:
            draw.shuffle(table.columns)
            for place, one in enumerate(table.columns, 1):
                one.position = place
    if draw.random() < 0.5:
        after.tables.append(Table(schema="c", name="fresh table", columns=[Column("a~", 1, "text")]))
    names = {(table.schema, table.name) for table in after.tables}
    after.tables = [
        table
        for number, table in enumerate(after.tables)
        if (table.schema, table.name) in names
        and (table.schema, table.name) not in {(t.schema, t.name) for t in after.tables[:number]}
    ]
    return after


def _rename(table: Table, old: str, new: str) -> None:
    def told(names: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(new if name == old else name for name in names)

    table.columns[0].name = new
    for key in [*table.unique, *table.foreign_keys, *([table.primary_key] if table.primary_key else [])]:
        key.columns = told(key.columns)
    for index in table.indexes:
        for part in index.parts:
            part.column = new if part.column == old else part.column


def _drop(table: Table, name: str) -> None:
    table.columns = [one for one in table.columns if one.name != name]
    table.unique = [key for key in table.unique if name not in key.columns]
    table.foreign_keys = [key for key in table.foreign_keys if name not in key.columns]
    table.indexes = [index for index in table.indexes if all(part.column != name for part in index.parts)]
    if table.primary_key and name in table.primary_key.columns:
        table.primary_key = None


def as_set(model: Model) -> dict[tuple[str, str], bytes]:
    """Return a model's tables without handles, parts in an order of their own."""
    found = {}
    for table in model.tables:
        plain: dict[str, Any] = msgspec.to_builtins(table)
        for own in ("origin", "definition", "business_name"):
            plain.pop(own, None)
        plain.setdefault("kind", "table")
        for one in plain["columns"]:
            for own in ("origin", "definition", "business_name"):
                one.pop(own, None)
        for member in ("unique", "foreign_keys", "checks", "indexes", "exclusions", "triggers"):
            if member in plain:
                plain[member] = sorted(plain[member], key=lambda one: msgspec.json.encode(one, order="sorted"))
        found[table.schema, table.name] = msgspec.json.encode(plain, order="sorted")
    return found


class ApplyProperties(TestCase):
    @given(models(), st.integers(0, 1_000_000))
    @settings(max_examples=150)
    def test_all_is_the_later_state_none_the_earlier_and_some_just_those(self, before: Model, seed: int) -> None:
        draw = random.Random(seed)
        after = mutated(before, draw)
        comparison = compare(before, after)
        ids = {one.id for one in comparison.differences}
        self.assertEqual(len(ids), len(comparison.differences))
        self.assertEqual(as_set(apply(comparison, ids).model), as_set(after))
        self.assertEqual(as_set(apply(comparison, set()).model), as_set(before))
        taken = with_required(comparison.differences, {id_ for id_ in sorted(ids) if draw.random() < 0.5})
        applied = apply(comparison, taken)
        for table in applied.model.tables:
            names = {one.name for one in table.columns}
            self.assertEqual([one.position for one in table.columns], list(range(1, len(names) + 1)))
            for key in [*table.unique, *table.foreign_keys, *([table.primary_key] if table.primary_key else [])]:
                self.assertLessEqual(set(key.columns), names)
        rest = compare(applied.model, after)
        done = apply(rest, {one.id for one in rest.differences})
        self.assertEqual(as_set(done.model), as_set(after))
        self.assertLessEqual(set(applied.tables.values()), {(t.schema, t.name) for t in before.tables})


class WordsTests(TestCase):
    def test_only_the_words_that_differ_are_marked(self) -> None:
        runs = words_that_differ("select a, b from t where a > 1", "select a, c from t where a > 10")
        self.assertEqual(
            [(run.kind, run.text) for run in runs if run.kind != "same"],
            [("gone", "b"), ("new", "c"), ("gone", "1"), ("new", "10")],
        )

    @given(st.text("ab ,.", max_size=30), st.text("ab ,.", max_size=30))
    def test_both_texts_are_whole_in_the_runs(self, before: str, after: str) -> None:
        runs = words_that_differ(before, after)
        self.assertEqual("".join(run.text for run in runs if run.kind != "new"), before)
        self.assertEqual("".join(run.text for run in runs if run.kind != "gone"), after)
