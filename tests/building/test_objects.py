"""Objects written by hand: made from their form, changed, in the DDL, deleted, undone; what is wrong in them is said."""

from __future__ import annotations

from typing import Any

from django.test import TestCase
from django.urls import reverse

from indexa.areas.models import Role
from indexa.building import services
from indexa.changes import undoing
from indexa.changes.models import ChangeSet
from indexa.core.ddl.writing import write_ddl
from indexa.store.loading import load_model
from indexa.store.models import StoredColumn, StoredModel, StoredTable
from tests.factories import PASSWORD, make_area, make_model, make_person, store, table

FUNCTION = """create function metering.total(p_id bigint) returns numeric language sql as $$
  select sum(rdg_val) from metering.mtr_rdg where mtr_id = p_id; $$"""
TRIGGER = "create trigger stamp before update on metering.mtr for each row execute function metering.touch()"


class ObjectTests(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.person = make_person(self.area)
        self.model = store(self.area, make_model())
        self.meter = table(self.model, "mtr")
        self.client.login(username=self.person.username, password=PASSWORD)

    def send(self, kind: str, pk: int = 0, *, of: StoredTable | None = None, **given: Any) -> Any:
        where = [self.area.slug, self.model.pk, kind, *([pk] if pk else [])]
        address = reverse("building:object" if pk else "building:new-object", args=where)
        return self.client.post(address, given | ({"table": of.pk} if of else {}), follow=True)

    def ddl(self) -> str:
        return write_ddl(load_model(StoredModel.objects.get(pk=self.model.pk)), "postgresql").text()

    def undo(self) -> None:
        undoing.undo(area=self.area, person=self.person)

    def test_every_kind_comes_into_the_ddl_and_is_undone(self) -> None:
        before = self.ddl()
        for kind, of, given, written in (
            ("index", self.meter, {"name": "mtr_by_day", "columns": "inst_dt desc, lower(mtr_srl_no)"},
             "CREATE INDEX mtr_by_day ON metering.mtr (inst_dt DESC, (lower(mtr_srl_no)))"),
            ("check", self.meter, {"name": "mtr_day", "expression": "inst_dt > date '1990-01-01'"}, "CONSTRAINT mtr_day CHECK"),
            ("enum", None, {"name": "rdg_kind", "schema": "metering", "values": "read\nguessed\n"}, "ENUM ('read', 'guessed')"),
            ("domain", None, {"name": "amount", "schema": "metering", "type": "numeric(12,2)", "expression": "VALUE >= 0"},
             "CREATE DOMAIN metering.amount"),
            ("sequence", None, {"name": "mtr_no", "schema": "metering", "start": "100", "increment": "10"},
             "CREATE SEQUENCE metering.mtr_no"),
            ("routine", None, {"text": FUNCTION}, "metering.total"),
            ("trigger", self.meter, {"text": TRIGGER}, "CREATE TRIGGER stamp"),
            ("view", None, {"name": "young", "schema": "metering", "text": "select mtr_id, inst_dt as since from metering.mtr"},
             "CREATE VIEW metering.young"),
        ):  # fmt: skip
            with self.subTest(kind):
                page = self.send(kind, of=of, **given)
                self.assertContains(page, "is saved")
                self.assertIn(written.lower(), self.ddl().lower())
                self.undo()
                self.assertEqual(self.ddl(), before)

    def test_a_view_gets_the_columns_of_its_query_and_those_of_another_one(self) -> None:
        self.send("view", name="young", schema="metering", text="select mtr_id, inst_dt as since from metering.mtr")
        view = table(self.model, "young")
        self.assertEqual(self.columns(view), [("mtr_id", "bigint"), ("since", "date")])
        self.send("view", view.pk, name="young", schema="metering", text="select mtr_srl_no from metering.mtr")
        self.assertEqual(self.columns(view), [("mtr_srl_no", "character varying(24)")])

    def columns(self, of: StoredTable) -> list[tuple[str, str]]:
        found = StoredColumn.objects.filter(table=of, removed_at__isnull=True).order_by("position")
        return list(found.values_list("name", "type"))

    def test_a_type_that_columns_have_is_renamed_with_them_and_not_deleted(self) -> None:
        self.send("domain", name="day", schema="metering", type="date")
        domain = self.model.model_objects.get(name="day")
        StoredColumn.objects.filter(table=self.meter, name="inst_dt").update(type="metering.day")
        self.assertContains(self.send("domain", domain.pk, delete="1", name="day"), "mtr.inst_dt", status_code=422)
        self.send("domain", domain.pk, name="calendar_day", schema="metering", type="date")
        self.assertIn(("inst_dt", "metering.calendar_day"), self.columns(self.meter))
        self.undo()
        self.assertIn(("inst_dt", "metering.day"), self.columns(self.meter))

    def test_what_is_wrong_is_said_and_nothing_is_made(self) -> None:
        before = ChangeSet.objects.count()
        for kind, of, given, why in (
            ("index", self.meter, {"name": "x", "columns": "colour"}, "no column colour"),
            ("index", self.meter, {"columns": "inst_dt"}, "The name is needed"),
            ("enum", None, {"name": "x", "values": "a\na"}, "a is there twice"),
            ("sequence", None, {"name": "x", "increment": "0"}, "never moves"),
            ("sequence", None, {"name": "x", "start": "ten"}, "no whole number"),
            ("trigger", self.meter, {"text": "drop table x"}, "no trigger"),
            ("routine", None, {"text": "select 1"}, "no routine"),
            ("view", None, {"name": "x", "text": "delete from metering.mtr"}, "could not be read"),
        ):  # fmt: skip
            with self.subTest(why):
                self.assertContains(self.send(kind, of=of, **given), why, status_code=422)
        self.assertEqual(ChangeSet.objects.count(), before)

    def test_only_stewards_write_and_only_what_a_layer_has(self) -> None:
        reader = make_person(self.area, Role.READER)
        self.client.login(username=reader.username, password=PASSWORD)
        self.assertEqual(self.send("enum", name="x", values="a").status_code, 403)
        self.client.login(username=self.person.username, password=PASSWORD)
        self.assertEqual(self.send("index", name="x").status_code, 404)
        self.model = services.create_model(area=self.area, name="Care", layer="logical")
        self.assertEqual(self.send("sequence", name="x").status_code, 404)
        self.assertContains(self.send("enum", name="kind", values="a\nb"), "is saved")
