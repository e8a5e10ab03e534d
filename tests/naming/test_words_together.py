"""What several people and areas do with words: stacks that are shared, taking changes back, doubts, meanings told apart."""

from __future__ import annotations

from django.db import transaction
from django.test import TestCase
from django.urls import reverse

from indexa.areas.models import Role
from indexa.areas.services import add_member
from indexa.changes.models import ChangeSet
from indexa.core.model import Column, Model, Table
from indexa.core.naming.mining import Found
from indexa.jobs.progress import Silent
from indexa.naming.errors import PassError, WordError
from indexa.naming.passes import decisions as settling
from indexa.naming.passes import services as passes
from indexa.naming.wordbooks import services as wordbooks
from indexa.naming.wordbooks import term_issues
from indexa.naming.wordbooks.models import BookWord, TermIssue
from tests.factories import PASSWORD, make_area, make_person, store


class WordCase(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.person = make_person(self.area)
        self.book = wordbooks.own_book(self.area)
        self.client.login(username=self.person.username, password=PASSWORD)

    def at(self, name: str, *more: object) -> str:
        return reverse(f"naming:{name}", args=[self.area.slug, *more])

    def word(self, word: str, *abbreviations: str, **more: object) -> BookWord:
        return BookWord.objects.create(wordbook=self.book, word=word, abbreviations=list(abbreviations), **more)

    def records(self) -> list[tuple[object, ...]]:
        return list(
            BookWord.objects.order_by("pk").values_list(
                "pk", "word", "abbreviations", "status", "meaning", "context_words"
            )
        )

    def undo(self) -> int:
        url = reverse("changes:undo", args=[self.area.slug])
        answer = self.client.post(url)
        if "ask" in answer.json():
            answer = self.client.post(url, {"change_set": answer.json()["change_set"]})
        return answer.status_code


class TakingBackTests(WordCase):
    def test_every_kind_of_change_is_taken_back_whole(self) -> None:
        meter, other = self.word("Meter", "mtr", meaning="a device"), self.word("Metre", "m")
        self.word("Flow", "flw", status="proposed")
        row = {"word": "Water Meter", "abbreviations": "wm mtr", "status": "agreed", "meaning": "b"}
        changes = {
            "grid": lambda: self.client.post(self.at("word-row", meter.pk), row),
            "merge": lambda: self.client.post(self.at("merge", meter.pk), {"drop": other.pk}),
            "agree": lambda: self.client.post(self.at("agree-all"), {"kept": "status=proposed"}),
            "new": lambda: self.client.post(self.at("word-new"), row | {"book": self.book.pk}),
        }
        for name, change in changes.items():
            with self.subTest(name):
                before = self.records()
                change()
                self.assertNotEqual(self.records(), before)
                self.assertEqual(self.undo(), 200)
                self.assertEqual(self.records(), before)
        self.assertEqual(self.undo(), 422)

    def test_what_somebody_changed_since_is_not_overwritten(self) -> None:
        meter = self.word("Meter", "mtr")
        self.client.post(
            self.at("word-row", meter.pk), {"word": "Meter", "abbreviations": "met", "status": "agreed", "meaning": ""}
        )
        BookWord.objects.filter(pk=meter.pk).update(meaning="somebody else's")
        self.assertEqual(self.undo(), 409)
        self.assertEqual(BookWord.objects.get(pk=meter.pk).abbreviations, ["met"])

    def test_a_row_that_can_not_be_kept_comes_back_with_what_was_typed(self) -> None:
        self.word("Metre", "m")
        meter = self.word("Meter", "mtr")
        answer = self.client.post(
            self.at("word-row", meter.pk), {"word": "METRE", "abbreviations": "x", "status": "agreed"}
        )
        self.assertContains(answer, "is in", status_code=422)
        self.assertContains(answer, 'value="METRE"', status_code=422)
        self.assertFalse(ChangeSet.objects.exists())


class StackTests(WordCase):
    def setUp(self) -> None:
        super().setUp()
        self.company = make_area("Company")
        make_person(self.company, name="clerk")
        self.shared = wordbooks.own_book(self.company)
        BookWord.objects.create(wordbook=self.shared, word="Metre", abbreviations=["mtr"])
        BookWord.objects.create(wordbook=self.shared, word="Reading", abbreviations=["rdg"])

    def join(self) -> None:
        add_member(area=self.company, username=self.person.username, role=Role.READER)

    def test_a_wordbook_of_another_area_is_used_below_the_own_one_and_written_only_there(self) -> None:
        with self.assertRaises(WordError):
            wordbooks.use(area=self.area, person=self.person, book_id=self.shared.pk)
        self.join()
        self.word("Meter", "mtr")
        self.client.post(self.at("books"), {"act": "use", "book": self.shared.pk})
        stack = wordbooks.stack_of(self.area)
        self.assertEqual([stack.meanings(short)[0].word for short in ("mtr", "rdg")], ["Meter", "Reading"])
        self.client.post(self.at("books"), {"act": "up", "book": self.shared.pk})
        self.assertEqual(wordbooks.stack_of(self.area).meanings("mtr")[0].word, "Metre")
        self.assertEqual(wordbooks.own_book(self.area), self.book)
        foreign = self.shared.words.first()
        assert foreign
        self.assertContains(self.client.get(self.at("word", foreign.pk)), "it is written there")
        for address in (self.at("word", foreign.pk), self.at("word-row", foreign.pk)):
            self.client.post(
                address, {"word": "Mine", "abbreviations": "x", "status": "agreed", "book": self.shared.pk}
            )
        self.assertFalse(BookWord.objects.filter(word="Mine").exists())
        self.assertContains(self.client.get(self.at("wordbook")), "Reading")
        self.client.post(self.at("books"), {"act": "remove", "book": self.shared.pk})
        self.assertFalse(wordbooks.stack_of(self.area).meanings("rdg"))
        self.assertTrue(self.shared.words.exists())

    def test_what_holds_words_or_is_used_elsewhere_is_not_removed(self) -> None:
        self.join()
        wordbooks.use(area=self.area, person=self.person, book_id=self.shared.pk)
        with self.assertRaisesMessage(WordError, "is used by"):
            wordbooks.remove(area=self.company, book_id=self.shared.pk)
        self.word("Meter", "mtr")
        self.assertContains(
            self.client.post(self.at("books"), {"act": "remove", "book": self.book.pk}, follow=True), "has words"
        )
        made = self.client.post(self.at("books"), {"act": "new", "name": "Metering"}, follow=True)
        self.assertContains(made, "Metering is in the order")
        book = wordbooks.make_book(self.area, "Metering")
        self.assertContains(
            self.client.post(self.at("books"), {"act": "rename", "book": book.pk, "name": self.book.name}, follow=True),
            "a name of its own",
        )
        self.assertEqual(wordbooks.remove(area=self.area, book_id=book.pk), "Metering")


class DoubtTests(WordCase):
    def setUp(self) -> None:
        super().setUp()
        found = [
            Found(short="vendor", word="supplier", confidence=0.8, evidence=("3 names differ in nothing else",), count=4, kind="synonym"),
            Found(short="recieved", word="received", confidence=0.9, evidence=("one letter",), count=2, kind="misspelling"),
            Found(short="st", word="state; street", confidence=0.7, evidence=("comments",), count=9, kind="homonym"),
            Found(short="mtr", word="meter", confidence=0.9, evidence=(), count=9),
        ]  # fmt: skip
        self.assertEqual(term_issues.keep(self.area, found), 3)
        self.assertEqual(term_issues.keep(self.area, found), 0)
        self.by_kind = {one.kind: one for one in TermIssue.objects.all()}

    def decide(self, kind: str, act: str) -> str:
        return self.client.post(self.at("doubt", self.by_kind[kind].pk), {"act": act}).content.decode()

    def meanings(self, short: str) -> list[str]:
        return [one.word for one in wordbooks.stack_of(self.area).meanings(short)]

    def test_decisions_go_into_the_wordbook_and_come_back_with_undo(self) -> None:
        self.assertContains(self.client.get(self.at("doubts")), "Probably misspelled")
        self.assertIn("recieved stands for received", self.decide("misspelling", "take"))
        self.decide("homonym", "take")
        self.decide("synonym", "other")
        self.assertEqual(self.meanings("recieved"), ["Received"])
        self.assertEqual(sorted(self.meanings("st")), ["State", "Street"])
        self.assertEqual(self.meanings("supplier"), ["Vendor"])
        self.assertFalse(TermIssue.objects.filter(state="open").exists())
        self.undo()
        self.assertEqual(self.meanings("supplier"), [])
        self.assertEqual([one.kind for one in TermIssue.objects.filter(state="open")], ["synonym"])

    def test_what_is_rejected_is_not_asked_again(self) -> None:
        self.decide("synonym", "reject")
        self.assertIn("decided it already", self.decide("synonym", "take"))
        found = Found(short="vendor", word="supplier", confidence=0.9, evidence=(), count=4, kind="synonym")
        self.assertEqual(term_issues.keep(self.area, [found]), 0)
        self.assertEqual(self.meanings("vendor"), [])


class ToldApartTests(WordCase):
    def setUp(self) -> None:
        super().setUp()
        columns = [Column(name, at, "text") for at, name in enumerate(("st_name", "st_code", "addr_st", "st"), 1)]
        tables = [Table(name="addr", columns=columns), Table(name="country", columns=[Column("st", 1, "text")])]
        self.stored = store(self.area, Model(name="m", platform="postgresql", tables=tables))
        self.pass_ = self.make()

    def make(self) -> passes.NamingPass:
        with transaction.atomic():
            return passes.make_pass(
                model=self.stored, person=self.person, kinds=["columns"], only_missing=True, progress=Silent()
            )

    def apart(self, word: str, *context_words: str) -> int:
        return settling.settle_apart(
            area=self.area, person=self.person, pass_id=self.pass_.pk, short="st", word=word, context_words=context_words, book=self.book
        )  # fmt: skip

    def open(self) -> set[str]:
        return set(self.pass_.names.filter(open__contains=["st"]).values_list("place", flat=True))

    def test_a_short_form_is_settled_by_its_company_and_later_passes_know_it(self) -> None:
        company = dict(passes.company(self.pass_, "st", 9))
        self.assertEqual((company["addr"], company["country"]), (4, 1))
        self.assertEqual(self.apart("State", "country"), 1)
        self.assertEqual(len(self.open()), 4)
        self.assertEqual(self.pass_.words.get(short="st").state, "open")
        self.assertEqual(self.apart("Street", "addr"), 4)
        self.assertEqual(self.open(), set())
        self.assertEqual(self.pass_.words.get(short="st").chosen, "State; Street")
        again = self.make()
        names = dict(again.names.values_list("place", "after"))
        self.assertEqual((names["country.st"], names["addr.st"]), ("State", "Street"))
        self.assertNotIn("st", {one.short for one in again.words.all()})

    def test_taken_back_both_meanings_are_forgotten(self) -> None:
        before = self.open()
        self.apart("State", "country")
        self.apart("Street", "addr")
        settling.reopen(area=self.area, person=self.person, pass_id=self.pass_.pk, short="st")
        self.assertEqual(self.open(), before)
        self.assertFalse(BookWord.objects.filter(abbreviations__contains=["st"]).exists())

    def test_without_company_nothing_is_settled(self) -> None:
        with self.assertRaises(PassError):
            self.apart("State", "st")
        margin = self.client.get(self.at("pass-word", self.pass_.pk, self.pass_.words.get(short="st").pk))
        self.assertContains(margin, "It means two words")
