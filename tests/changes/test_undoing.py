"""Undo and redo of everything that people change: exact, whole or not at all, with every conflict told."""

from __future__ import annotations

import random

from django.test import TestCase
from django.urls import reverse

from indexa.changes import targets, undoing
from indexa.changes.errors import ChangeError, ConflictsError
from indexa.changes.models import Change, ChangeSet
from indexa.changes.recording import record
from indexa.core.model.file import write
from indexa.modeling import editing
from indexa.modeling.renaming import rename_many
from indexa.store.assertions import Assertion, assert_all
from indexa.store.loading import load_model
from indexa.store.models import StoredColumn, StoredTable
from tests.factories import PASSWORD, column, make_area, make_model, make_person, store, table


class UndoCase(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.person = make_person(self.area)
        self.stored = store(self.area, make_model())

    def describe(self, name: str, value: str, seen: str = "", field: str = "definition") -> ChangeSet:
        place = editing.place_of(column(self.stored, name), only_here=True)
        made = editing.edit(area=self.area, person=self.person, place=place, field=field, seen=seen, value=value)
        assert made
        return made

    def rename(self, name: str, after: str) -> ChangeSet:
        item = column(self.stored, name)
        done = rename_many(
            area=self.area,
            person=self.person,
            model_id=self.stored.pk,
            why="x",
            names=[("column", item.pk, item.name, after)],
        )
        assert done.change_set
        return done.change_set

    def assert_key(self, name: str) -> ChangeSet:
        item = column(self.stored, name)
        with record(area=self.area, person=self.person, model_id=self.stored.pk) as changes:
            assert_all(
                changes, [Assertion(kind="unique", name=f"{item.name}_uq", table=item.table_id, columns=[item.pk])]
            )
        return changes.change_set

    def state(self) -> bytes:
        self.stored.refresh_from_db()
        return write(load_model(self.stored))

    def undo(self, change_set: ChangeSet | None = None) -> ChangeSet:
        return undoing.undo(area=self.area, person=self.person, change_set_id=change_set and change_set.pk)

    def redo(self, change_set: ChangeSet | None = None) -> ChangeSet:
        return undoing.redo(area=self.area, person=self.person, change_set_id=change_set and change_set.pk)


class UndoTests(UndoCase):
    def test_undo_of_undo_is_what_was_done_however_often(self) -> None:
        acts = [
            lambda: self.describe("mtr.inst_dt", "When it was installed."),
            lambda: self.describe("mtr.mtr_srl_no", "Serial Number", field="business_name"),
            lambda: self.rename("mtr.inst_dt", "installed_on"),
            lambda: self.assert_key("mtr_rdg.rdg_val"),
        ]
        for act in acts:
            before = self.state()
            made = act()
            after = self.state()
            for _ in range(3):
                self.undo()
                self.assertEqual(self.state(), before)
                made.refresh_from_db()
                self.assertFalse(made.in_force)
                self.redo()
                self.assertEqual(self.state(), after)
                made.refresh_from_db()
                self.assertTrue(made.in_force)

    def test_any_row_of_changes_is_taken_back_step_by_step(self) -> None:
        for seed in range(6):
            rnd, states = random.Random(seed), [self.state()]
            for step in range(8):
                name = rnd.choice(["mtr_id", "inst_dt", "mtr_srl_no"])
                item = StoredColumn.objects.filter(
                    table=table(self.stored, "mtr"), source_name__in=["", name]
                ).order_by("?")[0]
                if rnd.random() < 0.3:
                    self.rename(f"mtr.{item.name}", f"n{seed}_{step}")
                else:
                    self.describe(f"mtr.{item.name}", f"{seed} {step}", seen=item.definition)
                states.append(self.state())
            for wanted in reversed(states[:-1]):
                self.undo()
                self.assertEqual(self.state(), wanted)

    def test_all_that_is_in_the_way_is_told_and_nothing_is_undone(self) -> None:
        values = [
            ("column", column(self.stored, f"mtr.{name}").pk, "", name.title())
            for name in ("mtr_id", "inst_dt", "mtr_srl_no")
        ]
        made = editing.write_many(
            area=self.area,
            person=self.person,
            model_id=self.stored.pk,
            why="Names",
            field="business_name",
            values=values,
        )
        assert made
        self.describe("mtr.inst_dt", "Installed", seen="Inst_Dt", field="business_name")
        StoredColumn.objects.filter(pk=values[2][1]).update(business_name="Somebody's")
        before = self.state()
        with self.assertRaises(ConflictsError) as caught:
            self.undo(made)
        self.assertEqual(
            {one.label.rpartition(".")[2] for one in caught.exception.conflicts}, {"inst_dt", "mtr_srl_no"}
        )
        text = {one.label.rpartition(".")[2]: one for one in caught.exception.conflicts}
        self.assertEqual(text["inst_dt"].by, self.person.display_name)
        self.assertIn("somebody has changed it since, to “Somebody's”", text["mtr_srl_no"].why)
        self.assertEqual(self.state(), before)
        self.assertFalse(ChangeSet.objects.filter(undoes=made).exists())

    def test_null_and_empty_are_two_things(self) -> None:
        made = self.assert_key("mtr_rdg.rdg_val")
        self.describe("mtr.inst_dt", "x")
        first = made.changes.filter(target="key").order_by("pk")[0]
        self.assertEqual((first.operation, first.before), ("create", None))
        change = Change.objects.get(field="definition")
        self.assertEqual((change.operation, change.before, change.after), ("update", "", "x"))

    def test_an_empty_change_set_is_not_kept(self) -> None:
        with record(area=self.area, person=self.person, model_id=self.stored.pk):
            pass
        self.assertFalse(ChangeSet.objects.exists())

    def test_others_changes_are_not_mine_to_undo_or_redo(self) -> None:
        made = self.describe("mtr.inst_dt", "Mine.")
        other = make_person(self.area, name="other")
        for act in (undoing.undo, undoing.redo):
            with self.assertRaises(ChangeError):
                act(area=self.area, person=other, change_set_id=made.pk)

    def test_a_kind_is_registered_once(self) -> None:
        kind = targets.kinds()["table"]
        targets.register(kind)
        with self.assertRaises(ValueError):
            targets.register(targets.TargetKind("table", "Another", {}))
        self.assertGreaterEqual(set(targets.kinds()), {"table", "column", "key", "relationship", "index", "proposal"})


class UndoPageTests(UndoCase):
    def setUp(self) -> None:
        super().setUp()
        self.client.login(username=self.person.username, password=PASSWORD)

    def post(self, name: str, **asked: object) -> tuple[int, str]:
        answer = self.client.post(reverse(f"changes:{name}", args=[self.area.slug]), asked)
        return answer.status_code, answer.json()["message"]

    def test_the_history_offers_undo_then_redo_then_undo(self) -> None:
        made = self.describe("mtr.inst_dt", "Installed.")
        page = reverse("modeling:history", args=[self.area.slug, self.stored.pk])
        self.assertContains(self.client.get(page), f'data-undo="{made.pk}"')
        self.assertEqual(self.post("undo", change_set=made.pk), (200, "Undone: definition of metering.mtr.inst_dt."))
        undone = ChangeSet.objects.get(undoes=made)
        self.assertContains(self.client.get(page), f'data-redo="{undone.pk}"')
        self.assertNotContains(self.client.get(page), f'data-undo="{made.pk}"')
        self.assertEqual(self.post("redo"), (200, "Redone: definition of metering.mtr.inst_dt."))
        redone = ChangeSet.objects.get(undoes=undone)
        self.assertContains(self.client.get(page), f'data-undo="{redone.pk}"')
        self.assertEqual(StoredTable.objects.get(pk=table(self.stored, "mtr").pk).name, "mtr")

    def test_what_reaches_further_than_the_page_is_asked_for_first(self) -> None:
        names = ("mtr_id", "inst_dt")
        many = [("column", column(self.stored, f"mtr.{name}").pk, "", name.title()) for name in names]
        self.describe("mtr.mtr_srl_no", "Alone.")
        other = store(self.area, make_model("other"))
        cases = [("", False), (f"model {self.stored.pk}", False), (f"model {other.pk}", True), ("words", True)]
        for scope, is_asked in cases:
            answer = self.client.post(reverse("changes:undo", args=[self.area.slug]), {"scope": scope}).json()
            with self.subTest(scope):
                self.assertEqual("ask" in answer, is_asked, answer)
            if not is_asked:
                self.redo()
        made = editing.write_many(
            area=self.area, person=self.person, model_id=self.stored.pk, why="Two", field="business_name", values=many
        )
        assert made
        answer = self.client.post(reverse("changes:undo", args=[self.area.slug])).json()
        self.assertEqual(answer, {"ask": "Undo “Two”: 2 business names in billing?", "change_set": made.pk})
        self.assertEqual(self.post("undo", change_set=made.pk), (200, "Undone: 2 business names."))

    def test_conflicts_are_listed(self) -> None:
        made = self.describe("mtr.inst_dt", "Installed.")
        self.describe("mtr.inst_dt", "Later.", seen="Installed.")
        answer = self.client.post(reverse("changes:undo", args=[self.area.slug]), {"change_set": made.pk})
        self.assertEqual(answer.status_code, 409)
        self.assertEqual(len(answer.json()["conflicts"]), 1)
        self.assertEqual(self.post("redo"), (422, "There is nothing of yours to redo here."))
