"""Texts of people in Markdown: shown as HTML that can't carry markup of its own, scripts or pictures from elsewhere."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import lru_cache

import msgspec
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


class Run(msgspec.Struct, frozen=True):
    """A piece of a line that looks the same throughout; `link` is the address it leads to, "" for none."""

    text: str
    bold: bool = False
    italic: bool = False
    code: bool = False
    link: str = ""


class Block(msgspec.Struct, frozen=True):
    """A paragraph of a text: plain ("p"), of a list ("item", how deep in `level`), a heading ("head"), a quotation ("quote"), code."""

    kind: str
    runs: tuple[Run, ...]
    level: int = 0


def blocks_of(text: str) -> list[Block]:
    """Return a text in Markdown as paragraphs, for documents; a row of a table is a paragraph with its cells between bars."""
    if not _SIGNS.search(text):
        return [Block("p", (Run(text),))] if text else []
    found: list[Block] = []
    level, kinds = 0, ["p"]
    cells: list[Run] = []
    for token in _parser().parse(text):
        if token.type in ("bullet_list_open", "ordered_list_open"):
            level += 1
        elif token.type in ("bullet_list_close", "ordered_list_close"):
            level -= 1
        elif token.type in ("list_item_open", "heading_open", "blockquote_open"):
            kinds.append({"list_item_open": "item", "heading_open": "head"}.get(token.type, "quote"))
        elif token.type in ("list_item_close", "heading_close", "blockquote_close"):
            kinds.pop()
        elif token.type in ("fence", "code_block"):
            found.append(Block("code", (Run(token.content.rstrip("\n"), code=True),)))
        elif token.type == "tr_close":
            found.append(Block("p", tuple(cells)))
            cells = []
        elif token.type == "inline":
            runs = tuple(_runs(token.children or []))
            if token.level > 2 and kinds == ["p"] and token.map is not None and _is_cell(token):
                cells += [Run(" | ")] * bool(cells) + list(runs)
            else:
                found.append(Block(kinds[-1], runs, level))
    return found


def _is_cell(token: Token) -> bool:
    return token.level >= 4


def _runs(tokens: list[Token]) -> Iterator[Run]:
    bold, italic, link = 0, 0, ""
    for token in tokens:
        if token.type in ("strong_open", "strong_close"):
            bold += token.nesting
        elif token.type in ("em_open", "em_close"):
            italic += token.nesting
        elif token.type == "link_open":
            link = str(token.attrGet("href") or "")
        elif token.type == "link_close":
            link = ""
        elif token.type in ("softbreak", "hardbreak"):
            yield Run("\n")
        elif token.content:
            yield Run(token.content, bold > 0, italic > 0, token.type == "code_inline", link)
