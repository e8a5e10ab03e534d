"""Naming passes over real PostgreSQL: proposing, settling words, writing single names, applying, undoing."""

from __future__ import annotations

from unittest.mock import patch

from django.db import connection, transaction
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from indexa.areas.models import Role
from indexa.changes import undoing
from indexa.changes.errors import ConflictsError
from indexa.changes.models import ChangeSet
from indexa.core.model import Column, Model, Table
from indexa.dictionary.models import DictionaryRow
from indexa.dictionary.refresh import bring_up_to_date
from indexa.jobs.models import Job
from indexa.jobs.progress import Silent
from indexa.modeling import editing
from indexa.naming.errors import PassError
from indexa.naming.passes import decisions as settling
from indexa.naming.passes import services as passes
from indexa.naming.passes.models import LockedName, NamingPass, PassWord
from indexa.naming.wordbooks import services as wordbooks
from indexa.naming.wordbooks.models import BookWord
from indexa.store.models import DescribedColumn, StoredModel
from tests.factories import PASSWORD, column, make_area, make_model, make_person, store


def wide_model(columns: int) -> Model:
    tables = [
        Table(name=f"mtr_{number}", columns=[Column(f"rdg_{at}_dt", at, "date") for at in range(1, 101)])
        for number in range(columns // 100)
    ]
    return Model(name="wide", platform="postgresql", tables=tables)


class PassCase(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.person = make_person(self.area)
        self.stored = store(self.area, make_model())
        self.book = wordbooks.books_of(self.area)[0]

    def make(
        self,
        stored: StoredModel | None = None,
        *,
        only_missing: bool = True,
        kinds: tuple[str, ...] = ("tables", "columns"),
    ) -> NamingPass:
        with transaction.atomic():
            return passes.make_pass(
                model=stored or self.stored,
                person=self.person,
                kinds=kinds,
                only_missing=only_missing,
                progress=Silent(),
            )

    def settle(self, made: NamingPass, short: str, word: str) -> int:
        return settling.settle(
            area=self.area, person=self.person, pass_id=made.pk, short=short, word=word, book=self.book
        )

    def apply(self, made: NamingPass) -> ChangeSet:
        return passes.apply(area=self.area, person=self.person, pass_id=made.pk).change_set

    def shown(self, name: str) -> str:
        return str(DescribedColumn.objects.get(pk=column(self.stored, name).pk).business_name)


class PassTests(PassCase):
    def test_one_word_settled_reaches_every_name_and_the_wordbook(self) -> None:
        made = self.make()
        asked = {word.short: word for word in made.words.all()}
        self.assertEqual(asked["mtr"].options[0][0], "Meter")
        self.assertNotIn("id", asked)
        count = self.settle(made, "mtr", "Water Meter")
        names = {name.place: name for name in made.names.all()}
        self.assertEqual(count, sum("mtr" in name.words for name in names.values()))
        self.assertEqual(names["metering.mtr.mtr_id"].after, "Water Meter ID")
        self.assertEqual(names["metering.mtr.mtr_id"].open, [])
        self.assertEqual(names["metering.mtr.mtr_srl_no"].open, ["srl", "no"])
        self.assertEqual(BookWord.objects.get(word="Water Meter").abbreviations, ["mtr"])
        again = self.make()
        self.assertFalse(again.words.filter(short="mtr").exists())
        self.assertEqual(NamingPass.objects.get(pk=made.pk).state, "discarded")

    def test_what_is_applied_is_one_change_set_in_the_dictionary_and_undone_as_one(self) -> None:
        made = self.make()
        self.settle(made, "mtr", "Meter")
        self.settle(made, "rdg", "Reading")
        change_set = self.apply(made)
        self.assertEqual(self.shown("mtr.mtr_id"), "Meter ID")
        self.assertEqual(self.shown("mtr_rdg.mtr_id"), "Meter ID")
        self.assertTrue(DictionaryRow.objects.get(pk=column(self.stored, "mtr.mtr_id").pk).named)
        self.assertEqual(self.shown("mtr_rdg.rdg_ts"), "")
        undone = undoing.undo(area=self.area, person=self.person)
        self.assertEqual((undone.undoes_id, undone.changes.count()), (change_set.pk, change_set.changes.count()))
        self.assertEqual(self.shown("mtr.mtr_id"), "")
        self.assertFalse(DictionaryRow.objects.get(pk=column(self.stored, "mtr.mtr_id").pk).named)

    def test_after_very_many_names_search_follows_in_the_background(self) -> None:
        made = self.make()
        self.settle(made, "mtr", "Meter")
        with patch("indexa.dictionary.refresh._MANY", 2):
            self.apply(made)
        row = column(self.stored, "mtr.mtr_id").pk
        self.assertEqual(self.shown("mtr.mtr_id"), "Meter ID")
        self.assertFalse(DictionaryRow.objects.get(pk=row).named)
        bring_up_to_date(Job.objects.get(kind="dictionary rows"), Silent())
        self.assertTrue(DictionaryRow.objects.get(pk=row).named)

    def test_a_name_changed_in_the_meantime_is_left_alone_and_stops_the_undo(self) -> None:
        made = self.make()
        self.settle(made, "mtr", "Meter")
        place = editing.place_of(column(self.stored, "mtr.mtr_id"), only_here=False)
        editing.edit(area=self.area, person=self.person, place=place, field="business_name", seen="", value="Mine")
        self.apply(made)
        self.assertEqual(self.shown("mtr.mtr_id"), "Mine")
        place = editing.place_of(column(self.stored, "mtr_rdg.mtr_id"), only_here=False)
        editing.edit(
            area=self.area, person=self.person, place=place, field="business_name", seen="Meter ID", value="Other"
        )
        change_set = NamingPass.objects.get(pk=made.pk).change_set
        assert change_set
        with self.assertRaises(ConflictsError):
            undoing.undo(area=self.area, person=self.person, change_set_id=change_set.pk)
        self.assertEqual(self.shown("mtr_rdg.mtr_id"), "Other")

    def test_taken_back_the_wordbook_forgets_what_it_learned_by_that(self) -> None:
        known = BookWord.objects.create(wordbook=self.book, word="Meter", abbreviations=["meter_no"], meaning="kept")
        made = self.make()
        self.settle(made, "mtr", "Meter")
        self.settle(made, "rdg", "Reading")
        known.refresh_from_db()
        self.assertEqual(known.abbreviations, ["meter_no", "mtr"])
        for short in ("mtr", "rdg"):
            settling.reopen(area=self.area, person=self.person, pass_id=made.pk, short=short)
        known.refresh_from_db()
        self.assertEqual(known.abbreviations, ["meter_no"])
        self.assertFalse(BookWord.objects.filter(word="Reading").exists())
        self.assertIn("mtr", made.names.get(place="metering.mtr.mtr_id").open)
        with self.assertRaises(PassError):
            settling.reopen(area=self.area, person=self.person, pass_id=made.pk, short="mtr")

    def test_a_name_written_by_hand_follows_no_word_and_locked_survives_later_passes(self) -> None:
        made = self.make()
        name = made.names.get(place="metering.mtr.mtr_id")
        passes.write_name(
            area=self.area, person=self.person, pass_id=made.pk, name_id=name.pk, after=" Device  Number ", lock=True
        )
        self.settle(made, "mtr", "Meter")
        self.apply(made)
        self.assertEqual(self.shown("mtr.mtr_id"), "Device Number")
        again = self.make(only_missing=False)
        self.assertFalse(again.names.filter(place="metering.mtr.mtr_id").exists())
        self.assertEqual(LockedName.objects.count(), 1)

    def test_applied_again_only_what_differs_is_touched(self) -> None:
        made = self.make()
        settling.settle_certain(area=self.area, person=self.person, pass_id=made.pk, book=self.book)
        for word in made.words.filter(state="open"):
            self.settle(made, word.short, word.options[0][0] if word.options else word.short.title())
        self.apply(made)
        self.assertFalse(self.make(only_missing=False).names.exists())
        BookWord.objects.filter(word="Reading").update(word="Register Reading")
        again = self.make(only_missing=False)
        self.assertEqual({"Reading" in name.before for name in again.names.all()}, {True})
        change_set = self.apply(again)
        self.assertEqual(change_set.changes.count(), again.names.count())

    def test_only_what_was_asked_for_is_proposed(self) -> None:
        self.assertEqual(set(self.make(kinds=("tables",)).names.values_list("target", flat=True)), {"table"})
        made = self.make()
        self.settle(made, "mtr", "Meter")
        self.apply(made)
        self.assertFalse(self.make().names.filter(place="metering.mtr").exists())

    def test_a_pass_that_is_over_or_elsewhere_is_refused(self) -> None:
        made = self.make()
        with self.assertRaisesRegex(PassError, "No name is settled"):
            self.apply(self.make(kinds=("tables",)))
        with self.assertRaisesRegex(PassError, "over"):
            self.settle(made, "mtr", "Meter")
        with self.assertRaisesRegex(PassError, "no longer there"):
            passes.apply(area=make_area("Elsewhere"), person=self.person, pass_id=made.pk)
        again = self.make()
        for word in ("", "x" * 201):
            with self.assertRaises(PassError):
                self.settle(again, "mtr", word)

    def test_the_wordbooks_and_their_stack_are_heeded(self) -> None:
        lower = wordbooks.make_book(self.area, "Company")
        BookWord.objects.create(wordbook=lower, word="Metre", abbreviations=["mtr"])
        BookWord.objects.create(wordbook=self.book, word="Meter", abbreviations=["mtr"])
        BookWord.objects.create(wordbook=lower, word="Reading", abbreviations=["rdg"], status="proposed")
        BookWord.objects.create(wordbook=lower, word="Second", abbreviations=["ts"], status="retired")
        made = self.make()
        self.assertEqual(made.names.get(place="metering.mtr.mtr_id").after, "Meter ID")
        self.assertEqual(made.words.get(short="rdg").options[0][:2], ["Reading", 1.0])
        self.assertNotEqual(made.words.get(short="ts").options[0][0], "Second")

    def test_a_job_that_fails_half_way_leaves_no_pass(self) -> None:
        job = Job.objects.create(
            area=self.area, kind="naming pass", title="x", started_by=self.person,
            arguments={"model": self.stored.pk, "kinds": ["columns"], "only_missing": True},
        )  # fmt: skip
        broken = patch("indexa.naming.passes.to_business.copy_rows", side_effect=RuntimeError)
        with broken, self.assertRaises(RuntimeError), transaction.atomic():
            passes.propose(job, Silent())
        self.assertFalse(NamingPass.objects.exists())

    def test_any_number_of_names_takes_the_same_number_of_queries(self) -> None:
        counts = []
        for size in (200, 2_000):
            stored = store(make_area(f"Area {size}"), wide_model(size))
            book = wordbooks.books_of(stored.area)[0]
            with CaptureQueriesContext(connection) as made_by:
                made = self.make(stored)
            with CaptureQueriesContext(connection) as settled_by:
                settling.settle(
                    area=stored.area, person=self.person, pass_id=made.pk, short="rdg", word="Reading", book=book
                )
                settling.settle(
                    area=stored.area, person=self.person, pass_id=made.pk, short="dt", word="Date", book=book
                )
            with CaptureQueriesContext(connection) as applied_by:
                passes.apply(area=stored.area, person=self.person, pass_id=made.pk)
            with CaptureQueriesContext(connection) as undone_by:
                undoing.undo(area=stored.area, person=self.person)
            counts.append([len(done) for done in (made_by, settled_by, applied_by, undone_by)])
        for few, many in zip(*counts, strict=True):
            self.assertLessEqual(many - few, 5, counts)


class PassPageCase(PassCase):
    """A pass, and the addresses of its pages."""

    def setUp(self) -> None:
        super().setUp()
        self.client.login(username=self.person.username, password=PASSWORD)
        self.made = self.make()

    def at(self, name: str, *more: object) -> str:
        return reverse(f"naming:{name}", args=[self.area.slug, self.made.pk, *more])


class PassPageTests(PassPageCase):
    def test_pages_ask_as_often_for_many_words_and_passes_as_for_few(self) -> None:
        address = reverse("naming:passes", args=[self.area.slug])
        asked = []
        for _ in range(2):
            with CaptureQueriesContext(connection) as one:
                self.client.get(self.at("pass"))
            with CaptureQueriesContext(connection) as other:
                self.client.get(address)
            asked.append((len(one), len(other)))
            more = [PassWord(naming_pass=self.made, short=f"w{n}", count=1, options=[]) for n in range(30)]
            PassWord.objects.bulk_create(more, ignore_conflicts=True)
            for _ in range(5):
                NamingPass.objects.create(model=self.stored, kinds=["tables"], only_missing=True, state="discarded")
        self.assertEqual(asked[0], asked[1])

    def test_a_decision_comes_back_settled_with_the_head(self) -> None:
        word = self.made.words.get(short="mtr")
        page = self.client.get(self.at("pass")).content.decode()
        self.assertIn("waiting for a word", page)
        text = self.client.post(self.at("pass-word", word.pk), {"word": "Meter", "other": ""}).content.decode()
        self.assertIn("settled", text)
        self.assertIn('hx-swap-oob="true"', text)
        self.assertIn("<mark>mtr</mark>", text)
        self.assertEqual(self.client.post(self.at("pass-word", word.pk), {"word": ""}).status_code, 422)
        self.client.post(self.at("pass-word", word.pk), {"act": "reopen"})
        text = self.client.post(self.at("pass-word", word.pk), {"other": "<b>Own</b>"}).content.decode()
        self.assertIn("&lt;b&gt;Own&lt;/b&gt;", text)
        self.assertNotIn("<b>Own", text)
        self.assertContains(self.client.get(self.at("pass-word", word.pk)), "Where it is used")

    def test_names_are_found_written_and_applied(self) -> None:
        name = self.made.names.get(place="metering.mtr.mtr_id")
        self.assertContains(self.client.get(self.at("pass-names") + "?q=srl"), "mtr_srl_no")
        self.assertNotContains(self.client.get(self.at("pass-names") + "?which=settled"), "mtr_srl_no")
        self.assertContains(self.client.get(self.at("pass-name", name.pk)), 'name="after"')
        self.assertEqual(self.client.post(self.at("pass-name", name.pk), {"after": ""}).status_code, 422)
        self.assertContains(
            self.client.post(self.at("pass-name", name.pk), {"after": "Meter Key", "lock": "on"}), "locked"
        )
        self.assertRedirects(self.client.post(self.at("pass-apply")), self.at("pass"))
        self.assertEqual(self.shown("mtr.mtr_id"), "Meter Key")
        url = reverse("changes:undo", args=[self.area.slug])
        self.assertRegex(self.client.post(url).json()["message"], r"Undone: business name of (?!metering)")

    def test_a_pass_is_started_as_a_job_and_discard(self) -> None:
        address = reverse("naming:passes", args=[self.area.slug])
        self.assertEqual(self.client.post(address, {"model": self.stored.pk}).status_code, 422)
        self.client.post(address, {"model": self.stored.pk, "kinds": ["tables"], "names": "all"})
        job = Job.objects.get()
        self.assertEqual(self.client.get(passes.propose(job, Silent())).status_code, 200)
        self.made = NamingPass.objects.latest("pk")
        self.client.post(self.at("pass-discard"))
        self.made.refresh_from_db()
        self.assertEqual(self.made.state, "discarded")

    def test_a_reader_sees_all_and_changes_nothing(self) -> None:
        self.client.login(username=make_person(self.area, Role.READER).username, password=PASSWORD)
        word, name = self.made.words.get(short="mtr"), self.made.names.latest("pk")
        for address in (self.at("pass"), self.at("pass-names"), self.at("pass-word", word.pk)):
            self.assertEqual(self.client.get(address).status_code, 200)
        posts = [self.at("pass-word", word.pk), self.at("pass-name", name.pk), self.at("pass-apply"), self.at("pass-certain"),
                 self.at("pass-discard"), reverse("naming:passes", args=[self.area.slug])]  # fmt: skip
        for address in posts:
            with self.subTest(address):
                self.assertEqual(self.client.post(address).status_code, 403)
        other = make_area("Elsewhere")
        self.client.login(username=make_person(other, Role.ADMINISTRATOR).username, password=PASSWORD)
        for name_of in ("pass", "pass-names"):
            self.assertEqual(
                self.client.get(reverse(f"naming:{name_of}", args=[other.slug, self.made.pk])).status_code, 404
            )
