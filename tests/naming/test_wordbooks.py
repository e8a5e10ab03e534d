"""Wordbooks: changing and merging words, lists in and out, what cannot be kept."""

from __future__ import annotations

import csv
import io
import json

import openpyxl
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase
from django.urls import reverse

from indexa.areas.models import Role
from indexa.jobs.models import Job
from indexa.jobs.progress import Silent
from indexa.naming.wordbooks import services as wordbooks
from indexa.naming.wordbooks.mining import find_words
from indexa.naming.wordbooks.models import BookWord
from indexa.naming.wordbooks.services import WordError
from tests.factories import PASSWORD, make_area, make_model, make_person, store


class WordbookTests(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.person = make_person(self.area)
        self.book = wordbooks.books_of(self.area)[0]
        self.client.login(username=self.person.username, password=PASSWORD)

    def at(self, name: str, *more: object) -> str:
        return reverse(f"naming:{name}", args=[self.area.slug, *more])

    def word(self, word: str, *abbreviations: str, **more: object) -> BookWord:
        return BookWord.objects.create(wordbook=self.book, word=word, abbreviations=list(abbreviations), **more)

    def post(self, address: str, **fields: object) -> int:
        given = {"word": "Meter", "abbreviations": "mtr", "status": "agreed", "book": self.book.pk, **fields}
        return self.client.post(address, given).status_code

    def test_a_word_is_added_changed_and_found(self) -> None:
        self.assertEqual(self.post(self.at("word-new"), abbreviations="MTR, met", meaning="A device."), 200)
        item = BookWord.objects.get()
        self.assertEqual((item.abbreviations, item.changed_by), (["mtr", "met"], self.person))
        self.assertEqual(
            self.post(self.at("word", item.pk), word="Water  Meter", status="retired", owner=self.person.pk), 200
        )
        item.refresh_from_db()
        self.assertEqual((item.word, item.status, item.owner), ("Water Meter", "retired", self.person))
        for query, there in (
            ("?q=MTR", True),
            ("?q=water", True),
            ("?q=nothing", False),
            ("?status=agreed", False),
            ("?page=99", True),
        ):
            with self.subTest(query):
                self.assertEqual("Water Meter" in self.client.get(self.at("wordbook") + query).content.decode(), there)

    def test_what_cannot_be_kept_is_refused_with_what_was_typed(self) -> None:
        self.word("Meter", "mtr")
        for fields in ({"word": ""}, {"word": "meter"}, {"word": "x" * 201}, {"abbreviations": "a " * 1 + " ".join(f"s{n}" for n in range(30))},
                       {"status": "odd"}, {"book": 0}, {"meaning": "x" * 20_001}, {"abbreviations": "x" * 201}):  # fmt: skip
            with self.subTest(fields=str(fields)[:40]):
                self.assertEqual(self.post(self.at("word-new"), **{"word": "Other", **fields}), 422)
        self.assertEqual(BookWord.objects.count(), 1)

    def test_doubles_are_told_and_merged(self) -> None:
        keep = self.word("Reading", "rdg", "read")
        drop = self.word("Readings", "rdg", "rds", meaning="Values.")
        self.assertContains(self.client.get(self.at("wordbook")), "also")
        self.client.post(self.at("merge", keep.pk), {"drop": drop.pk})
        keep.refresh_from_db()
        self.assertEqual(
            (keep.abbreviations, keep.meaning, BookWord.objects.count()), (["rdg", "read", "rds"], "Values.", 1)
        )
        with self.assertRaises(WordError):
            wordbooks.merge(area=make_area("Elsewhere"), person=self.person, keep_id=keep.pk, drop_id=keep.pk)

    def test_a_list_is_taken_in_and_what_is_odd_is_told(self) -> None:
        self.word("Meter", "mtr")
        lines = "short;word\r\nmtr;Meter\r\nmt;Meter\r\nsp;Service Point\r\nsp;Special\r\n=cmd;Formula\r\nalone\r\n"
        answer = self.client.post(
            self.at("import"), {"list": SimpleUploadedFile("w.csv", lines.encode("utf-16")), "book": self.book.pk}
        )
        self.assertContains(answer, "Ambiguous")
        self.assertContains(answer, "Line 7")
        self.assertEqual(BookWord.objects.get(word="Meter").abbreviations, ["mtr", "mt"])
        self.assertEqual(BookWord.objects.count(), 4)
        book = openpyxl.Workbook()
        assert book.active
        book.active.append(["Pump", "pmp"])
        out = io.BytesIO()
        book.save(out)
        self.client.post(
            self.at("import"), {"list": SimpleUploadedFile("w.xlsx", out.getvalue()), "book": self.book.pk}
        )
        self.assertEqual(BookWord.objects.get(word="Pump").abbreviations, ["pmp"])
        for name, content in (("w.csv", b"\0\1\2"), ("w.xlsx", b"PK\x03\x04 broken"), ("w.csv", b"one\ntwo\n")):
            bad = self.client.post(self.at("import"), {"list": SimpleUploadedFile(name, content), "new_book": "N"})
            self.assertEqual(bad.status_code, 422)
        self.assertEqual(self.client.post(self.at("import"), {"book": self.book.pk}).status_code, 422)

    def test_words_are_found_in_models_as_proposals_with_evidence(self) -> None:
        self.word("Serial", "ser")
        stored = store(self.area, make_model())
        self.assertRedirects(self.client.post(self.at("find-words")), self.at("wordbook"))
        self.client.post(self.at("find-words"), {"models": [stored.pk]})
        address = find_words(Job.objects.get(kind="words"), Silent())
        found = {word.word: word for word in BookWord.objects.filter(status="proposed")}
        self.assertEqual(found["Meter"].abbreviations, ["mtr"])
        self.assertIn("mtr: in 5 names", found["Meter"].evidence)
        self.assertNotIn("Serial", found)
        self.assertContains(self.client.get(address), "Meter")
        self.assertContains(self.client.get(self.at("word", found["Meter"].pk)), "Found by Indexa")
        count = BookWord.objects.count()
        find_words(Job.objects.get(kind="words"), Silent())
        self.assertEqual(BookWord.objects.count(), count)

    def test_files_hold_all_words_and_no_formula(self) -> None:
        self.word("Meter", "mtr", "met", meaning="=1+1")
        self.word("+Sum", "=sum")
        rows = list(csv.reader(io.StringIO(self.client.get(self.at("export", "csv")).content.decode("utf-8-sig"))))
        self.assertEqual(
            [row[:5] for row in rows[1:]],
            [["'=sum", "'+Sum", "", "Agreed", ""], ["mtr", "Meter", "met", "Agreed", "'=1+1"]],
        )
        sheet = openpyxl.load_workbook(io.BytesIO(self.client.get(self.at("export", "xlsx")).content)).active
        assert sheet
        self.assertEqual([cell.value for cell in sheet[3]][:3], ["mtr", "Meter", "met"])
        self.assertEqual({cell.data_type for row in sheet.iter_rows() for cell in row} - {"n"}, {"s"})
        graph = json.loads(self.client.get(self.at("export", "jsonld")).content)["@graph"]
        self.assertEqual(
            [one["skos:altLabel"] for one in graph if one["@type"] == "skos:Concept"], [["=sum"], ["mtr", "met"]]
        )
        self.assertEqual(self.client.get(self.at("export", "exe")).status_code, 404)

    def test_a_reader_reads_and_writes_nothing(self) -> None:
        item = self.word("Meter", "mtr")
        self.client.login(username=make_person(self.area, Role.READER).username, password=PASSWORD)
        for address in (self.at("wordbook"), self.at("word", item.pk), self.at("export", "csv")):
            self.assertEqual(self.client.get(address).status_code, 200)
        for address in (self.at("word", item.pk), self.at("word-new"), self.at("merge", item.pk), self.at("import")):
            with self.subTest(address):
                self.assertEqual(self.post(address), 403)
        self.assertEqual(self.client.get(self.at("word-new")).status_code, 403)
