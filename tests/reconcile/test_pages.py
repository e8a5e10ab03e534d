"""The page of a later reading: decisions one by one and together, and what it says when one can't be taken."""

from __future__ import annotations

from unittest.mock import patch

from django.urls import reverse

from indexa.changes import undoing
from indexa.changes.models import ChangeSet
from indexa.jobs.models import Job
from indexa.reconcile import services as reconciliations
from indexa.reconcile.models import FoundDifference, Reconciliation
from indexa.store.models import StoredTable
from tests.reconcile.test_reading_again import AgainCase


class AgainPageTests(AgainCase):
    def setUp(self) -> None:
        super().setUp()
        self.reading = self.work_and_read_again()

    def at(self, name: str, *more: object) -> str:
        return reverse(f"reconcile:{name}", args=[self.area.slug, self.reading.pk, *more])

    def found(self, **of: object) -> FoundDifference:
        return self.reading.differences.get(**of)

    def said(self, address: str, **given: object) -> str:
        return self.client.post(address, given, follow=True).content.decode()

    def decisions(self) -> dict[str, str]:
        return dict(self.reading.differences.values_list("identity", "decision"))

    def test_the_margin_shows_both_values_and_what_goes_along(self) -> None:
        conflict = self.found(conflict="name")
        page = self.client.get(self.at("margin", conflict.number)).content.decode()
        for text in ("field_crew", "team", self.person.display_name):
            self.assertIn(text, page)
        self.assertEqual(self.client.get(self.at("margin", 9_999)).status_code, 404)

    def test_decisions_of_a_kind_are_taken_together_and_conflicts_stay(self) -> None:
        self.assertIn("changed.", self.said(self.at("decide"), decision="later", kind="new"))
        kept = self.found(conflict="name").decision
        self.assertEqual({one.decision for one in self.reading.differences.filter(kind="new")}, {"later"})
        self.said(self.at("decide"), decision="take")
        self.assertEqual(self.found(conflict="name").decision, kept)
        self.assertEqual(self.found(kind="gone", name="gone_soon").decision, "take")

    def test_a_decision_that_is_none_is_refused_where_it_was_made(self) -> None:
        before, number = self.decisions(), self.found(conflict="name").number
        text = self.client.post(self.at("decide"), {"number": number, "decision": "burn"})
        self.assertContains(text, "is no decision", status_code=422)
        self.assertIn("is no decision", self.said(self.at("decide"), decision="burn", kind="new"))
        self.assertEqual(self.decisions(), before)

    def test_only_what_seems_renamed_is_set_apart(self) -> None:
        self.assertIn(
            "can be said to be two things",
            self.said(self.at("reject-rename", self.found(kind="new", name="fresh").number)),
        )
        self.said(self.at("reject-rename", self.found(kind="renamed", name="inst_dt").number))
        kinds = set(self.reading.differences.filter(name__in=["inst_dt", "installed_on"]).values_list("kind", "name"))
        self.assertEqual(kinds, {("gone", "inst_dt"), ("new", "installed_on")})

    def test_what_a_person_matches_is_renamed_until_it_is_parted_again(self) -> None:
        gone, new = self.found(kind="gone", name="old_tx"), self.found(kind="new", name="tag")
        margin = self.client.get(self.at("margin", gone.number)).content.decode()
        self.assertIn(f'value="{new.number}"', margin)
        self.assertIn("can be matched with", self.said(self.at("match", gone.number), **{"with": 9_999}))
        self.assertIn("Matched", self.said(self.at("match", gone.number), **{"with": new.number}))
        renamed = self.found(kind="renamed", name="old_tx")
        self.assertEqual((renamed.after, renamed.evidence), ("tag", ["a person said that it is the same"]))
        self.assertIn("differences applied", self.said(self.at("apply")))
        self.assertEqual(self.shown("mtr.tag"), "Nobody knows.")
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(self.shown("mtr.old_tx"), "Nobody knows.")

    def test_the_next_reading_keeps_what_was_matched_and_parting_takes_it_back(self) -> None:
        gone, new = self.found(kind="gone", name="old_tx"), self.found(kind="new", name="tag")
        self.said(self.at("match", new.number), **{"with": gone.number})
        self.read()
        self.reading = Reconciliation.objects.get(state="waiting")
        self.said(self.at("reject-rename", self.found(kind="renamed", name="old_tx").number))
        self.assertEqual(self.found(name="old_tx").kind, "gone")

    def test_nothing_chosen_is_nothing_taken(self) -> None:
        self.reading.differences.update(decision="later")
        self.assertIn("Nothing is chosen", self.said(self.at("apply")))
        self.assertFalse(StoredTable.objects.filter(name="fresh").exists())

    def test_what_is_taken_is_told_with_what_waits_and_can_not_be_taken_twice(self) -> None:
        text = self.said(self.at("apply"))
        self.assertIn("differences applied.", text)
        self.assertIn("skipped for now", text)  # the conflicts
        self.assertTrue(StoredTable.objects.filter(name="fresh").exists())
        sets = ChangeSet.objects.count()
        for name in ("apply", "discard"):
            self.assertIn("This reading is decided", self.said(self.at(name)))
        number = self.found(conflict="name").number
        text = self.client.post(self.at("decide"), {"number": number, "decision": "take"}).content.decode()
        self.assertIn("This reading is decided", text)
        self.assertEqual(ChangeSet.objects.count(), sets)

    def test_what_is_discarded_leaves_the_model_and_comes_again(self) -> None:
        self.assertIn("Discarded", self.said(self.at("discard")))
        self.assertFalse(StoredTable.objects.filter(name="fresh").exists())
        self.assertEqual(self.read().state, Job.State.DONE)
        self.assertEqual(Reconciliation.objects.filter(state="waiting").count(), 1)

    def test_very_much_is_taken_by_a_job_that_says_why_it_could_not(self) -> None:
        with patch.object(undoing, "LARGE", 1):
            response = self.client.post(self.at("apply"))
        job = Job.objects.get(kind="apply reading")
        self.assertRedirects(response, reverse("jobs:page", args=[self.area.slug, job.pk]))
        reconciliations.discard(area=self.area, person=self.person, reconciliation_id=self.reading.pk)
        self.run_job(job)
        self.assertEqual(job.state, Job.State.FAILED)
        self.assertIn("This reading is decided", job.reason)
        self.assertFalse(StoredTable.objects.filter(name="fresh").exists())
