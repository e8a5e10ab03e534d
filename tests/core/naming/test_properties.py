"""Whatever names, lists, standards and models come in: no crash, nothing lost, the fast way and the slow way agree."""

from __future__ import annotations

import json
import string
import time
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from indexa.core.errors import CoreError
from indexa.core.model import Model
from indexa.core.naming.abbreviating import fit, skeleton
from indexa.core.naming.checking import RULES, check
from indexa.core.naming.evidence import Place
from indexa.core.naming.expanding import Expander
from indexa.core.naming.inflecting import plural, singular
from indexa.core.naming.lexicon import general
from indexa.core.naming.mining import mine
from indexa.core.naming.objects import named_objects
from indexa.core.naming.patterns import Pattern, PatternError, render
from indexa.core.naming.reports import FORMATS, lines_of
from indexa.core.naming.standard import DEFAULT, KINDS, Rule, Standard, read_standard, write_standard
from indexa.core.naming.translating import Translator
from indexa.core.naming.wordbook import Stack, Word, Wordbook
from indexa.core.naming.wordbook_rows import read_rows, rows_of_list
from tests.core.strategies import models

NAME = st.one_of(
    st.text(max_size=24),
    st.text(string.ascii_letters + "_0123456789", max_size=24),
    st.lists(st.sampled_from("mtr rdg CustAcct dt2 HTTPServer lastlogin no md5 größe x".split()), max_size=4).map(
        "_".join
    ),
)
SHORTS = st.text(string.ascii_lowercase + string.digits, min_size=1, max_size=6)
WORDS = st.builds(
    Word,
    word=st.text(string.ascii_letters + " ", min_size=1, max_size=16),
    abbreviations=st.lists(SHORTS, min_size=1, max_size=3, unique=True).map(tuple),
    status=st.sampled_from(["proposed", "agreed", "retired"]),
    context_words=st.lists(SHORTS, max_size=2).map(tuple),
)
BOOKS = st.lists(st.builds(Wordbook, name=st.just("b"), words=st.lists(WORDS, max_size=6).map(tuple)), max_size=2)
RULES_OF = st.builds(
    Rule,
    case=st.sampled_from(["lower", "upper", "camel", "pascal", "title", "any"]),
    separator=st.sampled_from(["", "_", "-"]),
    form=st.sampled_from(["short", "full", "any"]),
    number=st.sampled_from(["any", "singular", "plural"]),
    prefix=st.sampled_from(["", "t_"]),
    class_words=st.sampled_from([(), ("date", "code")]),
    max_length=st.integers(0, 30),
    known_words=st.booleans(),
)
STANDARDS = st.builds(
    Standard,
    name=st.just("s"),
    platform=st.sampled_from(["", "postgresql", "oracle", "nowhere"]),
    rules=st.dictionaries(st.sampled_from(KINDS), RULES_OF, max_size=6),
    words=st.lists(WORDS, max_size=4).map(tuple),
)


class NamingPropertyTests(TestCase):
    @settings(max_examples=150)
    @given(st.lists(NAME, max_size=12), BOOKS)
    def test_many_names_at_once_are_told_as_one_by_one(self, names: list[str], books: list[Wordbook]) -> None:
        translator = Translator(Stack(books))
        self.assertEqual(translator.translate_all(names), [translator.translate(name) for name in names])

    @settings(max_examples=100)
    @given(st.lists(st.tuples(NAME, NAME, st.text(max_size=40)), max_size=10), BOOKS)
    def test_any_names_are_expanded_in_their_order(
        self, given_places: list[tuple[str, str, str]], books: list[Wordbook]
    ) -> None:
        places = [Place(name, table, comment) for name, table, comment in given_places]
        found = Expander(places, Stack(books)).expand_all()
        self.assertEqual([(one.name, one.table) for one in found], [(place.name, place.table) for place in places])
        for one in found:
            self.assertTrue(0 <= one.confidence <= 1)
            self.assertLessEqual(set(one.open), set(one.words))
            self.assertEqual(bool(one.words), bool(one.parts))

    @settings(max_examples=60)
    @given(models(), STANDARDS)
    def test_any_model_is_checked_against_any_standard_and_reported(self, model: Model, standard: Standard) -> None:
        findings = check(model, standard, renderer=render)
        places = {(one.kind, one.place) for one in named_objects(model)}
        for one in findings:
            self.assertIn(one.rule, RULES)
            self.assertIn((one.kind, one.place), places)
            self.assertNotEqual(one.should, one.name)
        line = lines_of("create table a (b int);\n")
        for write in FORMATS.values():
            self.assertTrue(write(findings, "a.sql", line))
        json.loads(FORMATS["sarif"](findings, "a", None))
        self.assertEqual(read_standard(write_standard(standard)), standard)

    @settings(max_examples=40)
    @given(models())
    def test_any_model_can_be_mined(self, model: Model) -> None:
        for found in mine([model]):
            self.assertTrue(found.evidence and found.word and 0 <= found.confidence <= 1)
            self.assertGreater(found.count, 0)

    @settings(max_examples=150)
    @given(
        st.one_of(
            st.text(max_size=200),
            st.lists(st.tuples(NAME, NAME), max_size=8).map(lambda rows: "\n".join(f"{a};{b}" for a, b in rows)),
        )
    )
    def test_any_list_is_a_wordbook_or_told_why_not(self, text: str) -> None:
        try:
            reading = read_rows(rows_of_list(text), "list")
        except CoreError as error:
            self.assertTrue(str(error))
            return
        words = [word.word.lower() for word in reading.wordbook.words]
        self.assertEqual(len(set(words)), len(words))
        for word in reading.wordbook.words:
            self.assertEqual(len(set(word.abbreviations)), len(word.abbreviations))

    @settings(max_examples=200)
    @given(st.text("{}%|()[]'\"_ abcdefltnou0123456789.+~-*", max_size=60))
    def test_any_template_is_refused_or_gives_a_name_soon(self, source: str) -> None:
        started = time.monotonic()
        try:
            Pattern(source, render).name({"table": "mtr", "columns": ["a"], "column": "a", "number": 2, "unique": True})
        except PatternError as error:
            self.assertTrue(str(error))
        self.assertLess(time.monotonic() - started, 2)

    @settings(max_examples=150)
    @given(st.sampled_from(sorted(general().plain)))
    def test_the_regular_ways_to_shorten_a_word_fit_it(self, word: str) -> None:
        if len(word) < 6:
            return
        self.assertGreaterEqual(fit(word[:4], word), 0.9)
        bones = skeleton(word)
        if 3 <= len(bones) < len(word) - 1 and not word.startswith(bones):
            self.assertGreaterEqual(fit(bones, word), 0.9)
        self.assertEqual(fit(word, word), 0.0)
        self.assertEqual(fit("q" + word[1:4], word) if word[0] != "q" else 0.0, 0.0)

    def test_one_and_many(self) -> None:
        for one, many in {
            "meter": "meters",
            "address": "addresses",
            "category": "categories",
            "index": "indices",
            "person": "people",
        }.items():
            self.assertEqual((plural(one), singular(many)), (many, one))
        for alike in ("status", "premises", "data", "analysis", "series", "class"):
            self.assertEqual(singular(alike), alike)
        for word in ("premises", "data", "news"):
            self.assertEqual(plural(word), word)

    def test_the_lexicon_keeps_its_promises(self) -> None:
        lexicon = general()
        for short, words in lexicon.short_forms.items():
            self.assertTrue(words and short == short.lower(), short)
            self.assertEqual(len(set(words)), len(words), short)
            if words[0] != short:
                self.assertNotIn(short, lexicon.acronyms)
        for (short, context_words), word in lexicon.context_words.items():
            self.assertNotEqual(short, word, context_words)
        self.assertLess(lexicon.costs["customer"], lexicon.costs["conductivity"])
        self.assertEqual(DEFAULT, read_standard(write_standard(DEFAULT)))
