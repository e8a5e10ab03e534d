"""Proposals in the store: found by a job, decided one by one or together, undone, and never proposed twice."""

from __future__ import annotations

from unittest.mock import patch

from django.test import TestCase
from django.urls import reverse

from indexa.areas.models import Role
from indexa.changes import undoing
from indexa.core.model import Column, Model, Table
from indexa.jobs.models import Job
from indexa.jobs.progress import Silent
from indexa.modeling import editing, queries
from indexa.proposals import deciding
from indexa.proposals import discovery as finding
from indexa.proposals.models import StoredProposal
from indexa.proposals.queries import Group
from indexa.store.loading import load_model
from indexa.store.models import DescribedColumn, StoredIndex, StoredRelationship
from tests.factories import PASSWORD, column, make_area, make_person, store, table


def lab() -> Model:
    """Tables that declare no key at all."""

    def made(name: str, *columns: str) -> Table:
        parts = [Column(text.split()[0], place, text.split()[1], "?" in text) for place, text in enumerate(columns, 1)]
        return Table(schema="main", name=name, columns=parts)

    return Model(
        name="lab",
        platform="sqlite",
        tables=[
            made("sample", "sample_id integer", "point_id integer", "taken_at text"),
            made("point", "point_id integer", "point_name text ?"),
            made("determinand", "determinand_id integer", "name text"),
            made("result", "sample_id integer", "determinand_id integer", "value real ?"),
            made("notice", "notice_id integer", "sample_id integer ?", "point_name text ?", "point_id integer ?"),
        ],
    )


class ProposalCase(TestCase):
    """A model that declares no key, and what was proposed for it."""

    def setUp(self) -> None:
        self.area = make_area()
        self.person = make_person(self.area)
        self.stored = store(self.area, lab())
        self.look()
        self.client.login(username=self.person.username, password=PASSWORD)

    def look(self) -> None:
        job = Job.objects.create(
            area=self.area, kind="proposals", title="Looking", started_by=self.person, arguments={"model": self.stored.pk, "ask_rows": False}
        )  # fmt: skip
        finding.find(job, Silent())

    def open(self, **of: object) -> StoredProposal:
        return StoredProposal.objects.get(state="open", **of)

    def accept(self, **of: object) -> None:
        found = StoredProposal.objects.filter(state="open", **of)
        deciding.decide(area=self.area, person=self.person, proposals=found, accept=True)


class ProposalTests(ProposalCase):
    def test_the_whole_web_of_an_undeclared_schema_is_proposed(self) -> None:
        found = {
            (one.table_name, tuple(one.columns), one.ref_table_name)
            for one in StoredProposal.objects.filter(kind="foreign_key", confidence__gte=0.5)
        }
        self.assertEqual(
            found,
            {
                ("main.sample", ("point_id",), "main.point"), ("main.result", ("sample_id",), "main.sample"),
                ("main.result", ("determinand_id",), "main.determinand"), ("main.notice", ("sample_id",), "main.sample"),
                ("main.notice", ("point_id",), "main.point"),
            },
        )  # fmt: skip
        self.assertEqual(
            self.open(kind="primary_key", table_name="main.result").columns, ["sample_id", "determinand_id"]
        )
        self.assertTrue(all(one.evidence for one in StoredProposal.objects.all()))

    def test_an_accepted_relationship_counts_everywhere_a_declared_one_does(self) -> None:
        self.accept(kind="primary_key")
        place = editing.place_of(column(self.stored, "point.point_id"), only_here=False)
        editing.edit(
            area=self.area, person=self.person, place=place, field="definition", seen="", value="Where it is taken."
        )
        self.accept(kind="foreign_key", ref_table_name="main.point")
        shown = DescribedColumn.objects.get(pk=column(self.stored, "sample.point_id").pk)
        self.assertEqual((shown.definition, shown.definition_from, shown.roles), ("Where it is taken.", "migrated", 2))
        self.assertEqual(queries.coverage([self.stored])[self.stored.pk].relationships, 2)
        (loaded,) = [one for one in load_model(self.stored).tables if one.name == "sample"]
        self.assertTrue(loaded.foreign_keys[0].asserted and loaded.primary_key and loaded.primary_key.asserted)
        entities = load_model(self.stored.logical).tables  # type: ignore[arg-type]
        self.assertTrue(next(one for one in entities if one.name == "sample").foreign_keys)
        page = self.client.get(reverse("modeling:table", args=[self.area.slug, table(self.stored, "sample").pk]))
        self.assertContains(page, "asserted")
        self.assertContains(page, self.person.display_name)

    def test_a_unique_index_makes_an_asserted_relationship_one_to_one(self) -> None:
        notice = table(self.stored, "notice")
        parts = {"unique": True, "parts": [{"column": "sample_id"}]}
        StoredIndex.objects.create(table=notice, name="once", properties=parts)
        self.accept(kind="foreign_key", table_name="main.notice")
        found = StoredRelationship.objects.filter(table=notice).values_list("ref_table__name", "one_to_one")
        self.assertEqual(set(found), {("sample", True), ("point", False)})

    def test_undo_takes_everything_back_and_the_proposal_waits_again(self) -> None:
        self.accept(kind="primary_key", table_name="main.sample")
        before = load_model(self.stored)
        self.accept(kind="foreign_key")
        self.assertTrue(StoredRelationship.objects.exists())
        undoing.undo(area=self.area, person=self.person)
        self.assertFalse(StoredRelationship.objects.exists())
        self.assertEqual(load_model(self.stored), before)
        self.assertEqual(column(self.stored, "sample.point_id").roles, 0)
        self.assertTrue(StoredProposal.objects.filter(kind="foreign_key", state="open").exists())

    def test_what_was_rejected_does_not_come_back(self) -> None:
        one = self.open(kind="foreign_key", table_name="main.notice", ref_table_name="main.sample")
        answer = self.client.post(
            reverse("proposals:decide", args=[self.area.slug, self.stored.pk, one.pk]), {"act": "reject"}
        )
        self.assertContains(answer, "rejected")
        self.look()
        self.assertFalse(StoredProposal.objects.filter(state="open", identity=one.identity).exists())
        self.assertTrue(StoredProposal.objects.filter(state="rejected", identity=one.identity).exists())

    def test_a_pattern_is_accepted_as_one_change(self) -> None:
        pattern = self.open(table_name="main.notice", ref_table_name="main.point", kind="foreign_key").pattern
        url = reverse("proposals:decide-many", args=[self.area.slug, self.stored.pk])
        answer = self.client.post(url, {"act": "accept", "kind": "foreign_key", "pattern": pattern}, follow=True)
        self.assertContains(answer, "2 proposals accepted")
        self.assertEqual(StoredProposal.objects.filter(state="accepted").values("change_set").distinct().count(), 1)

    def test_very_many_are_decided_in_the_background(self) -> None:
        url = reverse("proposals:decide-many", args=[self.area.slug, self.stored.pk])
        sure = StoredProposal.objects.filter(state="open", confidence__gte=0.9)
        count = sure.count()
        with patch("indexa.proposals.deciding.AT_ONCE", 1):
            self.client.post(url, {"act": "accept", "sure": "1"})
        self.assertEqual(sure.count(), count)
        job = Job.objects.get(kind="decide proposals")
        self.assertIn(
            reverse("proposals:page", args=[self.area.slug, self.stored.pk]),
            deciding.decide_in_background(job, Silent()),
        )
        self.assertLess(sure.count(), count / 2)
        self.assertEqual(StoredProposal.objects.filter(state="accepted").values("change_set").distinct().count(), 1)

    def test_a_repeated_column_shows_the_words_of_the_one_it_repeats(self) -> None:
        place = editing.place_of(column(self.stored, "point.point_name"), only_here=False)
        editing.edit(
            area=self.area, person=self.person, place=place, field="definition", seen="", value="What people call it."
        )
        self.accept(kind="repeated_column", table_name="main.notice")
        shown = DescribedColumn.objects.get(pk=column(self.stored, "notice.point_name").pk)
        self.assertEqual(shown.definition, "What people call it.")

    def test_of_two_that_exclude_each_other_the_likelier_is_taken(self) -> None:
        first = self.open(kind="primary_key", table_name="main.point")
        StoredProposal.objects.create(
            model=self.stored, kind="primary_key", identity="x", pattern="", table_id=first.table_id, table_name=first.table_name,
            column_ids=[column(self.stored, "point.point_name").pk], columns=["point_name"], confidence=0.1,
        )  # fmt: skip
        self.accept(kind="primary_key", table_name="main.point")
        self.assertEqual(self.open(identity="x").state, "open")

    def test_a_reader_sees_and_decides_nothing_and_others_see_nothing(self) -> None:
        url = reverse("proposals:page", args=[self.area.slug, self.stored.pk])
        one = StoredProposal.objects.filter(state="open").first()
        decide = reverse("proposals:decide", args=[self.area.slug, self.stored.pk, one.pk])  # type: ignore[union-attr]
        self.client.login(username=make_person(self.area, Role.READER).username, password=PASSWORD)
        self.assertEqual(self.client.get(url).status_code, 200)
        self.assertEqual(self.client.post(decide, {"act": "accept"}).status_code, 403)
        self.client.login(username=make_person(make_area("Elsewhere")).username, password=PASSWORD)
        self.assertEqual(self.client.get(url).status_code, 404)

    def test_the_heading_of_a_pattern_tells_names_from_words(self) -> None:
        for kind, label, parts in (
            ("typed_reference", "refid by refkind", [("refid", True), (" by ", False), ("refkind", True)]),
            ("subtype", "parts of main.point", [("parts of ", False), ("main.point", True)]),
            (
                "repeated_column",
                "columns of main.a again",
                [("columns of ", False), ("main.a", True), (" again", False)],
            ),
            ("foreign_key", "…_cd → main.a", [("…_cd → main.a", True)]),
            ("code_table", "tables of codes and their meaning", [("tables of codes and their meaning", False)]),
        ):
            self.assertEqual(Group(kind=kind, label=label, table_id=0, count=1, least=0, most=0).parts, parts)

    def test_the_page_takes_as_many_queries_for_many_groups_as_for_few(self) -> None:
        url = reverse("proposals:page", args=[self.area.slug, self.stored.pk])
        self.client.get(url)
        for by in ("pattern", "table"):
            with self.assertNumQueries(self.queries_for(url, by)):
                self.client.get(url, {"by": by})

    def queries_for(self, url: str, by: str) -> int:
        from django.db import connection
        from django.test.utils import CaptureQueriesContext

        with CaptureQueriesContext(connection) as asked:
            self.client.get(url, {"by": by, "q": "notice"})
        return len(asked)


class DefinitionTests(ProposalCase):
    """Comments that become definitions."""

    def setUp(self) -> None:
        super().setUp()
        for name, text in (("sample.taken_at", "When the bottle was filled"), ("result.value", "As measured"),
                           ("sample.point_id", "FK to point")):  # fmt: skip
            place = column(self.stored, name)
            place.remark = text
            place.save(update_fields=["remark"])
        self.look()

    def test_comments_are_a_group_accepted_within_a_filter_and_undone(self) -> None:
        address = reverse("proposals:decide-many", args=[self.area.slug, self.stored.pk])
        group = {"act": "accept", "kind": "definition", "pattern": "written beside columns"}
        self.assertContains(
            self.client.get(reverse("proposals:page", args=[self.area.slug, self.stored.pk]), {"kind": "definition"}),
            "When the bottle was filled",
        )
        self.client.post(address, group | {"q": "bottle"})
        self.assertEqual(StoredProposal.objects.filter(kind="definition", state="open").count(), 1)
        taken = column(self.stored, "sample.taken_at")
        self.assertEqual(DescribedColumn.objects.get(pk=taken.pk).definition, "When the bottle was filled")
        self.assertEqual(DescribedColumn.objects.get(pk=taken.pk).definition_from, "attribute")
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(DescribedColumn.objects.get(pk=taken.pk).definition, "")
        self.client.post(address, group)
        self.assertEqual(StoredProposal.objects.filter(kind="definition", state="accepted").count(), 2)
        self.look()
        self.assertFalse(StoredProposal.objects.filter(kind="definition", state="open").exists())

    def test_a_definition_that_a_person_wrote_meanwhile_stays(self) -> None:
        value = column(self.stored, "result.value")
        place = editing.place_of(value, only_here=False)
        editing.edit(area=self.area, person=self.person, place=place, field="definition", seen="", value="By hand.")
        with self.assertRaises(deciding.ProposalError):
            self.accept(kind="definition", table_name="main.result")
        self.assertEqual(DescribedColumn.objects.get(pk=value.pk).definition, "By hand.")
