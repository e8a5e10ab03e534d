"""Other names for the parts of a model: what follows them, what is refused, undoing, and reading the source again."""

from __future__ import annotations

from django.test import TestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase as PropertyCase

from indexa.areas.models import Area, Person
from indexa.changes import undoing
from indexa.changes.errors import ConflictsError
from indexa.core.model import Check, Column, Index, IndexPart, Model, Sequence
from indexa.core.model.renaming import renamed_in
from indexa.modeling.queries import change_sets, checks_of, indexes_of
from indexa.modeling.renaming import Renamed, rename_many
from indexa.store.loading import load_model
from indexa.store.models import StoredColumn, StoredModel, StoredTable
from tests.factories import column, make_area, make_model, make_person, store, table


def rich_model() -> Model:
    model = make_model()
    meter = model.tables[0]
    meter.indexes = [
        Index(name="mtr_ix", parts=(IndexPart("inst_dt"), IndexPart(expression="lower(mtr_srl_no)")), predicate="inst_dt > '2001-01-01'")
    ]  # fmt: skip
    meter.checks = [Check(name="mtr_ck", expression="length(mtr_srl_no) > 3 AND inst_dt IS NOT NULL")]
    model.sequences = [
        Sequence(
            name="mtr_seq", schema="metering", type="bigint", start=1, increment=1, minimum=1, maximum=9, cache=1,
            owned_by="metering.mtr.mtr_id",
        )
    ]  # fmt: skip
    return model


def rename(area: Area, person: Person, stored: StoredModel, *names: tuple[str, int, str, str]) -> Renamed:
    return rename_many(area=area, person=person, model_id=stored.pk, why="as agreed", names=names)


class RenamingTests(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.person = make_person(self.area)
        self.stored = store(self.area, rich_model())

    def rename(self, *names: tuple[str, int, str, str]) -> Renamed:
        return rename(self.area, self.person, self.stored, *names)

    def named(self, name: str, new: str) -> tuple[str, int, str, str]:
        if "." not in name:
            return "table", table(self.stored, name).pk, name, new
        return "column", column(self.stored, name).pk, name.rpartition(".")[2], new

    def test_everything_that_mentions_a_name_follows_it_and_comes_back_with_undo(self) -> None:
        before = load_model(self.stored)
        key = table(self.stored, "mtr").keys.get(kind="primary")
        done = self.rename(
            self.named("mtr", "meter"),
            self.named("mtr.mtr_id", "meter_id"),
            self.named("mtr.mtr_srl_no", "serial"),
            self.named("mtr.inst_dt", "Installed"),
            ("key", key.pk, "mtr_pkey", "meter_pk"),
        )
        self.assertEqual((done.count, done.taken), (5, []))
        meter, reading, _ = sorted(load_model(self.stored).tables, key=lambda one: one.name)
        self.assertEqual([one.name for one in meter.columns], ["meter_id", "serial", "Installed"])
        self.assertEqual(
            meter.primary_key and (meter.primary_key.name, meter.primary_key.columns), ("meter_pk", ("meter_id",))
        )
        self.assertEqual(
            (reading.foreign_keys[0].ref_table, reading.foreign_keys[0].ref_columns), ("meter", ("meter_id",))
        )
        self.assertEqual(meter.checks[0].expression, 'length(serial) > 3 AND "Installed" IS NOT NULL')
        self.assertEqual(meter.indexes[0].parts[1].expression, "lower(serial)")
        self.assertEqual(meter.indexes[0].predicate, "\"Installed\" > '2001-01-01'")
        self.assertEqual(load_model(self.stored).sequences[0].owned_by, "metering.meter.meter_id")
        stored = table(self.stored, "meter")
        self.assertEqual(indexes_of(stored)[0].properties["parts"][0]["column"], "Installed")
        self.assertIn("serial", checks_of(stored)[0].properties["expression"])
        shown = change_sets(self.stored, 0, 5)[0]
        self.assertEqual((len(shown.first), shown.rest), (3, 2))
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(load_model(self.stored), before)
        self.assertFalse(StoredColumn.objects.exclude(source_name="").exists())

    def test_a_name_that_something_else_keeps_is_refused_and_told(self) -> None:
        done = self.rename(self.named("mtr.inst_dt", "MTR_ID"), self.named("mtr.mtr_srl_no", "serial"))
        self.assertEqual((done.count, done.taken), (1, [("metering.mtr.inst_dt", "MTR_ID")]))
        again = self.rename(("column", column(self.stored, "mtr.inst_dt").pk, "another name was seen", "x"))
        self.assertIsNone(again.change_set)

    def test_two_columns_change_names_with_each_other(self) -> None:
        self.rename(self.named("mtr.mtr_id", "inst_dt"), self.named("mtr.inst_dt", "mtr_id"))
        self.assertEqual(column(self.stored, "mtr.inst_dt").type, "bigint")
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(column(self.stored, "mtr.inst_dt").type, "date")

    def test_undo_stops_where_the_old_name_was_given_away(self) -> None:
        self.rename(self.named("mtr.inst_dt", "installed"))
        other = make_person(self.area, name="other")
        rename(self.area, other, self.stored, self.named("mtr.mtr_srl_no", "inst_dt"))
        with self.assertRaisesMessage(ConflictsError, "something else has it now"):
            undoing.undo(area=self.area, person=self.person)

    def test_a_name_comes_back_beside_one_that_always_differed_from_it_by_capitals_alone(self) -> None:
        model = make_model()
        model.tables[0].columns += [Column("Qty", 4, "integer"), Column("QTY", 5, "integer")]
        model.name = "capitals"
        stored = store(self.area, model)
        quantity = column(stored, "mtr.QTY")
        rename(self.area, self.person, stored, ("column", quantity.pk, "QTY", "quantity"))
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(column(stored, "mtr.QTY").pk, quantity.pk)

    def test_another_area_can_not_rename_here(self) -> None:
        elsewhere = make_area("elsewhere")
        rename(elsewhere, make_person(elsewhere, name="stranger"), self.stored, self.named("mtr", "mine"))
        self.assertEqual(table(self.stored, "mtr").name, "mtr")

    def test_a_second_reading_keeps_the_names_that_people_gave(self) -> None:
        key = table(self.stored, "mtr").keys.get(kind="primary")
        self.rename(
            self.named("mtr", "meter"), self.named("mtr.inst_dt", "installed"), ("key", key.pk, "mtr_pkey", "meter_pk")
        )
        before = load_model(self.stored)
        store(self.area, rich_model(), into=self.stored)
        self.assertEqual(load_model(self.stored), before)
        self.assertEqual(column(self.stored, "meter.installed").source_name, "inst_dt")
        # Where the source gives that name to something else, the source's names hold.
        changed = rich_model()
        changed.tables[0].columns.append(Column("installed", 4, "text"))
        store(self.area, changed, into=self.stored)
        self.assertEqual(column(self.stored, "meter.inst_dt").source_name, "")
        self.assertEqual(column(self.stored, "meter.installed").type, "text")


class RenamingPropertyTests(PropertyCase):
    @settings(max_examples=25)
    @given(st.lists(st.sampled_from(["a", "b", "c", "mtr_id", "inst_dt", "MTR_SRL_NO"]), min_size=3, max_size=3))
    def test_whatever_is_asked_for_names_stay_apart_and_undo_is_the_inverse(self, asked: list[str]) -> None:
        area = make_area()
        person, stored = make_person(area), store(area, rich_model())
        before = load_model(stored)
        columns = list(table(stored, "mtr").columns.order_by("position"))
        done = rename(
            area, person, stored, *(("column", c.pk, c.name, new) for c, new in zip(columns, asked, strict=True))
        )
        names = [c.name.lower() for c in StoredTable.objects.get(pk=columns[0].table_id).columns.all()]
        self.assertEqual(len(set(names)), 3)
        self.assertEqual(
            done.count + len(done.taken), sum(c.name != new for c, new in zip(columns, asked, strict=True))
        )
        if done.change_set:
            undoing.undo(area=area, person=person)
        self.assertEqual(load_model(stored), before)


class ExpressionTests(TestCase):
    def test_only_names_of_columns_change(self) -> None:
        names = {"date": "read_on", "Val": "value"}
        self.assertEqual(
            renamed_in("""date(date) > 'date' AND "date" <> "Date" AND [Val] = VAL + val2""", names),
            """date(read_on) > 'date' AND "read_on" <> "Date" AND [value] = value + val2""",
        )
