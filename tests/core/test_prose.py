"""Texts in Markdown become HTML that carries nothing of its own."""

from __future__ import annotations

import re
import unittest

from hypothesis import given
from hypothesis import strategies as st

from indexa.core.render.prose import _SIGNS, _parser, to_html


class MarkdownTests(unittest.TestCase):
    def test_lists_tables_and_links_are_shown(self) -> None:
        html = to_html(
            "**Never** reused:\n\n- one\n- two\n\n| a | b |\n|---|---|\n| 1 | 2 |\n\n[rules](https://tarnbeck.example/r)"
        )
        for part in ("<strong>Never</strong>", "<li>two</li>", "<td>2</td>", 'href="https://tarnbeck.example/r"'):
            self.assertIn(part, html)
        self.assertIn("<h4>Why</h4>", to_html("# Why"))

    def test_markup_scripts_and_pictures_of_a_text_do_nothing(self) -> None:
        for bad in (
            "<script>alert(1)</script>", "<img src=x onerror=alert(1)>", "[a](javascript:alert(1))", "![p](https://elsewhere/p.png)",
            "[a](data:text/html;base64,PHNjcmlwdD4=)", "[a](vbscript:x)", "<a href='javascript:x'>y</a>", "[a](JaVaScRiPt:x)",
        ):  # fmt: skip
            html = to_html(bad)
            self.assertNotRegex(html, r"<(?:script|img|iframe)|href=\"(?:javascript|data|vbscript)", bad)

    @given(st.text(alphabet=st.sampled_from("ab <>&\"'*_`[]()!#-+1.|~\\\n\t:/"), max_size=60))
    def test_only_known_elements_come_out_and_the_short_way_says_the_same(self, text: str) -> None:
        html = to_html(text)
        known = "p|br|strong|em|ul|ol|li|h4|h5|h6|code|pre|blockquote|hr|a|table|thead|tbody|tr|th|td|s"
        for tag in re.findall(r"<[^>]*>", html):
            self.assertRegex(tag, rf"^</?(?:{known})(?: [a-z-]+=\"[^\"<>]*\")*(?: /)?>$")
        if text and not _SIGNS.search(text):
            self.assertEqual(html, _parser().render(text))
