"""What each engine has of its own arrives: MariaDB's, SQLite's and DuckDB's kinds of objects, clauses and quirks."""

from __future__ import annotations

import os
import sqlite3
import tempfile
from pathlib import Path
from unittest import TestCase

import duckdb
import pymysql
from pymysql.constants import CLIENT

from indexa.adapters.address import Address, parse_address
from indexa.adapters.live import open_source
from indexa.core.intake.choice import Choice
from indexa.core.intake.receipt import Receipt
from indexa.core.model import Model, Table

MARIADB = """
create table parent (id int unsigned not null auto_increment primary key, code varchar(9) character set latin1 collate latin1_bin not null,
  unique key uk_code (code)) engine=InnoDB comment='It''s a parent';
create table child (
  a int unsigned not null, b enum('x','it''s, y') not null default 'x' comment 'One of two', c set('p','q'), d decimal(9,3) unsigned zerofill,
  e bit(4) default b'0101', f timestamp(3) not null default current_timestamp(3) on update current_timestamp(3), g int as (a * 2) virtual,
  h int as (o * 3) stored, i json, j text, k point not null, l year default 2000, m varchar(20) default 'it''s', n datetime default null, o tinyint(1),
  p varchar(9) invisible default 'q',
  primary key (a, b), key ix_part (j(12), l desc), fulltext key ft (j), spatial key sp (k), key ix_l (l) comment 'By year',
  constraint fk foreign key (a) references parent (id) on delete cascade, constraint ck check (d > 1)
) engine=InnoDB row_format=dynamic;
create table heap (id int, key using hash (id), key bt using btree (id)) engine=memory;
create table parted (id int not null, at date not null) engine=InnoDB partition by range columns (at) subpartition by hash (id) subpartitions 2
  (partition p0 values less than ('2020-01-01'), partition pm values less than (maxvalue));
create table listed (id int not null) partition by list (id) (partition pa values in (1, 2), partition pn values in (null));
create sequence numbers start with 5 increment by 2 maxvalue 99 cycle;
create view v as select p.id, p.code from parent p;
create definer=current_user sql security invoker view w as select 1 as one;
create function f1(a int) returns int deterministic return a + 1;
create procedure p1(in a int, out b varchar(3)) comment 'Does little' begin set b = 'x'; end;
create event ev on schedule every 1 day disable comment 'At night' do delete from parent;
create trigger tr before insert on child for each row set new.o = 1;
"""
SQLITE = """
create table plain (id integer primary key autoincrement,
  "odd ""name" text collate nocase default 'it''s', n numeric(9, 2) not null on conflict ignore default (1 + 2));
create table bare (a int, b blob, c any) strict;
create table keyed (x text, y int, z int generated always as (y * 2) virtual, w int as (y) stored, primary key (x, y)) without rowid;
create table refs (a int references plain, b text, c int, foreign key (b, c) references keyed (x, y) on update cascade on delete set default,
  constraint named unique (a, b), unique (c), check (c > 0), constraint ck check (a <> c));
create index partial on refs (b collate rtrim desc) where b is not null;
create index expressed on refs (lower(b), a + 1);
create virtual table search using fts5(title, body, tokenize = 'porter');
create view v (one, two) as select a, b from refs;
create trigger tr instead of insert on v begin select 1; end;
create temp table gone (a int);
"""
DUCKDB = """
create schema s; create type s.mood as enum ('a', 'it''s'); create sequence s.seq start 5 increment 2 cycle maxvalue 99;
create table s.t (id integer primary key, m s.mood, l integer[], st struct(a integer, b varchar[]), mp map(varchar, integer), d decimal(9, 3) default 1.5,
  g integer generated always as (id * 2), u uuid default uuid(), ts timestamptz, h hugeint, check (id > 0), unique (d, h));
create table s.r (id integer references s.t (id), n varchar not null default 'it''s');
create index ix on s.r (n); create unique index ux on s.r (id, lower(n));
create view s.v as select id, n from s.r; create macro s.plus(a, b) as a + b; create macro s.tab(x) as table select x;
comment on table s.t is 'Tee'; comment on column s.t.m is 'Mood'; comment on view s.v is 'Vee';
"""


class KindCase(TestCase):
    platform = ""
    model: Model
    receipt: Receipt

    def read(self, address: Address, password: str, choice: Choice) -> None:
        with open_source(self.platform, address, password) as opened:
            self.model, self.receipt = opened.read(choice, lambda *_: None, "kinds")
        self.tables = {table.name: table for table in self.model.tables}

    def column(self, table: str, name: str) -> tuple[object, ...]:
        found = next(column for column in self.tables[table].columns if column.name == name)
        return found.type, found.nullable, found.default, found.identity, found.generated

    @staticmethod
    def keys(table: Table) -> dict[str, tuple[str, ...]]:
        return {key.name: key.columns for key in table.unique}


class MariaDBTests(KindCase):
    platform = "mysql"

    def setUp(self) -> None:
        _, address, password = parse_address(os.environ["INDEXA_TEST_MARIADB_URL"])
        server = pymysql.connect(
            host=address.host,
            port=address.port,
            user=address.user,
            password=password,
            client_flag=CLIENT.MULTI_STATEMENTS,
            autocommit=True,
        )
        self.addCleanup(server.close)
        with server.cursor() as cursor:
            cursor.execute(
                "drop database if exists kinds; create database kinds character set utf8mb4; use kinds; " + MARIADB
            )
            while cursor.nextset():
                pass
        self.addCleanup(lambda: server.cursor().execute("drop database kinds"))
        self.read(address, password, Choice(("kinds",)))

    def test_everything_arrives_as_it_is(self) -> None:
        kinds = {name: table.kind for name, table in self.tables.items()}
        self.assertEqual(kinds, {"child": "table", "heap": "table", "listed": "partitioned table", "parent": "table",
                                 "parted": "partitioned table", "v": "view", "w": "view"})  # fmt: skip
        columns = {
            "a": ("int unsigned", False, None, "", None),
            "b": ("enum('x','it''s, y')", False, "'x'", "", None),
            "c": ("set('p','q')", True, None, "", None),
            "d": ("decimal(9,3) unsigned zerofill", True, None, "", None),
            "f": ("timestamp(3)", False, "current_timestamp(3) on update current_timestamp(3)", "", None),
            "g": ("int", True, None, "", "`a` * 2"),
            "h": ("int", True, None, "", "`o` * 3"),
            "l": ("year", True, "2000", "", None),
            "m": ("varchar(20)", True, "'it''s'", "", None),
            "n": ("datetime", True, None, "", None),
            "o": ("tinyint(1)", True, None, "", None),
        }
        for name, expected in columns.items():
            with self.subTest(name):
                self.assertEqual(self.column("child", name), expected)
        self.assertEqual(self.column("parent", "id"), ("int unsigned", False, None, "by default", None))
        self.assertEqual(self.tables["parent"].columns[1].collation, "latin1_bin")
        self.assertEqual(self.tables["parent"].comment, "It's a parent")
        self.assertEqual(self.tables["child"].options, ("ENGINE=InnoDB", "ROW_FORMAT=DYNAMIC"))

    def test_keys_indexes_partitions_and_the_rest(self) -> None:
        child = self.tables["child"]
        indexes = {index.name: index for index in child.indexes}
        parts = [(part.column, part.length, part.descending) for part in indexes["ix_part"].parts]
        self.assertEqual(parts, [("j", 12, False), ("l", 0, indexes["ix_part"].parts[1].descending)])
        self.assertEqual(
            {name: index.method for name, index in indexes.items()},
            {"ix_part": "btree", "ft": "fulltext", "sp": "spatial", "ix_l": "btree"},
        )
        self.assertEqual(indexes["ix_l"].comment, "By year")
        self.assertEqual(
            {index.name: index.method for index in self.tables["heap"].indexes}, {"id": "hash", "bt": "btree"}
        )
        (key,) = child.foreign_keys
        self.assertEqual(
            (key.name, key.columns, key.ref_table, key.ref_columns, key.on_delete),
            ("fk", ("a",), "parent", ("id",), "cascade"),
        )
        self.assertEqual([check.name for check in child.checks if check.name == "ck"], ["ck"])
        self.assertEqual(self.keys(self.tables["parent"]), {"uk_code": ("code",)})
        self.assertEqual([part.name for part in self.tables["parted"].partitions], ["p0", "pm"])
        self.assertEqual(self.tables["listed"].partitions[0].bound, "VALUES IN (1,2)")
        (sequence,) = self.model.sequences
        self.assertEqual(
            (sequence.name, sequence.start, sequence.increment, sequence.maximum, sequence.cycle),
            ("numbers", 5, 2, 99, True),
        )
        routines = {routine.name: (routine.kind, routine.arguments, routine.comment) for routine in self.model.routines}
        self.assertEqual(routines, {"f1": ("function", "IN a int(11)", ""), "p1": ("procedure", "IN a int(11), OUT b varchar(3)", "Does little"),
                                    "ev": ("event", "", "At night")})  # fmt: skip
        self.assertEqual([trigger.name for trigger in child.triggers], ["tr"])
        self.assertIn("`p`.`code`", self.tables["v"].definition_sql)


class FileCase(KindCase):
    def file(self, script: str) -> Address:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        path = Path(folder.name) / "kinds"
        if self.platform == "sqlite":
            made = sqlite3.connect(path)
            made.executescript(script)
            made.close()
        else:
            base = duckdb.connect(str(path))
            base.execute(script)
            base.close()
        return Address("", 0, str(path))


class SQLiteTests(FileCase):
    platform = "sqlite"

    def test_everything_arrives_as_it_is(self) -> None:
        self.read(self.file(SQLITE), "", Choice(("main",)))
        self.assertEqual(set(self.tables), {"plain", "bare", "keyed", "refs", "search", "v"})
        self.assertEqual(self.column("plain", "id"), ("INTEGER", True, None, "by default", None))
        self.assertEqual(self.column("plain", "n"), ("numeric(9,2)", False, "1 + 2", "", None))
        self.assertEqual(self.tables["plain"].columns[1].name, 'odd "name')
        self.assertEqual(self.tables["plain"].columns[1].collation, "nocase")
        self.assertEqual((self.column("keyed", "z")[4], self.column("keyed", "w")[4]), ("y * 2", "y"))
        self.assertEqual(self.tables["keyed"].options, ("WITHOUT ROWID",))
        self.assertEqual([column.type for column in self.tables["bare"].columns], ["INT", "BLOB", "ANY"])
        refs = self.tables["refs"]
        targets = {
            key.columns: (key.ref_table, key.ref_columns, key.on_update, key.on_delete) for key in refs.foreign_keys
        }
        self.assertEqual(
            targets,
            {
                ("a",): ("plain", ("id",), "no action", "no action"),
                ("b", "c"): ("keyed", ("x", "y"), "cascade", "set default"),
            },
        )
        self.assertEqual({key.columns: key.name for key in refs.unique}, {("a", "b"): "named", ("c",): ""})
        self.assertEqual([(check.name, check.expression) for check in refs.checks], [("", "c > 0"), ("ck", "a <> c")])
        indexes = {index.name: index for index in refs.indexes}
        self.assertEqual(
            (indexes["partial"].predicate, indexes["partial"].parts[0].collation), ("b is not null", "rtrim")
        )
        self.assertEqual([part.expression or part.column for part in indexes["expressed"].parts], ["lower(b)", "a + 1"])
        self.assertEqual([column.name for column in self.tables["v"].columns], ["one", "two"])
        self.assertEqual([trigger.name for trigger in self.tables["v"].triggers], ["tr"])
        self.assertIn("shadow tables", [note.kind for note in self.receipt.left_out()])


class DuckDBTests(FileCase):
    platform = "duckdb"

    def test_everything_arrives_as_it_is(self) -> None:
        self.read(self.file(DUCKDB), "", Choice(("s",)))
        types = {column.name: column.type for column in self.tables["t"].columns}
        self.assertEqual(types, {"id": "INTEGER", "m": "s.mood", "l": "INTEGER[]", "st": "STRUCT(a INTEGER, b VARCHAR[])", "mp": "MAP(VARCHAR, INTEGER)",
                                 "d": "DECIMAL(9,3)", "g": "INTEGER", "u": "UUID", "ts": "TIMESTAMP WITH TIME ZONE", "h": "HUGEINT"})  # fmt: skip
        self.assertIsNotNone(self.column("t", "g")[4])
        self.assertEqual(
            (self.tables["t"].comment, self.tables["t"].columns[1].comment, self.tables["v"].comment),
            ("Tee", "Mood", "Vee"),
        )
        self.assertEqual(list(self.keys(self.tables["t"]).values()), [("d", "h")])
        (key,) = self.tables["r"].foreign_keys
        self.assertEqual((key.ref_schema, key.ref_table, key.ref_columns), ("s", "t", ("id",)))
        self.assertEqual({index.name: index.unique for index in self.tables["r"].indexes}, {"ix": False, "ux": True})
        self.assertEqual(self.model.enums[0].values, ("a", "it's"))
        self.assertEqual((self.model.sequences[0].start, self.model.sequences[0].maximum), (5, 99))
        self.assertEqual({routine.name for routine in self.model.routines}, {"plus", "tab"})
