"""What follows a name: views, triggers and the names that a platform makes up, as statements change what earlier ones made."""

from __future__ import annotations

from unittest import TestCase

from indexa.core.model import Table
from tests.core.scripts.test_reading import read


def table(platform: str, script: str, name: str) -> Table:
    return next(one for one in read(platform, script)[0].tables if one.name == name)


_MADE = (
    "create table site (id int primary key, code text, note text); create table visit (id int, site_id int, code text);"
)


class ViewTests(TestCase):
    cases = (
        ("select id from site", "alter table site rename to place", "select id from place"),
        ("select site.id from site, visit", "alter table site rename to place", "select place.id from place, visit"),
        ("select s.id from public.site as s", 'alter table site rename to "Place"', 'select s.id from public."Place" as s'),
        ("select 'site' as site from site", "alter table site rename to place", "select 'site' as site from place"),
        ("with site as (select 1 as a) select a from site", "alter table site rename to place",
         "with site as (select 1 as a) select a from site"),
        ("select code from site where code > ''", "alter table site rename code to mark", "select mark AS code from site where mark > ''"),
        ("select s.code as x from site s join visit v on v.code = s.code", "alter table site rename code to mark",
         "select s.mark as x from site s join visit v on v.code = s.mark"),
        ("select note from site join visit on site_id = site.id", "alter table site rename note to remark",
         "select remark AS note from site join visit on site_id = site.id"),
        ("select id from (select id, note from site) s where note is null", 'alter table site rename note to "Order"',
         'select id from (select id, "Order" AS note from site) s where note is null'),
        ("select id from visit v where exists (select 1 from site s where s.id = v.site_id and note > v.code and s.code = v.code)",
         "alter table visit rename code to mark",
         "select id from visit v where exists (select 1 from site s where s.id = v.site_id and note > v.mark and s.code = v.mark)"),
        ("select id from visit where exists (select 1 from (select 1 as a) s where code > '')", "alter table visit rename code to mark",
         "select id from visit where exists (select 1 from (select 1 as a) s where mark > '')"),
        ("select 1 from visit where id in (select id from site where code > '')", "alter table visit rename code to mark",
         "select 1 from visit where id in (select id from site where code > '')"),
        ("select x.a from (site join visit on site_id = site.id) cross join (select 1 as a) x where note > ''", "alter table site rename note to say",
         "select x.a from (site join visit on site_id = site.id) cross join (select 1 as a) x where say > ''"),
        ("select 1 frm site (", "alter table site rename to place", "select 1 frm site ("),
    )  # fmt: skip

    def test_a_view_goes_on_to_show_what_is_renamed(self) -> None:
        for query, change, wanted in self.cases:
            with self.subTest(query, change=change):
                shown = table("postgresql", f"{_MADE} create view v as {query}; {change};", "v")
                self.assertEqual(shown.definition_sql, wanted)

    def test_a_table_of_another_schema_is_found_by_the_search_path(self) -> None:
        made = "create schema s; set search_path = s; create table t (a int); create view v as select a from t;"
        self.assertEqual(
            table("postgresql", f"{made} alter table t rename to u; alter table u rename a to b;", "v").definition_sql,
            "select b AS a from u",
        )

    def test_a_query_that_the_parser_takes_long_for_is_left(self) -> None:
        query = f"select a{'[1]' * 5000} as x from t"
        made = f"create table t (a int[]); create view v as {query}; alter table t rename to u; alter table u rename a to b;"
        self.assertEqual(table("postgresql", made, "v").definition_sql, query)

    def test_where_a_view_is_worked_out_anew_its_columns_follow_too(self) -> None:
        shown = table(
            "sqlite", f"{_MADE} create view v as select Code from site; alter table site rename code to mark;", "v"
        )
        self.assertEqual(shown.definition_sql, "select mark from site")
        self.assertEqual([one.name for one in shown.columns], ["mark"])
        for platform in ("mysql", "duckdb"):  # there it shows what is not there any more
            shown = table(
                platform, f"{_MADE} create view v as select id from site; alter table site rename to place;", "v"
            )
            self.assertEqual(shown.definition_sql, "select id from site")

    def test_a_dropped_column_takes_along_what_is_made_of_it(self) -> None:
        script = (
            "create table t (a int, b int generated always as (a + 1) stored, c int); create view v as select b from t;"
            "create view w as select c from t; create view x as select b from v; alter table t drop column a cascade;"
        )
        model = read("postgresql", script.replace("drop column a", "drop column b"))[0]
        self.assertEqual({one.name for one in model.tables}, {"t", "w"})
        self.assertEqual([one.name for one in table("postgresql", script, "t").columns], ["c"])


class TriggerTests(TestCase):
    def test_a_trigger_speaks_of_its_table_and_columns_by_their_names(self) -> None:
        script = (
            f"{_MADE} create trigger site before update of code on public.site for each row when (new.code > '') execute function f();"
            'alter table site rename to "Place"; alter table "Place" rename code to mark; alter table "Place" rename note to row;'
        )
        (trigger,) = table("postgresql", script, "Place").triggers
        told = "create trigger site before update of mark on public.\"Place\" for each row when (new.mark > '') execute function f()"
        self.assertEqual(trigger.definition, told)


class NameTests(TestCase):
    def test_a_made_up_name_is_one_that_no_other_table_of_the_schema_has(self) -> None:
        script = (
            "create table t (id int primary key, a int unique check (a > 1)); alter table t rename to t_old;"
            "create table t (id int primary key, a int unique check (a > 1)); create schema s; create table s.t (id int primary key);"
        )
        later = table("postgresql", script, "t")
        assert later.primary_key is not None
        self.assertEqual(
            (later.primary_key.name, later.unique[0].name, later.checks[0].name), ("t_pkey1", "t_a_key1", "t_a_check1")
        )
        model = read("postgresql", script)[0]
        keys = [one.primary_key.name for one in model.tables if one.schema == "s" and one.primary_key]
        self.assertEqual(keys, ["t_pkey"])

    def test_keys_and_checks_that_are_added_are_counted_on(self) -> None:
        script = (
            "create table t (id int primary key, a int, b int, check (a > 1), foreign key (a) references t (id));"
            "alter table t add foreign key (b) references t (id), add check (b > 1);"
        )
        found = table("mysql", script, "t")
        self.assertEqual([one.name for one in found.foreign_keys], ["t_ibfk_1", "t_ibfk_2"])
        self.assertEqual([one.name for one in found.checks], ["CONSTRAINT_1", "CONSTRAINT_2"])

    def test_a_table_made_like_another_has_parts_of_its_own(self) -> None:
        for platform, like in (("mysql", "like t"), ("postgresql", "(like t including all)")):
            script = f"create table t (a int, b int); create index x on t (a); create table u {like}; alter table t rename column a to c;"
            self.assertEqual(table(platform, script, "u").indexes[0].parts[0].column, "a", platform)


class QueryTests(TestCase):
    def test_a_query_into_a_table_makes_one(self) -> None:
        made = "create table t (a int not null, b varchar(9));"
        for platform, script, name in (
            ("postgresql", "select a, b as c into unlogged u from t where a > 1", "u"),
            ("sqlserver", "select a, b as c into dbo.u from t where a > 1", "u"),
        ):
            found = table(platform, made + script, name)
            self.assertEqual([one.name for one in found.columns], ["a", "c"])
            self.assertTrue(found.columns[1].type.endswith("(9)"), found.columns[1].type)
            self.assertEqual(found.unlogged, platform == "postgresql")
        for platform, script in (
            ("mysql", "select a into @x from t"),
            ("sqlserver", "select a into #u from t"),
            ("postgresql", "select a into temp u from t"),
        ):
            self.assertEqual([one.name for one in read(platform, made + script)[0].tables], ["t"], platform)
