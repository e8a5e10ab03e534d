"""While Indexa's own database is away: what pages answer, what the log says, and what becomes of jobs."""

from __future__ import annotations

import io
import logging
from collections.abc import Iterator
from contextlib import contextmanager
from unittest.mock import patch

import psycopg
from django.core.management import call_command
from django.db import OperationalError, connection
from django.test import Client, TestCase, TransactionTestCase
from django.urls import reverse
from django.utils import timezone

from indexa.database_errors import is_collision, is_outage
from indexa.jobs import services
from indexa.jobs.management.commands import work
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress
from indexa.ui.outages import OneLine
from tests.factories import PASSWORD, make_area, make_person


@contextmanager
def database_away() -> Iterator[None]:
    """No new connection is to be had, as while the server is down."""

    def refuse() -> None:
        raise psycopg.OperationalError("connection failed: Connection refused")

    connection.close()
    with patch.object(connection, "get_new_connection", lambda _: refuse()):
        yield
    connection.close()


class PageTests(TransactionTestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.client = Client(raise_request_exception=False)
        self.client.login(username=make_person(self.area).username, password=PASSWORD)
        self.desk = reverse("desk:page", args=[self.area.slug])

    def test_pages_say_so_without_asking_the_database_and_come_back_by_themselves(self) -> None:
        with database_away():
            page = self.client.get(self.desk)
            posted = self.client.post(self.desk)
            signing_in = Client(raise_request_exception=False).post(
                reverse("sign-in"), {"username": "a", "password": "b"}
            )
        for answer in (page, posted, signing_in):
            self.assertEqual(answer.status_code, 503)
            self.assertEqual(answer["Retry-After"], "5")
            self.assertContains(answer, "database does not answer", status_code=503)
        self.assertContains(page, 'http-equiv="refresh"', status_code=503)
        self.assertNotContains(posted, 'http-equiv="refresh"', status_code=503)
        self.assertEqual(self.client.get(self.desk).status_code, 200)

    def test_load_balancers_are_told(self) -> None:
        def health(which: str) -> int:
            return Client(headers={"Host": "10.0.0.7"}).get(f"/health/{which}").status_code

        self.assertEqual((health("live"), health("ready")), (200, 200))
        with database_away():
            self.assertEqual((health("live"), health("ready")), (200, 503))

    def test_one_line_of_the_log_a_request(self) -> None:
        written = io.StringIO()
        handler = logging.StreamHandler(written)
        handler.addFilter(OneLine())
        logger = logging.getLogger("django.request")
        level, propagate = logger.level, logger.propagate
        logger.setLevel("ERROR")
        logger.addHandler(handler)
        self.addCleanup(logger.setLevel, level)
        self.addCleanup(logger.removeHandler, handler)
        self.assertTrue(propagate)
        with database_away(), patch("logging.lastResort", None):
            for _ in range(3):
                self.client.get(self.desk)
        lines = written.getvalue().splitlines()
        self.assertEqual(len(lines), 3, written.getvalue())
        self.assertIn("the database is away (connection failed", lines[0])

    def test_two_changes_that_met_are_told_as_that(self) -> None:
        error = OperationalError("deadlock detected")
        error.__cause__ = psycopg.errors.DeadlockDetected("deadlock detected")
        with patch("indexa.desk.views.StoredModel.objects.filter", side_effect=error):
            self.assertContains(self.client.get(self.desk), "Two changes met", status_code=409)

    def test_errors_are_told_apart(self) -> None:
        cases = {
            psycopg.OperationalError("server closed the connection unexpectedly"): (True, False),
            psycopg.errors.AdminShutdown("terminating connection"): (True, False),
            psycopg.errors.SerializationFailure("could not serialize"): (False, True),
            psycopg.errors.QueryCanceled("statement timeout"): (False, False),
            psycopg.errors.UndefinedTable("no such table"): (False, False),
            ValueError("no error of a database"): (False, False),
        }
        for error, text in cases.items():
            with self.subTest(error):
                self.assertEqual((is_outage(error), is_collision(error)), text)


class JobTests(TransactionTestCase):
    def setUp(self) -> None:
        self.job = Job.objects.create(area=make_area(), kind="scan", title="Scanning x")

    def run_with(self, *outcomes: object) -> Job:
        waiting = list(outcomes)

        def handler(job: Job, progress: Progress) -> str:
            outcome = waiting.pop(0)
            if isinstance(outcome, Exception):
                raise outcome
            return str(outcome)

        with patch.object(services, "_run", handler), patch.object(services, "_enqueue") as queued:
            for _ in outcomes:
                services.run(self.job.pk)
        self.queued = queued.call_count
        self.job.refresh_from_db()
        return self.job

    def test_a_job_that_lost_the_database_is_queued_again_however_often(self) -> None:
        away = psycopg.errors.AdminShutdown("terminating connection due to administrator command")
        job = self.run_with(away, away, away, away, "/done/")
        self.assertEqual((job.state, job.attempts, job.result_url, self.queued), (Job.State.DONE, 1, "/done/", 4))

    def test_any_other_error_still_ends_it(self) -> None:
        with self.assertLogs("indexa.jobs.services", "ERROR"):
            job = self.run_with(ValueError("of our own"))
        self.assertEqual((job.state, self.queued), (Job.State.FAILED, 0))

    def test_one_whose_queue_entry_was_lost_with_its_worker_is_found(self) -> None:
        with patch.object(services, "_enqueue") as queued:
            services.recover()
            self.assertEqual(queued.call_count, 0)  # it may only just have been made
            Job.objects.update(created_at=timezone.now() - timezone.timedelta(minutes=1))
            self.assertEqual(services.recover(), [self.job.pk])
            self.assertEqual(queued.call_count, 1)

    def test_the_worker_takes_the_queue_up_again(self) -> None:
        broken = [psycopg.OperationalError("connection refused")] * 3
        with (
            patch.object(work, "call_command", side_effect=[*broken, None]) as worked,
            patch.object(work.Event, "wait", return_value=False) as paused,
            patch.object(work.connections, "close_all"),
            self.assertLogs("indexa.jobs.management.commands.work", "WARNING") as text,
        ):
            call_command("work")
        self.assertEqual(worked.call_count, 4)
        self.assertEqual(paused.call_count, 3)
        self.assertEqual(len(text.output), 3)


class CoverageTests(TestCase):
    """What the database counts by itself."""

    def test_counts_follow_every_kind_of_change(self) -> None:
        from indexa.dictionary.models import DictionaryCoverage, DictionaryRow
        from tests.factories import make_model, store

        store(make_area(), make_model())

        def counted() -> dict[int, tuple[int, int, int]]:
            return {one.table_id: (one.columns, one.named, one.described) for one in DictionaryCoverage.objects.all()}

        def wanted() -> dict[int, tuple[int, int, int]]:
            found: dict[int, list[int]] = {}
            for row in DictionaryRow.objects.all():
                counts = found.setdefault(row.table_id, [0, 0, 0])
                for at, holds in enumerate((True, row.named, row.described)):
                    counts[at] += holds
            return {table: tuple(counts) for table, counts in found.items()}  # type: ignore[misc]

        self.assertEqual(counted(), wanted())
        first, *others = DictionaryRow.objects.all()
        DictionaryRow.objects.filter(pk__in=[one.pk for one in others]).update(described=True, named=True)
        self.assertEqual(counted(), wanted())
        first.delete()
        self.assertEqual(counted(), wanted())
        DictionaryRow.objects.all().delete()
        self.assertEqual(counted(), {})
