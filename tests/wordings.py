"""The words that scripts of a platform are written in: its types and defaults by family, and what only it has."""

from __future__ import annotations

import msgspec


class Wording(msgspec.Struct, frozen=True, kw_only=True):
    """The words of a platform. A family holds the types that the same defaults and conditions fit; "other" fits none."""

    quote: str = '"'
    schema: str = ""
    """Written before a name now and then; "" where names stand alone."""
    types: dict[str, tuple[str, ...]]
    defaults: dict[str, tuple[str, ...]]
    conditions: dict[str, tuple[str, ...]]
    """What a check says of a column, {0}; families without conditions of their own have those of ""."""
    options: tuple[str, ...] = ("",)
    index_methods: tuple[str, ...] = ("",)
    index_tails: tuple[str, ...] = ("",)
    part_tails: tuple[str, ...] = ("", "", " desc", " asc")
    generated_tails: tuple[str, ...] = ("", " stored", " virtual")
    other: tuple[str, ...] = ()
    """Statements of this platform alone: {new} is a name, {table} and {target} are tables, {column} is a column of the first."""


_CONDITIONS = {
    "": ("{0} is not null", "{0} = {0}", "{0} IS NOT NULL"),
    "int": ("{0} > 3", "{0} in (1, 2, 3)", "{0} between 1 and 9", "not ({0} < 0)", "{0} >= 0 and {0} <> 7 or {0} is null", "abs({0}) < 5"),
    "num": ("{0} >= 0", "{0} > 0.5 AND {0} < 100", "{0} * 2 > 1", "{0} != 3", "-{0} < 3"),
    "text": (
        "{0} in ('a', 'b')", "{0} <> ''", "{0} like 'a%'", "length({0}) > 2", "upper({0}) = {0}", "{0} = 'it''s'", "coalesce({0}, 'x') <> 'y'",
        "{0} not in ('q')", "trim({0}) <> ''", "{0} not like '%x'",
    ),
}  # fmt: skip

POSTGRESQL = Wording(
    schema="public",
    types={
        "int": ("int", "integer", "int4", "int2", "SMALLINT", "bigint", "int8"),
        "serial": ("serial", "bigserial", "smallserial", "serial4", "serial8"),
        "num": (
            "numeric", "numeric(8)", "numeric(8,2)", "DECIMAL(5, 1)", "dec(3)", "real", "float4", "float8", "double precision", "float", "float(10)",
            "float(30)",
        ),
        "text": (
            "varchar", "varchar(9)", "character varying(7)", "char", "char(3)", "CHARACTER(4)", "bpchar", "text", "pg_catalog.varchar(5)",
            "national character varying(6)", "nchar(4)", "char varying(4)",
        ),
        "bool": ("bool", "boolean"),
        "date": ("date",),
        "moment": (
            "timestamp", "timestamp(0)", "timestamptz", "timestamp(3) with time zone", "timestamp without time zone", "timestamptz(2)",
        ),
        "time": ("time", "time(3)", "time without time zone", "timetz", "time(2) with time zone"),
        "list": ("int[]", "integer[3]", "text[][]", "varchar(5) array", "numeric(5,2)[]", "timestamptz[]", "int array[4]"),
        "json": ("jsonb",),
        "other": (
            "interval", "interval year to month", "interval day to second(3)", "interval(2)", "uuid", "json", "xml", "bytea", "bit", "bit(5)",
            "bit varying", "varbit(4)", "inet", "macaddr", "point", "box", "int4range", "tstzrange", "tsvector", "oid", '"char"', "pg_lsn",
        ),
    },
    defaults={
        "int": ("0", "-1", "(1 + 2)", "1::int", "cast(1 as integer)", "'5'", "+3", "- 3", "null", "length('abc')"),
        "num": ("0", "1.5", "-1.50", "'2'", "1e3", "0::numeric", ".5", "round(1.5)"),
        "text": (
            "'x'", "E'a\\nb'", "'it''s'", "'a' || 'b'", "current_user", "null", "$$x$$", "''", "'x'::varchar", "upper('a')", "cast('q' as text)",
        ),
        "bool": ("true", "FALSE", "'t'", "not true", "(1 > 2)"),
        "date": ("current_date", "now()", "date '2020-01-01'", "'2020-01-01'", "'2020-01-01'::date", "current_date + 1"),
        "moment": (
            "now()", "current_timestamp", "CURRENT_TIMESTAMP(2)", "localtimestamp", "'2020-01-01 10:00'", "now() - interval '1 day'",
            "timezone('utc', now())", "(now() at time zone 'utc')", "clock_timestamp()", "timestamp '2020-01-01 00:00:00'",
        ),
        "time": ("current_time", "localtime", "'10:00'"),
        "list": ("'{}'", "array[]::integer[]", "null"),
        "json": ("'{}'", "'{\"a\": 1}'::jsonb", "jsonb_build_object('a', 1)"),
        "other": ("null",),
    },
    conditions=_CONDITIONS | {
        "text": (
            *_CONDITIONS["text"], "{0} ~ '^[0-9]+$'", "{0} = any (array['a', 'b'])", "char_length({0}) < 5", "substring({0} from 1 for 2) = 'ab'",
            "position('x' in {0}) = 0", "{0} ilike 'A%'",
        ),
        "moment": ("extract(year from {0}) > 2000", "{0} > now()", "{0} >= '2020-01-01'", "date_trunc('day', {0}) = {0}"),
        "date": ("{0} > date '2020-01-01'", "{0} <= current_date"),
    },
    options=("", "", "", " with (fillfactor=70)", " with (autovacuum_enabled = false, fillfactor = 90)"),
    index_methods=("", "", " using btree", " using hash"),
    index_tails=("", "", " with (fillfactor = 80)", " where {0} is not null", " include ({0})"),
    part_tails=("", "", " desc", " asc", " desc nulls last", " nulls first", " asc nulls last"),
    generated_tails=(" stored",),
    other=(
        "create type mood as enum ('new', 'it''s', 'done')", "alter type mood add value 'open' before 'done'",
        "alter type mood add value if not exists 'void' after 'new'", "alter type mood rename value 'new' to 'fresh'", "alter type mood rename to {new}",
        "alter table {table} add column {new} mood default 'done'", "alter table {table} add column {new} mood[]",
        "create domain {new} as int default 5", "create domain {new} as varchar(5) constraint dc check (value is not null)",
        "create sequence {new} start 7", "create sequence {new} increment by 5 minvalue 0 maxvalue 100 cycle", "create sequence {new} as smallint",
        "create sequence {new} owned by {table}.{column}", "create sequence {new} increment -1", "create table {new} (like {table})",
        "create table {new} (like {table} including all)", "create table {new} (like {table} including all excluding indexes)",
        "create table {new} () inherits ({table})", "create table {new} (extra int default 3) inherits ({table})",
        "create table {new} as select * from {table}", "select * into {new} from {table}", "create materialized view {new} as select {column} from {table}",
        "create table {new} (a int, b date) partition by range (a, b)", "create table {new} (a int, b date) partition by range ((a + 1))",
        "create table {new} (a int) partition by hash (a)", "create function {new}(x int, y text default 'q') returns int language sql as $$ select x $$",
        "create function {new}() returns trigger language plpgsql as $$ begin return new; end $$; "
        "create trigger t{new} before insert or update on {table} for each row execute function {new}()",
        "create rule {new} as on insert to {table} do nothing", "create index on {table} ({column} text_pattern_ops)",
        "create index {new} on {table} using gin ({column} jsonb_path_ops)", 'create index {new} on {table} ({column} collate "C" desc)',
        "create index {new} on {table} using brin ({column}) with (pages_per_range = 32)", "alter table {table} add exclude using gist ({column} with =)",
        "create table {new} (id int primary key, a int, b int, foreign key (a) references {target}); create unique index on {new} (a, b)",
        "alter table {table} alter {column} drop expression", "alter table {table} alter {column} add generated by default as identity",
        "alter table {table} alter {column} drop identity if exists", "alter table {table} set (fillfactor = 60)", "alter table {table} set unlogged",
        "alter table {table} replica identity full", "alter table {table} enable row level security",
    ),
)  # fmt: skip

MYSQL = Wording(
    quote="`",
    types={
        "int": (
            "int", "INTEGER", "int(11)", "smallint", "tinyint", "tinyint(1)", "bigint unsigned", "int unsigned zerofill", "mediumint", "int4", "int8",
            "bigint(20)", "int(5) zerofill", "int1", "middleint",
        ),
        "num": (
            "numeric", "numeric(8)", "decimal(8,2)", "dec(5,1)", "fixed(4,2)", "float", "double", "double precision", "real", "float(7,3)", "float(30)",
            "decimal(6,2) unsigned", "double(8,2)", "float4", "float8",
        ),
        "text": (
            "varchar(9)", "char(3)", "char", "character varying(7)", "varchar(5) character set latin1", "varchar(8) collate utf8mb4_bin",
            "enum('a','it''s')", "set('x','y')", "enum('A', 'b') character set latin1",
        ),
        "bool": ("bool", "boolean", "bit", "bit(5)"),
        "date": ("date", "year", "year(4)"),
        "moment": ("datetime", "datetime(3)", "timestamp", "timestamp(2)", "timestamp null"),
        "time": ("time", "time(2)"),
        "other": (
            "text", "tinytext", "mediumtext", "longtext", "long varchar", "blob", "tinyblob", "longblob", "varbinary(8)", "binary(4)",
            "binary", "point", "geometry", "uuid", "inet6", "blob(300)",
        ),
    },
    defaults={
        "int": ("0", "-1", "(1 + 2)", "'5'", "null", "+3"),
        "num": ("0", "1.5", "'2'", "-1.50", "1e3"),
        "text": ("'x'", '"x"', "'it''s'", "'it\\'s'", "''", "null", "(upper('a'))", "'a\\nb'", "(concat('a', 'b'))"),
        "bool": ("true", "FALSE", "1", "b'1'"),
        "date": ("'2020-01-01'", "(curdate())", "null", "(current_date)", "2020"),
        "moment": (
            "now()", "current_timestamp", "CURRENT_TIMESTAMP()", "current_timestamp(2)", "current_timestamp on update current_timestamp",
            "now(3) on update now(3)", "'2020-01-01 10:00:00'", "null", "localtime", "current_timestamp(3) on update current_timestamp(3)",
        ),
        "time": ("'10:00:00'", "null", "(curtime())"),
        "other": ("null",),
    },
    conditions=_CONDITIONS | {"int": (*_CONDITIONS["int"], "{0} % 2 = 0")},
    options=("", "", " engine=InnoDB", " comment='What it''s for'", " auto_increment=100", " engine=innodb row_format=dynamic"),
    index_methods=("", "", " using btree"),
    index_tails=("", "", " comment 'quick'"),
    part_tails=("", "", " desc", " asc", "(3)"),
    other=(
        "create table {new} (a int, b date) partition by range (a) (partition p0 values less than (10), partition p1 values less than maxvalue)",
        "create table {new} (a int, b date) partition by hash (a) partitions 4", "create table {new} (a int, b date) partition by key (a)",
        "create table {new} (a int, b date) partition by list (a) (partition x values in (1, 2))", "create table {new} like {table}",
        "create sequence {new} start with 5 increment by 2", "create fulltext index {new} on {table} ({column})",
        "create table {new} (a int, index (a), b varchar(9), key kb (b(4)), primary key (a))",
        "create table {new} (a int not null, b int not null, primary key (a, b), key (b), c serial)",
        "create table {new} (a int primary key, t timestamp, v timestamp null default null, w datetime default now() on update now())",
        "create trigger {new} before insert on {table} for each row set @x = 1", "alter table {table} convert to character set latin1",
        "create table {new} (a int not null auto_increment, b int, c int, constraint k{new} foreign key f{new} (b) references {table} (id), key (a))",
    ),
)  # fmt: skip

SQLITE = Wording(
    schema="main",
    types={
        "int": ("int", "INTEGER", "integer", "bigint", "unsigned big int", "int2", "tinyint"),
        "num": ("numeric", "decimal(8,2)", "real", "double precision", "float", "NUMERIC(10, 5)"),
        "text": ("text", "varchar(9)", "CHARACTER(20)", "nvarchar(100)", "clob", "varying character(255)", "native character(70)"),
        "bool": ("boolean",),
        "date": ("date",),
        "moment": ("datetime", "timestamp"),
        "other": ("blob", "", "json", "any"),
    },
    defaults={
        "int": ("0", "-1", "(1 + 2)", "'5'", "null", "+3", "0x10"),
        "num": ("0", "1.5", "-1.50", "1e3", ".5"),
        "text": ("'x'", '"x"', "'it''s'", "''", "null", "(upper('a'))", "('a' || 'b')", "x"),
        "bool": ("true", "FALSE", "1"),
        "date": ("current_date", "'2020-01-01'", "(date('now'))"),
        "moment": ("current_timestamp", "(datetime('now', 'localtime'))", "(strftime('%Y', 'now'))"),
        "other": ("null", "x'00'"),
    },
    conditions=_CONDITIONS | {"int": (*_CONDITIONS["int"], "{0} % 2 = 0")},
    options=("", "", "", " strict", " without rowid", " WITHOUT ROWID, STRICT"),
    index_tails=("", "", " where {0} is not null", " where {0} > 3"),
    part_tails=("", "", " desc", " asc", " collate nocase", " collate nocase desc"),
    other=(
        "create table {new} as select * from {table}",
        "create table {new} (a integer primary key desc, b int unique on conflict replace, c text not null on conflict ignore default 'x')",
        "create table {new} (a, b, primary key (a, b) on conflict rollback, unique (b) on conflict ignore)",
        "create table [{new}] ([a b] int, 'c' text, `d` real)", "create temp table {new} (a int)", "create virtual table {new} using fts5(a, b)",
        "create trigger {new} after update of {column} on {table} when new.{column} > 1 begin select 1; end",
    ),
)  # fmt: skip

DUCKDB = Wording(
    schema="main",
    types={
        "int": (
            "int", "integer", "bigint", "smallint", "tinyint", "hugeint", "int4", "int8", "uinteger", "utinyint", "long", "short", "signed", "int1",
            "int64", "ubigint",
        ),
        "num": ("numeric", "numeric(8)", "decimal(8,2)", "double", "real", "float", "float8", "float4", "double precision", "dec(4,1)"),
        "text": ("varchar", "varchar(9)", "text", "string", "char", "char(3)", "bpchar", "character varying(5)", "enum('a', 'it''s')"),
        "bool": ("bool", "boolean", "logical"),
        "date": ("date",),
        "moment": ("timestamp", "datetime", "timestamptz", "timestamp with time zone", "timestamp_s", "timestamp_ms", "timestamp_ns"),
        "time": ("time", "timetz", "time with time zone"),
        "list": ("int[]", "varchar[]", "integer[3]", "struct(a int)[]"),
        "other": (
            "interval", "uuid", "blob", "bytea", "json", "bit", "struct(a int, b varchar)", "map(varchar, int)", "row(a int)",
            "union(n int, s varchar)", "varbinary", "bitstring",
        ),
    },
    defaults={
        "int": ("0", "-1", "(1 + 2)", "'5'", "null", "+3", "1::int", "cast(1 as bigint)"),
        "num": ("0", "1.5", "-1.50", "1e3", ".5"),
        "text": ("'x'", "'it''s'", "''", "null", "upper('a')", "'a' || 'b'", "'x'::varchar"),
        "bool": ("true", "FALSE", "'t'"),
        "date": ("current_date", "'2020-01-01'", "date '2020-01-01'", "today()"),
        "moment": ("now()", "current_timestamp", "'2020-01-01 10:00'", "timestamp '2020-01-01 00:00:00'"),
        "time": ("'10:00'",),
        "list": ("[]", "[1, 2]", "null"),
        "other": ("null", "uuid()", "gen_random_uuid()"),
    },
    conditions=_CONDITIONS | {"int": (*_CONDITIONS["int"], "{0} % 2 = 0")},
    generated_tails=("", " virtual"),
    other=(
        "create type {new} as enum ('a', 'b')", "create table {new} as select * from {table}",
        "create or replace table {new} (a int, b varchar default 'x')", "create sequence {new} increment by 5 minvalue 0 maxvalue 100 cycle",
        "create sequence {new} start 7; create table t{new} (a int default nextval('{new}'))", "create macro {new}(a) as a + 1",
        "create table {new} (a int, b as (a + 1), c int generated always as (a * 2) virtual)",
    ),
)  # fmt: skip

WORDINGS = {"postgresql": POSTGRESQL, "mysql": MYSQL, "sqlite": SQLITE, "duckdb": DUCKDB}
