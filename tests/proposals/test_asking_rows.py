"""Asking a source's rows from the page: only where its steward allows it, what they say in the proposals, what was left unasked."""

from __future__ import annotations

from unittest.mock import patch

import psycopg
from django.test import TransactionTestCase
from django.urls import reverse

from indexa.adapters import profiling
from indexa.jobs import services as jobs
from indexa.jobs.models import Job
from indexa.proposals.models import StoredProposal
from indexa.store.models import StoredModel
from tests.factories import PASSWORD, database, make_area, make_person, make_source, server_address

# No key is declared. `who` names nothing: only its values tell that it refers to a keeper. `keeper_town` is a copy of the
# keeper's town, `weather` holds few rows, `reach` refers to no sluice by its values.
SOURCE = """create schema w; set search_path = w;
create table keeper (keeper_id int not null, name text not null, town text);
create table sluice (sluice_id int not null, keeper_id int not null, keeper_town text, reach_sluice_id int);
create table visit (visit_id int not null, who int, weather_id int not null, words text);
create table weather (weather_id int not null, label text not null);
insert into keeper select i * 3, 'n' || i, 't' || i % 7 from generate_series(1, 60) i;
insert into sluice select 5000 + i, k.keeper_id, k.town, 900000 + i from generate_series(1, 400) i join keeper k on k.keeper_id = 3 * (1 + i % 60);
insert into weather select i, 'l' || i from generate_series(1, 6) i;
insert into visit select i, 3 * (1 + i % 60), 1 + i % 6, 'x' from generate_series(1, 900) i;"""


class AskingRowsTests(TransactionTestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.client.login(username=make_person(self.area).username, password=PASSWORD)
        context = database(SOURCE)
        name = context.__enter__()
        self.addCleanup(context.__exit__, None, None, None)
        with psycopg.connect(**server_address(), dbname=name, autocommit=True) as server:  # type: ignore[arg-type]
            server.execute(
                f'grant usage on schema w to "{name}"; grant select on all tables in schema w to "{name}"'.encode()
            )
        self.source = make_source(self.area, name, ["w"])
        jobs.run(
            Job.objects.create(area=self.area, kind="intake", title="Reading", arguments={"source": self.source.pk}).pk
        )
        self.model = StoredModel.objects.get(sources=self.source)
        self.page = reverse("proposals:page", args=[self.area.slug, self.model.pk])

    def look(self, **given: str) -> dict[tuple[str, str, str], StoredProposal]:
        self.client.post(reverse("proposals:look", args=[self.area.slug, self.model.pk]), given)
        job = Job.objects.filter(kind="proposals").latest("pk")
        jobs.run(job.pk)
        job.refresh_from_db()
        self.assertEqual((job.state, job.reason), ("done", ""))
        found = StoredProposal.objects.filter(model=self.model)
        return {(one.kind, one.table_name.removeprefix("w."), one.columns[0]): one for one in found}

    def test_rows_find_refute_and_confirm(self) -> None:
        self.assertNotContains(self.client.get(self.page), "ask the rows")
        by_names = self.look()
        self.client.post(reverse("sources:allow-rows", args=[self.area.slug, self.source.pk]), {"asks_rows": "1"})
        self.assertContains(self.client.get(self.page), "ask the rows")
        by_rows = self.look(ask_rows="1")
        self.assertNotIn(("foreign_key", "visit", "who"), by_names)
        self.assertEqual(by_rows["foreign_key", "visit", "who"].ref_table_name, "w.keeper")
        self.assertIn(("foreign_key", "sluice", "reach_sluice_id"), by_names)
        self.assertNotIn(("foreign_key", "sluice", "reach_sluice_id"), by_rows)
        self.assertGreater(by_rows["repeated_column", "sluice", "keeper_town"].confidence, 0.85)
        self.assertIn("it has 6 rows", by_rows["code_table", "weather", "weather_id"].evidence)

    def test_what_was_left_unasked_is_told_on_the_page(self) -> None:
        type(self.source).objects.filter(pk=self.source.pk).update(asks_rows=True)
        with patch.object(profiling, "SAMPLED_ROWS", 50):
            self.look(ask_rows="1")
        self.assertContains(self.client.get(self.page), "more than 50 rows and no index on the key")
        self.look(ask_rows="1")
        self.assertNotContains(self.client.get(self.page), "no index on the key")
