"""Codes: read from lines and written again, and found in checks as several platforms word them."""

from __future__ import annotations

from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from indexa.core.glossary.codes import Code, CodeProblem, as_text, codes_of_check, read_codes
from indexa.core.glossary.proposals import Named, likely_members, propose_terms

words = st.text(st.characters(exclude_categories=("C", "Z")) | st.sampled_from(" ,;="), max_size=12).map(
    lambda text: " ".join(text.split())
)


class CodeTests(TestCase):
    @given(
        st.dictionaries(
            words.filter(bool),
            words.filter(lambda text: not text.lower().startswith("(retired)")),
            min_size=1,
            max_size=6,
        )
    )
    def test_written_and_read_again_they_are_the_same(self, given_codes: dict[str, str]) -> None:
        codes = [Code(code, meaning, retired=len(code) % 2 == 0) for code, meaning in given_codes.items()]
        self.assertEqual(read_codes(as_text(codes)), codes)

    def test_checks_that_list_codes(self) -> None:
        for expression, wanted in (
            ("((status)::text = ANY ((ARRAY['A'::character varying, 'C'::character varying])::text[]))", ("status", ["A", "C"])),
            ("status IN ('A', 'B''s')", ("status", ["A", "B's"])),
            ("(\"Kind\" IN (1, 2, -3))", ("Kind", ["1", "2", "-3"])),
            ("`kind` in ('x')", ("kind", ["x"])),
            ("status = 'A'", None), ("a IN ('x') OR b IN ('y')", None), ("length(a) IN (1, 2)", None), ("a IN (b, c)", None), ("", None),
            ("a > 0 AND a IN ('x')", None),
        ):  # fmt: skip
            with self.subTest(expression):
                self.assertEqual(codes_of_check(expression), wanted)

    def test_bad_lines_are_named(self) -> None:
        for text, told in (
            ("A\t1\nA\t2", "Line 2: the code A"),
            ("\tx\ny\tz", "Line 1 has a meaning"),
            ("x" * 201, "too long"),
        ):
            with self.assertRaisesRegex(CodeProblem, told):
                read_codes(text)

    def test_proposals(self) -> None:
        named = (("Meter Number", "mtr_no"), ("meter  number", "m_no"), ("", "x_no"), ("Once", "q"))
        columns = [Named(at, business_name, name, "int") for at, (business_name, name) in enumerate(named, 1)]
        [term] = propose_terms(columns, ["once"])
        self.assertEqual((term.name, term.columns), ("Meter Number", (1, 2)))
        self.assertEqual(propose_terms(columns, ["METER NUMBER"]), [])
        found = likely_members(columns[:2], columns[2:])
        self.assertEqual(found, [(3, "it ends in no and has the type of members")])
