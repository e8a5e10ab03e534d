"""The model file: round trips, the published schema, and what is said of a bad file."""

from __future__ import annotations

import json
from pathlib import Path

import jsonschema
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from indexa.core.errors import ModelFileError
from indexa.core.model import Model, file
from tests.core.strategies import models
from tests.factories import make_model

PUBLISHED = Path(__file__).resolve().parents[2] / "docs" / "model-file.schema.json"


class ModelFileTests(SimpleTestCase):
    @given(models())
    @settings(max_examples=60)
    def test_what_is_written_is_read_back_the_same(self, model: Model) -> None:
        content = file.write(model)
        self.assertEqual(file.read(content), model)
        self.assertEqual(file.write(file.read(content)), content)

    @given(models(), st.text(st.sampled_from('\x00\\u0"a'), max_size=9))
    @settings(max_examples=60)
    def test_only_nul_is_written_otherwise(self, model: Model, comment: str) -> None:
        model.comment = comment
        shown, count = file.with_nul_shown(model)
        self.assertEqual((shown.comment, count), (comment.replace("\x00", "␀"), comment.count("\x00")))
        model.comment = shown.comment
        self.assertEqual(shown, model)

    @given(models())
    @settings(max_examples=20)
    def test_every_file_fits_the_published_schema(self, model: Model) -> None:
        schema = json.loads(PUBLISHED.read_text())
        jsonschema.Draft202012Validator(schema).validate(json.loads(file.write(model)))

    def test_the_published_schema_is_the_current_one(self) -> None:
        self.assertEqual(json.loads(PUBLISHED.read_text()), json.loads(json.dumps(file.json_schema())))

    def test_a_bad_file_is_refused_with_its_place(self) -> None:
        newer = file.write(make_model()).replace(b'"version":1', b'"version":2', 1)
        cases = {
            b"{": "not a model file",
            b'{"name": "x"}': '"format" is not',
            newer: "version 2; this Indexa reads up to 1",
            b'{"format":"indexa-model","version":1,"name":"x","tables":[{"name":1}]}': "$.tables[0].name",
        }
        for content, words in cases.items():
            with self.subTest(words), self.assertRaisesMessage(ModelFileError, words):
                file.read(content)
