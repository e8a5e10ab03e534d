"""Reading again and proposals, as a steward does them: a conflict decided, a pattern accepted, both taken back."""

from __future__ import annotations

import psycopg
from django.urls import reverse

from indexa.areas.models import Role
from indexa.building import services as building
from indexa.core.building import changing
from indexa.modeling import editing
from indexa.proposals import discovery
from indexa.proposals.models import StoredProposal
from indexa.reconcile import comparing, scripts
from indexa.reconcile.models import KeptScript, Reconciliation
from indexa.reconcile.other_sides import other_side
from indexa.sources import services
from indexa.store.models import DescribedColumn, StoredRelationship, StoredTable
from tests.browser.case import BrowserCase
from tests.factories import column, database, make_area, make_person, make_source, server_address, store
from tests.proposals.test_proposals import lab
from tests.reconcile.test_reading_again import FIRST, LATER


class ReadingAgainTests(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.area = make_area()
        self.person = make_person(self.area)
        context = database(FIRST)
        self.name = context.__enter__()
        self.addCleanup(context.__exit__, None, None, None)
        self.source = make_source(self.area, self.name, ["a"])
        services.start_intake(
            source=self.source, schemas=["a"], kinds=["tables"], include="", exclude="", logical=None, person=self.person
        )  # fmt: skip
        self.work()
        self.source.refresh_from_db()
        assert self.source.model
        self.model = self.source.model
        place = editing.place_of(column(self.model, "mtr.srl_no"), only_here=False)
        editing.edit(
            area=self.area, person=self.person, place=place, field="definition", seen="", value="Number on the body."
        )
        with psycopg.connect(**server_address(), dbname=self.name, autocommit=True) as server:  # type: ignore[arg-type]
            server.execute(LATER.encode())
        self.sign_in(self.person)

    def test_a_conflict_is_decided_the_rest_taken_and_all_undone(self) -> None:
        self.open(reverse("sources:page", args=[self.area.slug, self.source.pk]))
        self.press("Import selection")
        self.see("Queued")
        self.work()
        self.open(reverse("desk:page", args=[self.area.slug]))
        self.see("1 conflict")
        self.follow(self.source.name)
        self.see("1 conflict to decide")
        self.follow("1 conflict to decide")
        self.see("Number on the body.", ".waits")
        self.assert_accessible("conflict")
        self.click("article.case .pick")
        self.see("Both changed it", "#margin")
        self.keys("m")
        self.until(lambda: not self.browser.find_elements("css selector", ".waits"), "the conflict still waits")
        count = Reconciliation.objects.get().differences.count()
        self.follow(f"all {count}")
        self.press(f"Apply {count}")
        self.see(f"{count} differences applied")
        self.assertTrue(StoredTable.objects.filter(model=self.model, name="reading", removed_at=None).exists())
        shown = DescribedColumn.objects.get(pk=column(self.model, "mtr.srl_no").pk)
        self.assertEqual((shown.definition, shown.comment), ("Number on the body.", "with the prefix"))
        self.assert_accessible("taken")
        self.keys("u")
        self.confirm("differences of a reading in")
        self.see(f"Apply {count}")
        self.assertTrue(StoredTable.objects.filter(model=self.model, name="rdg", removed_at=None).exists())

    def test_one_is_left_a_rename_set_apart_and_the_reading_discard(self) -> None:
        services.start_intake(
            source=self.source, schemas=["a"], kinds=["tables"], include="", exclude="", logical=None, person=self.person
        )  # fmt: skip
        self.work()
        reconciliation = Reconciliation.objects.get()
        self.open(reverse("reconcile:page", args=[self.area.slug, reconciliation.pk]) + "?kind=renamed")
        self.click("article.case .pick")
        self.see("Why it is the same one", "#margin")
        before = reconciliation.differences.count()
        self.press("Not the same")
        self.until(lambda: reconciliation.differences.count() > before, "it is still taken for a rename")
        self.find(f"#diff-{before}")
        self.open(reverse("reconcile:page", args=[self.area.slug, reconciliation.pk]) + "?kind=gone")
        self.click('[data-key="s"]')
        self.until(lambda: reconciliation.differences.filter(kind="gone", decision="later").exists(), "nothing is left")
        self.click("summary.btn")
        self.press("Discard the reading")
        self.see("The model is as it was")
        self.assertEqual(StoredTable.objects.filter(model=self.model, removed_at=None).count(), 3)


class ProposalPageTests(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.area = make_area()
        self.person = make_person(self.area)
        self.stored = store(self.area, lab())
        self.sign_in(self.person)

    def test_looked_for_a_pattern_accepted_one_rejected_by_keyboard_and_undone(self) -> None:
        self.open(reverse("modeling:overview", args=[self.area.slug, self.stored.pk]))
        self.follow("Proposals")
        self.see("Undeclared keys and relationships")
        self.assert_accessible("nothing looked for")
        self.press("Look for proposals")
        self.see("Queued")
        self.work()
        self.open(reverse("proposals:page", args=[self.area.slug, self.stored.pk]) + "?kind=foreign_key")
        self.see("proposals wait")
        self.assert_accessible("proposals")
        waiting = self.text(".head")
        self.press("Accept all 2")
        self.see("2 proposals accepted")
        self.assertEqual(StoredRelationship.objects.filter(table__model=self.stored).count(), 2)
        self.keys("u")
        self.confirm("2 proposals in")
        self.until(lambda: not StoredRelationship.objects.exists(), "the relationships are still there")
        self.until(lambda: self.text(".head") == waiting and self.is_loaded(), "the page is not as it was")
        self.keys("j")
        self.see("Evidence", "#margin")
        self.keys("x")
        self.see("Rejected. Press u")
        self.assertEqual(StoredProposal.objects.filter(state="rejected").count(), 1)
        self.open(reverse("proposals:page", args=[self.area.slug, self.stored.pk]) + "?by=table&kind=primary_key")
        self.click('[data-key="a"]')
        self.see("accepted", "article.case .tag")
        self.assert_accessible("decided")

    def test_rows_are_asked_only_where_that_is_allowed(self) -> None:
        from indexa.jobs.errors import JobFailedError
        from indexa.jobs.progress import Silent

        job = discovery.start(area=self.area, person=self.person, model=self.stored, ask_rows=True)
        with self.assertRaisesMessage(JobFailedError, "No source of this model allows"):
            discovery.find(job, Silent())
        self.open(reverse("proposals:page", args=[self.area.slug, self.stored.pk]))
        self.assertNotIn("ask the rows", self.text())


class ComparingTests(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.area = make_area()
        self.person = make_person(self.area)
        context = database(FIRST)
        self.name = context.__enter__()
        self.addCleanup(context.__exit__, None, None, None)
        source = make_source(self.area, self.name, ["a"])
        services.start_intake(
            source=source, schemas=["a"], kinds=["tables"], include="", exclude="", logical=None, person=self.person
        )  # fmt: skip
        self.work()
        source.refresh_from_db()
        assert source.model
        self.source, self.model = source, source.model
        self.sign_in(self.person)

    def change(self, name: str, type_: str) -> None:
        table = StoredTable.objects.get(model=self.model, name="mtr")
        building.change(
            area=self.area, person=self.person, model=self.model, tables=[table.pk], why="by hand",
            work=lambda part: changing.add_column(part, table.pk, name, type_),
        )  # fmt: skip

    def test_a_model_changed_by_hand_becomes_a_script_that_is_rehearsed_and_saved(self) -> None:
        self.change("note", "text")
        self.change("kind", "char(1)")
        self.open(reverse("modeling:overview", args=[self.area.slug, self.model.pk]))
        self.follow("Compare it")
        self.press("Compare")
        self.see("2 differences")
        self.assert_accessible("comparison")
        self.click("article.recon .pick")
        self.see("It is not there.", "#margin")
        self.browser.switch_to.active_element.send_keys("l")
        self.see("1 to decide", "#compared-head")
        self.browser.find_element("css selector", ".acts summary.btn.main").click()
        self.press("Write it")
        self.see("ADD COLUMN", ".script-steps")
        self.assertEqual(len(self.browser.find_elements("css selector", ".script-steps > li")), 1)
        self.press("Rehearse")
        self.see("Queued")
        self.work()
        self.open(reverse("reconcile:comparisons", args=[self.area.slug]))
        self.click("table.list a")
        self.see("0 differences left", "#margin")
        self.follow("See the script")
        self.see("Taking it back brings the old structure back", "#margin")
        self.assert_accessible("change script")

    def write(self, css: str, text: str) -> None:
        field = self.find(css)
        field.clear()
        field.send_keys(text)

    def test_a_signed_script_is_run_where_an_administrator_allowed_it(self) -> None:
        self.change("note", "text")
        administrator, approver = (make_person(self.area, role) for role in (Role.ADMINISTRATOR, Role.APPROVER))
        made = comparing.start(
            area=self.area, person=self.person, model=self.model, other=other_side(self.area, self.model, "")
        )
        script = scripts.write(made=made, person=self.person, allow_drops=False)
        KeptScript.objects.filter(pk=script.pk).update(rehearsal={"clean": True})
        self.sign_in(administrator)
        self.open(reverse("sources:page", args=[self.area.slug, self.source.pk]))
        self.click("aside summary.btn.small:not(.bad)")
        own = server_address()
        self.write("#change-login", str(own["user"]))
        self.write("#change-password", str(own["password"]))
        self.assert_accessible("allowing scripts")
        self.press("Allow on billing")
        self.see("Approvers may run signed change scripts on billing")
        self.sign_in(approver)
        self.open(reverse("reconcile:script", args=[self.area.slug, made.pk]))
        self.press("Sign off")
        self.see("Signed off by", "#margin")
        self.write("#run-confirmed", "other")
        self.press("Run 1 step")
        self.see("Type the name of the source")
        self.write("#run-confirmed", "billing")
        self.press("Run 1 step")
        self.see("Queued")
        self.work()
        self.see("Run to its end. No difference is left.")
        self.assert_accessible("run")
        self.sign_in(self.person)
        self.open(reverse("reconcile:drift", args=[self.area.slug, self.source.pk]))
        self.press("Watch this source")
        self.see("note", ".drift")
        self.click(".drift tr:not(.group) .as-link")
        self.see("1 difference accepted as known")
        self.see("Nothing open")
        self.assert_accessible("drift")

    def test_a_rehearsal_that_fails_tells_at_which_step_and_why(self) -> None:
        self.change("note", "nosuchtype")
        self.open(reverse("reconcile:comparisons", args=[self.area.slug]))
        self.press("Compare")
        self.see("1 difference")
        self.browser.find_element("css selector", ".acts summary.btn.main").click()
        self.press("Write it")
        self.press("Rehearse")
        self.see("Queued")
        self.work()
        self.browser.refresh()
        self.see("nosuchtype")
