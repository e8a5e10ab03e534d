"""Small scripts, each for one rule: what names are, where schemas go, what comments belong to, where statements end."""

from __future__ import annotations

from unittest import TestCase

from indexa.core import platforms
from indexa.core.intake.choice import Choice
from indexa.core.intake.receipt import Receipt
from indexa.core.model import Model
from indexa.core.scripts.reader import ScriptFile, read_scripts
from indexa.core.scripts.splitting import Splitter


def read(dialect: str, *scripts: str, choice: Choice | None = None) -> tuple[Model, Receipt]:
    files = [ScriptFile(f"{number}.sql", script.encode()) for number, script in enumerate(scripts, 1)]
    return read_scripts(files, platforms.get(dialect).dialect, lambda *_: None, "x", choice=choice)


class NameTests(TestCase):
    cases = (
        ("postgresql", 'create table "Odd".Tab (A int, "B" int)', "Odd.tab", ["a", "B"]),
        ("oracle", 'create table odd."tab" (a int, "b" int)', "ODD.tab", ["A", "b"]),
        ("redshift", 'create table "Odd".Tab (A int, "B" int)', "odd.tab", ["a", "b"]),
        ("mysql", "create table `My Db`.`t``x` (`a b` int, c int)", "My Db.t`x", ["a b", "c"]),
        ("sqlserver", "create table db..[t]]x] ([a b] int, \"c\" int)", "dbo.t]x", ["a b", "c"]),
        ("sqlserver", "create table srv.db.sch.t (a int)", "sch.t", ["a"]),
        ("snowflake", "create table db.sch.t (a int, \"b\" int)", "SCH.T", ["A", "b"]),
        ("bigquery", "create table `proj-x.set.t` (a INT64)", "set.t", ["a"]),
        ("bigquery", "create table proj-x.set.t (a INT64)", "set.t", ["a"]),
        ("sqlite", "create table [t] ('a' int, `b` int)", "main.t", ["a", "b"]),
        ("informix", 'create table "own".Tab (A int)', "own.tab", ["a"]),
        ("db2", "create table größe (a int)", "GRÖSSE", ["A"]),
    )  # fmt: skip

    def test_names_are_unquoted_and_folded_as_the_platform_does(self) -> None:
        for dialect, script, full_name, columns in self.cases:
            with self.subTest(dialect, script=script):
                (table,) = read(dialect, script)[0].tables
                self.assertEqual((table.full_name, [column.name for column in table.columns]), (full_name, columns))

    def test_a_reference_finds_its_table_in_any_letters_and_schema_the_platform_allows(self) -> None:
        scripts = {
            "mysql": "create table t (Id int primary key); create table u (t_id int, foreign key (T_ID) references t (ID));",
            "oracle": 'create table t (id int primary key); create table u (t_id int, foreign key (T_ID) references "T" (ID));',
            "postgresql": "create schema s; set search_path = s; create table t (id int primary key); set search_path = public, s;"
            "create table public.u (t_id int references t);",
            "db2": "set schema s; create table t (id int not null primary key); create table u (t_id int references s.t);",
            "sqlserver": "create table t (Id int primary key) create table u (t_id int references dbo.T (ID))",
        }
        for dialect, script in scripts.items():
            with self.subTest(dialect):
                model, receipt = read(dialect, script)
                tables = {table.name.lower(): table for table in model.tables}
                (key,) = tables["u"].foreign_keys
                self.assertEqual((key.ref_schema, key.ref_table), (tables["t"].schema, tables["t"].name))
                self.assertEqual(key.ref_columns, (tables["t"].columns[0].name,))
                self.assertEqual(receipt.adapted(), [])

    def test_a_circle_of_parts_or_heirs_ends_and_loses_no_table(self) -> None:
        script = (
            "create table a (x int) partition by list (x); create table b (x int) partition by list (x);"
            "alter table a attach partition b for values in (1); alter table b attach partition a for values in (2);"
            "alter table a attach partition a default; create table me partition of me default;"
            "create table c (y int); create table d (y int); alter table c inherit d; alter table d inherit c; alter table c inherit c;"
            "alter table c alter y type bigint; alter table d rename y to z; alter table c rename to e; drop table d cascade;"
            "create view v as select * from w; create view w as select * from v; drop view v cascade;"
            "alter table a rename to whole; alter table whole detach partition b; create table last (n int);"
        )
        model, receipt = read("postgresql", script)
        tables = {table.name: table for table in model.tables}
        self.assertLessEqual({"whole", "b", "me", "last"}, set(tables))
        self.assertEqual(tables["whole"].partitions, [])
        self.assertEqual(sum("can't be a part of itself" in note.reason for note in receipt.notes), 3)

    def test_the_same_name_in_two_schemas_is_two_tables(self) -> None:
        script = "create table a.t (x int); create table b.t (y int); alter table b.t add z int; comment on table a.t is 'A'; drop table a.t;"
        model, receipt = read("postgresql", script)
        (table,) = model.tables
        self.assertEqual((table.full_name, [column.name for column in table.columns]), ("b.t", ["y", "z"]))
        self.assertEqual([note.place for note in receipt.left_out()], ["a.t"])


class RemarkTests(TestCase):
    def remarks(self, script: str, dialect: str = "postgresql") -> dict[str, str]:
        (table,) = read(dialect, script)[0].tables
        return {column.name: column.remark for column in table.columns}

    def test_a_comment_belongs_to_the_column_on_its_line_or_below_it(self) -> None:
        script = """create table t ( -- of the table
            a int, -- behind the comma
            b int -- before the comma
            , c int /* in a block */,
            -- above d
            -- in two lines
            d numeric(9, 2) not null, e text, -- behind e, not d
            ------------------
            f int default (1 + 2) -- last
        );"""
        expected = {
            "a": "behind the comma",
            "b": "before the comma",
            "c": "in a block",
            "d": "above d in two lines",
            "e": "behind e, not d",
            "f": "last",
        }
        self.assertEqual(self.remarks(script), expected)

    def test_a_comment_statement_counts_and_the_remark_stays_apart(self) -> None:
        (table,) = read("postgresql", "create table t (a int); -- nothing\ncomment on column t.a is 'said';")[0].tables
        self.assertEqual((table.columns[0].comment, table.columns[0].remark), ("said", ""))
        self.assertEqual(
            self.remarks("create table t (a int, # hash\n b int -- dash\n)", "mysql"), {"a": "hash", "b": "dash"}
        )
        self.assertEqual(self.remarks("create table t (a varchar(9) default '-- no', b int)"), {"a": "", "b": ""})


class SplittingTests(TestCase):
    cases = (
        ("postgresql", "select ';'; select $x$ ; $$ ; $x$; select 1", ["statement"] * 3),
        ("postgresql", "copy t from stdin;\n1\t;\n\\.\nselect 1;", ["statement", "rows", "statement"]),
        ("postgresql", "\\d t\nselect E'\\';'; select 1;", ["command", "statement", "statement"]),
        ("mysql", "delimiter $$\nselect 1; select 2 $$\ndelimiter ;\nselect 3;", ["command", "statement", "command", "statement"]),
        ("mysql", "select '\\';', \";\", `;`; # ;\nselect 1;", ["statement", "statement"]),
        ("mysql", "/*!50003 create trigger a before insert on b for each row begin set @a = 1; end */;\nselect 1;", ["statement", "statement"]),
        ("oracle", "create procedure p as begin null; end;\n/\nselect 1 from dual;\n/\n", ["statement", "statement"]),
        ("oracle", "create trigger t begin null; end;\ncreate table x (a int);\n", ["statement", "statement"]),
        ("sqlserver", "create table a (b int)\nGO\nselect 'GO\n'\ngo 5\n", ["statement", "statement"]),
        ("firebird", "set term ^ ;\ncreate procedure p as begin a; end^\nset term ; ^\nselect 1;", ["command", "statement", "command", "statement"]),
        ("db2", "--#SET TERMINATOR @\nselect 1; select 2@\nselect 3@", ["statement", "statement"]),
        ("sqlite", "create trigger t after insert on a begin select case when 1 then 2 end; end; select 1;", ["statement", "statement"]),
        ("teradata", ".logon x\nselect 1;\n.quit\n", ["command", "statement", "command"]),
        ("informix", "create procedure p() let a = 1; end procedure; select 1;", ["statement", "statement"]),
        ("postgresql", "select 'never closed; select 2;", ["statement", "statement"]),
    )  # fmt: skip

    def test_statements_commands_and_rows_are_told_apart(self) -> None:
        for dialect, script, kinds in self.cases:
            with self.subTest(dialect, script=script):
                self.assertEqual(
                    [piece.kind for piece in Splitter(script.encode(), platforms.get(dialect).dialect).pieces()], kinds
                )


class SeveralFilesTests(TestCase):
    def test_files_are_replayed_in_their_order_and_notes_name_the_file(self) -> None:
        model, receipt = read(
            "postgresql", "create table a (x int);", "alter table a add y int;\n\nnonsense;", "alter table a drop x;"
        )
        self.assertEqual([column.name for column in model.tables[0].columns], ["y"])
        self.assertEqual([note.place for note in receipt.left_out()], ["2.sql, line 3"])
        self.assertEqual(receipt.statements["ALTER"], 2)

    def test_a_choice_takes_a_part_and_counts_the_rest(self) -> None:
        script = "create table a.t (x int); create table b.t (x int); create view b.v as select x from b.t; create sequence b.s;"
        model, receipt = read("postgresql", script, choice=Choice(("b",), frozenset({"tables"})))
        self.assertEqual([table.full_name for table in model.tables], ["b.t"])
        self.assertEqual(
            {note.kind: note.count for note in receipt.left_out()}, {"tables": 1, "views": 1, "sequences": 1}
        )
