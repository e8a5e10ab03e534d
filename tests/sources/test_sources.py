"""Sources and intakes: tried before they are saved, sealed at rest, read whole or not at all."""

from __future__ import annotations

from unittest.mock import patch

import psycopg
from django.conf import settings
from django.db import connection
from django.test import TestCase, TransactionTestCase, override_settings
from django.urls import reverse

from indexa.adapters.errors import SourceError
from indexa.areas.models import Role
from indexa.changes.models import ChangeSet
from indexa.jobs import services as jobs
from indexa.jobs.errors import JobCancelledError
from indexa.jobs.models import Job
from indexa.jobs.progress import Silent
from indexa.sources import scanning, services
from indexa.sources.intake import read_source
from indexa.sources.models import Intake, Source
from indexa.sources.secrets import SealBrokenError, seal, unseal
from indexa.store.models import StoredModel, StoredTable
from tests.factories import PASSWORD, column, database, make_area, make_person, make_source, server_address, text_of

SCRIPT = """create schema a; create schema b;
create table a.mtr (mtr_id int primary key, mtr_srl_no text); comment on table a.mtr is 'Meter';
create table b.rdg (mtr_id int references a.mtr, ts timestamptz, primary key (mtr_id, ts));"""


class SecretTests(TestCase):
    def test_a_password_is_sealed_with_a_key_outside_the_database(self) -> None:
        sealed = seal("open sesame", "here")
        self.assertNotIn("sesame", sealed)
        self.assertEqual(unseal(sealed, "here"), "open sesame")
        self.assertEqual(unseal(seal("", "here"), "here"), "")
        self.assertEqual(oct(settings.SOURCE_KEY_FILE.stat().st_mode)[-3:], "600")
        with override_settings(SOURCE_KEY_FILE=settings.SOURCE_KEY_FILE.with_name("other.key")):
            with self.assertRaises(SealBrokenError):
                unseal(sealed, "here")
            settings.SOURCE_KEY_FILE.unlink()


class SourceFormTests(TransactionTestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.client.login(username=make_person(self.area).username, password=PASSWORD)
        self.url = reverse("sources:new-of", args=[self.area.slug, "live"])

    def enter(self, name: str, **changes: str) -> object:
        own = server_address()
        entered = {"name": "billing", "platform": "postgresql", "host": own["host"], "port": own["port"], "database": name, "user": name,
                   "tls": "prefer",                   "password": f"reader of {name}"} | changes  # fmt: skip
        return self.client.post(self.url, entered)

    def test_a_source_that_works_is_saved_and_its_password_appears_nowhere(self) -> None:
        with database(SCRIPT) as name:
            self.assertEqual(self.enter(name).status_code, 302)  # type: ignore[attr-defined]
            source = Source.objects.get()
            page = self.client.get(reverse("sources:page", args=[self.area.slug, source.pk]))
            form = self.client.get(reverse("sources:edit", args=[self.area.slug, source.pk]))
            for response in (page, form):
                self.assertNotContains(response, f"reader of {name}")
            offered = self.client.get(reverse("sources:choose", args=[self.area.slug, source.pk]))
            self.assertContains(offered, 'value="a"')
        with connection.cursor() as cursor:
            cursor.execute("select to_jsonb(source)::text from source")
            self.assertNotIn("reader of", cursor.fetchone()[0])

    def test_one_that_does_not_is_not_saved_and_what_was_typed_stays(self) -> None:
        with database(SCRIPT) as name:
            for code, changes in {
                "password": {"password": "wrong"},
                "no-database": {"database": "nosuch"},
                "nothing-listens": {"port": "1"},
                "host-not-allowed": {"host": "10.1.2.3"},
            }.items():
                with self.subTest(code):
                    response = self.enter(name, **changes)
                    self.assertContains(response, f'data-failure="{code}"', status_code=422)  # type: ignore[arg-type]
                    self.assertContains(response, 'value="billing"', status_code=422)  # type: ignore[arg-type]
                    self.assertNotContains(response, "reader of", status_code=422)  # type: ignore[arg-type]
        self.assertFalse(Source.objects.exists())

    def test_a_url_fills_the_fields(self) -> None:
        own = server_address()
        with database(SCRIPT) as name:
            url = f"postgresql://{name}:reader%20of%20{name}@{own['host']}:{own['port']}/{name}"
            entered = {"name": "by url", "platform": "postgresql", "url": url, "tls": "prefer"}
            self.assertEqual(self.client.post(self.url, entered).status_code, 302)
            self.assertEqual(Source.objects.get().database, name)


class IntakeTests(TransactionTestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.person = make_person(self.area)

    def job(self, source: Source) -> Job:
        return Job.objects.create(
            area=self.area, kind="intake", title="Reading", arguments={"source": source.pk}, started_by=self.person
        )

    def test_an_intake_makes_both_layers_and_a_receipt(self) -> None:
        with database(SCRIPT) as name:
            job = self.job(make_source(self.area, name, ["a", "b"]))
            jobs.run(job.pk)
        job.refresh_from_db()
        self.assertEqual((job.state, job.reason), (Job.State.DONE, ""))
        intake = Intake.objects.get()
        self.assertEqual((intake.receipt["arrived"]["tables"], intake.receipt["arrived"]["foreign keys"]), (2, 1))
        self.assertTrue(intake.receipt["source_version"])
        physical, logical = StoredModel.objects.get(layer="physical"), StoredModel.objects.get(layer="logical")
        self.assertEqual(physical.logical, logical)
        self.assertEqual(column(physical, "mtr.mtr_srl_no").attribute.table.model, logical)  # type: ignore[union-attr]
        self.assertEqual(ChangeSet.objects.get().kind, ChangeSet.Kind.INTAKE)
        self.client.login(username=self.person.username, password=PASSWORD)
        self.assertIn("1 foreign key", text_of(self.client.get(job.result_url)))

    def test_a_source_that_fails_leaves_nothing_and_the_reason(self) -> None:
        with database(SCRIPT) as name:
            source = make_source(self.area, name, ["a", "b"])
            services.save(source, password="another one")
            job = self.job(source)
            jobs.run(job.pk)
        job.refresh_from_db()
        self.assertEqual(job.state, Job.State.FAILED)
        self.assertIn("did not accept the password", job.reason)
        self.assertFalse(StoredModel.objects.exists())

    def test_calling_it_off_at_any_step_leaves_nothing(self) -> None:
        class CalledOff:
            def __init__(self, after: int) -> None:
                self.left = after

            def report(self, step: str, done: int = 0, total: int = 0) -> None:
                self.left -= 1
                if self.left < 0:
                    raise JobCancelledError

        with database(SCRIPT) as name:
            source = make_source(self.area, name, ["a", "b"])
            steps = 0
            while True:
                job = self.job(source)
                with patch("indexa.jobs.progress.JobProgress.report", CalledOff(steps).report):
                    jobs.run(job.pk)
                job.refresh_from_db()
                if job.state == Job.State.DONE:
                    break
                self.assertEqual(job.state, Job.State.CANCELLED)
                self.assertFalse(StoredModel.objects.exists() or StoredTable.objects.exists(), f"after {steps} steps")
                steps += 1
        self.assertGreater(steps, 12)

    def test_one_source_is_not_read_twice_at_once(self) -> None:
        with database(SCRIPT) as name:
            source = make_source(self.area, name, ["a"])
            job = self.job(source)
            with psycopg.connect(**server_address(), dbname=connection.settings_dict["NAME"]) as other:
                other.execute("select pg_advisory_lock(%s, %s)", [0x1DE8B, source.pk])
                jobs.run(job.pk)
        job.refresh_from_db()
        self.assertIn("Another reading", job.reason)

    def test_a_host_that_is_not_allowed_is_not_asked(self) -> None:
        source = Source(area=self.area, name="x", host="10.0.0.1", database="d", user="u")
        with self.assertRaises(SourceError) as caught:
            scanning.probe(source, "p")
        self.assertEqual(caught.exception.code, "host-not-allowed")

    def test_the_choice_page_shows_what_is_there_and_starts_the_reading(self) -> None:
        self.client.login(username=make_person(self.area, Role.STEWARD).username, password=PASSWORD)
        with database(SCRIPT) as name:
            source = make_source(self.area, name)
            url = reverse("sources:choose", args=[self.area.slug, source.pk])
            self.assertContains(self.client.post(url, {"kinds": ["tables"]}), "at least one schema", status_code=422)
            response = self.client.post(url, {"kinds": ["tables"], "schemas": ["b"]})
            job = Job.objects.get()
            self.assertRedirects(response, reverse("jobs:page", args=[self.area.slug, job.pk]))
            read_source(job, Silent())
        self.assertEqual([table.full_name for table in StoredTable.objects.filter(model__layer="physical")], ["b.rdg"])
