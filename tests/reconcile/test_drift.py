"""Drift of a watched source: told once, accepted until it changes, as a rule says, in mails and as a feed; versions and branches."""

from __future__ import annotations

from typing import Any
from xml.etree import ElementTree as ET

from django.core import mail
from django.urls import reverse

from indexa.areas.models import Membership, Role
from indexa.core.building import changing
from indexa.core.compare.comparing import compare
from indexa.core.model import Column, Index, IndexPart, Model, Table
from indexa.editions import services as editions
from indexa.editions.building import build_edition, publish_edition
from indexa.editions.choices import Choices
from indexa.editions.models import SigningRule
from indexa.jobs.models import Job
from indexa.jobs.progress import Silent
from indexa.reconcile import services as reconciliations
from indexa.reconcile.models import DriftWatch, ModelComparison
from indexa.sources import schedules
from indexa.sources.models import Intake
from indexa.sources.signals import ReadingResult
from indexa.store.models import StoredModel
from indexa.store.storing import keep_snapshot, read_snapshot
from tests.factories import PASSWORD, column, make_person, text_of
from tests.reconcile.test_comparing import ComparingCase


class DriftTests(ComparingCase):
    def setUp(self) -> None:
        super().setUp()
        self.post("watch-drift", self.source.pk, ignore=["owners"])
        self.watch = DriftWatch.objects.get()

    def found(self, found: Model) -> ReadingResult | None:
        """Read the source again, as the intake does."""
        intake = Intake.objects.create(
            source=self.source, model=self.model, snapshot=keep_snapshot(found), receipt={"arrived": {}, "notes": []}
        )
        self.model.refresh_from_db()
        assert self.model.snapshot is not None
        return reconciliations.follow_reading(
            None, intake=intake, comparison=compare(read_snapshot(self.model.snapshot), found), scheduled=True
        )

    def drifted(self) -> Model:
        found = self.now()
        found.tables[0].columns[1].type = "text"
        found.tables.append(Table(schema="audit", name="trail", columns=[Column("code", 1, "integer", False)]))
        return found

    def names(self, **given: Any) -> list[str]:
        return sorted(one.name for one in self.watch.findings.filter(**given))

    def test_what_is_new_is_told_once_and_accepted_until_it_changes(self) -> None:
        result = self.found(self.drifted())
        assert result is not None
        self.assertIn("New against the model since the last reading, 2", result.text)
        self.assertIn("changed column mtr_srl_no type", result.text)
        serial = self.watch.findings.get(name="mtr_srl_no")
        self.assertContains(
            self.post("accept-drift", self.source.pk, number=serial.number, known="1"), "1 difference accepted"
        )
        result = self.found(self.drifted())
        assert result is not None
        self.assertNotIn("New against", result.text)
        self.assertEqual(self.names(accepted_at=None), ["trail"])
        other = self.drifted()
        other.tables[0].columns[1].type = "varchar(99)"
        self.found(other)
        self.assertEqual(self.names(accepted_at=None), ["mtr_srl_no", "trail"])
        points = [(one.from_model, one.from_version, one.new) for one in self.watch.points.all()]
        self.assertEqual(points, [(0, None, 0), (2, None, 2), (2, None, 0), (2, None, 1)])
        page = self.client.get(reverse("reconcile:drift", args=[self.area.slug, self.source.pk]))
        self.assertContains(page, "<polyline")
        self.assertContains(page, "audit.trail")
        desk = self.client.get(reverse("desk:page", args=[self.area.slug]))
        self.assertIn("2 differences to billing", text_of(desk))

    def test_a_rule_says_what_matters(self) -> None:
        found = self.drifted()
        parts = (IndexPart(column="mtr_srl_no"),)
        found.tables[0].indexes.append(Index(name="ix", parts=parts))
        self.found(found)
        self.assertEqual(self.watch.findings.count(), 3)
        self.post("watch-drift", self.source.pk, ignore=["indexes"], schemas="metering other")
        self.assertEqual(self.names(), ["mtr_srl_no"])
        self.assertEqual(self.watch.points.count(), 2)

    def test_what_people_change_in_the_model_is_seen_when_it_is_looked_at_again(self) -> None:
        self.post("keep-version", self.model.pk, label="first")
        self.by_hand("mtr", lambda part, id_: changing.add_column(part, id_, "note", "text"))
        self.post("look-again", self.source.pk)
        self.assertEqual(self.names(), ["note"])
        point = self.watch.points.get()
        self.assertEqual((point.from_model, point.from_version), (1, 0))

    def test_the_mail_about_a_reading_tells_it(self) -> None:
        self.person.email = "ines@tarnbeck.example"
        self.person.save()
        schedules.save(source=self.source, cron="0 5 * * *", watchers=[self.person], person=self.person)
        result = self.found(self.drifted())
        assert result is not None
        job = Job.objects.create(area=self.area, kind="intake", title="x", arguments={"source": self.source.pk})
        schedules.mail_result(job, result)
        self.assertEqual(len(mail.outbox), 1)
        self.assertIn("audit.trail", str(mail.outbox[0].body))

    def test_the_feed_is_read_without_signing_in_until_it_is_ended(self) -> None:
        self.found(self.drifted())
        address = self.client.get(reverse("reconcile:drift", args=[self.area.slug, self.source.pk])).context["feed"]
        path = "/" + address.split("/", 3)[3]
        self.client.logout()
        answer = self.client.get(path)
        self.assertEqual(answer["Content-Type"], "application/atom+xml; charset=utf-8")
        entries = ET.fromstring(answer.content).findall("{http://www.w3.org/2005/Atom}entry")
        self.assertEqual(len(entries), 1)
        self.assertIn("audit.trail", ET.tostring(entries[0], encoding="unicode"))
        self.assertEqual(self.client.get(path.replace("/drift/", "/drift/x")).status_code, 404)
        membership = Membership.objects.get(area=self.area, person=self.person)
        membership.delete()
        self.assertEqual(self.client.get(path).status_code, 404)
        membership.save(force_insert=True)
        self.assertEqual(self.client.get(path).status_code, 200)
        self.client.login(username=self.person.username, password=PASSWORD)
        self.post("renew-feed", self.source.pk)
        self.assertEqual(self.client.get(path).status_code, 404)

    def test_readers_look_and_change_nothing(self) -> None:
        self.client.login(username=make_person(self.area, Role.READER).username, password=PASSWORD)
        page = reverse("reconcile:drift", args=[self.area.slug, self.source.pk])
        self.assertEqual(self.client.get(page).status_code, 200)
        for view in ("watch-drift", "stop-drift", "accept-drift", "look-again", "renew-feed"):
            self.assertEqual(self.post(view, self.source.pk).status_code, 403, view)
        self.assertEqual(self.post("branch", self.model.pk, name="x").status_code, 403)


class BranchTests(ComparingCase):
    def test_a_branch_s_changes_come_back_and_what_both_changed_is_told(self) -> None:
        self.assertContains(self.post("branch", self.model.pk, name="spring"), "spring is a branch of billing")
        copy = StoredModel.objects.get(name="spring")
        self.assertContains(self.post("branch", self.model.pk, name="spring"), "There is a")
        own, self.model = self.model, copy
        serial = column(copy, "mtr.mtr_srl_no").pk
        self.by_hand("mtr", lambda part, id_: changing.add_column(part, id_, "note", "text"))
        self.by_hand("mtr", lambda part, id_: changing.change_column(part, id_, serial, type_="varchar(40)"))
        self.model = own
        serial = column(own, "mtr.mtr_srl_no").pk
        self.by_hand("mtr", lambda part, id_: changing.change_column(part, id_, serial, type_="text"))
        made = self.compare(other=f"model {copy.pk}")
        rows = {one.name: (one.side, one.decision) for one in made.differences.all()}
        self.assertEqual(rows, {"note": ("other", "take"), "mtr_srl_no": ("both", "later")})
        self.assertContains(self.post("take", made.pk), "1 difference taken into billing")
        self.assertEqual(column(own, "mtr.note").type, "text")

    def test_a_publication_keeps_a_version_where_something_changed(self) -> None:
        SigningRule.objects.create(area=self.area, approvals=0)
        for number in (1, 2):
            edition, job = editions.prepare(
                area=self.area,
                person=self.person,
                title=f"Spring {number}",
                note="",
                choices=Choices(models=[self.model.pk]),
            )
            build_edition(job, Silent())
            publish_edition(editions.publish(edition_id=edition.pk, area=self.area, person=self.person), Silent())
        self.assertEqual([one.label for one in self.model.versions.all()], ["Edition 1, Spring 1"])
        self.assertFalse(ModelComparison.objects.exists())
