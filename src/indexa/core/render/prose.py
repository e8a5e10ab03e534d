"""Texts of people in Markdown: shown as HTML that can't carry markup of its own, scripts or pictures from elsewhere."""

from __future__ import annotations

import re
from functools import lru_cache

from markdown_it import MarkdownIt
from markdown_it.common.utils import escapeHtml
from markdown_it.renderer import RendererProtocol
from markdown_it.token import Token
from markdown_it.utils import EnvType, OptionsDict

_HIGHEST = 4
"""Headings within a text begin at this level: the page has its own above them."""
_SIGNS = re.compile(r"[\\`*_\[\]<>&#|~\n\t]|^\s|^(?:[-+=]|\d+[.)])|\s$")
"""What may mean something in Markdown: a text without any is a paragraph as it stands, as most definitions are."""


def _heading(renderer: RendererProtocol, tokens: list[Token], at: int, options: OptionsDict, env: EnvType) -> str:
    closing = tokens[at].nesting < 0
    level = min(6, int(tokens[at].tag[1:]) + _HIGHEST - 1)
    return f"</h{level}>\n" if closing else f"<h{level}>"


def _link(renderer: RendererProtocol, tokens: list[Token], at: int, options: OptionsDict, env: EnvType) -> str:
    tokens[at].attrSet("rel", "noreferrer nofollow")
    return renderer.renderToken(tokens, at, options, env)  # type: ignore[attr-defined,no-any-return]


@lru_cache(maxsize=1)
def _parser() -> MarkdownIt:
    parser = MarkdownIt("commonmark", {"html": False, "breaks": True, "maxNesting": 20}).enable(
        ["table", "strikethrough"]
    )
    parser.disable(["image", "html_block", "html_inline"])
    parser.add_render_rule("heading_open", _heading)
    parser.add_render_rule("heading_close", _heading)
    parser.add_render_rule("link_open", _link)
    return parser


def to_html(text: str) -> str:
    """Return a text in Markdown as HTML: paragraphs, lists, emphasis, tables, links by http, https and mailto, code.

    Markup in the text is shown as it was typed; a picture is a link to it.
    """
    if not _SIGNS.search(text):
        return f"<p>{escapeHtml(text)}</p>\n" if text else ""
    return str(_parser().render(text))
