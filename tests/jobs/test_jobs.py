"""Jobs: progress that others see, cancel, failure with a reason, and a worker that is killed in the middle."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from unittest.mock import patch

import msgspec
import psycopg
from django.db import connection
from django.test import TransactionTestCase
from django.urls import reverse

from indexa.areas.models import Role
from indexa.jobs import registry, services, tasks
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import LOCK_CLASS, Progress
from indexa.store.models import Snapshot, StoredModel, StoredTable
from tests.factories import PASSWORD, database, make_area, make_person, make_source, server_address

ROOT = Path(__file__).resolve().parents[2]
SCRIPT = "create table mtr (mtr_id int primary key); create table rdg (mtr_id int references mtr, v int);"


class JobCase(TransactionTestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.person = make_person(self.area)

    def run_with(self, handler: Callable[[Job, Progress], str]) -> Job:
        job = Job.objects.create(area=self.area, kind="test", title="A job", started_by=self.person)
        with patch.object(services, "_run", handler):
            services.run(job.pk)
        job.refresh_from_db()
        return job

    def other_connection(self) -> psycopg.Connection[tuple[object, ...]]:
        return psycopg.connect(**server_address(), dbname=connection.settings_dict["NAME"], autocommit=True)


class RunTests(JobCase):
    def test_progress_is_seen_by_others_while_it_runs_and_the_work_only_after(self) -> None:
        seen = []

        def handler(job: Job, progress: Progress) -> str:
            StoredModel.objects.create(area=job.area, name="half", layer="physical")
            progress.report("Counting", 3, 10)
            with self.other_connection() as other:
                seen.extend(other.execute("select state, step, done, total, (select count(*) from model) from job"))
            return "/result/"

        job = self.run_with(handler)
        self.assertEqual(seen, [("running", "Counting", 3, 10, 0)])
        self.assertEqual((job.state, job.result_url, job.attempts), (Job.State.DONE, "/result/", 1))
        self.assertTrue(StoredModel.objects.exists())

    def test_a_cancelled_job_keeps_nothing(self) -> None:
        def handler(job: Job, progress: Progress) -> str:
            StoredModel.objects.create(area=job.area, name="half", layer="physical")
            with self.other_connection() as other:
                other.execute("update job set cancel_requested = true")
            progress.report("Next step")
            return "never"

        job = self.run_with(handler)
        self.assertEqual(job.state, Job.State.CANCELLED)
        self.assertFalse(StoredModel.objects.exists())

    def test_a_failure_says_why_and_what_to_do_and_an_unexpected_one_hides_its_inside(self) -> None:
        def told(job: Job, progress: Progress) -> str:
            raise JobFailedError("The source was gone.", "Enter it again.")

        def unexpected(job: Job, progress: Progress) -> str:
            raise ValueError("secret inside")

        job = self.run_with(told)
        self.assertEqual(
            (job.state, job.reason, job.hint), (Job.State.FAILED, "The source was gone.", "Enter it again.")
        )
        with self.assertLogs("indexa.jobs.services", "ERROR"):
            job = self.run_with(unexpected)
        self.assertEqual(job.state, Job.State.FAILED)
        self.assertNotIn("secret", job.reason + job.hint)

    def test_a_waiting_job_is_cancelled_at_once_and_one_that_is_over_is_not_run(self) -> None:
        job = services.start(area=self.area, kind="scan", title="Waiting", person=self.person, source=1)
        services.cancel(job)
        job.refresh_from_db()
        self.assertEqual(job.state, Job.State.CANCELLED)
        services.run(job.pk)
        job.refresh_from_db()
        self.assertEqual((job.state, job.attempts), (Job.State.CANCELLED, 0))


class RecoveryTests(JobCase):
    def lost(self, attempts: int) -> Job:
        return Job.objects.create(
            area=self.area,
            kind="intake",
            arguments={"source": 1},
            title="Lost",
            state=Job.State.RUNNING,
            attempts=attempts,
            started_by=self.person,
        )

    def test_a_job_without_a_worker_is_taken_up_and_given_up_after_the_last_attempt(self) -> None:
        once, often, held = self.lost(1), self.lost(services.MOST_ATTEMPTS), self.lost(1)
        with self.other_connection() as worker:
            worker.execute("select pg_advisory_lock(%s, %s)", [LOCK_CLASS, held.pk])
            self.assertCountEqual(services.recover(), [once.pk, often.pk])
        states = {job.pk: job.state for job in Job.objects.all()}
        self.assertEqual(states, {once.pk: Job.State.WAITING, often.pk: Job.State.FAILED, held.pk: Job.State.RUNNING})
        with connection.cursor() as cursor:
            cursor.execute("select count(*) from procrastinate_jobs where args->>'job_id' = %s", [str(once.pk)])
            self.assertEqual(cursor.fetchone()[0], 1)

    def test_a_failed_job_can_be_run_again_from_its_page(self) -> None:
        job = self.lost(3)
        services.recover()
        self.client.login(username=self.person.username, password=PASSWORD)
        page = self.client.get(reverse("jobs:page", args=[self.area.slug, job.pk]))
        self.assertContains(page, "Its worker was stopped in the middle")
        self.client.post(reverse("jobs:again", args=[self.area.slug, job.pk]))
        self.assertEqual(Job.objects.filter(state=Job.State.WAITING, title="Lost").count(), 1)
        Job.objects.filter(pk=job.pk).update(arguments={"of": "an earlier version"})
        answer = self.client.post(reverse("jobs:again", args=[self.area.slug, job.pk]), follow=True)
        self.assertContains(answer, "of an earlier version")
        self.client.login(username=make_person(self.area, Role.READER).username, password=PASSWORD)
        self.assertEqual(self.client.post(reverse("jobs:again", args=[self.area.slug, job.pk])).status_code, 403)


class KilledWorkerTests(JobCase):
    def worker(self) -> subprocess.Popen[bytes]:
        own = connection.settings_dict
        url = f"postgresql://{own['USER']}:{own['PASSWORD']}@{own['HOST']}:{own['PORT']}/{own['NAME']}"
        process = subprocess.Popen(
            [sys.executable, "manage.py", "work"], cwd=ROOT, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
            env=os.environ | {"INDEXA_DATABASE_URL": url, "DJANGO_SETTINGS_MODULE": "indexa.config.settings.test"},
        )  # fmt: skip
        self.addCleanup(process.wait)
        self.addCleanup(process.kill)
        return process

    def wait_for(self, what: Callable[[], bool], seconds: float = 40) -> None:
        deadline = time.monotonic() + seconds
        while not what():
            self.assertLess(time.monotonic(), deadline, f"{Job.objects.values('state', 'step', 'reason')}")
            time.sleep(0.05)

    def somebody_waits_for_the_keys(self) -> bool:
        with connection.cursor() as cursor:
            cursor.execute("select count(*) from pg_locks where not granted and relation = 'model_key'::regclass")
            return bool(cursor.fetchone()[0])

    def test_a_worker_killed_in_the_middle_leaves_nothing_half_and_the_next_one_finishes(self) -> None:
        with database(SCRIPT) as name, self.other_connection() as other:
            source = make_source(self.area, name, ["public"])
            job = services.start(area=self.area, kind="intake", title="Reading", person=self.person, source=source.pk)
            # Whoever holds this lock stops the worker in the middle of storing.
            other.execute("begin")
            other.execute("lock table model_key in access exclusive mode")
            first = self.worker()
            self.wait_for(self.somebody_waits_for_the_keys)
            os.kill(first.pid, signal.SIGKILL)
            first.wait()
            other.execute("rollback")
            for kind in (StoredModel, StoredTable, Snapshot):
                self.assertFalse(kind.objects.exists(), kind)  # type: ignore[attr-defined]
            self.assertEqual(Job.objects.get(pk=job.pk).state, Job.State.RUNNING)
            second = self.worker()
            self.wait_for(lambda: Job.objects.get(pk=job.pk).state == Job.State.DONE)
            second.send_signal(signal.SIGTERM)
            second.wait(20)
        self.assertEqual(Job.objects.get(pk=job.pk).attempts, 2)
        self.assertEqual(StoredTable.objects.filter(model__layer="physical").count(), 2)


class RegistryTests(JobCase):
    def test_each_app_says_what_it_does_and_arguments_are_checked_at_the_door(self) -> None:
        for kind in (
            "scan",
            "intake",
            "undo",
            "export",
            "naming pass",
            "apply pass",
            "proposals",
            "edition",
            "dictionary rows",
        ):
            self.assertTrue(callable(registry.kind_of(kind).run), kind)
        with self.assertRaisesMessage(registry.UnknownJobKindError, "Known: "):
            services.start(area=self.area, kind="nosuch", title="x", person=self.person)
        for arguments in ({}, {"source": "one"}, {"source": 1, "other": 2}):
            with self.subTest(arguments), self.assertRaises(msgspec.ValidationError):
                services.start(area=self.area, kind="scan", title="x", person=self.person, **arguments)
        self.assertFalse(Job.objects.exists())

    def test_what_is_due_once_a_minute_is_called_though_another_fails(self) -> None:
        called: list[str] = []

        def fails() -> None:
            raise ValueError("of its own")

        with (
            patch.dict(registry._every_minute, {"a": fails, "b": lambda: called.append("b")}, clear=True),
            self.assertLogs("indexa.jobs.tasks", "ERROR"),
        ):
            tasks.every_minute(0)
        self.assertEqual(called, ["b"])
        self.assertIn("indexa.sources.schedules.run_due", registry.minutely())
