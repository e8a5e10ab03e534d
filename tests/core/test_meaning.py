"""Expressions and queries in other words: the same where they mean the same, and never where they give other rows."""

from __future__ import annotations

import itertools
import random
import re
import sqlite3
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from indexa.core.compare.comparing import compare
from indexa.core.compare.meaning import Meanings
from indexa.core.model import Check, Column, Model, Partition, Table
from tests.core.test_ddl import read_back
from tests.expressions import conditions

_ROWS = list(itertools.product(
    (None, "x", "y", "it's", "", "5"), (None, -7, -1, 0, 3, 5), (None, -1.5, 0, 0.25, 2), (None, 0, 1, 9)
))  # fmt: skip
_CHANGES = [
    ("and", "or"), ("or", "and"), ("not ", ""), ("<=", "<"), (">", "<"), ("= ", "<> "), ("in (", "not in ("), ("like", "not like"),
    ("b", "k"), ("k", "c"), ("'x'", "'y'"), ("1", "2"), ("(", ""), ("is null", "is not null"), ("between", "not between"),
    ("-", ""), ("+", "-"),
]  # fmt: skip


def meanings(before: str = "postgresql", after: str = "") -> Meanings:
    return Meanings(Model(name="a", platform=before), Model(name="b", platform=after or before))


def changed(text: str, draw: random.Random) -> str:
    """Return an expression with one or two of its signs or words changed."""
    for _ in range(draw.randint(1, 2)):
        old, new = draw.choice(_CHANGES)
        places = [one.start() for one in re.finditer(re.escape(old), text)]
        if places:
            at = draw.choice(places)
            text = text[:at] + new + text[at + len(old) :]
    return text


class ExpressionTests(TestCase):
    def test_what_a_server_tells_back_means_what_was_written(self) -> None:
        for platform, written, told in (
            ("postgresql", "a in ('x','y')", "((a)::text = ANY ((ARRAY['x'::character varying, 'y'::character varying])::text[]))"),
            ("postgresql", "h not in ('a')", "((h)::text <> 'a'::text)"),
            ("postgresql", "f between '2020-01-01' and now()", "((f >= '2020-01-01 00:00:00'::timestamp without time zone) AND (f <= now()))"),
            ("postgresql", "g*2 >= 0 or b = -1", "(((g * (2)::numeric) >= (0)::numeric) OR (b = '-1'::integer))"),
            ("postgresql", "5 < b", "(b > 5)"), ("postgresql", "nextval('s.q')", "nextval('s.q'::regclass)"),
            ("mysql", "a in ('x') and not b > 3", "`a` = _utf8mb4'x' and `b` <= 3"),
            ("sqlserver", "a in ('x','y')", "([a]='x' OR [a]='y')"), ("sqlserver", "0", "((0))"),
            ("duckdb", "a<>'x'", "(a != 'x')"), ("postgresql", "a = E'x\\ny'", "(a = 'x\ny'::text)"), ("postgresql", "a = $$x$$", "a = 'x'::text"),
            ("postgresql", "t >= '2020-01-01'", "(t >= '2020-01-01 00:00:00+00'::timestamp with time zone)"),
            ("postgresql", "t > '10:00:00'", "(t > '10:00:00'::time without time zone)"), ("postgresql", "t > '10:00'", "(t > '10:00:00+00'::timetz)"),
            ("postgresql", "now() - interval '2 DAYS'", "(now() - '2 days'::interval)"), ("mysql", "length(a) > 2", "octet_length(`a`) > 2"),
            ("postgresql", "trim(a) <> ''", "(TRIM(BOTH FROM a) <> ''::text)"), ("postgresql", "date_trunc('day', t)", "date_trunc('day'::text, t)"),
        ):  # fmt: skip
            with self.subTest(told):
                self.assertTrue(meanings(platform).same_expression(written, told))

    def test_what_means_something_else_is_not_the_same(self) -> None:
        for platform, one, other in (
            ("postgresql", "a = 'x'", "a = 'X'"), ("postgresql", "b > 3", "b >= 3"), ("postgresql", "a > b", "a < b"),
            ("postgresql", '"A" > 1', "a > 1"), ("postgresql", "a - b", "b - a"), ("postgresql", "b / 2", "b::numeric / 2"),
            ("postgresql", "a::varchar(3) = 'x'", "a = 'x'"), ("postgresql", "d::date > now()", "d > now()"),
            ("postgresql", "b in (1, 2)", "b in (1, 3)"), ("postgresql", "a like 'x'", "a ilike 'x'"),
            ("postgresql", "a and b or c", "a and (b or c)"), ("mysql", "a = '5'", "a = 5"), ("mysql", "a = 5 -- x", "a = 6"),
            ("postgresql", "b <> any (array[1, 2])", "b not in (1, 2)"), ("postgresql", "b > all (array[1])", "not (b <= all (array[1]))"),
            ("postgresql", "t > '10:00'", "t > '10:00:00'"), ("postgresql", "t > '2020-01-01 00:00:00+01'::timestamptz", "t > '2020-01-01'"),
            ("postgresql", "now() - interval '1 day'", "now() - '1 month'::interval"), ("postgresql", "trim(leading from a)", "trim(a)"),
            ("postgresql", "trim(both 'x' from a)", "trim(a)"), ("postgresql", "a = 'x::text'", "a = 'x'"), ("postgresql", "a = E'\\\\n'", "a = 'n'"),
            ("postgresql", "b = all (array[1])", "b = any (array[1])"), ("postgresql", "a = 'abc'::varchar(2)", "a = 'abc'"),
            ("postgresql", "(b::numeric + 1) / 2 > 1", "(b + 1) / 2 > 1"), ("postgresql", "a is null", ""), ("postgresql", "((", "(("[:1]), ("", "a", "(a)"),
        ):  # fmt: skip
            with self.subTest(one):
                self.assertFalse(meanings(platform).same_expression(one, other))

    def test_a_text_that_is_too_long_or_no_expression_is_compared_by_its_letters(self) -> None:
        deep = "(" * 3_000 + "a" + ")" * 3_000
        places = "a" + "[1]" * 2_000 + " = 1"
        for text in (deep, places, "a = " + "'x' || " * 9_000 + "'x'", "select from where", "grant all"):
            self.assertTrue(meanings().same_expression(text, text))
            self.assertFalse(meanings().same_expression(text, f"{text} "))

    @settings(max_examples=120)
    @given(conditions(), st.integers(0, 1_000_000))
    def test_what_is_called_the_same_holds_for_the_same_rows(self, text: str, seed: int) -> None:
        database = sqlite3.connect(":memory:")
        database.execute("create table t (a, b, c, k)")
        database.executemany("insert into t values (?, ?, ?, ?)", _ROWS)
        for draw in map(random.Random, range(seed, seed + 5)):
            other = changed(text, draw)
            if not meanings("sqlite").same_expression(text, other):
                continue
            told = [database.execute(f"select ({one}) from t").fetchall() for one in (text, other)]
            self.assertEqual(*told, f"{text} | {other}")

    @given(conditions())
    def test_brackets_and_letters_change_nothing(self, text: str) -> None:
        for platform in ("postgresql", "mysql", "sqlite", "duckdb", "sqlserver", "oracle"):
            self.assertTrue(meanings(platform).same_expression(text, f"((\n{text} ))"), platform)


class QueryTests(TestCase):
    TABLES = "create table s.t (a varchar(5), b int, c date); create table s.u (b int, z text, w int); "
    TABLES += 'create table s."Big" ("Id" int, n int); '

    def same(self, one: str, other: str) -> bool:
        """Return whether two queries of a view make no difference."""
        before, after = (read_back(f"{self.TABLES}create view s.v as {query}", "postgresql") for query in (one, other))
        return not any(found.field == "definition sql" for found in compare(before, after).differences)

    def test_a_query_in_full_names_is_the_query_as_it_was_written(self) -> None:
        for written, told in (
            ("select a, b from t where b > 3", " SELECT t.a,\n t.b\n FROM s.t\n WHERE t.b > 3;"),
            ("select * from s.u", "SELECT u.b, u.z, u.w FROM s.u"),
            (
                "select x.a, y.z, count(*) as n from s.t x join s.u y on x.b = y.b left join s.u k using (w) group by x.a, y.z",
                "SELECT x.a, y.z, count(*) AS n FROM ((s.t x JOIN s.u y ON ((x.b = y.b))) LEFT JOIN s.u k USING (w)) GROUP BY x.a, y.z",
            ),
            ('select * from s."Big"', 'SELECT "Big"."Id", "Big".n FROM s."Big"'), ('select "Id" from s."Big"', 'SELECT "Big"."Id" FROM s."Big"'),
            ("select b from s.t union all select w from s.u", "SELECT t.b FROM s.t UNION ALL SELECT u.w AS b FROM s.u"),
            (
                "with z as (select b, sum(w) as total from s.u group by b) select b, (select max(c) from s.t) as last from z order by b",
                "WITH z AS (SELECT u.b, sum(u.w) AS total FROM s.u GROUP BY u.b) SELECT z.b, ( SELECT max(t.c) AS max FROM s.t) AS last"
                " FROM z ORDER BY z.b",
            ),
        ):  # fmt: skip
            with self.subTest(told):
                self.assertTrue(self.same(written, told))

    def test_another_query_is_a_difference(self) -> None:
        for one, other in (
            ("select a, b from s.t where b > 3", "select a, b from s.t where b > 4"),
            ("select a from s.t", "select z as a from s.u"), ("select a as x from s.t", "select a as y from s.t"),
            ("select x.a from s.t x join s.u y on x.b = y.b", "select x.a from s.t x left join s.u y on x.b = y.b"),
            ("select a from s.t order by b", "select a from s.t order by b desc"), ("select distinct a from s.t", "select a from s.t"),
            ("select a from s.t union select z from s.u", "select a from s.t union all select z from s.u"),
            (
                "select x.a from s.t x left join (s.u y join s.u k on y.b = k.b) on x.b = y.b",
                "select x.a from s.t x left join s.u y on x.b = y.b join s.u k on y.b = k.b",
            ),
            ("select a from s.t", "select a from other.t"),
        ):  # fmt: skip
            with self.subTest(other):
                self.assertFalse(self.same(one, other))

    def test_a_star_stands_for_the_columns_that_were_there_when_the_view_was_made(self) -> None:
        made = f"{self.TABLES}create view s.v as select * from s.u; alter table s.u add more int;"
        told = f"{self.TABLES}alter table s.u add more int; create view s.v as select u.b, u.z, u.w from s.u;"
        self.assertEqual(compare(read_back(made, "postgresql"), read_back(told, "postgresql")).differences, [])

    def test_what_a_view_shows_of_its_tables_columns_is_no_difference_of_its_own(self) -> None:
        column = Column("a", 1, "int", nullable=False, default="5")
        views = [Table(schema="s", name="v", kind="view", columns=[one]) for one in (column, Column("a", 1, ""))]
        self.assertEqual(compare(*(Model(name="m", platform="mysql", tables=[one]) for one in views)).differences, [])
        views[1].columns[0].type = "bigint"
        self.assertEqual(
            [one.field for one in compare(*(Model(name="m", tables=[one]) for one in views)).differences], ["type"]
        )

    def test_views_of_a_script_keep_their_queries(self) -> None:
        for platform in ("postgresql", "mysql", "oracle", "sqlserver", "sqlite", "duckdb"):
            made = read_back("create table t (a int); create view v as select a from t where a > 3;", platform)
            self.assertEqual(
                [one.definition_sql for one in made.tables if one.kind == "view"], ["select a from t where a > 3"]
            )


class ComparingTests(TestCase):
    def of(self, platform: str, name: str, expression: str) -> Model:
        table = Table(
            schema="s", name="t", columns=[Column("a", 1, "int")], checks=[Check(name=name, expression=expression)]
        )
        return Model(name="m", platform=platform, tables=[table])

    def kinds(self, platform: str, *sides: tuple[str, str]) -> list[str]:
        return [one.kind for one in compare(*(self.of(platform, *side) for side in sides)).differences]

    def test_a_check_in_other_words_is_no_difference_and_one_of_another_name_is_a_change(self) -> None:
        self.assertEqual(self.kinds("postgresql", ("k", "a>0"), ("k", "(a > 0)")), [])
        self.assertEqual(self.kinds("postgresql", ("k", "a>0"), ("other", "(a > 0)")), ["changed"])
        self.assertEqual(self.kinds("postgresql", ("k", "a>0"), ("k", "(a > 1)")), ["changed"])

    def test_checks_without_a_name_are_known_by_what_they_say(self) -> None:
        before, after = (self.of("sqlite", "", "a > 1") for _ in range(2))
        after.tables[0].checks.insert(0, Check(name="", expression="a < 9"))
        (found,) = compare(before, after).differences
        self.assertEqual((found.kind, found.after), ("new", ": a < 9"))

    def test_a_table_is_parted_by_what_its_rule_and_bounds_say(self) -> None:
        def parted(rule: str, bound: str) -> Model:
            table = Table(
                schema="s", name="t", kind="partitioned table", columns=[Column("a", 1, "int")], partition_by=rule
            )
            table.partitions = [Partition("s", "p", bound)]
            return Model(name="m", platform="postgresql", tables=[table])

        first = parted("range ((a + 1))", "for values from (1) to ('X')")
        self.assertEqual(compare(first, parted("RANGE (((a + 1)))", "FOR VALUES FROM (1) TO ('X')")).differences, [])
        for other in (
            parted("list ((a + 1))", "for values from (1) to ('X')"),
            parted("range ((a + 1))", "for values from (1) to ('x')"),
        ):
            self.assertEqual(len(compare(first, other).differences), 1)

    def test_names_of_checks_do_not_count_where_the_platform_makes_up_its_own(self) -> None:
        self.assertEqual(self.kinds("duckdb", ("k", "a>0"), ("t_a_check", "(a > 0)")), [])

    def test_the_sequence_of_a_column_that_counts_by_itself_is_no_difference_of_its_own(self) -> None:
        def counting(name: str, how: str = "", kept: bool = True) -> Model:
            script = f"create table {name} (id int generated always as identity {how}, b int, c int, d int, e int);"
            made = read_back(script, "postgresql")
            made.sequences = made.sequences if kept else []
            return made

        def words(before: Model, after: Model) -> list[str]:
            return [f"{one.kind} {one.what}" for one in compare(before, after).differences]

        self.assertEqual(words(counting("t"), counting("t", kept=False)), [])
        self.assertEqual(words(counting("t"), counting("other")), ["renamed table"])
        self.assertEqual(words(counting("t", kept=False), counting("t", "(start with 100)")), ["new sequence"])
        gone = counting("t")
        gone.tables[0].columns[0].identity = ""
        self.assertIn("gone sequence", words(counting("t"), Model(name="x", platform="postgresql", tables=gone.tables)))


class CodeTests(TestCase):
    def words(self, platform: str, one: str, other: str) -> list[str]:
        """Return the differences of two scripts in words."""
        found = compare(read_back(one, platform), read_back(other, platform)).differences
        return [f"{each.kind} {each.what} {each.name}" for each in found]

    def test_a_routine_is_known_by_the_types_of_its_arguments_and_its_body(self) -> None:
        written = (
            "create function f(x int, y text default 'q') returns int language sql immutable as $$ select x + 1 $$;"
        )
        told = (
            "CREATE OR REPLACE FUNCTION public.f(x integer, y text DEFAULT 'q'::text)\n RETURNS integer\n LANGUAGE sql\n IMMUTABLE\n"
            "AS $function$ select x + 1 $function$;"
        )
        self.assertEqual(self.words("postgresql", written, told), [])
        for old, new in (("x + 1", "x + 2"), ("IMMUTABLE", "STABLE"), ("RETURNS integer", "RETURNS bigint")):
            with self.subTest(new):
                self.assertEqual(self.words("postgresql", written, told.replace(old, new)), ["changed routine f"])
        other = told.replace("x integer", "x bigint")
        self.assertEqual(self.words("postgresql", written, other), ["new routine f", "gone routine f"])
        self.assertEqual(self.words("postgresql", written, written + other), ["new routine f"])

    def test_a_trigger_is_its_words_and_not_their_layout(self) -> None:
        table = "create table t (a int, b text);"
        written = "create trigger tr before insert on t for each row when (new.a > 3) execute procedure trg();"
        told = (
            "CREATE TRIGGER tr BEFORE INSERT ON public.t FOR EACH ROW WHEN (new.a > 3) EXECUTE FUNCTION public.trg();"
        )
        self.assertEqual(self.words("postgresql", table + written, table + told), [])
        for old, new in (("> 3", "> 4"), ("BEFORE", "AFTER"), ("public.trg", "other.trg"), ("new.a", "new.b")):
            with self.subTest(new):
                self.assertEqual(
                    self.words("postgresql", table + written, table + told.replace(old, new)), ["changed trigger tr"]
                )

    def test_texts_within_code_keep_their_capitals(self) -> None:
        for text in ("'X'", '"X"'):
            script = f"create table t (a int);\ndelimiter //\ncreate trigger tr before insert on t for each row set @a = {text}//\n"
            self.assertEqual(self.words("mysql", script, script.replace("X", "x")), ["changed trigger tr"])
            self.assertEqual(self.words("mysql", script, script.replace("set @a", "SET  @A")), [])

    def test_what_a_script_does_not_say_is_no_difference_and_a_domain_is_what_it_checks(self) -> None:
        script = "create schema s; create sequence s.q; create domain s.d as int check (value > 0 and value < 9);"
        told = read_back(script.replace("value > 0 and value < 9", "((VALUE > 0) AND (VALUE < 9))"), "postgresql")
        for one in (*told.sequences, *told.schemas):
            one.owner = "indexa"
        self.assertEqual(compare(read_back(script, "postgresql"), told).differences, [])
        other = read_back(script.replace("< 9", "< 8"), "postgresql")
        other.sequences[0].owner = "somebody"
        found = compare(told, other).differences
        self.assertEqual([f"{one.kind} {one.what}" for one in found], ["changed domain", "changed sequence"])
