"""Naming passes to physical names under a standard, and findings mended by renaming, over real PostgreSQL."""

from __future__ import annotations

from django.db import connection, transaction
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from indexa.changes import undoing
from indexa.core.model import Column, Index, IndexPart, Key, Model, Table
from indexa.core.naming.standard import Kind, Rule
from indexa.jobs.models import Job
from indexa.jobs.progress import Silent
from indexa.naming.errors import PassError
from indexa.naming.passes import decisions as settling
from indexa.naming.passes import services as passes
from indexa.naming.passes.models import NamingPass
from indexa.naming.standards import services as standards
from indexa.naming.standards.models import NameFinding
from indexa.naming.wordbooks import services as wordbooks
from indexa.naming.wordbooks.models import BookWord
from indexa.store.loading import load_model
from indexa.store.models import StoredColumn, StoredModel
from tests.factories import PASSWORD, column, make_area, make_model, make_person, store, table

RULES: dict[Kind, Rule] = {
    "table": Rule(),
    "column": Rule(max_length=16),
    "primary key": Rule(pattern="pk_{{ table }}"),
    "index": Rule(pattern="ix_{{ table }}_{{ columns | join('_') }}"),
}


def described_model(tables: int = 1, name: str = "described") -> Model:
    """Tables whose columns have business names but for the last: Reading Date twice, Pressure, Order, nameless."""
    made = []
    for number in range(tables):
        columns = [
            Column("a1", 1, "date", business_name="Reading Date"),
            Column("a2", 2, "date", business_name="Date of the Reading"),
            Column("a3", 3, "date", business_name="Reading Date"),
            Column("a4", 4, "int", business_name="Order"),
            Column("a5", 5, "int", business_name="Reading Pressure"),
            Column("nameless", 6, "int"),
        ]
        made.append(
            Table(
                name=f"x{number}", schema="s", business_name=f"Meter {number}", columns=columns,
                primary_key=Key(name="p", columns=("a1",)), indexes=[Index(name=f"i{number}", parts=(IndexPart("a4"),))],
            )
        )  # fmt: skip
    return Model(name=name, platform="postgresql", tables=made)


class PhysicalCase(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.person = make_person(self.area)
        self.client.login(username=self.person.username, password=PASSWORD)
        self.book = wordbooks.own_book(self.area)
        for word, short in (("Reading", "rdg"), ("Date", "dt"), ("Meter", "mtr")):
            BookWord.objects.create(wordbook=self.book, word=word, abbreviations=[short])
        self.stored = self.describe(described_model())

    def describe(self, model: Model) -> StoredModel:
        """Store a model with its business names, under a standard."""
        text = {f"{t.name}.{c.name}": c.business_name for t in model.tables for c in t.columns}
        names = {t.name: t.business_name for t in model.tables}
        stored = store(self.area, model)
        for item in StoredColumn.objects.filter(table__model=stored).select_related("table"):
            StoredColumn.objects.filter(pk=item.pk).update(business_name=text[f"{item.table.name}.{item.name}"])
        for one in stored.tables.all():
            stored.tables.filter(pk=one.pk).update(business_name=names[one.name])
        standard = standards.make(area=self.area, person=self.person, name=f"For {stored.pk}", rules=RULES)
        standards.govern(stored=standard, models=[stored])
        return stored

    def make(
        self,
        stored: StoredModel | None = None,
        *,
        only_missing: bool = False,
        kinds: tuple[str, ...] = ("tables", "columns", "keys"),
    ) -> NamingPass:
        with transaction.atomic():
            return passes.make_pass(
                model=stored or self.stored, person=self.person, kinds=kinds, only_missing=only_missing,
                direction="physical", progress=Silent(),
            )  # fmt: skip

    def settle(self, made: NamingPass, word: str, short: str) -> int:
        return settling.settle(
            area=self.area, person=self.person, pass_id=made.pk, short=word, word=short, book=self.book
        )

    def at(self, name: str, *more: object) -> str:
        return reverse(f"naming:{name}", args=[self.area.slug, *more])


class PhysicalPassTests(PhysicalCase):
    def test_names_are_made_kept_apart_and_what_was_done_to_them_is_told(self) -> None:
        made = self.make()
        names = {one.before: one for one in made.names.all()}
        self.assertEqual(names["x0"].after, "mtr_0")
        self.assertEqual([names[f"a{at}"].after for at in (1, 2, 3, 4)], ["rdg_dt", "dt_rdg", "rdg_dt_2", "order_"])
        self.assertIn("taken", " ".join(names["a3"].notes))
        self.assertIn("word of the platform", " ".join(names["a4"].notes))
        self.assertNotIn("nameless", names)
        self.assertIn("1 name is left out", made.left_out)
        self.assertEqual([one.short for one in made.words.order_by("short")], ["order", "pressure"])
        self.assertEqual(names["a5"].open, ["pressure"])

    def test_a_settled_word_reaches_its_names_and_keys_follow_when_all_is_applied(self) -> None:
        made = self.make()
        self.assertEqual(self.settle(made, "pressure", "prs"), 1)
        self.settle(made, "order", "rdg_dt".replace("_", ""))
        self.assertEqual(made.names.get(before="a5").after, "rdg_prs")
        before = load_model(self.stored)
        applied = passes.apply(area=self.area, person=self.person, pass_id=made.pk)
        self.assertEqual((applied.count, applied.taken), (8, []))
        now = load_model(self.stored).tables[0]
        self.assertEqual(
            [one.name for one in now.columns], ["rdg_dt", "dt_rdg", "rdg_dt_2", "rdgdt", "rdg_prs", "nameless"]
        )
        self.assertEqual(now.primary_key and now.primary_key.name, "pk_mtr_0")
        self.assertEqual(now.indexes[0].name, "ix_mtr_0_rdgdt")
        self.assertEqual(now.indexes[0].parts[0].column, "rdgdt")
        self.assertFalse(self.make().names.exists())
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(load_model(self.stored), before)

    def test_settled_and_taken_back_the_wordbook_and_the_names_are_as_before(self) -> None:
        made = self.make()
        before = made.names.get(before="a5").after
        self.settle(made, "pressure", "prs")
        self.assertEqual(BookWord.objects.get(word="Pressure").abbreviations, ["prs"])
        settling.reopen(area=self.area, person=self.person, pass_id=made.pk, short="pressure")
        self.assertFalse(BookWord.objects.filter(word="Pressure").exists())
        self.assertEqual((made.names.get(before="a5").after, made.names.get(before="a5").open), (before, ["pressure"]))
        with self.assertRaisesMessage(PassError, "letters and digits"):
            self.settle(made, "pressure", "p r")

    def test_a_locked_name_survives_and_no_other_takes_it(self) -> None:
        made = self.make()
        name = made.names.get(before="a5")
        passes.write_name(
            area=self.area, person=self.person, pass_id=made.pk, name_id=name.pk, after="rdg_dt_2", lock=True
        )
        self.settle(made, "order", "ord")
        self.assertEqual(made.names.get(before="a3").after, "rdg_dt_3")
        self.settle(made, "pressure", "prs")
        passes.apply(area=self.area, person=self.person, pass_id=made.pk)
        self.assertEqual(column(self.stored, "mtr_0.rdg_dt_2").source_name, "a5")
        self.assertFalse(self.make().names.filter(object_id=name.object_id, target="column").exists())

    def test_only_names_that_break_the_standard_are_asked_for_if_that_is_wanted(self) -> None:
        self.assertFalse(self.make(only_missing=True).names.filter(target="column").exists())
        StoredColumn.objects.filter(table__model=self.stored, name="a1").update(name="Read On")
        self.assertEqual([one.before for one in self.make(only_missing=True).names.all()], ["Read On"])

    def test_without_a_standard_no_pass_starts(self) -> None:
        other = store(self.area, make_model("other"))
        answer = self.client.post(
            self.at("passes"), {"model": other.pk, "kinds": ["columns"], "names": "all", "direction": "physical"}
        )
        self.assertContains(answer, "No naming standard governs other", status_code=422)
        self.assertFalse(Job.objects.filter(kind="naming pass").exists())

    def test_pages_show_both_kinds_of_names_in_their_own_voice(self) -> None:
        made = self.make()
        page = self.client.get(self.at("pass", made.pk)).content.decode()
        self.assertIn('<span class="biz-name">pressure</span>', page)
        self.assertIn("another short form", page)
        self.assertIn("Keys and indexes follow by their patterns", page)
        names = self.client.get(self.at("pass-names", made.pk)).content.decode()
        self.assertIn("<code>rdg_dt_2</code>", names)

    def test_any_number_of_names_takes_the_same_number_of_queries(self) -> None:
        counts = []
        for size in (2, 30):
            stored = self.describe(described_model(size, f"of {size}"))
            with CaptureQueriesContext(connection) as made_by:
                made = self.make(stored)
            with CaptureQueriesContext(connection) as settled_by:
                self.settle(made, "pressure", f"prs{size}")
            with CaptureQueriesContext(connection) as applied_by:
                passes.apply(area=self.area, person=self.person, pass_id=made.pk)
            counts.append([len(done) for done in (made_by, settled_by, applied_by)])
            stored.delete()
            BookWord.objects.filter(word="Pressure").delete()
        for few, many in zip(*counts, strict=True):
            self.assertLessEqual(many - few, 5, counts)


class MendingTests(PhysicalCase):
    def setUp(self) -> None:
        super().setUp()
        self.stored = store(self.area, make_model())
        BookWord.objects.filter(word="Meter").update(abbreviations=["met", "mtr"])
        standards.govern(
            stored=standards.make(area=self.area, person=self.person, name="M", rules=RULES), models=[self.stored]
        )

    def test_one_finding_is_mended_where_it_stands_and_comes_back_with_undo(self) -> None:
        finding = NameFinding.objects.get(model=self.stored, place="metering.mtr.mtr_srl_no")
        answer = self.client.post(self.at("fix", finding.pk))
        self.assertContains(answer, "It is <code>met_srl_no</code> now")
        self.assertTrue(StoredColumn.objects.filter(table__model=self.stored, name="met_srl_no").exists())
        self.assertFalse(NameFinding.objects.filter(pk=finding.pk).exists())
        self.client.post(reverse("changes:undo", args=[self.area.slug]))
        self.assertTrue(standards.is_stale(self.stored))
        self.client.get(self.at("findings") + f"?model={self.stored.pk}")
        self.assertTrue(NameFinding.objects.filter(model=self.stored, place="metering.mtr.mtr_srl_no").exists())

    def test_all_that_a_filter_shows_are_mended_as_one_but_for_waived_ones(self) -> None:
        waived = NameFinding.objects.get(model=self.stored, place="metering.mtr.mtr_srl_no")
        standards.waive(model=self.stored, person=self.person, finding_id=waived.pk, reason="as printed on it")
        page = self.client.get(self.at("findings") + f"?model={self.stored.pk}")
        count = page.context["can_fix"]
        answer = self.client.post(
            self.at("fix-all"), {"model": self.stored.pk, "kept": f"model={self.stored.pk}&waived=too"}, follow=True
        )
        self.assertContains(answer, "Press u to take them back")
        self.assertEqual(column(self.stored, "met.mtr_srl_no").source_name, "")
        self.assertEqual(table(self.stored, "met").keys.get(kind="primary").name, "pk_mtr")
        again = self.client.post(self.at("fix-all"), {"model": self.stored.pk, "kept": ""}, follow=True)
        self.assertGreater(count, 3)
        self.assertEqual(table(self.stored, "met").keys.get(kind="primary").name, "pk_met")
        self.assertEqual(again.status_code, 200)
        self.assertContains(
            self.client.post(self.at("fix-all"), {"model": self.stored.pk, "kept": ""}, follow=True),
            "which name it should be",
        )

    def test_readers_and_strangers_can_not_mend(self) -> None:
        finding = NameFinding.objects.filter(model=self.stored).exclude(should="").first()
        assert finding
        elsewhere = make_area("Elsewhere")
        make_person(elsewhere, name="stranger")
        self.client.login(username="stranger", password=PASSWORD)
        self.assertIn(self.client.post(self.at("fix", finding.pk)).status_code, (403, 404))
        own = reverse("naming:fix", args=[elsewhere.slug, finding.pk])
        self.assertEqual(self.client.post(own).status_code, 404)
