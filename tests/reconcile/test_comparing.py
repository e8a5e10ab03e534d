"""Comparisons of models: sides, decisions that stay, taken into the model and undone, change scripts rehearsed and signed off."""

from __future__ import annotations

import copy
import io
from collections.abc import Callable
from typing import Any
from unittest.mock import patch

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase
from django.urls import reverse
from openpyxl import load_workbook

from indexa.areas.models import Role
from indexa.building import services as building
from indexa.changes import undoing
from indexa.core.building import changing
from indexa.core.building.parts import Part
from indexa.core.model import Column, Model, Table
from indexa.jobs.models import Job
from indexa.jobs.progress import Silent
from indexa.reconcile import comparing, scripts
from indexa.reconcile.models import ComparedDifference, ModelComparison
from indexa.sources.models import Intake, Source
from indexa.store.models import StoredColumn
from indexa.store.storing import keep_snapshot, read_snapshot
from tests.factories import PASSWORD, column, make_area, make_model, make_person, store, table


def text_of_tags(page: Any) -> str:
    """Return a page with every run of blanks as one."""
    return " ".join(page.content.decode().split())


class ComparingCase(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.person = make_person(self.area)
        self.model = store(self.area, make_model())
        self.source = Source.objects.create(area=self.area, name="billing", model=self.model)
        self.read(self.now())
        self.client.login(username=self.person.username, password=PASSWORD)

    def now(self) -> Model:
        assert self.model.snapshot is not None
        return copy.deepcopy(read_snapshot(self.model.snapshot))

    def read(self, found: Model) -> None:
        Intake.objects.create(
            source=self.source, model=self.model, snapshot=keep_snapshot(found), receipt={"arrived": {}, "notes": []}
        )

    def by_hand(self, name: str, work: Callable[[Part, int], object]) -> None:
        own = table(self.model, name)
        building.change(
            area=self.area, person=self.person, model=self.model, tables=[own.pk], why=name, work=lambda part: work(part, own.pk)
        )  # fmt: skip

    def post(self, view: str, *args: object, **given: Any) -> Any:
        return self.client.post(reverse(f"reconcile:{view}", args=[self.area.slug, *args]), given, follow=True)

    def compare(self, **given: Any) -> ModelComparison:
        answer = self.post("start", model=self.model.pk, **given)
        self.assertEqual(answer.status_code, 200)
        return ModelComparison.objects.latest("pk")

    def row(self, made: ModelComparison, **wanted: Any) -> ComparedDifference:
        return made.differences.get(**wanted)

    def decide(self, made: ModelComparison, row: ComparedDifference, decision: str) -> Any:
        return self.post("decide-compared", made.pk, number=row.number, decision=decision)


class DecidingTests(ComparingCase):
    def drifted(self) -> ModelComparison:
        """The model has a column more and another type; the source has another type too, and a table more."""
        serial = column(self.model, "mtr.mtr_srl_no").pk
        self.by_hand("mtr", lambda part, id_: changing.add_column(part, id_, "note", "text"))
        self.by_hand("mtr", lambda part, id_: changing.change_column(part, id_, serial, type_="varchar(40)"))
        found = self.now()
        found.tables[0].columns[1].type = "text"
        found.tables.append(Table(schema="metering", name="area", columns=[Column("code", 1, "integer", False)]))
        self.read(found)
        return self.compare()

    def test_who_changed_what_is_told_and_the_own_changes_are_proposed(self) -> None:
        made = self.drifted()
        rows = {(one.name, one.field): (one.side, one.decision) for one in made.differences.all()}
        self.assertEqual(
            rows,
            {
                ("note", ""): ("model", "keep"),
                ("mtr_srl_no", "type"): ("both", "later"),
                ("area", ""): ("other", "later"),
            },
        )
        page = self.client.get(reverse("reconcile:comparison", args=[self.area.slug, made.pk]))
        self.assertContains(page, "changed on both 1")

    def test_a_column_that_the_source_renamed_is_the_source_s_change(self) -> None:
        found = self.now()
        found.tables[0].columns[2].name = "installed_dt"
        self.read(found)
        row = self.row(self.compare(), kind="renamed")
        self.assertEqual((row.before, row.after, row.side), ("installed_dt", "inst_dt", "other"))

    def test_renames_are_parted_and_matched_by_hand(self) -> None:
        content = self.now()
        content.tables[0].columns[2].name = "installed_dt"
        self.read(content)
        made = self.compare()
        self.post("settle-rename", made.pk, self.row(made, kind="renamed").number)
        kinds = {one.name: one.kind for one in made.differences.filter(what="column")}
        self.assertEqual(kinds, {"installed_dt": "gone", "inst_dt": "new"})
        gone, new = self.row(made, name="installed_dt"), self.row(made, name="inst_dt")
        page = self.client.get(reverse("reconcile:compared-margin", args=[self.area.slug, made.pk, gone.number]))
        self.assertContains(page, "The same as another one?")
        self.post("settle-rename", made.pk, gone.number, **{"with": new.number})
        self.assertEqual(self.row(made, kind="renamed").before, "installed_dt")
        self.assertContains(self.post("settle-rename", made.pk, 99), "Only what seems renamed")

    def test_what_is_taken_comes_into_the_model_as_one_change_and_is_undone(self) -> None:
        made = self.drifted()
        for name in ("mtr_srl_no", "area"):
            self.decide(made, self.row(made, name=name), "take")
        self.assertContains(self.post("take", made.pk), "2 differences taken")
        self.assertEqual(column(self.model, "mtr.mtr_srl_no").type, "text")
        self.assertEqual(
            list(StoredColumn.objects.filter(table=table(self.model, "area")).values_list("name", flat=True)), ["code"]
        )
        self.assertEqual([one.name for one in made.differences.all()], ["note"])
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(column(self.model, "mtr.mtr_srl_no").type, "varchar(40)")
        self.assertContains(self.post("take", made.pk), "Nothing is decided as take source")

    def test_decisions_stay_when_it_is_compared_again_and_a_changed_model_is_told(self) -> None:
        made = self.drifted()
        self.decide(made, self.row(made, name="area"), "take")
        self.by_hand("mtr", lambda part, id_: changing.add_column(part, id_, "more", "text"))
        self.assertContains(self.post("take", made.pk), "was changed since it was compared")
        self.post("compare-again", made.pk)
        self.assertEqual(self.row(made, name="area").decision, "take")
        self.assertEqual(self.row(made, name="more").decision, "keep")

    def test_a_model_is_compared_with_a_script_and_with_another_model(self) -> None:
        script = SimpleUploadedFile("old.sql", b"create table metering.mtr (mtr_id bigint primary key);")
        made = self.compare(file=script)
        self.assertEqual(made.other_label, "old.sql")
        self.assertTrue(made.differences.filter(name="mtr_srl_no", kind="new").exists())
        other = store(self.area, make_model("other"))
        self.assertFalse(self.compare(other=f"model {other.pk}").differences.exists())
        page = self.post("start", model=self.model.pk, file=SimpleUploadedFile("x.sql", b"hello"))
        self.assertContains(page, "There is no table in x.sql")
        self.assertContains(
            self.post("start", model=self.model.pk, other=f"model {self.model.pk}"), "That is the same model"
        )

    def test_it_is_compared_with_any_source_an_empty_database_and_a_version(self) -> None:
        elsewhere = Source.objects.create(area=self.area, name="copy")
        self.assertContains(self.compare_anew(f"source {elsewhere.pk}"), "copy was never read")
        Source.objects.filter(pk=elsewhere.pk).update(inventory=[])
        made = self.compare(other=f"source {elsewhere.pk}")
        self.assertEqual(made.other_label, "copy, an empty database")
        self.assertEqual({one.kind for one in made.differences.filter(what="table")}, {"new"})
        self.post("keep-version", self.model.pk, label="first")
        self.by_hand("mtr", lambda part, id_: changing.add_column(part, id_, "note", "text"))
        made = self.compare(other=f"version {self.model.versions.get().pk}")
        self.assertEqual(
            [(one.name, one.side, one.decision) for one in made.differences.all()], [("note", "model", "keep")]
        )
        for nothing in ("version 99", "model 0", "thing 1", "source x"):
            self.assertEqual(self.compare_anew(nothing).status_code, 200)
        self.assertEqual(ModelComparison.objects.count(), 2)

    def compare_anew(self, other: str) -> Any:
        return self.post("start", model=self.model.pk, other=other)

    def test_what_is_ignored_is_remembered_and_changed_and_risk_is_filtered(self) -> None:
        self.drifted()
        made = self.compare(ignore=["comments", "nonsense"], remember="1")
        self.assertEqual(made.ignore, ["comments"])
        page = self.client.get(reverse("reconcile:comparisons", args=[self.area.slug]))
        self.assertRegex(text_of_tags(page), r'value="comments" checked')
        self.assertEqual(self.row(made, name="area").risk, "loses data")
        page = self.client.get(reverse("reconcile:comparison", args=[self.area.slug, made.pk]), {"risk": "loses data"})
        self.assertContains(page, "area")
        self.assertNotContains(page, "mtr_srl_no")
        self.decide(made, self.row(made, name="area"), "take")
        self.post("ignore", made.pk, ignore=["order", "owners"])
        made.refresh_from_db()
        self.assertEqual((made.ignore, self.row(made, name="area").decision), (["order", "owners"], "take"))

    def test_a_large_model_is_compared_in_a_job(self) -> None:
        with patch.object(comparing, "_MOST_TABLES_AT_ONCE", 1):
            made = self.drifted()
            self.assertFalse(made.filled)
            page = self.client.get(reverse("reconcile:comparison", args=[self.area.slug, made.pk]), follow=True)
            self.assertContains(page, "Comparing billing with billing")
            comparing.fill_in_background(Job.objects.latest("pk"), Silent())
        self.assertEqual(made.differences.count(), 3)
        page = self.client.get(reverse("reconcile:comparison", args=[self.area.slug, made.pk]))
        self.assertContains(page, "mtr_srl_no")

    def test_the_page_of_a_comparison_asks_the_database_a_fixed_number_of_times(self) -> None:
        found = self.now()
        for number in range(40):
            found.tables.append(Table(schema="s", name=f"t{number}", columns=[Column("id", 1, "int", False)]))
        self.read(found)
        made = self.compare()
        with self.assertNumQueries(8):
            self.client.get(reverse("reconcile:comparison", args=[self.area.slug, made.pk]))

    def test_a_report_tells_all_of_it(self) -> None:
        made = self.drifted()
        text = self.client.get(reverse("reconcile:report", args=[self.area.slug, made.pk, "md"])).content.decode()
        self.assertIn("| changed column mtr\\_srl\\_no type | text | varchar(40) | changed on both |", text)
        found = self.client.get(reverse("reconcile:report", args=[self.area.slug, made.pk, "json"])).json()
        self.assertEqual(len(found["differences"]), 3)
        content = self.client.get(reverse("reconcile:report", args=[self.area.slug, made.pk, "xlsx"])).content
        rows = list(load_workbook(io.BytesIO(content)).active.iter_rows(values_only=True))
        self.assertEqual(len(rows), 3 + 3)
        self.assertIn("changed on both", {row[7] for row in rows})
        printed = self.client.get(reverse("reconcile:report", args=[self.area.slug, made.pk, "html"]))
        self.assertContains(printed, "varchar(40)")
        self.assertEqual(
            self.client.get(reverse("reconcile:report", args=[self.area.slug, made.pk, "exe"])).status_code, 404
        )

    def test_readers_look_and_decide_nothing(self) -> None:
        made = self.drifted()
        reader = make_person(self.area, Role.READER)
        self.client.login(username=reader.username, password=PASSWORD)
        for view, args in (("comparison", [made.pk]), ("compared-margin", [made.pk, 0])):
            self.assertEqual(
                self.client.get(reverse(f"reconcile:{view}", args=[self.area.slug, *args])).status_code, 200
            )
        for view in ("decide-compared", "compare-again", "take", "write-script", "rehearse", "sign"):
            self.assertEqual(self.post(view, made.pk).status_code, 403, view)
        self.assertEqual(self.post("start", model=self.model.pk).status_code, 403)


class ScriptTests(ComparingCase):
    def script(self, **given: Any) -> Any:
        self.by_hand("mtr", lambda part, id_: changing.add_column(part, id_, "note", "text"))
        made = self.compare()
        return made, self.post("write-script", made.pk, **given)

    def rehearse(self, made: ModelComparison) -> None:
        self.post("rehearse", made.pk)
        scripts.rehearse_in_background(Job.objects.latest("pk"), Silent())

    def test_a_script_is_written_rehearsed_on_a_server_and_signed_off_by_another_person(self) -> None:
        made, page = self.script()
        self.assertContains(page, "ALTER TABLE metering.mtr ADD COLUMN note text")
        self.rehearse(made)
        script = made.scripts.get()
        self.assertEqual(
            (script.rehearsal["way"], script.rehearsal["left"], script.rehearsal["revert_left"]), ("server", [], [])
        )
        self.assertGreater(script.rehearsal["rows_kept"], 0)
        approver = make_person(self.area, Role.APPROVER)
        self.client.login(username=approver.username, password=PASSWORD)
        self.assertContains(self.post("sign", made.pk, checksum="x"), "another text than the one that was shown")
        self.assertContains(self.post("sign", made.pk, checksum=script.checksum), "Signed off")
        report = self.client.get(reverse("reconcile:script-file", args=[self.area.slug, made.pk, "report"])).json()
        self.assertEqual(report["checksum"], script.checksum)
        back = self.client.get(
            reverse("reconcile:script-file", args=[self.area.slug, made.pk, "revert"])
        ).content.decode()
        self.assertIn("DROP COLUMN note", back)

    def test_a_script_of_other_decisions_is_no_longer_rehearsed_and_nothing_to_do_is_said(self) -> None:
        made, _ = self.script()
        self.decide(made, self.row(made, name="note"), "later")
        self.assertContains(
            self.client.get(reverse("reconcile:script", args=[self.area.slug, made.pk])), "Decisions changed since"
        )
        self.post("rehearse", made.pk)
        with self.assertRaisesMessage(Exception, "Decisions changed since this script was written"):
            scripts.rehearse_in_background(Job.objects.latest("pk"), Silent())
        self.assertContains(self.post("write-script", made.pk), "Nothing is to be changed")

    def test_who_wrote_it_does_not_sign_it(self) -> None:
        self.person = make_person(self.area, Role.APPROVER)
        self.client.login(username=self.person.username, password=PASSWORD)
        made, _ = self.script()
        checksum = made.scripts.get().checksum
        self.assertContains(self.post("sign", made.pk, checksum=checksum), "Who wrote a script does not sign it off")


class VersionTests(ComparingCase):
    def test_a_version_is_kept_told_in_words_restored_and_that_is_undone(self) -> None:
        self.assertContains(
            self.post("keep-version", self.model.pk, label="first", note="as read"), "Kept as version 1"
        )
        self.assertContains(self.post("keep-version", self.model.pk, label="again"), "The model is as in version 1")
        serial = column(self.model, "mtr.mtr_srl_no").pk
        self.by_hand("mtr", lambda part, id_: changing.add_column(part, id_, "note", "text"))
        self.by_hand("mtr", lambda part, id_: changing.change_column(part, id_, serial, type_="varchar(40)"))
        self.by_hand("mtr_rdg", lambda part, id_: changing.delete_table(part, id_))
        page = self.client.get(reverse("reconcile:versions", args=[self.area.slug, self.model.pk]))
        for told in (
            "1 table removed: metering.mtr_rdg.", "1 column added in metering: mtr.note.",
            "mtr.mtr_srl_no is now varchar(40) instead of character varying(24).",
        ):  # fmt: skip
            self.assertContains(page, told)
        self.assertContains(self.post("restore", self.model.pk, 1), "Version 1 is restored")
        self.assertEqual(column(self.model, "mtr.mtr_srl_no").type, "character varying(24)")
        self.assertEqual(len(column(self.model, "mtr_rdg.rdg_ts").table.columns.filter(removed_at=None)), 3)
        self.assertContains(self.post("restore", self.model.pk, 1), "is as in version 1 already")
        self.assertEqual(self.model.versions.count(), 2)
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(column(self.model, "mtr.mtr_srl_no").type, "varchar(40)")

    def test_readers_keep_and_restore_nothing(self) -> None:
        self.post("keep-version", self.model.pk, label="first")
        self.client.login(username=make_person(self.area, Role.READER).username, password=PASSWORD)
        self.assertEqual(
            self.client.get(reverse("reconcile:versions", args=[self.area.slug, self.model.pk])).status_code, 200
        )
        self.assertEqual(self.post("keep-version", self.model.pk, label="x").status_code, 403)
        self.assertEqual(self.post("restore", self.model.pk, 1).status_code, 403)
