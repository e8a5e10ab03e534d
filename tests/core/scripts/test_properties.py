"""Whatever is handed in as a script: a model and a receipt, never a crash, a hang or a lost neighbour."""

from __future__ import annotations

import time
from pathlib import Path
from unittest import TestCase
from unittest.mock import patch

from hypothesis import given, settings
from hypothesis import strategies as st

from indexa.core import platforms
from indexa.core.intake.receipt import Receipt
from indexa.core.model import Model
from indexa.core.model.file import read, write
from indexa.core.scripts.reader import ScriptFile, read_scripts
from indexa.core.scripts.splitting import Splitter
from indexa.core.scripts.tokens import Statement

CASES = {script.stem: script.read_bytes() for script in (Path(__file__).parent / "cases").glob("*.sql")}
NAMES = sorted(name for name in CASES if "." not in name)
HOSTILE = {
    "brackets": b"create table t (a int, b int check (" + b"(" * 200_000 + b"));\ncreate table after_it (a int);",
    "angles": b"create table t (a array<" + b"struct<" * 50_000 + b");\ncreate table after_it (a int);",
    "quotes": b"create table t (a varchar(3) default 'x);\ncreate table lost (a int);" + b"'" * 99_999,
    "comments": b"/*" * 100_000 + b"\ncreate table t (a int);",
    "dots": b"create table " + b"a." * 100_000 + b"t (a int);",
    "columns": b"create table t (" + b",".join(b"c%d int" % number for number in range(20_000)) + b");",
    "newlines": b"create table t (a int" + b"\n" * 200_000 + b");\ninsert into t values (1)" + b"\n" * 200_000,
    "declares": b"create table t (a int\n" + b"declare x y\n" * 20_000 + b");",
    "nulls": b"\0" * 100_000 + b"create table t (a int);",
    "constraints": b"create table t (a int " + b"not null " * 50_000 + b");",
    "commas": b"create table t (" + b"," * 100_000 + b"a int);",
    "begins": b"create procedure p as begin " + b"begin case " * 20_000 + b";\ncreate table t (a int);",
    "view": b"create table t (a int); create view v as select " + b"(select " * 3_000 + b"1" + b")" * 3_000 + b";",
    "places": b"create table t (a int); create view v as select a" + b"[1]" * 20_000 + b" as x from t;",
    "dollars": b"create function f() returns int as $$" + b"$a$ $b$" * 50_000,
    "alters": b"create table t (a int);" + b"alter table t add c int, drop c;" * 5_000,
}


NAMES_OF_COLUMNS = ["a", "Meter_No", '"Tank"', "reading", "b2", "comment", "key", "index"]
WORDS = [
    "int", "varchar(40) NOT NULL", "numeric(10, 2) DEFAULT 0", "varchar(4) DEFAULT 'x, (y'", "date", "timestamp with time zone",
    "int NOT NULL CHECK (b2 > 0)", "int PRIMARY KEY", "varchar(9) COMMENT 'a, b'", "varchar(40) NOT NULL COMMENT 'It''s'", "int UNIQUE",
    "int -- beside it", "date /* within */ NOT NULL", "int REFERENCES other (a)", "int GENERATED ALWAYS AS (1 + (2 * 3))", "double precision",
]  # fmt: skip
ELEMENTS = [
    "UNIQUE (a)",
    "CHECK (a > 0 AND (b2 < 3))",
    "FOREIGN KEY (a) REFERENCES t0 (a)",
    "CONSTRAINT k PRIMARY KEY (a)",
]
INDEXES = [
    "INDEX ix ON",
    'unique index "Ix" on',
    "INDEX concurrently ON",
    "INDEX IF NOT EXISTS `i.x` ON",
    "INDEX public.ix ON only",
]
INDEX_KEYS = [
    "(a)",
    "( A,meter_no )",
    '("Tank", b2)',
    "(`Reading`)",
    "(reading DESC)",
    "(lower(a))",
    "(b2) WHERE a > 0",
    "(gone)",
]
ENDS = [",", ", ", ",\n", " ,\n    ", ", -- remark\n", ",\n -- of the next\n", ", /* and */ "]


@st.composite
def tables(draw: st.DrawFn) -> str:
    """A script of a few tables whose columns repeat each other's wording, with all that may stand between them."""
    script = []
    for number in range(draw(st.integers(2, 4))):
        columns = draw(st.lists(st.sampled_from(NAMES_OF_COLUMNS), min_size=1, max_size=6, unique=True))
        elements = [f"{name} {draw(st.sampled_from(WORDS))}" for name in columns]
        for element in draw(st.lists(st.sampled_from(ELEMENTS), max_size=2)):
            elements.insert(draw(st.integers(0, len(elements))), element)
        body = "".join(
            element + ("\n" if "--" in element else "") + end
            for element, end in zip(
                elements, draw(st.lists(st.sampled_from(ENDS), min_size=20, max_size=20)), strict=False
            )
        )
        closing = body.rstrip().rfind(",")
        script.append(f"CREATE TABLE t{number} (\n{body[:closing]} {body[closing + 1 :]}\n);\n")
        keys = draw(st.lists(st.sampled_from(INDEX_KEYS), max_size=2))
        script += [f"CREATE {draw(st.sampled_from(INDEXES))} t{number} {key};\n" for key in keys]
    return "".join(script)


def quiet(*_: object) -> None:
    """Take no notice of progress."""


def read_bytes(content: bytes, dialect: str) -> tuple[Model, Receipt]:
    return read_scripts([ScriptFile("x", content)], platforms.get(dialect).dialect, quiet, "x")


class PropertyTests(TestCase):
    @settings(max_examples=60)
    @given(st.sampled_from(sorted(CASES)), st.data())
    def test_a_script_cut_off_or_damaged_anywhere_still_gives_a_model(self, case: str, data: st.DataObject) -> None:
        content, dialect = CASES[case], case.split(".")[0]
        at = data.draw(st.integers(0, len(content)))
        noise = data.draw(
            st.sampled_from([b"", b"'", b'"', b"(", b")", b";", b"/*", b"\0\xff", b"`", b"$$", b"[", b",,"])
        )
        for damaged in (content[:at], content[:at] + noise + content[at:]):
            model, receipt = read_bytes(damaged, dialect)
            self.assertEqual(read(write(model)), model)
            for table in model.tables:
                names = [column.name for column in table.columns]
                self.assertEqual([column.position for column in table.columns], list(range(1, len(names) + 1)))
                for key in table.foreign_keys:
                    self.assertEqual(len(key.columns), len(key.ref_columns))
            self.assertTrue(all(note.reason for note in receipt.notes))

    @settings(max_examples=150)
    @given(st.sampled_from(["postgresql", "mysql", "oracle", "sqlserver", "sqlite", "db2"]), tables())
    def test_what_is_taken_without_tokens_is_read_as_if_it_had_been_taken_apart(
        self, dialect: str, script: str
    ) -> None:
        fast = read_bytes(script.encode(), dialect)
        known_columns = patch("indexa.core.scripts.reader.take_known_columns", lambda text, _: (text, []))
        with known_columns, patch("indexa.core.scripts.reader.plain_index", lambda *_: False):
            slow = read_bytes(script.encode(), dialect)
        self.assertEqual(fast, slow)

    @settings(max_examples=60)
    @given(st.sampled_from(NAMES), st.text(max_size=400))
    def test_any_text_is_taken_apart_without_loss(self, dialect: str, text: str) -> None:
        statement = Statement(text, platforms.get(dialect).dialect, "", 1)
        if not platforms.get(dialect).dialect.conditional_comments:
            joined = "".join(before + raw for before, raw in zip(statement.before, statement.raw, strict=True))
            self.assertEqual(joined, text)
        read_bytes(text.encode(), dialect)

    @settings(max_examples=40)
    @given(st.sampled_from(NAMES), st.binary(max_size=600))
    def test_pieces_follow_each_other_and_lie_within_the_script(self, dialect: str, content: bytes) -> None:
        at = 0
        for piece in Splitter(content, platforms.get(dialect).dialect).pieces():
            self.assertLessEqual(at, piece.start)
            self.assertLessEqual(piece.start, piece.end)
            self.assertEqual(piece.line, content[: piece.start].count(b"\n") + 1)
            at = piece.end
        self.assertLessEqual(at, len(content))

    def test_hostile_scripts_end_soon(self) -> None:
        for name, content in HOSTILE.items():
            for dialect in ("postgresql", "mysql", "sqlserver", "oracle", "db2"):
                with self.subTest(name, dialect=dialect):
                    started = time.monotonic()
                    read_bytes(content, dialect)
                    self.assertLess(time.monotonic() - started, 20)

    def test_a_statement_that_can_not_be_read_costs_no_other(self) -> None:
        broken = ["create table b (a int, (", "create table (", "alter table t add constraint", "create index on", "comment on table t is",
                  "create table b2 (x int) partition by", "create view v as (((", "create unique unique table"]  # fmt: skip
        for dialect in NAMES:
            for words in broken:
                with self.subTest(words, dialect=dialect):
                    ends = "\nGO\n" if dialect == "sqlserver" else ";\n"
                    script = (
                        ends.join(["create table t (a int primary key, b int)", words, "create table after_it (c int)"])
                        + ends
                    )
                    model, receipt = read_bytes(script.encode(), dialect)
                    names = {table.name.lower() for table in model.tables}
                    self.assertLessEqual({"t", "after_it"}, names)
                    self.assertTrue(receipt.notes, "what was broken is on the receipt")
                    self.assertRegex(
                        " ".join(f"{note.place} {note.reason}" for note in receipt.notes),
                        r"line 2|line 3|b2|v|never closed|parsed",
                    )
