"""Values of fields: what is kept is checked, and kept again stays the same."""

from __future__ import annotations

from typing import get_args
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from indexa.core.describing.values import FieldType, ValueProblem, checked


class ValueTests(TestCase):
    def test_each_type_by_example(self) -> None:
        for type_, text, kept in (
            ("number", " 1 234.50 ", "1234.50"), ("number", "-0", "-0"), ("number", "1e3", "1000"), ("date", "2026-12-01", "2026-12-01"),
            ("date", "2026-12-01 00:00:00", "2026-12-01"), ("link", "https://a.example/x?y=1", "https://a.example/x?y=1"),
            ("yes or no", "TRUE", "yes"), ("yes or no", "n", "no"), ("text", "a\r\nb", "a\nb"), ("number", "  ", ""),
        ):  # fmt: skip
            self.assertEqual(checked(type_, text), kept)
        for type_, text in (
            ("number", "12,5"), ("number", "nan"), ("number", "Infinity"), ("number", "1" * 70), ("date", "2026-02-30"), ("date", "1.12.2026"),
            ("link", "javascript:alert(1)"), ("link", "www.a.example"), ("link", "https://a b"), ("yes or no", "maybe"), ("text", "x" * 2_001),
        ):  # fmt: skip
            with self.subTest(text), self.assertRaises(ValueProblem):
                checked(type_, text)

    @given(st.sampled_from(get_args(FieldType)), st.text(max_size=40))
    def test_what_is_kept_is_kept_again(self, type_: FieldType, text: str) -> None:
        try:
            kept = checked(type_, text)
        except ValueProblem:
            return
        self.assertEqual(checked(type_, kept), kept)
