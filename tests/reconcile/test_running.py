"""Running signed scripts on a real PostgreSQL: who may, what is checked right before, and what is told when it goes wrong."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import ExitStack
from typing import Any
from unittest.mock import patch

import psycopg
from django.test import TestCase
from django.urls import reverse

from indexa.adapters.writing import Limits
from indexa.areas.models import Role
from indexa.building import services as building
from indexa.core.building import changing
from indexa.jobs.errors import JobCancelledError
from indexa.jobs.models import Job
from indexa.jobs.progress import Silent
from indexa.reconcile import running, scripts
from indexa.reconcile.models import ChangeAccess, KeptScript, ModelComparison, ScriptRun
from indexa.sources.intake import read_source
from tests.factories import PASSWORD, database, make_area, make_person, make_source, server_address, table

SHOP = """
create schema shop;
create table shop.customer (id int primary key, name varchar(40));
create table shop.orders (id int primary key, customer_id int references shop.customer, note text);
insert into shop.customer values (1, 'Ann'), (2, null);
insert into shop.orders values (7, 1, 'gate');
"""


class Reporting(Silent):
    """Does something at a step of a run."""

    def __init__(self, at: str, work: Callable[[], object]) -> None:
        self.at, self.work = at, work

    def report(self, step: str, done: int = 0, total: int = 0) -> None:
        if step.startswith(self.at):
            self.work()


def cancel() -> None:
    raise JobCancelledError


class RunningTests(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        roles = (Role.STEWARD, Role.APPROVER, Role.ADMINISTRATOR, Role.READER)
        self.steward, self.approver, self.administrator, self.reader = (make_person(self.area, role) for role in roles)
        resources = ExitStack()
        self.addCleanup(resources.close)
        self.database = resources.enter_context(database(SHOP))
        self.source = make_source(self.area, self.database, ["shop"])
        with psycopg.connect(**server_address(), dbname=self.database, autocommit=True) as owner:
            owner.execute(f'grant usage on schema shop to "{self.database}"'.encode())
        job = Job.objects.create(area=self.area, kind="intake", title="x", arguments={"source": self.source.pk})
        read_source(job, Silent())
        self.source.refresh_from_db()
        assert self.source.model is not None
        self.model = self.source.model

    def on_source(self, query: str) -> list[Any]:
        with psycopg.connect(**server_address(), dbname=self.database, autocommit=True) as server:
            answer = server.execute(query.encode())
            return answer.fetchall() if answer.description else []

    def as_person(self, person: Any) -> None:
        self.client.login(username=person.username, password=PASSWORD)

    def post(self, view: str, *args: object, **given: Any) -> Any:
        return self.client.post(reverse(f"reconcile:{view}", args=[self.area.slug, *args]), given, follow=True)

    def change(self, name: str, work: Callable[[Any, int], object]) -> None:
        own = table(self.model, name)
        building.change(area=self.area, person=self.steward, model=self.model, tables=[own.pk], why=name, work=lambda part: work(part, own.pk))  # fmt: skip

    def allow(self) -> None:
        self.as_person(self.administrator)
        own = server_address()
        self.post("allow-changes", self.source.pk, allowed="1", login=own["user"], password=own["password"])

    def signed(self, *, rehearsed: bool = False) -> KeptScript:
        """Two steps: a column more, and a name that is never empty (which two rows of the source are in the way of)."""
        self.allow()
        self.as_person(self.steward)
        self.change("orders", lambda part, id_: changing.add_column(part, id_, "placed_on", "date"))
        self.change(
            "customer",
            lambda part, id_: changing.change_column(
                part, id_, next(one.id for one in part.table(id_).columns if one.name == "name"), nullable=False
            ),
        )
        self.post("start", model=self.model.pk)
        made = ModelComparison.objects.latest("pk")
        self.post("write-script", made.pk)
        step = next(one["number"] for one in made.scripts.get().steps if one["fill"])
        self.assertContains(self.post("fill-in", made.pk, step=step, value="1; drop table x"), "Enter one value")
        self.post("fill-in", made.pk, step=step, value="'unknown'")
        if rehearsed:
            self.post("rehearse", made.pk)
            scripts.rehearse_in_background(Job.objects.latest("pk"), Silent())
        else:
            made.scripts.update(rehearsal={"clean": True})
        script = made.scripts.get()
        self.as_person(self.approver)
        self.assertContains(self.post("sign", made.pk, checksum=script.checksum), "Signed off")
        return made.scripts.get()

    def run_it(self, script: KeptScript, progress: Any = None) -> ScriptRun:
        self.post("run-script", script.comparison_id, checksum=script.checksum, confirmed="billing")
        started = ScriptRun.objects.latest("pk")
        assert started.job is not None
        running.run_in_background(started.job, progress or Silent())
        started.refresh_from_db()
        return started

    def is_as_before(self) -> bool:
        columns = self.on_source("select count(*) from information_schema.columns where table_schema = 'shop'")
        return columns == [(5,)] and self.on_source("select count(*) from shop.customer where name is null") == [(1,)]

    def test_a_signed_script_is_run_recorded_and_leaves_no_difference(self) -> None:
        script = self.signed(rehearsed=True)
        self.assertContains(
            self.post("run-script", script.comparison_id, checksum=script.checksum, confirmed="bill"),
            "Type the name of the source",
        )
        made = self.run_it(script)
        self.assertEqual((made.state, made.left, made.message), ("done", [], "Run to its end. No difference is left."))
        self.assertEqual({step["state"] for step in made.steps}, {"done"})
        self.assertEqual(self.on_source("select name from shop.customer order by id"), [("Ann",), ("unknown",)])
        self.assertContains(
            self.client.get(reverse("reconcile:run", args=[self.area.slug, made.pk])), made.checksum[:12]
        )
        again = self.run_it(script)
        self.assertEqual(again.state, "refused")
        self.assertIn("is not what was compared any more", again.message)

    def test_a_source_that_changed_since_the_comparison_is_left_alone(self) -> None:
        script = self.signed()
        self.on_source("alter table shop.orders add column more int")
        made = self.run_it(script)
        self.assertEqual(made.state, "refused")
        self.assertIn("more", made.left[0])
        self.assertEqual({step["state"] for step in made.steps}, {"not begun"})

    def test_a_script_that_was_edited_after_its_sign_off_is_not_run(self) -> None:
        script = self.signed()
        other = script.change
        other["steps"][0]["statements"][0]["text"] = "DROP TABLE shop.orders"
        KeptScript.objects.filter(pk=script.pk).update(change=other)
        page = self.post("run-script", script.comparison_id, checksum=script.checksum, confirmed="billing")
        self.assertContains(page, "not the text that was signed off")
        self.assertTrue(self.is_as_before())

    def test_an_edit_while_it_waits_in_the_queue_is_noticed_too(self) -> None:
        script = self.signed()
        self.post("run-script", script.comparison_id, checksum=script.checksum, confirmed="billing")
        run = ScriptRun.objects.latest("pk")
        script.change["steps"][0]["statements"][0]["text"] = "DROP TABLE shop.orders"
        KeptScript.objects.filter(pk=script.pk).update(change=script.change)
        assert run.job is not None
        running.run_in_background(run.job, Silent())
        run.refresh_from_db()
        self.assertEqual(run.state, "refused")
        self.assertTrue(self.is_as_before())

    def test_a_step_that_the_server_refuses_takes_everything_back(self) -> None:
        script = self.signed()
        with psycopg.connect(**server_address(), dbname=self.database) as other:
            other.execute("lock table shop.orders in share mode")
            with patch.object(running, "LIMITS", Limits(lock=1)):
                made = self.run_it(script)
            other.rollback()
        states = [step["state"] for step in made.steps]
        self.assertEqual((made.state, states.count("stopped"), "done" in states), ("stopped", 1, False))
        self.assertIn("lock timeout", " ".join(step["error"] for step in made.steps))
        self.assertIn("the source is as it was before", made.message)
        self.assertTrue(self.is_as_before())

    def test_rows_that_came_meanwhile_are_counted_before_a_step(self) -> None:
        script = self.signed()
        for step in script.change["steps"]:
            if "never be empty" in step["what"]:
                step["check"] = "SELECT COUNT(*) FROM shop.orders"
        KeptScript.objects.filter(pk=script.pk).update(change=script.change)
        script = KeptScript.objects.get()
        KeptScript.objects.update(signed_checksum=script.checksum)
        made = self.run_it(script)
        self.assertIn("1 row in the way", " ".join(step["error"] for step in made.steps))
        self.assertTrue(self.is_as_before())

    def test_a_connection_that_is_lost_in_the_middle_leaves_nothing_half_done(self) -> None:
        script = self.signed()
        kill = "select pg_terminate_backend(pid) from pg_stat_activity where application_name = 'indexa change script' and datname = current_database()"
        made = self.run_it(script, Reporting("Step 2", lambda: self.on_source(kill)))
        self.assertEqual([step["state"] for step in made.steps][:2], ["taken back", "stopped"])
        self.assertIn("The connection ended", made.steps[1]["error"])
        self.assertIn("as it was before", made.message)
        self.assertTrue(self.is_as_before())

    def test_it_is_called_off_between_two_steps_and_a_worker_that_died_is_not_followed_by_another(self) -> None:
        script = self.signed()
        made = self.run_it(script, Reporting("Step 2", cancel))
        self.assertEqual([step["state"] for step in made.steps][:2], ["taken back", "not begun"])
        self.assertTrue(self.is_as_before())
        self.post("run-script", script.comparison_id, checksum=script.checksum, confirmed="billing")
        run = ScriptRun.objects.latest("pk")
        page = self.post("run-script", script.comparison_id, checksum=script.checksum, confirmed="billing")
        self.assertContains(page, "Another script is being run")
        ScriptRun.objects.filter(pk=run.pk).update(state="running")
        assert run.job is not None
        running.run_in_background(run.job, Silent())
        run.refresh_from_db()
        self.assertEqual(run.state, "stopped")
        self.assertIn("What was done is not known", run.message)
        self.assertTrue(self.is_as_before())

    def test_it_is_off_until_an_administrator_allows_it_and_only_approvers_run(self) -> None:
        script = self.signed()
        sealed = ChangeAccess.objects.get().sealed_password
        self.assertTrue(sealed)
        self.assertNotIn(str(server_address()["password"]), sealed)
        matrix = {
            "allow-changes": (self.source.pk, (self.reader, self.steward, self.approver)),
            "run-script": (script.comparison_id, (self.reader, self.steward)),
            "fill-in": (script.comparison_id, (self.reader,)),
        }
        for view, (pk, people) in matrix.items():
            for person in people:
                self.as_person(person)
                self.assertEqual(self.post(view, pk).status_code, 403, (view, person.username))
        elsewhere = make_person(make_area("other"), Role.ADMINISTRATOR)
        self.as_person(elsewhere)
        self.assertEqual(self.post("run-script", script.comparison_id).status_code, 404)
        self.as_person(self.administrator)
        self.post("allow-changes", self.source.pk, allowed="0")
        page = self.post("run-script", script.comparison_id, checksum=script.checksum, confirmed="billing")
        self.assertContains(page, "An administrator has not allowed change scripts on billing")
        self.assertFalse(ScriptRun.objects.exists())
