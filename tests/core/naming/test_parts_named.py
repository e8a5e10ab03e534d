"""Names of keys and indexes: running numbers, names that the server made up; short forms that a model's own names suggest."""

from __future__ import annotations

from unittest import TestCase

from hypothesis import assume, given, settings
from hypothesis import strategies as st

from indexa.core.model import Column, ForeignKey, Index, IndexPart, Key, Model, Table
from indexa.core.naming.checking import check
from indexa.core.naming.making import Maker
from indexa.core.naming.patterns import render
from indexa.core.naming.server_made import made_by_server
from indexa.core.naming.shortening import Shortener, unsettled
from indexa.core.naming.splitting import Splitter
from indexa.core.naming.standard import Rule, Standard
from indexa.core.naming.wordbook import Stack, Word, Wordbook


def with_indexes(*names: str, layer: str = "physical") -> Model:
    table = Table(name="mtr", schema="m", columns=[Column("a", 1, "int"), Column("b", 2, "int")])
    table.primary_key = Key(name="mtr_pkey", columns=("a",))
    table.indexes = [Index(name=name, parts=(IndexPart("a"),)) for name in names]
    return Model(name="m", platform="postgresql", layer=layer, tables=[table])  # type: ignore[arg-type]


def standard(platform: str = "postgresql", **rules: Rule) -> Standard:
    named = {kind.replace("_", " "): rule for kind, rule in rules.items()}
    return Standard(name="s", platform=platform, rules=named)  # type: ignore[arg-type]


class PatternedTests(TestCase):
    def test_names_that_a_pattern_makes_alike_are_told_apart_by_their_number(self) -> None:
        counted = standard(index=Rule(pattern="ix_{{ table }}_{{ number }}"))
        self.assertEqual(check(with_indexes("ix_mtr_2", "ix_mtr_1"), counted, renderer=render), [])
        found = check(with_indexes("ix_mtr_2", "odd", "strange"), counted, renderer=render)
        self.assertEqual([(one.name, one.should) for one in found], [("odd", "ix_mtr_1"), ("strange", "ix_mtr_3")])
        plain = standard(index=Rule(pattern="ix_{{ table }}"))
        self.assertEqual(
            [one.should for one in check(with_indexes("x", "y"), plain, renderer=render)], ["ix_mtr", "ix_mtr_2"]
        )

    def test_relationships_of_a_logical_model_have_a_rule(self) -> None:
        model = with_indexes(layer="logical")
        model.tables[0].foreign_keys = [
            ForeignKey(name="Belongs", columns=("b",), ref_schema="m", ref_table="mtr", ref_columns=("a",))
        ]
        found = check(model, standard(relationship=Rule(form="any"), index=Rule(pattern="x")), renderer=render)
        self.assertEqual([(one.rule, one.kind, one.should) for one in found], [("case", "relationship", "belongs")])

    def test_names_that_the_server_made_up_can_be_left_alone(self) -> None:
        long = {"table": "t" * 40, "columns": ["c" * 40]}
        for platform, kind, name, parts, is_made in (
            ("postgresql", "primary key", "mtr_pkey", {"table": "mtr"}, True),
            ("postgresql", "foreign key", "mtr_a_b_fkey1", {"table": "mtr", "columns": ["a", "b"]}, True),
            ("postgresql", "foreign key", "mtr_site_fkey", {"table": "mtr", "columns": ["a"]}, False),
            ("postgresql", "check", "mtr_a_check", {"table": "mtr"}, True),
            ("postgresql", "unique key", "t" * 29 + "_" + "c" * 29 + "_key", long, True),
            ("postgresql", "unique key", "t" * 29 + "_" + "x" * 29 + "_key", long, False),
            ("oracle", "check", "SYS_C0011223", {}, True), ("oracle", "check", "MTR_CK", {}, False),
            ("sqlserver", "primary key", "PK__mtr__3213E83F1A2B3C4D", {}, True), ("mysql", "primary key", "PRIMARY", {}, True),
            ("mariadb", "foreign key", "mtr_ibfk_2", {"table": "mtr"}, True), ("mariadb", "index", "a_2", {"columns": ["a"]}, True),
            ("mysql", "index", "mtr_a", {"columns": ["a"]}, False), ("db2", "unique key", "SQL210101120000000", {}, True),
            ("sqlite", "unique key", "sqlite_autoindex_mtr_1", {}, True), ("duckdb", "primary key", "mtr_pkey", {}, False),
        ):  # fmt: skip
            with self.subTest(f"{platform} {name}"):
                self.assertEqual(made_by_server(platform, kind, name, parts), is_made)
        rule = Rule(pattern="pk_{{ table }}")
        self.assertEqual(len(check(with_indexes(), standard(primary_key=rule), renderer=render)), 1)
        left = Rule(pattern="pk_{{ table }}", leave_server_names=True)
        self.assertEqual(check(with_indexes(), standard(primary_key=left), renderer=render), [])


WORDS = st.lists(st.sampled_from("meter reading date of customer code total pressure".split()), min_size=1, max_size=4)


class ShorteningTests(TestCase):
    def test_short_forms_come_from_the_names_that_are_there(self) -> None:
        named = [
            ("mtr_rdg", "Meter Reading"),
            ("mtr_dt", "Meter Date"),
            ("meter", "Meter"),
            ("rdg_of_mtr", "Reading of Meter"),
        ]
        shortener = Shortener(named, Splitter(), Stack())
        options = shortener.options("meter")
        self.assertEqual([one.short for one in options[:2]], ["mtr", "meter"])
        self.assertIn("3 names shorten it so", options[0].evidence)
        self.assertGreater(options[0].confidence, options[1].confidence)
        unknown = shortener.options("pressure")
        self.assertEqual({one.short for one in unknown}, {"pressure", "prsr"})
        taken = Stack([Wordbook(name="b", words=(Word(word="Presenter", abbreviations=("prsr",)),))])
        self.assertEqual([one.short for one in Shortener([], Splitter(), taken).options("pressure")], ["pressure"])

    def test_only_words_without_a_short_form_are_asked_for(self) -> None:
        stack = Stack(
            [
                Wordbook(
                    name="b",
                    words=(
                        Word(word="Service Point", abbreviations=("sp",)),
                        Word(word="Meter", abbreviations=("mtr",)),
                    ),
                )
            ]
        )
        self.assertEqual(unsettled(Rule(), stack, "Meters at the Service Point by Service Date 2"), ["service"])
        self.assertEqual(unsettled(Rule(form="full"), stack, "Pressure"), [])

    @settings(max_examples=200)
    @given(
        st.lists(st.tuples(WORDS, st.sampled_from(["table", "column"])), max_size=6), st.integers(6, 20), st.booleans()
    )
    def test_made_names_stay_apart_within_the_length_and_break_no_rule_of_writing(
        self, asked: list[tuple[list[str], str]], longest: int, full: bool
    ) -> None:
        rule = Rule(max_length=longest, form="full" if full else "short")
        held = standard(table=rule, column=rule)
        names = Maker(held).make_all("column", [" ".join(words) for words, _ in asked], taken=["mtr"])
        assume(all(one.name for one in names))
        lowered = [one.name.lower() for one in names]
        self.assertEqual(len(set(lowered)), len(lowered))
        self.assertNotIn("mtr", lowered)
        self.assertTrue(all(len(name) <= longest for name in lowered))
        model = Model(
            name="m", tables=[Table(name="t", columns=[Column(one.name, at, "int") for at, one in enumerate(names, 1)])]
        )
        self.assertEqual([one for one in check(model, held, renderer=render) if one.kind == "column"], [])

    @settings(max_examples=200)
    @given(
        st.lists(st.text("abMtrRdg_ 9éß-", min_size=1, max_size=24), min_size=1, max_size=4, unique=True),
        st.sampled_from(["lower", "upper", "camel", "pascal"]),
        st.booleans(),
    )
    def test_the_name_that_a_finding_asks_for_breaks_none_of_those_rules(
        self, names: list[str], case: str, classed: bool
    ) -> None:
        rule = Rule(
            case=case,
            separator="" if case in ("camel", "pascal") else "_",
            max_length=14,
            class_words=("rdg",) if classed else (),
        )  # type: ignore[arg-type]
        held = Standard(
            name="s", platform="postgresql", rules={"column": rule}, words=(Word(word="Meter", abbreviations=("mtr",)),)
        )
        model = Model(
            name="m", tables=[Table(name="t", columns=[Column(name, at, "int") for at, name in enumerate(names, 1)])]
        )
        for finding in check(model, held, renderer=render):
            if finding.should:
                alone = Model(name="m", tables=[Table(name="t", columns=[Column(finding.should, 1, "int")])])
                again = [one for one in check(alone, held, renderer=render) if one.rule == finding.rule]
                self.assertEqual(again, [], finding)
