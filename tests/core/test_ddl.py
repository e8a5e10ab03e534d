"""DDL of models: what is written is read back as it was, on every platform; names, types and remarks by example."""

from __future__ import annotations

from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from indexa.core import platforms
from indexa.core.ddl.names import Namer
from indexa.core.ddl.script import Options
from indexa.core.ddl.targets import TARGETS
from indexa.core.ddl.types import TABLE, plain, translated
from indexa.core.ddl.writing import UnknownDialectError, write_ddl
from indexa.core.model import Check, Column, Enum, ForeignKey, Key, Model, Table
from indexa.core.scripts.reader import ScriptFile, read_scripts
from indexa.core.type_families import shorten

_LETTERS = "abcdefgxyz_0159"
_ODD = " -é'ß"
_KINDS = ("small", "integer", "big", "decimal", "varchar", "char", "date", "timestamp", "text", "double")


def quiet(*_: object) -> None:
    """Take no notice of progress."""


def read_back(text: str, platform: str) -> Model:
    return read_scripts([ScriptFile("x.sql", text.encode())], platforms.get(platform).dialect, quiet, "x")[0]


@st.composite
def models(draw: st.DrawFn, platform: str) -> Model:
    """A small model of a platform, as its catalog would tell it."""
    dialect = platforms.get(platform).dialect

    def names(most: int) -> list[str]:
        plain_names = st.text(_LETTERS, min_size=2, max_size=9).filter(lambda name: name[0].isalpha())
        odd = st.text(_LETTERS + _ODD, min_size=2, max_size=9).filter(
            lambda name: name[0].isalpha() and name.strip() == name
        )
        found = draw(st.lists(plain_names | odd, min_size=1, max_size=most, unique_by=str.lower))
        return [dialect.folded(name) for name in found]

    def type_() -> str:
        kind = draw(st.sampled_from(_KINDS))
        text = TABLE[platform][kind].partition("!")[0].format(length=draw(st.integers(5, 18)), scale=2)
        return dialect.canonical_type(text)

    schema = dialect.default_schema or (dialect.folded("s") if TARGETS[platform].has_schemas else "")
    tables = []
    for name in names(4):
        columns = [Column(own, at, type_(), draw(st.booleans())) for at, own in enumerate(names(5), 1)]
        size = draw(st.integers(0, min(2, len(columns))))
        key = (
            Key(name=dialect.folded(f"pk_{len(tables)}"), columns=tuple(c.name for c in columns[:size]))
            if size
            else None
        )
        for column in columns[:size]:
            column.nullable = False
        tables.append(Table(schema=schema, name=name, columns=columns, primary_key=key))
    for number, child in enumerate(tables):
        parent = draw(st.sampled_from(tables))
        if parent.primary_key is None or len(parent.primary_key.columns) > len(child.columns):
            continue
        child.foreign_keys.append(
            ForeignKey(
                name=dialect.folded(f"fk_{number}"), columns=tuple(c.name for c in child.columns[: len(parent.primary_key.columns)]),
                ref_schema=schema, ref_table=parent.name, ref_columns=parent.primary_key.columns,
            )
        )  # fmt: skip
    return Model(name="m", platform=platform, tables=tables)


def told(model: Model) -> set[object]:
    """Return what has to come back, so that two models can be compared."""
    found: set[object] = set()
    for table in model.tables:
        key = table.primary_key.columns if table.primary_key else ()
        found.add((table.name, key))
        for column in table.columns:
            found.add(
                (
                    table.name,
                    column.name,
                    column.position,
                    shorten(column.type.lower()).replace(" ", ""),
                    column.nullable and column.name not in key,
                )
            )
        found |= {(table.name, one.columns, one.ref_table, one.ref_columns) for one in table.foreign_keys}
    return found


class RoundTripTests(TestCase):
    maxDiff = None

    def test_every_model_of_a_platform_is_read_back_as_it_was(self) -> None:
        for platform in TARGETS:
            with self.subTest(platform):
                settings(max_examples=8)(given(models(platform))(self.assert_read_back))()

    def assert_read_back(self, model: Model) -> None:
        script = write_ddl(model, model.platform)
        wanted = told(model)
        if any("foreign key" in one.what for one in script.remarks):
            wanted = {one for one in wanted if not (isinstance(one, tuple) and len(one) == 4)}
        self.assertLessEqual(wanted, told(read_back(script.text(), model.platform)), script.text())


class WritingTests(TestCase):
    def test_names_are_quoted_where_they_have_to_be_and_only_there(self) -> None:
        for platform, name, written in (
            ("postgresql", "meter", "meter"), ("postgresql", "Meter", '"Meter"'), ("postgresql", "order", '"order"'),
            ("oracle", "METER", "METER"), ("oracle", "meter", '"meter"'), ("oracle", "LEVEL", '"LEVEL"'), ("oracle", "_X", '"_X"'),
            ("mysql", "a`b", "`a``b`"), ("sqlserver", "a]b", "[a]]b]"), ("sqlserver", "Order Line", "[Order Line]"),
            ("bigquery", "rows", "`rows`"), ("sqlite", 'say "x"', '"say ""x"""'),
        ):  # fmt: skip
            self.assertEqual(Namer(platform).quoted(name), written)
        self.assertEqual(Namer("oracle", "postgresql").quoted("meter"), "meter")
        self.assertEqual(Namer("oracle", "postgresql").quoted("Meter"), '"Meter"')

    def test_types_keep_their_measures_and_what_is_lost_is_told(self) -> None:
        for text, begin, end, written, lost in (
            ("numeric(12,2)", "postgresql", "oracle", "NUMBER(12,2)", ""), ("NUMBER(10)", "oracle", "postgresql", "bigint", ""),
            ("character varying(24)", "postgresql", "sqlserver", "nvarchar(24)", ""), ("tinyint(1)", "mysql", "postgresql", "boolean", ""),
            ("numeric(60,2)", "postgresql", "oracle", "NUMBER(38,2)", "values beyond 38 digits"),
            ("timestamp with time zone", "postgresql", "mysql", "datetime(6)", "the time zone"),
            ("DATE", "oracle", "postgresql", "timestamp without time zone", ""), ("varchar(9000)", "", "oracle", "CLOB", ""),
        ):  # fmt: skip
            made = translated(text, begin, end)
            assert made is not None
            self.assertEqual((made.text, made.lost), (written, lost), text)
        self.assertIsNone(plain("integer[]"))
        self.assertEqual(translated("text", "", "mysql", in_key=True).text, "varchar(255)")  # type: ignore[union-attr]

    def test_an_enum_is_a_type_a_list_or_a_check_and_what_is_left_out_is_said(self) -> None:
        state = Enum(schema="s", name="state", values=("open", "it's"))
        table = Table(
            schema="s", name="job", columns=[Column("id", 1, "bigint", False), Column("state", 2, "s.state")],
            primary_key=Key(name="pk", columns=("id",)), checks=[Check(name="ck", expression="state ~ 'o'")],
        )  # fmt: skip
        model = Model(name="m", platform="postgresql", tables=[table], enums=[state])
        self.assertIn("state enum('open', 'it''s')", write_ddl(model, "mysql").text())
        self.assertIn("CHECK (state IN ('open', 'it''s'))", write_ddl(model, "oracle").text())
        script = write_ddl(model, "oracle")
        self.assertIn("the check ck: state ~ 'o'", [one.what for one in script.remarks])
        self.assertIn("-- Left out: s.job: the check ck", script.text())
        self.assertRaises(UnknownDialectError, write_ddl, model, "nonesuch")

    def test_options_leave_out_drop_first_and_part_into_files(self) -> None:
        tables = [Table(schema=name, name="t", comment="It's", columns=[Column("id", 1, "int")]) for name in ("a", "b")]
        model = Model(name="m", platform="postgresql", tables=tables)
        one = write_ddl(
            model, "postgresql", Options(schemas=frozenset({"b"}), if_not_exists=True, comments=False)
        ).text()
        self.assertIn("CREATE TABLE IF NOT EXISTS b.t", one)
        self.assertNotIn("a.t", one)
        self.assertNotIn("COMMENT", one)
        script = write_ddl(model, "postgresql", Options(drop_first=True))
        self.assertTrue(script.text().startswith("DROP TABLE IF EXISTS b.t CASCADE;"))
        self.assertIn("COMMENT ON TABLE a.t IS 'It''s'", script.text())
        files = script.files()
        self.assertEqual(len({path for path, _ in files}), len(files))
        self.assertEqual(sum(text.count("CREATE TABLE") for _, text in files), 2)
