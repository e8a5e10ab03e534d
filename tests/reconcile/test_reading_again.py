"""Reading again: nothing is applied before a person decides, both sides of a conflict are shown, and a killed worker leaves nothing half."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from unittest.mock import patch
from zoneinfo import ZoneInfo

import psycopg
from django.core import mail
from django.db import connection
from django.test import TestCase, TransactionTestCase
from django.urls import reverse
from django.utils import timezone

from indexa.areas.models import Person
from indexa.changes import undoing
from indexa.core.naming.standard import Rule
from indexa.jobs import services as jobs
from indexa.jobs.models import Job
from indexa.modeling import editing
from indexa.modeling.renaming import rename_many
from indexa.naming.standards import services as standards
from indexa.naming.standards.models import NameFinding
from indexa.reconcile import services as reconciliations
from indexa.reconcile.errors import ReconciliationError
from indexa.reconcile.models import FoundDifference, Reconciliation
from indexa.sources import schedules
from indexa.sources.models import Schedule, Source
from indexa.store.models import DescribedColumn, StoredModel, StoredTable
from tests.factories import PASSWORD, column, database, make_area, make_person, make_source, server_address, text_of

FIRST = """create schema a;
create table a.mtr (mtr_id int primary key, srl_no text, inst_dt date, crew text, old_tx text);
comment on column a.mtr.srl_no is 'as stamped';
create table a.rdg (mtr_id int references a.mtr, ts timestamptz, val numeric, primary key (mtr_id, ts));
create table a.gone_soon (id int primary key);"""
LATER = """alter table a.mtr rename column inst_dt to installed_on; alter table a.mtr rename column crew to team;
comment on column a.mtr.srl_no is 'with the prefix'; alter table a.mtr drop column old_tx; alter table a.mtr add tag text unique;
alter table a.rdg rename to reading; drop table a.gone_soon; create table a.fresh (id int primary key, mtr_id int references a.mtr);"""


class AgainCase(TransactionTestCase):
    """A source that is read, worked on by a person, changed, and read again."""

    def setUp(self) -> None:
        self.area = make_area()
        self.person = make_person(self.area)
        self.client.login(username=self.person.username, password=PASSWORD)
        context = database(FIRST)
        self.name = context.__enter__()
        self.addCleanup(context.__exit__, None, None, None)
        self.source = make_source(self.area, self.name, ["a"])
        self.read()

    def read(self, **more: object) -> Job:
        arguments = {"source": self.source.pk, **more}
        job = Job.objects.create(
            area=self.area, kind="intake", title="Reading", started_by=self.person, arguments=arguments
        )
        return self.run_job(job)

    def run_job(self, job: Job) -> Job:
        jobs.run(job.pk)
        job.refresh_from_db()
        return job

    def change(self, script: str) -> None:
        with psycopg.connect(**server_address(), dbname=self.name, autocommit=True) as server:  # type: ignore[arg-type]
            server.execute(script.encode())

    @property
    def model(self) -> StoredModel:
        return StoredModel.objects.get(sources=self.source)

    def write(self, name: str, text: str) -> None:
        place = editing.place_of(column(self.model, name), only_here=False)
        editing.edit(area=self.area, person=self.person, place=place, field="definition", seen="", value=text)

    def work_and_read_again(self) -> Reconciliation:
        self.write("mtr.inst_dt", "Day it was set.")
        self.write("mtr.srl_no", "Number on the body.")
        self.write("rdg.val", "Cubic metres.")
        self.write("mtr.old_tx", "Nobody knows.")
        crew = column(self.model, "mtr.crew")
        rename_many(
            area=self.area,
            person=self.person,
            model_id=self.model.pk,
            why="",
            names=[("column", crew.pk, "crew", "field_crew")],
        )
        self.change(LATER)
        self.assertEqual(self.read().state, Job.State.DONE)
        return Reconciliation.objects.get(state="waiting")

    def shown(self, name: str) -> str:
        return DescribedColumn.objects.get(pk=column(self.model, name).pk).definition


class AgainTests(AgainCase):
    def test_nothing_is_applied_before_it_is_taken(self) -> None:
        reconciliation = self.work_and_read_again()
        self.assertEqual(column(self.model, "mtr.inst_dt").removed_at, None)
        self.assertFalse(StoredTable.objects.filter(name="fresh").exists())
        kinds = set(reconciliation.differences.values_list("kind", "what", "name"))
        self.assertLessEqual(
            {
                ("renamed", "column", "inst_dt"), ("renamed", "table", "rdg"), ("gone", "table", "gone_soon"),
                ("new", "table", "fresh"), ("new", "column", "tag"), ("gone", "column", "old_tx"),
            },
            kinds,
        )  # fmt: skip

    def test_both_sides_of_a_conflict_are_told_with_who_made_which(self) -> None:
        reconciliation = self.work_and_read_again()
        conflicts = {one.conflict: one for one in reconciliation.differences.exclude(conflict="")}
        self.assertEqual(set(conflicts), {"name", "definition"})
        name, definition = conflicts["name"], conflicts["definition"]
        self.assertEqual(
            (name.mine, name.theirs, name.by, name.decision), ("field_crew", "team", self.person.display_name, "later")
        )
        self.assertEqual((definition.mine, definition.theirs), ("Number on the body.", "with the prefix"))
        page = self.client.get(
            reverse("reconcile:page", args=[self.area.slug, reconciliation.pk]), {"kind": "conflict"}
        )
        self.assertContains(page, "field_crew")
        self.assertContains(page, "2 conflicts to decide")

    def test_taking_keeps_every_word_and_undo_takes_all_of_it_back(self) -> None:
        reconciliation = self.work_and_read_again()
        numbers = {one.conflict: one.number for one in reconciliation.differences.exclude(conflict="")}
        reconciliations.decide(
            area=self.area, reconciliation_id=reconciliation.pk, numbers=[numbers["name"]], decision="keep"
        )
        reconciliations.decide(
            area=self.area, reconciliation_id=reconciliation.pk, numbers=[numbers["definition"]], decision="take"
        )
        done = reconciliations.apply(area=self.area, person=self.person, reconciliation_id=reconciliation.pk)
        self.assertEqual(done.left, 0)
        self.assertEqual(self.shown("mtr.installed_on"), "Day it was set.")
        self.assertEqual(self.shown("reading.val"), "Cubic metres.")
        self.assertEqual(self.shown("mtr.srl_no"), "with the prefix")
        self.assertEqual(column(self.model, "mtr.field_crew").source_name, "team")
        self.assertEqual(column(self.model, "mtr.old_tx").definition or self.words_of("mtr.old_tx"), "Nobody knows.")
        self.assertEqual(self.read().state, Job.State.DONE)
        self.assertFalse(Reconciliation.objects.filter(state="waiting").exists())
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(self.shown("mtr.srl_no"), "Number on the body.")
        self.assertEqual(self.shown("rdg.val"), "Cubic metres.")
        self.assertEqual(column(self.model, "mtr.field_crew").source_name, "crew")
        self.assertFalse(StoredTable.objects.filter(model=self.model, name="fresh").exists())

    def test_names_that_were_checked_are_checked_again_when_a_reading_was_taken_and_undone(self) -> None:
        standard = standards.make(area=self.area, person=self.person, name="Plain", rules={"column": Rule(pattern="x")})
        standards.govern(stored=standard, models=[self.model], person=self.person)
        reconciliation = self.work_and_read_again()
        reconciliations.apply(area=self.area, person=self.person, reconciliation_id=reconciliation.pk)
        self.assertTrue(self.found_again("installed_on"))
        self.assertFalse(self.found_again("inst_dt"))
        undoing.undo(area=self.area, person=self.person)
        self.assertTrue(self.found_again("inst_dt"))
        self.assertFalse(self.found_again("installed_on"))

    def found_again(self, column: str) -> list[str]:
        """Run the waiting checks of names, and return the findings of a column."""
        for job in Job.objects.filter(kind="names", state="waiting"):
            jobs.run(job.pk)
        self.assertFalse(standards.is_stale(self.model))
        places = NameFinding.objects.filter(model=self.model).values_list("place", flat=True)
        return [place for place in places if column in place]

    def words_of(self, name: str) -> str:
        attribute = column(self.model, name).attribute
        return attribute.definition if attribute else ""

    def test_what_is_left_for_later_is_found_again_and_said_to_be(self) -> None:
        reconciliation = self.work_and_read_again()
        (gone,) = reconciliation.differences.filter(name="gone_soon").values_list("number", flat=True)
        reconciliations.decide(area=self.area, reconciliation_id=reconciliation.pk, numbers=[gone], decision="later")
        reconciliations.apply(area=self.area, person=self.person, reconciliation_id=reconciliation.pk)
        self.assertIsNone(StoredTable.objects.get(model=self.model, name="gone_soon").removed_at)
        self.read()
        left = Reconciliation.objects.get(state="waiting").differences.get(name="gone_soon")
        self.assertTrue(left.seen_before)
        self.assertEqual(left.decision, "later")

    def test_what_is_left_for_later_stays_open_and_an_undone_reading_is_open_again(self) -> None:
        reading = self.work_and_read_again()
        (gone,) = reading.differences.filter(name="gone_soon").values_list("number", flat=True)
        reconciliations.decide(area=self.area, reconciliation_id=reading.pk, numbers=[gone], decision="later")
        done = reconciliations.apply(area=self.area, person=self.person, reconciliation_id=reading.pk)
        rest = Reconciliation.objects.get(state="waiting")
        self.assertEqual(rest.continues, reading)
        self.assertEqual(rest.differences.filter(decision="later").count(), done.left)
        self.assertTrue(rest.differences.filter(name="gone_soon").exists())
        undoing.undo(area=self.area, person=self.person, change_set_id=done.change_set.pk)
        self.assertEqual(Reconciliation.objects.get(state="waiting"), reading)
        done = reconciliations.apply(area=self.area, person=self.person, reconciliation_id=reading.pk)
        rest = Reconciliation.objects.get(state="waiting")
        (gone,) = rest.differences.filter(name="gone_soon").values_list("number", flat=True)
        reconciliations.decide(area=self.area, reconciliation_id=rest.pk, numbers=[gone], decision="take")
        reconciliations.apply(area=self.area, person=self.person, reconciliation_id=rest.pk)
        self.assertIsNotNone(StoredTable.objects.get(model=self.model, name="gone_soon").removed_at)

    def test_the_history_of_a_column_holds_what_readings_brought(self) -> None:
        reading = self.work_and_read_again()
        reconciliations.apply(area=self.area, person=self.person, reconciliation_id=reading.pk)
        place = column(self.model, "mtr.installed_on").pk
        self.client.login(username=self.person.username, password=PASSWORD)
        page = text_of(self.client.get(reverse("modeling:column-margin", args=[self.area.slug, place])))
        self.assertIn("Renamed in the source inst_dt → installed_on by a reading", page)

    def test_a_later_reading_carries_decisions_over(self) -> None:
        first = self.work_and_read_again()
        (gone,) = first.differences.filter(name="gone_soon").values_list("number", flat=True)
        reconciliations.decide(area=self.area, reconciliation_id=first.pk, numbers=[gone], decision="later")
        self.read()
        first.refresh_from_db()
        self.assertEqual((first.state, first.decided_by), ("replaced", None))
        second = Reconciliation.objects.get(state="waiting")
        self.assertEqual(second.differences.get(name="gone_soon").decision, "later")

    def test_a_rename_that_is_none_is_set_apart(self) -> None:
        reconciliation = self.work_and_read_again()
        row = reconciliation.differences.get(kind="renamed", name="inst_dt")
        self.client.post(reverse("reconcile:reject-rename", args=[self.area.slug, reconciliation.pk, row.number]))
        kinds = set(
            reconciliation.differences.filter(what="column", name__in=["inst_dt", "installed_on"]).values_list(
                "kind", flat=True
            )
        )
        self.assertEqual(kinds, {"gone", "new"})

    def test_what_a_narrower_choice_leaves_out_is_not_gone(self) -> None:
        Source.objects.filter(pk=self.source.pk).update(exclude="rdg", kinds=["tables", "views"])
        self.change("drop table a.gone_soon")
        self.assertEqual(self.read().state, Job.State.DONE)
        reconciliation = Reconciliation.objects.get(state="waiting")
        self.assertEqual(
            list(reconciliation.differences.values_list("kind", "what", "name")), [("gone", "table", "gone_soon")]
        )
        reasons = [note["reason"] for note in reconciliation.intake.receipt["notes"]]
        self.assertIn(
            "Not chosen this time; they stay in the model as the reading before found them: 1 table.", reasons
        )

    def test_a_key_takes_its_column_along_and_leaving_the_column_leaves_the_key(self) -> None:
        reconciliation = self.work_and_read_again()
        new = reconciliation.differences.get(kind="new", what="column", name="tag")
        key = reconciliation.differences.get(what="unique key")
        reconciliations.decide(
            area=self.area, reconciliation_id=reconciliation.pk, numbers=[new.number], decision="later"
        )
        key.refresh_from_db()
        self.assertEqual(key.decision, "later")
        reconciliations.decide(
            area=self.area, reconciliation_id=reconciliation.pk, numbers=[key.number], decision="take"
        )
        new.refresh_from_db()
        self.assertEqual(new.decision, "take")

    def test_a_worker_killed_while_it_takes_leaves_nothing_half(self) -> None:
        reconciliation = self.work_and_read_again()
        before = self.model.snapshot_id
        job = Job.objects.create(
            area=self.area,
            kind="apply reading",
            title="Taking",
            started_by=self.person,
            arguments={"reconciliation": reconciliation.pk},
        )
        with patch("indexa.reconcile.readings._note", side_effect=SystemExit), self.assertRaises(SystemExit):
            jobs.run(job.pk)
        connection.close()
        self.assertEqual(self.model.snapshot_id, before)
        self.assertFalse(StoredTable.objects.filter(name="fresh").exists())
        jobs.run(job.pk)
        job.refresh_from_db()
        self.assertEqual(job.state, Job.State.DONE, job.reason)
        self.assertTrue(StoredTable.objects.filter(name="fresh").exists())

    def test_taking_back_very_much_is_a_job(self) -> None:
        reconciliation = self.work_and_read_again()
        with patch.object(undoing, "LARGE", 2):
            answer = self.client.post(reverse("reconcile:apply", args=[self.area.slug, reconciliation.pk]))
            self.run_last("apply reading", answer.url)  # type: ignore[attr-defined]
            self.assertTrue(StoredTable.objects.filter(name="fresh").exists())
            url = reverse("changes:undo", args=[self.area.slug])
            asked = self.client.post(url).json()
            self.assertIn("differences of a reading", asked["ask"])
            text = self.client.post(url, {"change_set": asked["change_set"]}).json()
            self.assertIn("in the background", text["message"])
            self.run_last("undo", "")
        self.assertFalse(StoredTable.objects.filter(name="fresh").exists())

    def run_last(self, kind: str, address: str) -> None:
        job = Job.objects.get(kind=kind)
        self.assertTrue(not address or address.endswith(f"/{job.pk}/"))
        jobs.run(job.pk)
        job.refresh_from_db()
        self.assertEqual(job.state, Job.State.DONE, job.reason)

    def test_a_later_reading_takes_the_place_of_one_that_waits(self) -> None:
        first = self.work_and_read_again()
        self.change("create table a.more (id int)")
        self.read()
        self.assertEqual(Reconciliation.objects.get(pk=first.pk).state, "replaced")
        with self.assertRaisesMessage(ReconciliationError, "a later one took its place"):
            reconciliations.apply(area=self.area, person=self.person, reconciliation_id=first.pk)

    def test_a_reader_decides_nothing(self) -> None:
        reconciliation = self.work_and_read_again()
        from indexa.areas.models import Role

        self.client.login(username=make_person(self.area, Role.READER).username, password=PASSWORD)
        for name in ("apply", "discard", "decide"):
            self.assertEqual(
                self.client.post(reverse(f"reconcile:{name}", args=[self.area.slug, reconciliation.pk])).status_code,
                403,
            )
        self.assertEqual(
            self.client.get(reverse("reconcile:page", args=[self.area.slug, reconciliation.pk])).status_code, 200
        )

    # on schedule -----------------------------------------------------------------------------------------------------

    def schedule(self, cron: str = "30 5 * * *") -> Schedule:
        Person.objects.filter(pk=self.person.pk).update(email="ines@tarnbeck.example")
        return schedules.save(source=self.source, cron=cron, watchers=[self.person], person=self.person)

    def test_a_scheduled_reading_tells_its_result_by_mail(self) -> None:
        schedule = self.schedule()
        self.change(LATER)
        Schedule.objects.filter(pk=schedule.pk).update(next_at=timezone.now() - timedelta(minutes=1))
        (job,) = schedules.run_due()
        self.assertEqual(schedules.run_due(), [])
        jobs.run(job.pk)
        (sent,) = mail.outbox
        self.assertIn("renamed", sent.body)
        self.assertIn("Nothing was applied", sent.body)
        self.assertEqual(sent.to, ["ines@tarnbeck.example"])
        desk = self.client.get(reverse("desk:page", args=[self.area.slug]))
        self.assertContains(desk, "on schedule")

    def test_a_failed_one_says_why(self) -> None:
        self.schedule()
        Source.objects.filter(pk=self.source.pk).update(database="no_such_database")
        job = self.read(scheduled=True)
        self.assertEqual(job.state, Job.State.FAILED)
        self.assertIn("could not be read as planned", mail.outbox[0].body)

    def test_a_missed_one_is_made_up_and_two_never_run_at_once(self) -> None:
        schedule = self.schedule()
        Schedule.objects.filter(pk=schedule.pk).update(next_at=timezone.now() - timedelta(hours=3))
        (job,) = schedules.run_due()
        schedule.refresh_from_db()
        self.assertIn("no worker was running", schedule.message)
        self.assertGreater(schedule.next_at, timezone.now())
        Schedule.objects.filter(pk=schedule.pk).update(next_at=timezone.now() - timedelta(minutes=1))
        self.assertEqual(schedules.run_due(), [])
        schedule.refresh_from_db()
        self.assertIn("still running", schedule.message)
        job.delete()


class ScheduleFormTests(TestCase):
    def test_times_that_are_none_are_refused_in_words(self) -> None:
        now = timezone.now()
        for cron in ("", "every day", "61 * * * *", "* * * * * *"):
            with self.subTest(cron), self.assertRaisesMessage(schedules.ScheduleError, "is no cron expression"):
                schedules.next_time(cron, now)
        with self.assertRaisesMessage(schedules.ScheduleError, "quarter of an hour"):
            schedules.next_time("*/5 * * * *", now)
        self.assertEqual(schedules.next_time("30 5 * * 1", now).weekday(), 0)

    def test_a_time_is_that_of_the_person_who_set_it_in_summer_and_in_winter(self) -> None:
        there = ZoneInfo("Europe/Madrid")
        for day, hour in ((datetime(2026, 7, 1, tzinfo=UTC), 3), (datetime(2026, 12, 1, tzinfo=UTC), 4)):
            self.assertEqual(schedules.next_time("30 5 * * *", day, there).astimezone(UTC).hour, hour)
        self.assertEqual(schedules.in_words("30 5 * * 1"), "At 05:30, only on Monday")

    def test_the_page_saves_and_ends_a_schedule(self) -> None:
        area = make_area()
        person = make_person(area)
        self.client.login(username=person.username, password=PASSWORD)
        source = Source.objects.create(area=area, name="s", kind="live")
        url = reverse("sources:schedule", args=[area.slug, source.pk])
        self.client.cookies["timezone"] = "Europe/Madrid"
        self.client.post(url, {"often": "weekly", "at": "06:05"})
        self.assertEqual((source.schedule.cron, source.schedule.time_zone), ("5 6 * * 1", "Europe/Madrid"))
        page = self.client.get(reverse("sources:page", args=[area.slug, source.pk]))
        self.assertContains(page, "At 06:05, only on Monday (Europe/Madrid)")
        self.assertContains(page, source.schedule.next_at.astimezone(ZoneInfo("Europe/Madrid")).strftime("%H:%M"))
        self.client.post(url, {"often": "own", "cron": "nonsense"})
        self.assertEqual(Schedule.objects.get().cron, "5 6 * * 1")
        self.client.post(url, {"often": "never"})
        self.assertFalse(Schedule.objects.exists())
        self.assertEqual(FoundDifference.objects.count(), 0)
