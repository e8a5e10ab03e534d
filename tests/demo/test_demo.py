"""The demo: loaded whole or not at all, once, with words for things that are there."""

from __future__ import annotations

import os
from unittest.mock import patch

import psycopg
from django.test import TransactionTestCase

from indexa.areas.models import Area, Role
from indexa.changes.models import ChangeSet
from indexa.demo import loading, states, words
from indexa.editions.models import Edition
from indexa.jobs.models import Job
from indexa.modeling.queries import coverage
from indexa.naming.passes.models import NamingPass
from indexa.naming.standards.models import NameFinding
from indexa.naming.wordbooks import services as wordbooks
from indexa.reconcile.models import KeptScript, Reconciliation
from indexa.sources.models import Source
from indexa.sources.opening import password_of
from indexa.store.models import StoredColumn, StoredModel
from tests.factories import server_address


class DemoTests(TransactionTestCase):
    def tearDown(self) -> None:
        with psycopg.connect(**server_address(), dbname="postgres", autocommit=True) as server:
            server.execute(f"drop database if exists {loading.DATABASE} with (force)".encode())
            server.execute(f"drop role if exists {loading.LOGIN}".encode())

    def test_it_is_loaded_once_through_the_same_intake_as_any_source(self) -> None:
        loading.load()
        area = Area.objects.get(slug="billing")
        physical = StoredModel.objects.get(area=area, layer="physical", name="billing")
        found = coverage([physical])[physical.pk]
        self.assertEqual((found.tables, found.views, found.columns), (48, 4, 275))
        self.assertGreaterEqual(found.named, len(words.COLUMNS))
        self.assertEqual(dict(Edition.objects.values_list("state", "number")), {"published": 1, "review": None})
        care = StoredModel.objects.get(area=area, layer="logical", name="Customer care")
        derived = care.physical_models.order_by("platform")
        self.assertEqual([(one.platform, one.tables.count()) for one in derived], [("oracle", 5), ("postgresql", 5)])
        script = KeptScript.objects.get(comparison__model=physical)
        self.assertEqual((len(script.steps), script.rehearsal["left"], script.rehearsal["revert_left"]), (5, [], []))
        source = Source.objects.get(name="billing")
        self.assertEqual((source.user, source.intakes.count()), (loading.LOGIN, 2))
        roles = {m.role for m in area.memberships.all()}
        self.assertEqual(roles, set(Role))
        before = ChangeSet.objects.count()
        loading.load()
        self.assertEqual(ChangeSet.objects.count(), before)

    def test_its_second_area_holds_a_source_of_every_other_kind(self) -> None:
        with patch.dict(os.environ, {"INDEXA_DEMO_MARIADB_URL": os.environ["INDEXA_TEST_MARIADB_URL"]}):
            loading.load()
        area = Area.objects.get(slug="works")
        read = {source.name: source for source in Source.objects.filter(area=area)}
        self.assertEqual({source.kind for source in read.values()}, {"script", "live", "file", "kit"})
        arrived = {name: source.intakes.get().receipt["arrived"] for name, source in read.items()}
        self.assertEqual(arrived["works"] | {"schemas": 1}, arrived["works live"])
        self.assertEqual((arrived["lab"]["tables"], arrived["works-legacy"]["tables"]), (12, 8))
        remarks = StoredColumn.objects.filter(table__model=read["works"].model).exclude(remark="")
        self.assertIn("what the customer was told", {column.remark for column in remarks})

    def test_its_third_area_names_the_same_things_under_another_standard(self) -> None:
        loading.load()
        area = Area.objects.get(slug="reporting")
        model = StoredModel.objects.get(area=area, layer="physical")
        found = coverage([model])[model.pk]
        self.assertEqual((found.tables, found.views), (12, 7))
        stack = wordbooks.stack_of(area)
        self.assertEqual([book.name for book in stack.books], ["Warehouse", "Tarnbeck Water"])
        self.assertEqual([stack.meanings(short)[0].word for short in ("metr", "mtr")], ["Meter", "Meter"])
        names = {one.before: one.after for one in NamingPass.objects.get(model=model).names.all()}
        self.assertEqual((names["end_ts"], names.get("job_nm"), names.get("read_valu")), ("end_tmst", "job_name", None))
        self.assertTrue(NameFinding.objects.filter(model=model, should="dim_acnt_i1").exists())

    def test_stopped_in_the_middle_it_leaves_nothing_and_begins_anew(self) -> None:
        with patch.object(loading, "_write_words", side_effect=KeyboardInterrupt), self.assertRaises(KeyboardInterrupt):
            loading.load()
        self.assertFalse(loading.is_loaded())
        self.assertFalse(StoredModel.objects.exists())
        loading.load()
        self.assertTrue(loading.is_loaded())

    def test_the_login_of_the_demo_can_read_and_nothing_more(self) -> None:
        loading.load()
        Source.objects.filter(name="billing").update(port=1)
        loading.follow_server()
        source = Source.objects.get(name="billing")
        password = password_of(source, None)
        own = server_address() | {"port": source.port, "user": source.user, "password": password}
        with psycopg.connect(**own, dbname=loading.DATABASE, autocommit=True) as reader:
            self.assertEqual(reader.execute("select count(*) from metering.mtr").fetchone(), (3,))
            for statement in ("delete from metering.mtr", "create table cust.x (a int)", "drop table cust.cust"):
                with self.subTest(statement), self.assertRaises(psycopg.errors.InsufficientPrivilege):
                    reader.execute(statement.encode())

    def test_its_second_state_has_something_of_everything_to_tell(self) -> None:
        loading.load()
        source = Source.objects.get(name="billing")
        states.switch(loading.DATABASE, "later")
        with self.assertRaisesMessage(states.StateError, "already"):
            states.switch(loading.DATABASE, "later")
        loading._run(
            Job.objects.create(area=source.area, kind="intake", title="again", arguments={"source": source.pk})
        )
        found = Reconciliation.objects.get().differences
        self.assertEqual(set(found.values_list("kind", flat=True)), {"new", "changed", "gone", "renamed"})
        self.assertEqual(
            set(found.exclude(conflict="").values_list("conflict", flat=True)), {"name", "definition", "structure"}
        )
        states.switch(loading.DATABASE, "first")
        loading._run(Job.objects.create(area=source.area, kind="intake", title="back", arguments={"source": source.pk}))
        left = Reconciliation.objects.filter(state="waiting").values_list("differences__identity", flat=True)
        self.assertFalse([one for one in left if ".order" not in one], list(left))

    def test_the_laboratory_gets_its_web_from_proposals(self) -> None:
        loading.load()
        lab = StoredModel.objects.get(name="lab", layer="physical")
        web = {
            (one.table_name, one.ref_table_name)
            for one in lab.proposals.filter(kind="foreign_key", confidence__gte=0.5)
        }
        wanted = {("result", "sample"), ("result", "determinand"), ("sample", "smppoint"), ("failurenotice", "sample"),
                  ("failurenotice", "determinand"), ("methodref", "determinand"), ("zonepoint", "regzone"), ("zonepoint", "smppoint"),
                  ("sample", "sampler"), ("calibration", "instrument")}  # fmt: skip
        self.assertLessEqual({(f"main.{child}", f"main.{parent}") for child, parent in wanted}, web)
