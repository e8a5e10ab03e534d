"""PDF and Word take any text that people or sources write: nothing in it is read as markup, and nothing makes them fail."""

from __future__ import annotations

import datetime as dt
import io
from unittest import TestCase

from docx import Document
from hypothesis import given, settings
from hypothesis import strategies as st
from pypdf import PdfReader

from indexa.adapters.documents import FORMS
from indexa.core.edition.book import Book, book_of
from indexa.core.edition.parts import Contents, EnclosedScript, Frozen, Imprint, ScriptStep, Section, Term
from indexa.core.model import Column, Model, Table

_TEXTS = st.text(st.characters(codec="utf-8"), max_size=40) | st.sampled_from(
    ["#panic()", "*_`$x$`_*", "[a](b) ![c](d)", "\\", '"', "]] [[", "= 1 + 2", "/* */ //", "<b>&amp;", "@ref <label>", "```", "- \n  - x"]
)  # fmt: skip


def book_with(texts: list[str]) -> Book:
    """Return a book in which each text stands wherever a text can."""
    tables = [
        Table(
            schema="s", name=text or "t", id=f"t{number}", business_name=text, definition=text, comment=text,
            columns=[
                Column(
                    name=text or "c", position=1, type=text or "text", id=f"c{number}", definition=text, comment=text
                )
            ],
        )
        for number, text in enumerate(texts)
    ]  # fmt: skip
    frozen = Frozen(
        "Area", "Title", texts[0], Contents(), [Model(name="m", tables=tables)], terms=[Term(one, one) for one in texts],
        sections=[Section(one, one) for one in texts],
        scripts=[EnclosedScript(one, "PostgreSQL", "0", one, one, (ScriptStep(one, one, one, one, one),)) for one in texts],
    )  # fmt: skip
    return book_of(frozen, Imprint(texts[0], "Area", texts[0], "Ines", dt.datetime(2026, 12, 1, tzinfo=dt.UTC)))


class AnyTextTests(TestCase):
    @settings(max_examples=8)
    @given(st.lists(_TEXTS, min_size=5, max_size=12))
    def test_any_text_makes_a_document_that_opens(self, texts: list[str]) -> None:
        book = book_with([*texts, "Plain words"])
        pdf = PdfReader(io.BytesIO(FORMS["pdf"].make(book, [])))
        self.assertIn("Plain words", "".join(page.extract_text() for page in pdf.pages))
        word = Document(io.BytesIO(FORMS["docx"].make(book, [])))
        self.assertIn("Plain words", [one.text for one in word.paragraphs])
