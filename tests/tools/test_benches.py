"""The benchmarks measure what they say: keys are hidden without a trace, made-up rows keep the keys, ratios are ratios."""

from __future__ import annotations

import io
import re
from contextlib import redirect_stdout
from unittest import TestCase

from hypothesis import given, settings

from bench import schemas
from bench.common import compare
from bench.fitting import hide, score_keys, score_references, single_keys
from bench.inferring import f1, judge, keys_found, wanted_of
from bench.made_up_rows import rows_of, said_by_made_up_rows
from indexa.core import platforms
from indexa.core.model import Model
from indexa.core.scripts.reader import ScriptFile, read_scripts
from tests.core.strategies import models


def read(script: str) -> Model:
    dialect = platforms.get("postgresql").dialect
    model, receipt = read_scripts([ScriptFile("s", script.encode())], dialect, lambda *_: None, "s")
    assert not [note for note in receipt.notes if "Not understood" in note.reason], receipt.notes
    model.platform = "postgresql"
    return model


PLAIN = """create table customer (id integer primary key, name text not null);
create table invoice (id integer primary key, customer_id integer not null references customer (id), total numeric(9,2));
create table invoice_line (invoice_id integer references invoice (id), line_no integer, price numeric(9,2), primary key (invoice_id, line_no));
create unique index one_name on customer (name);
comment on table customer is 'Who pays';"""
ODD = """create table alpha (wx uuid primary key, q1 text); create table beta (kk integer primary key, zz uuid references alpha (wx));"""


class HidingTests(TestCase):
    @given(models())
    @settings(max_examples=40)
    def test_no_key_is_left_and_the_model_itself_stays(self, model: Model) -> None:
        before = [(table.primary_key, len(table.foreign_keys), len(table.unique)) for table in model.tables]
        for what in ("foreign", "all", "bare", "loose"):
            hidden = hide(model, what)
            for table, whole in zip(hidden.tables, model.tables, strict=True):
                self.assertEqual(table.foreign_keys, [])
                self.assertEqual([c.name for c in table.columns], [c.name for c in whole.columns])
                if what == "foreign":
                    self.assertEqual(table.primary_key, whole.primary_key)
                else:
                    self.assertIsNone(table.primary_key)
                    self.assertEqual(table.unique, [])
                if what in ("all", "loose"):
                    self.assertFalse([index for index in table.indexes if index.unique])
                if what == "bare":
                    self.assertEqual((table.indexes, table.comment), ([], ""))
                    self.assertFalse([c for c in table.columns if c.comment or c.remark])
                keyed = set(whole.primary_key.columns) if whole.primary_key else set()
                for column, was in zip(table.columns, whole.columns, strict=True):
                    self.assertEqual(column.nullable, was.nullable or (what == "loose" and was.name in keyed))
        self.assertEqual(before, [(t.primary_key, len(t.foreign_keys), len(t.unique)) for t in model.tables])


class JudgingTests(TestCase):
    def test_what_is_plain_is_right_and_what_nobody_can_know_is_not(self) -> None:
        plain, odd = read(PLAIN), read(ODD)
        self.assertEqual(wanted_of(plain), {
            ("public.invoice", frozenset({"customer_id"}), "public.customer"),
            ("public.invoice_line", frozenset({"invoice_id"}), "public.invoice"),
        })  # fmt: skip
        self.assertEqual(single_keys(plain)["public.invoice", "customer_id"], {("public.customer", "id")})
        score, text = judge(plain, "foreign", None)
        self.assertEqual((score, f1(score)), ((2, 2, 2), 1.0))
        self.assertTrue(all(right for confidence, right in text if confidence >= 0.5))
        self.assertEqual(keys_found(plain, None), (3, 3))
        self.assertEqual(score_keys(plain, "all"), (3, 3))
        self.assertEqual(score_references(plain, "all")[:3], (2, 2, 2))
        self.assertEqual(judge(odd, "foreign", None)[0], (0, 0, 1))
        self.assertIn("- public.beta(zz) -> public.alpha", score_references(odd, "foreign")[4])
        self.assertEqual(f1((0, 0, 0)), 0.0)

    def test_made_up_rows_are_asked_by_the_queries_that_a_source_is_asked(self) -> None:
        plain = read(PLAIN)
        message = said_by_made_up_rows(plain, hide(plain, "all"))
        self.assertEqual(message.included["public", "invoice", ("customer_id",), "public", "customer", ("id",)], 1.0)
        self.assertGreater(message.unique["public", "customer", ("id",)], 1)
        self.assertEqual(message.unique["public", "invoice_line", ("invoice_id",)], 0)
        odd = read(ODD)
        self.assertEqual(judge(odd, "foreign", said_by_made_up_rows(odd, hide(odd, "foreign")))[0], (1, 1, 1))

    @given(models())
    @settings(max_examples=40)
    def test_made_up_rows_keep_every_declared_key(self, model: Model) -> None:
        made = {table.full_name.lower(): (table, rows) for table, rows in rows_of(model)}
        for table, rows in made.values():
            names = {column.name for column in table.columns}
            for key in [*([table.primary_key] if table.primary_key else []), *table.unique]:
                if names.issuperset(key.columns):
                    whole = [row for row in rows if None not in {row[name] for name in key.columns}]
                    self.assertEqual(len({tuple(row[name] for name in key.columns) for row in whole}), len(whole))
            for foreign in table.foreign_keys:
                parent = made.get(f"{foreign.ref_schema}.{foreign.ref_table}".lower().lstrip("."))
                alone = sum(not set(other.columns).isdisjoint(foreign.columns) for other in table.foreign_keys) == 1
                if (
                    parent
                    and alone
                    and len(foreign.columns) == len(foreign.ref_columns) == 1
                    and foreign.columns[0] in names
                ):
                    there = {row.get(foreign.ref_columns[0]) for row in parent[1]}
                    self.assertLessEqual({row[foreign.columns[0]] for row in rows} - {None}, there)


class MadeUpSchemaTests(TestCase):
    def test_it_is_the_same_each_time_and_every_statement_is_understood(self) -> None:
        first, second = (";\n".join(schemas.ddl(schemas.build(40))) + ";" for _ in range(2))
        self.assertEqual(first, second)
        model = read(first)
        self.assertGreaterEqual(len([table for table in model.tables if table.kind == "table"]), 40)
        columns = sum(len(table.columns) for table in model.tables)
        self.assertAlmostEqual(columns / len(model.tables), 20, delta=6)
        self.assertTrue(any(table.foreign_keys for table in model.tables))


class TimingTests(TestCase):
    def test_cases_run_in_turn_and_are_told_against_the_first(self) -> None:
        ran: list[str] = []
        cases = {"one": lambda: ran.append("one"), "other": lambda: ran.append("other")}
        with redirect_stdout(io.StringIO()) as text:
            seconds = compare(cases, runs=3)
        self.assertEqual(ran, ["one", "other"] * 3)
        self.assertEqual({name: len(taken) for name, taken in seconds.items()}, {"one": 3, "other": 3})
        first = re.search(r"\| one \|.*\| ([\d.]+) \|", text.getvalue())
        assert first
        self.assertEqual(float(first[1]), 1.0)
