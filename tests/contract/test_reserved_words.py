"""Words that a platform keeps for itself: each that it does not take for the name of a column is quoted by our scripts."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Iterable
from contextlib import closing
from unittest import TestCase

import duckdb

from indexa.adapters.throwaway import server
from indexa.core.ddl.names import Namer
from indexa.core.naming.limits import reserved


def refused(words: Iterable[str], run: Callable[[str], object]) -> set[str]:
    """Return the words that are no name of a column."""
    found = set()
    for word in words:
        try:
            run(f"create temporary table word_ ({word} int)")
        except Exception:
            found.add(word)
        else:
            run("drop table word_")
    return found


class ReservedWordsTests(TestCase):
    def assert_quoted(self, platform: str, words: set[str]) -> None:
        self.assertGreater(len(words), 50)
        self.assertEqual({word for word in words if Namer(platform).quoted(word) == word}, set())

    def test_duckdb_and_sqlite(self) -> None:
        with closing(duckdb.connect()) as database:
            words = [row[0] for row in database.execute("select keyword_name from duckdb_keywords()").fetchall()]
            self.assert_quoted("duckdb", refused(words, database.execute))
        with closing(sqlite3.connect(":memory:")) as files:
            self.assert_quoted(
                "sqlite", refused(reserved("teradata") | reserved("mysql") | reserved("postgresql"), files.execute)
            )

    def test_postgresql_and_mariadb(self) -> None:
        for platform, query in {
            "postgresql": "select string_agg(word, ' ') from pg_get_keywords()",
            "mysql": "select group_concat(lower(word) separator ' ') from information_schema.keywords where word regexp '^[A-Z]'",
        }.items():
            with self.subTest(platform), server(platform) as own:
                database = own.database("words")
                if platform == "mysql":
                    database.run("set group_concat_max_len = 1000000")
                words = str(database.value(query)).split()
                self.assertGreater(len(words), 300)
                self.assert_quoted(platform, refused(words, database.run))
                database.close()
