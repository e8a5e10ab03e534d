"""What can't be decided or looked for, and how that is said: on the row, on the page, and by the job."""

from __future__ import annotations

from unittest.mock import patch

from django.urls import reverse
from django.utils import timezone
from django.utils.html import escape

from indexa.changes.models import ChangeSet
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Silent
from indexa.proposals import deciding
from indexa.proposals import discovery as finding
from indexa.proposals.models import StoredProposal
from indexa.store.models import StoredRelationship, StoredTable
from tests.factories import column, table
from tests.proposals.test_proposals import ProposalCase


class RefusalTests(ProposalCase):
    def at(self, name: str, *more: object) -> str:
        return reverse(f"proposals:{name}", args=[self.area.slug, self.stored.pk, *more])

    def job(self, kind: str, **arguments: object) -> Job:
        return Job.objects.create(area=self.area, kind=kind, title="x", started_by=self.person, arguments=arguments)

    def test_nothing_is_decided_while_the_model_is_read(self) -> None:
        one = self.open(kind="foreign_key", table_name="main.sample")
        job = self.job("decide proposals", model=self.stored.pk, of={"kind": "foreign_key"}, accept=True)
        with patch.object(deciding, "try_for_editing", return_value=False):
            answer = self.client.post(self.at("decide", one.pk), {"act": "accept"})
            self.assertContains(answer, "is being read again", status_code=422)
            many = self.client.post(self.at("decide-many"), {"act": "reject", "sure": "1"}, follow=True)
            self.assertContains(many, "is being read again")
            with self.assertRaisesMessage(JobFailedError, "is being read again"):
                deciding.decide_in_background(job, Silent())
        self.assertFalse(StoredProposal.objects.exclude(state="open").exists())
        self.assertFalse(ChangeSet.objects.filter(why__startswith="Accepted").exists())

    def test_a_proposal_whose_table_or_column_went_is_not_accepted_but_can_be_rejected(self) -> None:
        StoredTable.objects.filter(pk=table(self.stored, "point").pk).update(removed_at=timezone.now())
        gone = column(self.stored, "result.sample_id")
        type(gone).objects.filter(pk=gone.pk).update(removed_at=timezone.now())
        for of in (
            {"table_name": "main.sample", "ref_table_name": "main.point"},
            {"table_name": "main.result", "ref_table_name": "main.sample"},
        ):
            one = self.open(kind="foreign_key", **of)
            with self.subTest(of):
                self.assertContains(
                    self.client.post(self.at("decide", one.pk), {"act": "accept"}),
                    "are no longer there",
                    status_code=422,
                )
                self.assertContains(self.client.post(self.at("decide", one.pk), {"act": "reject"}), "rejected")
        self.assertFalse(StoredRelationship.objects.exists())

    def test_of_a_group_what_holds_is_accepted_and_the_rest_stays_open(self) -> None:
        StoredTable.objects.filter(pk=table(self.stored, "point").pk).update(removed_at=timezone.now())
        answer = self.client.post(
            self.at("decide-many"), {"act": "accept", "table": str(table(self.stored, "notice").pk)}, follow=True
        )
        self.assertContains(answer, "accepted")
        self.assertTrue(StoredRelationship.objects.filter(ref_table__name="sample").exists())
        self.assertEqual(self.open(kind="foreign_key", table_name="main.notice").ref_table_name, "main.point")

    def test_what_another_person_decided_meanwhile_is_said_and_stays(self) -> None:
        one = self.open(kind="foreign_key", table_name="main.sample")
        self.accept(pk=one.pk)
        answer = self.client.post(self.at("decide", one.pk), {"act": "reject"})
        self.assertContains(answer, "decided in the meantime", status_code=422)
        self.assertNotContains(answer, "Press u", status_code=422)
        one.refresh_from_db()
        self.assertEqual(one.state, "accepted")
        pattern = {"act": "reject", "kind": one.kind, "pattern": one.pattern}
        StoredProposal.objects.filter(pattern=one.pattern).exclude(pk=one.pk).delete()
        self.assertContains(
            self.client.post(self.at("decide-many"), pattern, follow=True), "Nothing of this was still open"
        )

    def test_a_decision_brings_all_counts_and_the_history_tells_names_from_words(self) -> None:
        one = self.open(kind="foreign_key", table_name="main.sample")
        answer = self.client.post(self.at("decide", one.pk), {"act": "accept"})
        waiting = StoredProposal.objects.filter(state="open").count()
        for state, count in (("open", waiting), ("accepted", 1), ("rejected", 0)):
            self.assertRegex(answer.content.decode(), rf'<span id="proposals-{state}" hx-swap-oob="true"\s*>{count}<')
            self.assertContains(self.client.get(self.at("page")), f'<span id="proposals-{state}">{count}</span>')
        history = self.client.get(reverse("modeling:history", args=[self.area.slug, self.stored.pk]))
        self.assertContains(
            history, "Accepted: relationship <code>main.sample(point_id)</code> → <code>main.point</code>"
        )

    def test_a_group_that_names_nothing_decides_nothing(self) -> None:
        for given in ({}, {"table": "1 or 1=1"}, {"kind": "foreign_key"}):
            with self.subTest(given):
                self.client.post(self.at("decide-many"), {"act": "accept", **given})
                self.assertFalse(StoredProposal.objects.exclude(state="open").exists())

    def test_a_key_that_was_declared_meanwhile_is_not_asserted_over(self) -> None:
        first = self.open(kind="primary_key", table_name="main.point")
        self.accept(pk=first.pk)
        again = StoredProposal.objects.create(
            model=self.stored, kind="primary_key", identity="again", pattern="", table_id=first.table_id, table_name=first.table_name,
            column_ids=first.column_ids, columns=first.columns, confidence=0.9,
        )  # fmt: skip
        answer = self.client.post(self.at("decide", again.pk), {"act": "accept"})
        self.assertContains(answer, "have such a key", status_code=422)

    def test_a_subtype_is_written_down_beside_the_part_that_a_table_has(self) -> None:
        point = table(self.stored, "point")
        StoredTable.objects.filter(pk=point.pk).update(table_role="code table")
        StoredProposal.objects.create(
            model=self.stored, kind="subtype", identity="sub", pattern="", table_id=point.pk, table_name="main.point",
            ref_table_id=table(self.stored, "sample").pk, ref_table_name="main.sample", column_ids=[], columns=[],
            confidence=0.7,
        )  # fmt: skip
        self.accept(identity="sub")
        point.refresh_from_db()
        self.assertEqual(point.table_role, "code table; subtype")

    def test_the_margin_tells_what_speaks_for_it_and_what_else_it_may_be(self) -> None:
        one = self.open(kind="foreign_key", table_name="main.sample")
        StoredProposal.objects.create(
            model=self.stored, kind="foreign_key", identity="rival", pattern="", table_id=one.table_id, table_name=one.table_name,
            column_ids=one.column_ids, columns=one.columns, ref_table_id=table(self.stored, "result").pk, ref_table_name="main.result", confidence=0.2,
        )  # fmt: skip
        page = self.client.get(self.at("margin", one.pk)).content.decode().lower()
        for text in (escape(one.evidence[0].split("`")[0].strip()), "main.result"):
            self.assertIn(text, page)

    def test_looking_is_a_job_that_says_what_is_missing(self) -> None:
        response = self.client.post(self.at("look"), {"ask_rows": "1"})
        job = Job.objects.filter(kind="proposals").latest("pk")
        self.assertRedirects(response, reverse("jobs:page", args=[self.area.slug, job.pk]))
        self.assertTrue(job.arguments["ask_rows"])
        with self.assertRaisesMessage(JobFailedError, "No source of this model allows"):
            finding.find(job, Silent())
        with self.assertRaisesMessage(JobFailedError, "The model was deleted"):
            finding.find(self.job("proposals", model=0), Silent())
        self.assertTrue(StoredProposal.objects.filter(state="open").exists())
