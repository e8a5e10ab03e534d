"""Conflicts of every kind, what is gone and let go, and pages that stay quick."""

from __future__ import annotations

import copy
from collections.abc import Callable

from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from indexa.building import services as building
from indexa.changes import undoing
from indexa.changes.recording import record
from indexa.core.building import changing
from indexa.core.building.parts import Part
from indexa.core.compare.comparing import compare
from indexa.core.model import Column, ForeignKey, Model, Table
from indexa.modeling import editing
from indexa.modeling.renaming import rename_many
from indexa.reconcile import services as reconciliations
from indexa.reconcile.errors import ReconciliationError
from indexa.reconcile.models import Reconciliation
from indexa.sources.models import Intake, Source
from indexa.store.assertions import Assertion, assert_all
from indexa.store.models import StoredColumn, StoredRelationship, StoredTable
from indexa.store.storing import keep_snapshot, read_snapshot
from tests.factories import PASSWORD, column, make_area, make_model, make_person, store, table


class ConflictTests(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.person = make_person(self.area)
        first = make_model()
        first.tables[1].foreign_keys = []
        first.tables.append(Table(schema="metering", name="svc_pt", columns=[Column("svc_pt_id", 1, "bigint", False)]))
        self.stored = store(self.area, first)
        self.source = Source.objects.create(area=self.area, name="billing", model=self.stored)
        self.client.login(username=self.person.username, password=PASSWORD)

    def now(self) -> Model:
        self.stored.refresh_from_db()
        assert self.stored.snapshot is not None
        return copy.deepcopy(read_snapshot(self.stored.snapshot))

    def read(self, after: Model) -> Reconciliation:
        self.stored.refresh_from_db()
        intake = Intake.objects.create(
            source=self.source, model=self.stored, snapshot=keep_snapshot(after), receipt={"arrived": {}, "notes": []}
        )
        reconciliation = reconciliations.keep_differences(intake, compare(read_snapshot(self.stored.snapshot), after))
        assert reconciliation
        return reconciliation

    def take(self, reconciliation: Reconciliation) -> reconciliations.ApplyResult:
        return reconciliations.apply(area=self.area, person=self.person, reconciliation_id=reconciliation.pk)

    def assert_elsewhere(self) -> None:
        own, theirs = column(self.stored, "mtr_rdg.mtr_id"), column(self.stored, "svc_pt.svc_pt_id")
        with record(area=self.area, person=self.person, model_id=self.stored.pk) as changes:
            assert_all(changes, [Assertion(
                kind="foreign", name="mine", table=own.table_id, columns=[own.pk], ref_table=theirs.table_id, ref_columns=[theirs.pk]
            )])  # fmt: skip

    def declared(self) -> Model:
        after = self.now()
        after.tables[1].foreign_keys = [
            ForeignKey(
                name="rdg_fk", columns=("mtr_id",), ref_schema="metering", ref_table="mtr", ref_columns=("mtr_id",)
            )
        ]
        return after

    def test_a_declared_relationship_against_an_asserted_one(self) -> None:
        for decision, kept in (("take", {None}), ("keep", {None, "mine"})):
            with self.subTest(decision):
                StoredRelationship.objects.filter(table__model=self.stored).delete()
                self.assert_elsewhere()
                reconciliation = self.read(self.declared())
                row = reconciliation.differences.get(conflict="reference")
                self.assertEqual(
                    (row.mine, row.theirs, row.by), ("→ metering.svc_pt", "→ metering.mtr", self.person.display_name)
                )
                reconciliations.decide(
                    area=self.area, reconciliation_id=reconciliation.pk, numbers=[row.number], decision=decision
                )
                self.take(reconciliation)
                left = StoredRelationship.objects.filter(table=table(self.stored, "mtr_rdg"))
                self.assertEqual({one.name if one.asserted_at else None for one in left}, kept)
                undoing.undo(area=self.area, person=self.person)
                self.assertEqual({one.name for one in left.all()}, {"mine"})

    def by_hand(self, name: str, work: Callable[[Part, int], object]) -> None:
        own = table(self.stored, name)
        building.change(
            area=self.area, person=self.person, model=self.stored, tables=[own.pk], why=name, work=lambda part: work(part, own.pk)
        )  # fmt: skip

    def columns(self, name: str) -> dict[str, str]:
        found = StoredColumn.objects.filter(table=table(self.stored, name), removed_at__isnull=True)
        return dict(found.values_list("name", "type"))

    def test_what_people_built_stays_beside_what_the_source_changed(self) -> None:
        serial = column(self.stored, "mtr.mtr_srl_no").pk
        self.by_hand("mtr", lambda part, id_: changing.add_column(part, id_, "note", "text"))
        self.by_hand("mtr", lambda part, id_: changing.change_column(part, id_, serial, type_="varchar(40)"))
        self.by_hand("svc_pt", lambda part, id_: changing.rename_table(part, id_, "service_point"))
        after = self.now()
        after.tables[0].columns[1].type = "text"
        after.tables[0].columns.append(Column("maker", 4, "text"))
        after.tables[3].columns.append(Column("street", 2, "text"))
        reconciliation = self.read(after)
        row = reconciliation.differences.get(conflict="structure")
        self.assertEqual(
            (row.mine, row.theirs, row.by, row.decision),
            ("varchar(40)", "text", self.person.display_name, "later"),
        )
        page = self.client.get(reverse("reconcile:page", args=[self.area.slug, reconciliation.pk]))
        self.assertContains(page, "varchar(40)")
        for decision, type_ in (("keep", "varchar(40)"), ("take", "text")):
            with self.subTest(decision):
                reconciliations.decide(
                    area=self.area, reconciliation_id=reconciliation.pk, numbers=[row.number], decision=decision
                )
                self.take(reconciliation)
                kept = {"mtr_id": "bigint", "mtr_srl_no": type_, "inst_dt": "date", "note": "text", "maker": "text"}
                self.assertEqual(self.columns("mtr"), kept)
                self.assertEqual(set(self.columns("service_point")), {"svc_pt_id", "street"})
                undoing.undo(area=self.area, person=self.person)
                left = {"mtr_id": "bigint", "mtr_srl_no": "varchar(40)", "inst_dt": "date", "note": "text"}
                if decision == "keep":
                    self.assertEqual(self.columns("mtr"), left)
        self.assertNotIn("maker", self.columns("mtr"))

    def test_something_renamed_here_and_gone_there_is_kept_or_goes(self) -> None:
        item = column(self.stored, "mtr.inst_dt")
        rename_many(
            area=self.area,
            person=self.person,
            model_id=self.stored.pk,
            why="",
            names=[("column", item.pk, "inst_dt", "set_on")],
        )
        after = self.now()
        del after.tables[0].columns[2]
        reconciliation = self.read(after)
        row = reconciliation.differences.get(conflict="gone")
        self.assertEqual((row.mine, row.decision), ("set_on", "later"))
        with self.assertRaisesMessage(ReconciliationError, "Nothing is chosen"):
            self.take(reconciliation)
        reconciliations.decide(
            area=self.area, reconciliation_id=reconciliation.pk, numbers=[row.number], decision="take"
        )
        self.take(reconciliation)
        self.assertIsNotNone(StoredColumn.objects.get(pk=item.pk).removed_at)

    def test_what_is_gone_is_listed_out_of_counts_and_let_go_for_good(self) -> None:
        place = editing.place_of(column(self.stored, "mtr_rdg.rdg_val"), only_here=False)
        editing.edit(
            area=self.area, person=self.person, place=place, field="definition", seen="", value="Cubic metres."
        )
        after = self.now()
        after.tables = [one for one in after.tables if one.name != "mtr_rdg"]
        reconciliation = self.read(after)
        self.assertIn("Kept with it: definitions of 1 column.", reconciliation.differences.get(kind="gone").note)
        self.take(reconciliation)
        gone = table(self.stored, "mtr_rdg")
        there = self.client.get(reverse("modeling:table", args=[self.area.slug, gone.pk]), follow=True)
        self.assertContains(there, "metering.mtr_rdg is no longer in the source since")
        url = reverse("modeling:gone", args=[self.area.slug, self.stored.pk])
        self.assertContains(self.client.get(url), "metering.mtr_rdg")
        overview = self.client.get(reverse("modeling:overview", args=[self.area.slug, self.stored.pk]))
        self.assertContains(overview, "kept with their words")
        self.assertNotContains(self.client.get(reverse("dictionary:page", args=[self.area.slug])), "rdg_val")
        entity = gone.entity_id
        self.client.post(url, {"gone": [f"table-{gone.pk}", "column-x", "nonsense"]})
        self.assertFalse(StoredTable.objects.filter(pk__in=[gone.pk, entity]).exists())
        self.assertContains(self.client.get(url), "Everything that was ever read")

    def test_the_page_asks_no_more_for_many_differences_than_for_few(self) -> None:
        after = self.now()
        after.tables[0].comment = "one"
        few = self.queries(self.read(after))
        after.tables += [
            Table(schema="x", name=f"t{number}", columns=[Column("id", 1, "bigint")]) for number in range(120)
        ]
        self.assertLessEqual(self.queries(self.read(after)), few + 1)

    def queries(self, reconciliation: Reconciliation) -> int:
        url = reverse("reconcile:page", args=[self.area.slug, reconciliation.pk])
        self.client.get(url)
        with CaptureQueriesContext(connection) as asked:
            self.assertEqual(self.client.get(url).status_code, 200)
        return len(asked)

    def test_filters_and_decisions_of_a_table(self) -> None:
        after = self.now()
        after.tables[0].columns[1].type, after.tables[0].comment, after.tables[2].comment = "text", "x", "y"
        reconciliation = self.read(after)
        url = reverse("reconcile:page", args=[self.area.slug, reconciliation.pk])
        page = self.client.get(url, {"table": "metering.mtr", "kind": "changed", "q": "mtr"})
        self.assertContains(page, "mtr_srl_no")
        self.assertNotContains(page, "metering.v_mtr")
        decide = reverse("reconcile:decide", args=[self.area.slug, reconciliation.pk])
        self.client.post(decide, {"table": "metering.mtr", "decision": "later"})
        self.assertEqual(
            set(reconciliation.differences.filter(table="mtr").values_list("decision", flat=True)), {"later"}
        )
        self.assertEqual(self.client.post(decide, {"number": "0", "decision": "nonsense"}).status_code, 422)
        self.assertEqual(
            self.client.get(reverse("reconcile:margin", args=[self.area.slug, reconciliation.pk, 999])).status_code, 404
        )
