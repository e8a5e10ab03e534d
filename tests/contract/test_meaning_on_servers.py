"""What a server tells of a script that made it differs in no expression and no query from the script itself."""

from __future__ import annotations

from collections.abc import Callable
from unittest import TestCase

from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from indexa.adapters.live import open_source
from indexa.adapters.throwaway import STARTS, Database, Server, server
from indexa.core.compare.comparing import compare
from indexa.core.compare.differences import Difference
from indexa.core.intake.choice import Choice
from indexa.core.model import Model
from tests.core.test_ddl import quiet, read_back
from tests.expressions import TABLE, conditions

_SCRIPT = """
create table t (a varchar(5) check (a in ('x','y')), b int default 5 check (b>3 and b<9), c date check (c > '2020-01-01'),
 d varchar(9) default 'x' check (d like 'a%' and d is not null), e decimal(5,2) default 1.5 check (e*2 >= 0 or b = -1));
create table u (b int, z varchar(4), w int);
create view v as select a, b from t where b > 3;
create view v2 as select x.a, y.z as zz, count(*) as n from t x join u y on x.b = y.b group by x.a, y.z having count(*) > 1;
create view v3 as select * from t where a in ('p','q');
create view v4 as select b from t union all select w from u
"""
_MORE = {
    "postgresql": """;
create table t2 (b int, i int generated always as (b*2) stored, f timestamp default now() check (f between '2020-01-01' and now()),
 m timestamptz check (extract(year from m) > 1990), o text check (o ~ '^[0-9]+$' and coalesce(o, 'z') <> ''));
create index x on t (lower(a)) where b > 3;
create view v5 as with z as (select b, sum(w) as total from u group by b)
 select z.b, total, (select max(c) from t where t.b = z.b) as last from z where exists (select 1 from t where t.b = z.b) order by total;
create view v6 as select distinct b, case when b > 1 then 'many' else 'one' end as how, coalesce(a, '-') as a,
 row_number() over (partition by a order by b) as r from t""",
    "sqlite": "; create index x on t (lower(a)) where b > 3",
}
_CODE = {
    "postgresql": [
        "create function f(x int, y text default 'q') returns int language sql immutable as $$ select x + 1 $$",
        "create or replace function trg() returns trigger as $$ begin new.b := 'x'; return new; end; $$ language plpgsql",
        "create table t (a int, b text)",
        "create trigger tr before insert or update on t for each row when (new.a > 3) execute procedure trg()",
        "create procedure pr(inout z double precision) language plpgsql as $$ begin z := z + 1; end $$",
        "create domain dm as int check (value > 0 and value < 9) default 5", "create sequence q start 7",
        "create table u (id int generated always as identity, b int)",
    ],
    "mysql": [
        "create table t (a int, b text)", "create table j (id int primary key, d json not null, e json)",
        "create trigger tr before insert on t for each row begin if new.a > 3 then set new.b = 'X'; end if; end",
        "create function f(x int) returns int deterministic return x + 1",
        "create procedure pr(inout z int) begin set z = z + 1; end",
    ],
}  # fmt: skip


def told_by(database: Database, name: str) -> Model:
    """Return what a server tells of a database."""
    database.close()
    schema = {"mysql": name, "postgresql": "public"}.get(database.platform, "main")
    with open_source(database.platform, database.address, database.password) as opened:
        return opened.read(Choice((schema,)), quiet, "told")[0]


class MeaningOnServersTests(TestCase):
    def test_a_script_is_what_the_server_tells_of_it(self) -> None:
        for platform in STARTS:
            with server(platform) as own:
                with self.subTest(platform, of="tables and views"):
                    script = _SCRIPT.strip() + _MORE.get(platform, "")
                    self.assertEqual(self.different(own, "tables", script.split(";"), _expressions), [])
                with self.subTest(platform, of="checks"):
                    self.tell_checks(own)
                with self.subTest(platform, of="code"):
                    self.assertEqual(self.different(own, "code", _CODE.get(platform, []), _all), [])

    def different(
        self, own: Server, name: str, statements: list[str], counts: Callable[[Difference], bool]
    ) -> list[str]:
        """Return how a script differs from what a server tells that ran it, by the differences that count."""
        platform, database = own.platform, own.database(name)
        for statement in statements:
            database.run(statement.strip())
        script = f"delimiter //\n{'//'.join(statements)}//\n" if platform == "mysql" else ";".join(statements)
        model = read_back(script, platform)
        for one in (*model.tables, *model.routines):
            one.schema = name if platform == "mysql" else one.schema
        found = compare(model, told_by(database, name)).differences
        return [f"{one.kind} {one.what} {one.name}: {one.before} | {one.after}" for one in found if counts(one)]

    def tell_checks(self, own: Server) -> None:
        @settings(max_examples=1, derandomize=True, phases=[Phase.generate], suppress_health_check=list(HealthCheck))
        @given(st.lists(conditions(), min_size=40, max_size=60, unique=True))
        def check(found: list[str]) -> None:
            tables = [f"{TABLE}, check ({one}))".replace(" t ", f" t{at} ", 1) for at, one in enumerate(found)]
            self.assertEqual(self.different(own, "checks", tables, _expressions), [])

        check()


def _expressions(one: Difference) -> bool:
    """Say whether a difference is one of an expression or query; columns of views are told otherwise than a script can know."""
    if one.what in ("check", "index") or one.field == "definition sql":
        return True
    return one.field in ("default", "generated") and one.table[0] in "tu"


def _all(one: Difference) -> bool:
    """Say whether a difference is more than what MySQL adds to every table and schema."""
    return one.field != "options" and one.what != "schema"
