"""PostgreSQL's types: families and short wordings."""

from django.test import SimpleTestCase

from indexa.core import platforms
from indexa.core.type_families import shorten


class TypeTests(SimpleTestCase):
    families = {
        "bigint": "number", "numeric(12,2)": "number", "double precision": "number", "character varying(24)": "text",
        "character(2)": "text", "text": "text", "timestamp with time zone": "date and time",
        "timestamp(3) without time zone": "date and time", "date": "date and time",
        "interval day to second": "date and time",
        "boolean": "yes or no", "bytea": "binary", "bit varying(8)": "binary",
        "jsonb": "document", "uuid": "identifier",
        "text[]": "list", "numeric(12,2)[]": "list", "tstzrange": "range", "bill.amt_t": "other", "inet": "network",
    }  # fmt: skip
    shorter = {
        "character varying(24)": "varchar(24)",
        "character(2)": "char(2)",
        "timestamp with time zone": "timestamptz",
        "timestamp(3) with time zone": "timestamptz(3)",
        "timestamp(3) without time zone": "timestamp(3)",
        "character varying(30)[]": "varchar(30)[]",
        "bill.amt_t": "bill.amt_t",
    }

    def test_families(self) -> None:
        for name, wanted in self.families.items():
            with self.subTest(name):
                self.assertEqual(platforms.get("postgresql").family(name), wanted)

    def test_short_wordings(self) -> None:
        for name, wanted in self.shorter.items():
            with self.subTest(name):
                self.assertEqual(shorten(name), wanted)

    def test_an_unknown_platform_is_refused_with_those_that_are_known(self) -> None:
        with self.assertRaisesMessage(platforms.UnknownPlatformError, "Known: bigquery, db2"):
            platforms.get("nosuch")
