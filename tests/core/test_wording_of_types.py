"""Types and defaults as people write them, in the wording that each platform's own catalog has for them."""

from __future__ import annotations

from unittest import TestCase

from indexa.core import platforms

TYPES = {
    "postgresql": {
        "INT": "integer",
        "varchar(24)": "character varying(24)",
        "VARCHAR": "character varying",
        "char": "character(1)",
        "DECIMAL(9)": "numeric(9,0)",
        "timestamptz(3)": "timestamp(3) with time zone",
        "time": "time without time zone",
        "timestamp(0) with time zone": "timestamp(0) with time zone",
        "float(24)": "real",
        "float(53)": "double precision",
        "float(10,2)": "double precision(10,2)",
        "int4[][]": "integer[]",
        "integer array[4]": "integer[]",
        "bit": "bit(1)",
        "bit varying(5)": "bit varying(5)",
        "interval day to second": "interval day to second",
        "national character varying(3)": "character varying(3)",
        "public.citext": "public.citext",
        "pg_catalog.int8": "bigint",
        '"Odd Type"': '"Odd Type"',
    },
    "mysql": {
        "INTEGER": "int",
        "int(11)": "int",
        "int(5)": "int(5)",
        "int(10) unsigned": "int unsigned",
        "tinyint(1)": "tinyint(1)",
        "BOOL": "tinyint(1)",
        "numeric(5)": "decimal(5,0)",
        "dec": "decimal(10,0)",
        "double precision": "double",
        "float(53)": "double",
        "char": "char(1)",
        "year(4)": "year",
        "enum('a', 'it''s, b')": "enum('a','it''s, b')",
        """enum("a", "it's", 'say "b"')""": """enum('a','it''s','say "b"')""",
        "serial": "bigint unsigned",
        "int(6) unsigned zerofill": "int(6) unsigned zerofill",
    },
    "duckdb": {
        "int4": "INTEGER",
        "varchar(20)": "VARCHAR",
        "numeric(5)": "DECIMAL(5,0)",
        "text[]": "VARCHAR[]",
        "struct(a int, b struct(c text))": "STRUCT(a INTEGER, b STRUCT(c VARCHAR))",
        "timestamptz": "TIMESTAMP WITH TIME ZONE",
    },
    "sqlite": {"integer": "INTEGER", "VarChar(20)": "VarChar(20)", "blob": "BLOB"},
    "sqlserver": {
        "[int]": "int",
        "[nvarchar](max)": "nvarchar(max)",
        "Decimal(9, 3)": "decimal(9,3)",
        "dbo.Phone": "dbo.Phone",
    },
    "oracle": {
        "varchar(20 byte)": "VARCHAR2(20 BYTE)",
        "integer": "NUMBER(38)",
        "number(9, 2)": "NUMBER(9,2)",
        "date": "DATE",
    },
    "snowflake": {"int": "NUMBER(38,0)", "number": "NUMBER(38,0)", "string": "VARCHAR", "decimal(9)": "NUMBER(9,0)"},
    "db2": {
        "int": "INTEGER",
        "char(4 octets)": "CHARACTER(4 OCTETS)",
        "varchar(9) for bit data": "VARCHAR(9) FOR BIT DATA",
    },
}
DEFAULTS = {
    "postgresql": [
        ("'x'", "character varying(9)", "'x'::character varying"),
        ("'5'", "integer", "5"),
        ("'f'", "boolean", "false"),
        ("-1", "integer", "'-1'::integer"),
        ("Now()", "date", "now()"),
        ("'it''s'", "text", "'it''s'::text"),
        ("nextval('s'::text)", "bigint", "nextval(('s'::text)::regclass)"),
    ],
    "mysql": [
        ("NOW()", "datetime", "current_timestamp()"),
        ("'0'", "decimal(9,2)", "0.00"),
        ('"a""b"', "varchar(9)", "'a\"b'"),
        ("TRUE", "tinyint(1)", "1"),
        ("CURRENT_TIMESTAMP(3)", "timestamp(3)", "current_timestamp(3)"),
    ],
    "sqlite": [("(1 + 2)", "INT", "1 + 2"), ("(a) + (b)", "INT", "(a) + (b)")],
}


class WordingTests(TestCase):
    def test_types_are_worded_as_the_catalog_words_them_and_stay_so(self) -> None:
        for platform, cases in TYPES.items():
            worded = platforms.get(platform).dialect.canonical_type
            for written, expected in cases.items():
                with self.subTest(platform, written=written):
                    self.assertEqual(worded(written), expected)
                    self.assertEqual(worded(expected), expected)

    def test_defaults_are_worded_as_the_catalog_words_them(self) -> None:
        for platform, cases in DEFAULTS.items():
            worded = platforms.get(platform).dialect.canonical_default
            assert worded is not None
            for written, type_, expected in cases:
                with self.subTest(platform, written=written):
                    self.assertEqual(worded(written, type_), expected)

    def test_no_wording_stumbles_over_the_type_of_another_platform(self) -> None:
        written = {text for cases in TYPES.values() for text in cases} | {
            "",
            "()",
            "float(,)",
            "decimal(a)",
            "varchar(²)",
            "enum(",
            "(((",
            "[]",
        }
        for platform in platforms.names():
            dialect = platforms.get(platform).dialect
            for text in written:
                with self.subTest(platform, written=text):
                    self.assertIsInstance(dialect.canonical_type(text), str)
                    if dialect.canonical_default:
                        self.assertIsInstance(dialect.canonical_default(text or "''", "int"), str)
