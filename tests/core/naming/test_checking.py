"""Names made under a standard and held against it; templates for keys; files with wordbooks and standards."""

from __future__ import annotations

import json
import xml.etree.ElementTree as ET
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from indexa.core.errors import CoreError
from indexa.core.model import Column, Index, IndexPart, Model, Table
from indexa.core.naming.checking import RULES, Finding, check
from indexa.core.naming.limits import reserved
from indexa.core.naming.making import Maker
from indexa.core.naming.patterns import Pattern, PatternError, render
from indexa.core.naming.reports import as_json, as_junit, as_sarif, as_text, lines_of
from indexa.core.naming.standard import Kind, Rule, Standard, StandardFileError, read_standard, write_standard
from indexa.core.naming.wordbook import Word
from indexa.core.naming.wordbook_rows import read_rows

WORDS = tuple(
    Word(word=word, abbreviations=tuple(abbreviations.split()))
    for word, abbreviations in {
        "Meter": "mtr", "Reading": "rdg read", "Date": "dt", "Code": "cd", "Customer": "cust", "Identifier": "id", "Service Point": "sp",
    }.items()
)  # fmt: skip


def standard(**rules: Rule) -> Standard:
    named = {kind.replace("_", " "): rule for kind, rule in rules.items()}
    return Standard(name="s", platform="postgresql", rules=named, words=WORDS)  # type: ignore[arg-type]


def made(kind: Kind, business_name: str, rule: Rule) -> str:
    return Maker(standard(**{kind.replace(" ", "_"): rule})).make(kind, business_name).name


class MakingTests(TestCase):
    def test_words_take_the_form_case_and_order_of_the_rule(self) -> None:
        self.assertEqual(made("column", "Meter Reading Date", Rule()), "mtr_rdg_dt")
        self.assertEqual(
            made("column", "Meter Reading Date", Rule(case="camel", separator="", form="full")), "meterReadingDate"
        )
        self.assertEqual(made("table", "Service Point", Rule(case="upper", prefix="T_")), "T_SP")
        self.assertEqual(made("table", "Customers", Rule(form="full", number="singular")), "customer")
        self.assertEqual(made("table", "Big Valve", Rule(number="plural")), "big_valves")
        self.assertEqual(made("column", "Date of the Meter", Rule()), "dt_mtr")

    def test_the_class_word_goes_to_the_end_where_only_one_is_said(self) -> None:
        rule = Rule(class_words=("date", "code", "identifier"))
        self.assertEqual(made("column", "Date of the Meter Reading", rule), "mtr_rdg_dt")
        self.assertEqual(made("column", "Date or Code of Meter", rule), "dt_or_cd_mtr")
        columns = [Column("dt_mtr", 1, "int"), Column("mtr_rdg", 2, "int")]
        found = check(
            Model(name="m", tables=[Table(name="t", columns=columns)]), standard(column=rule), renderer=render
        )
        self.assertEqual([(one.rule, one.should) for one in found], [("class word", "mtr_dt"), ("class word", "")])

    def test_what_a_name_must_not_be_is_changed_and_said(self) -> None:
        maker = Maker(standard(column=Rule(max_length=12)))
        for business_name, name, message in (
            ("Order", "order_", "word of the platform"), ("2nd Reading", "n_2nd_rdg", "digit"), ("Größe", "grosse", "is written"),
            ("Conductivity Hardness Measurement", "cndc_hrd_msr", "shortened"), ("年", "", "no letter"), ("", "", "no letter"),
        ):  # fmt: skip
            with self.subTest(business_name):
                found = maker.make("column", business_name)
                self.assertEqual(found.name, name)
                self.assertIn(message, " ".join(found.notes))

    def test_collisions_are_numbered_in_order(self) -> None:
        found = Maker(standard(column=Rule())).make_all(
            "column", ["Reading", "reading!", "Meter", "READING"], taken=["mtr"]
        )
        self.assertEqual([one.name for one in found], ["rdg", "rdg_2", "mtr_2", "rdg_3"])
        self.assertIn("“rdg” is taken", found[1].notes[0])

    @settings(max_examples=200)
    @given(
        st.lists(st.text(max_size=40), max_size=12),
        st.integers(4, 40),
        st.sampled_from(["lower", "upper", "camel", "pascal"]),
    )
    def test_any_words_give_names_that_are_allowed_and_differ(self, names: list[str], most: int, case: str) -> None:
        separator = "_" if case in ("lower", "upper") else ""
        rule = Rule(case=case, separator=separator, max_length=most)  # type: ignore[arg-type]
        found = [one.name for one in Maker(standard(column=rule)).make_all("column", names)]
        filled = [name.lower() for name in found if name]
        self.assertEqual(len(set(filled)), len(filled))
        for name in found:
            self.assertRegex(name, r"\A[A-Za-z0-9_]*\Z")
            self.assertLessEqual(len(name), most + 3)
            self.assertNotIn(name.lower(), reserved("postgresql"))


class PatternTests(TestCase):
    PARTS = {"table": "mtr", "columns": ["a", "b"], "column": "a", "ref_table": "cust", "number": 2, "unique": True, "schema": "s",
             "ref_columns": ["id"], "kind": "fk", "method": "btree"}  # fmt: skip

    def test_templates_say_what_people_need(self) -> None:
        for source, name in (
            ("fk_{{ table }}_{{ ref_table }}{{ '_' ~ number if number > 1 }}", "fk_mtr_cust_2"),
            ("{{ 'ux' if unique else 'ix' }}_{{ table }}_{{ columns | join('_') }}", "ux_mtr_a_b"),
            ("{{ table | short(2) | upper }}_{{ columns | first }}", "MT_a"),
        ):
            self.assertEqual(Pattern(source, render).name(self.PARTS), name)

    def test_what_is_more_than_a_name_needs_is_refused(self) -> None:
        for source in (
            "{% for a in columns %}{{ a }}{% endfor %}", "{{ table.__class__ }}", "{{ cycler() }}", "{{ table * 999999999 }}", "{{ nobody }}",
            "{% set x = 1 %}", "{% include 'x' %}", "{{ columns | map('upper') }}", "{{ table", "{{ 'a' | attr('b') }}", "{{ range(9) }}",
            "{{ 10 ** 10 }}", "{{ '%99999999d' % number }}",
        ):  # fmt: skip
            with self.subTest(source), self.assertRaises(PatternError):
                Pattern(source, render)

    def test_parts_that_do_not_fit_are_told(self) -> None:
        with self.assertRaises(PatternError):
            Pattern("{{ table + number }}", render).name(self.PARTS)


def a_model() -> Model:
    columns = [
        Column(name, at, "int")
        for at, name in enumerate(
            ("mtr_id", "ReadingDate", "order", "a b", "mtr_read", "x" * 64, "mtr_qqq", "Mtr_Id", "客户"), 1
        )
    ]
    index = Index(name="foo", parts=(IndexPart(column="mtr_id"),))
    return Model(
        name="m", platform="postgresql", tables=[Table(name="meters", schema="s", columns=columns, indexes=[index])]
    )


class CheckingTests(TestCase):
    def findings(self) -> list[Finding]:
        rules = standard(
            table=Rule(number="singular", severity="error"),
            column=Rule(known_words=True),
            index=Rule(pattern="ix_{{ table }}_{{ column }}"),
        )
        return check(a_model(), rules, renderer=render)

    def test_each_rule_finds_what_breaks_it_and_says_the_name_it_should_have(self) -> None:
        found = {(one.rule, one.name): one.should for one in self.findings()}
        for key, should in {
            ("number", "meters"): "meter", ("case", "ReadingDate"): "rdg_dt", ("short form", "ReadingDate"): "rdg_dt",
            ("reserved", "order"): "order_", ("characters", "a b"): "a_b", ("short form", "mtr_read"): "mtr_rdg",
            ("pattern", "foo"): "ix_meters_mtr_id", ("unknown word", "mtr_qqq"): "", ("doubled", "Mtr_Id"): "", ("characters", "客户"): "",
        }.items():  # fmt: skip
            self.assertEqual(found.get(key), should, key)
        self.assertIn(("length", "x" * 64), found)
        self.assertNotIn("mtr_id", [one.name for one in self.findings()])

    def test_a_name_that_should_be_is_found_no_fault_with(self) -> None:
        rules = standard(table=Rule(number="singular"), column=Rule())
        model = a_model()
        for finding in check(model, rules, renderer=render):
            for column in model.tables[0].columns:
                if column.name == finding.name and finding.should:
                    column.name = finding.should
        again = [
            one
            for one in check(model, rules, renderer=render)
            if one.kind == "column" and one.rule not in ("doubled", "characters", "empty")
        ]
        self.assertEqual([(one.rule, one.name) for one in again if one.should], [])

    def test_severities_can_be_set_by_rule(self) -> None:
        rules = Standard(
            name="s",
            platform="postgresql",
            rules={"column": Rule()},
            severities={"reserved": "error", "case": "off"},
            words=WORDS,
        )
        found = {one.rule: one.severity for one in check(a_model(), rules, renderer=render)}
        self.assertEqual(found["reserved"], "error")
        self.assertNotIn("case", found)

    def test_reports_hold_every_finding(self) -> None:
        findings = self.findings()
        script = "create table other (a int);\ncreate table meters (\n mtr_id int,\n ReadingDate date);"
        line = lines_of(script)
        by_name = {one.name: line(one) for one in findings}
        self.assertEqual((by_name["meters"], by_name["ReadingDate"]), (2, 4))
        self.assertIn("a.sql:4: s.meters.ReadingDate", as_text(findings, "a.sql", line))
        self.assertEqual(len(json.loads(as_json(findings, "a.sql", line))["findings"]), len(findings))
        run = json.loads(as_sarif(findings, "a.sql", line))["runs"][0]
        self.assertEqual(len(run["results"]), len(findings))
        for result in run["results"]:
            self.assertEqual(run["tool"]["driver"]["rules"][result["ruleIndex"]]["id"], result["ruleId"])
        suite = ET.fromstring(as_junit(findings, "a.sql", line))
        self.assertEqual(int(suite.attrib["failures"]), len({one.rule for one in findings}))
        self.assertEqual(len(list(suite.iter("testcase"))), len(RULES))

    def test_a_standard_survives_its_file_and_faults_are_told(self) -> None:
        rules = standard(column=Rule(case="upper"), index=Rule(pattern="ix_{{ table }}"))
        self.assertEqual(read_standard(write_standard(rules)), rules)
        for content, message in (
            (b"[]", "Expected `object`"), (b'{"name": "a", "rules": {"colum": {}}}', "colum"), (b'{"name": 1}', "$.name"),
            (b'{"name": "a", "rules": {"column": {"cas": "x"}}}', "cas"), (b'{"name": "a", "rules": {"index": {"pattern": "{{ x }}"}}}', "no part"),
            (b'{"name": "a", "rules": {"column": {"allowed": "z-a"}}}', "set of letters"), (b"\xff", "no naming standard"),
        ):  # fmt: skip
            with self.subTest(content), self.assertRaisesRegex(StandardFileError, message.replace("$", r"\$")):
                read_standard(content)


class WordbookRowsTests(TestCase):
    def read(self, *rows: str) -> tuple[dict[str, tuple[str, ...]], list[tuple[int, str]]]:
        found = read_rows([(at, row.split("|")) for at, row in enumerate(rows, 1)], "list")
        return {one.word: one.abbreviations for one in found.wordbook.words}, found.notes

    def test_either_order_with_or_without_a_head(self) -> None:
        wanted = {"Meter": ("mtr",), "Service Point": ("sp",)}
        self.assertEqual(self.read("mtr|Meter", "sp|Service Point")[0], wanted)
        self.assertEqual(self.read("Meter|mtr", "Service Point|sp")[0], wanted)
        self.assertEqual(self.read("Abbreviation|Word", "mtr|Meter", "sp|Service Point")[0], wanted)
        self.assertEqual(self.read("Full Name|Short", "Meter|mtr", "Service Point|sp")[0], wanted)

    def test_duplicates_and_conflicts_are_told_with_their_lines(self) -> None:
        words, notes = self.read("mtr|Meter", "mtr|meter", "mtr|Metre", "rdg|Reading", "read|Reading", "lonely", "")
        self.assertEqual(words, {"Meter": ("mtr",), "Metre": ("mtr",), "Reading": ("rdg", "read")})
        self.assertEqual([number for number, _ in notes], [2, 3, 6])
        with self.assertRaises(CoreError):
            self.read("one", "two")
