"""Headings that sort: a click sorts, a second one turns the order around, a third goes back."""

from __future__ import annotations

from django.test import SimpleTestCase

from indexa.ui.sorting import sort_heads

HEADS = [("", "Table"), ("columns", "Columns"), (None, "Definition")]


class SortTests(SimpleTestCase):
    def test_three_clicks_lead_back_and_what_else_the_address_holds_stays(self) -> None:
        sort, seen = "", []
        for _ in range(3):
            query = sort_heads(HEADS, sort, {"q": "mtr", "sort": sort, "page": "3"})[1].query
            self.assertTrue(query.startswith("q=mtr"))
            self.assertNotIn("page", query)
            sort = query.partition("sort=")[2]
            seen.append(sort)
        self.assertEqual(seen, ["columns", "-columns", ""])

    def test_the_heading_says_how_the_list_is_sorted(self) -> None:
        for sort, places in {
            "": ["ascending", "", ""],
            "-": ["descending", "", ""],
            "-columns": ["", "descending", ""],
        }.items():
            with self.subTest(sort):
                self.assertEqual([head.direction for head in sort_heads(HEADS, sort, {})], places)
        self.assertEqual(sort_heads(HEADS, "", {})[2].query, "")
