"""Words of wordbooks and decisions of naming passes are undone and redone as everything else is."""

from __future__ import annotations

from indexa.changes import undoing
from indexa.changes.errors import ConflictsError
from indexa.jobs.models import Job
from indexa.jobs.progress import Silent
from indexa.naming.passes import decisions as settling
from indexa.naming.passes import services as passes
from indexa.naming.passes.models import NamingPass, PassName, PassWord
from indexa.naming.wordbooks import services as wordbooks
from indexa.naming.wordbooks.models import BookWord
from tests.changes.test_undoing import UndoCase


class WordTests(UndoCase):
    def setUp(self) -> None:
        super().setUp()
        self.book = wordbooks.own_book(self.area)

    def words(self) -> dict[str, tuple[list[str], str]]:
        return {one.word: (one.abbreviations, one.status) for one in BookWord.objects.all()}

    def save(self, word: str, *abbreviations: str, word_id: int | None = None, status: str = "agreed") -> BookWord:
        return wordbooks.save(
            area=self.area, person=self.person, word_id=word_id, book_id=self.book.pk, word=word, abbreviations=list(abbreviations), context_words=[],
            status=status, meaning="",
        )  # fmt: skip

    def test_adding_changing_and_merging_are_undone_and_redone(self) -> None:
        def merge() -> object:
            keep, drop = BookWord.objects.order_by("pk")[:2]
            return wordbooks.merge(area=self.area, person=self.person, keep_id=keep.pk, drop_id=drop.pk)

        acts = [
            lambda: self.save("Meter", "mtr"),
            lambda: self.save("Metre", "mt"),
            lambda: self.save("Meters", "mtr", "mts", word_id=BookWord.objects.get(word="Meter").pk),
            merge,
        ]
        states = [self.words()]
        for act in acts:
            act()
            states.append(self.words())
        for wanted in reversed(states[:-1]):
            self.undo()
            self.assertEqual(self.words(), wanted)
        for wanted in states[1:]:
            undone = undoing.next_to_redo(area=self.area, person=self.person)
            assert undone
            self.redo(undone)
            self.assertEqual(self.words(), wanted)

    def test_a_word_that_was_changed_since_is_told(self) -> None:
        made = self.save("Meter", "mtr")
        first = undoing.next_to_undo(area=self.area, person=self.person)
        self.save("Meter", "mtr", "mt", word_id=made.pk)
        with self.assertRaisesMessage(ConflictsError, "Meter, word: "):
            self.undo(first)
        self.assertEqual(self.words(), {"Meter": (["mtr", "mt"], "agreed")})

    def test_settling_a_word_of_a_pass_is_undone_and_redone_with_the_names_that_follow(self) -> None:
        job = Job.objects.create(
            area=self.area, kind="naming pass", title="x", started_by=self.person,
            arguments={"model": self.stored.pk, "kinds": ["tables", "columns"], "only_missing": True},
        )  # fmt: skip
        passes.propose(job, Silent())
        made = NamingPass.objects.get()

        def names() -> list[tuple[str, str]]:
            return list(PassName.objects.order_by("pk").values_list("after", "open"))

        before = names()
        settling.settle(area=self.area, person=self.person, pass_id=made.pk, short="rdg", word="Ridge", book=self.book)
        after = names()
        self.assertNotEqual(before, after)
        for _ in range(2):
            self.undo()
            self.assertEqual((names(), PassWord.objects.get(short="rdg").state), (before, "open"))
            self.assertFalse(BookWord.objects.filter(word="Ridge").exists())
            self.redo()
            self.assertEqual((names(), PassWord.objects.get(short="rdg").state), (after, "settled"))
        self.assertTrue(BookWord.objects.filter(word="Ridge", abbreviations=["rdg"]).exists())
