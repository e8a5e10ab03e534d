"""A drawing as SVG: the same pieces for the page and for a file that stands alone, with its fonts and colours in it."""

from __future__ import annotations

import base64
import re
from collections.abc import Mapping, Sequence
from html import escape
from itertools import pairwise
from pathlib import Path
from textwrap import wrap

from indexa.core.diagram.cards import EDGE, NAME_AT, ROW
from indexa.core.diagram.parts import Card, Drawing, Key, Line, Note, Point, Row
from indexa.core.render.diagram.notations import Notation, ends
from indexa.core.render.diagram.numbers import short as _n

STYLES = Path(__file__).parent / "static" / "drawing.css"
_CORNER = 6.0
_FOOT_OF_LEGEND = 34.0
PALETTES: dict[str, dict[str, str]] = {
    "light": {
        "sheet": "#fdfbf6", "margin": "#f6f2e8", "ink": "#1d2a30", "ink-2": "#4d5a61", "rule": "#ddd5c3", "rule-strong": "#b9ae97",
        "accent": "#1b5e63", "ask": "#7d5100",
    },
    "dark": {
        "sheet": "#182023", "margin": "#141b1e", "ink": "#e7e2d6", "ink-2": "#a5b0b3", "rule": "#2d393d", "rule-strong": "#4a5a5f",
        "accent": "#7cc7bf", "ask": "#e9b949",
    },
}  # fmt: skip
"""The colours of a file that stands alone; in the page they are those of the page."""
_FACES = {
    "voice-machine": "'Atkinson Mono', ui-monospace, monospace",
    "voice-business": "'Atkinson Next', system-ui, sans-serif",
    "voice-title": "'Source Serif', Georgia, serif",
}


def card_svg(card: Card, notation: Notation = "crows-foot", *, depends: bool = False) -> str:
    """Return a card as a group at its place. `depends`: its key holds a foreign key, which IDEF1X shows by round corners."""
    kinds = ["card-box", f"h{card.hue}" if card.hue else "", "view" if card.kind.endswith("view") else ""]
    width, height = _n(card.width), _n(card.height)
    round_ = "10" if notation == "idef1x" and depends else "2"
    parts = [
        f'<g class="{" ".join(filter(None, kinds))}" data-card="{escape(card.id)}" data-w="{width}" data-h="{height}" '
        f'transform="translate({_n(card.x)} {_n(card.y)})">'
    ]
    if card.mark and card.mark != card.key[0]:
        parts.append(f"<title>{escape(card.mark)}</title>")
    schema = card.key[0] or ("view" if card.kind.endswith("view") else "")
    if schema:
        wide = min(card.width - 20, 6.2 * len(schema) + 12)
        parts.append(f'<path class="tab" d="M0 .5v-11q0-4 4-4h{_n(wide - 7)}q3 0 4 3l4 12z"/>')
        parts.append(f'<text class="schema" x="7" y="-4">{escape(_cut(schema, wide, 6.2))}</text>')
    parts.append(f'<rect class="paper" width="{width}" height="{height}" rx="{round_}"/>')
    if card.title:
        parts.append(f'<text class="name" x="9" y="16">{escape(_cut(card.title, card.width - 2 * EDGE, 8.0))}</text>')
    if card.business_name:
        where = f'class="biz" x="9" y="{31 if card.title else 16}"'
        if not card.title:
            where = where.replace('"biz"', '"biz alone"')
        parts.append(f"<text {where}>{escape(_cut(card.business_name, card.width - 2 * EDGE, 6.6))}</text>")
    if card.rows:
        parts.append(f'<path class="head-rule" d="M0 {_n(card.head)}h{width}"/>')
        parts += _rows(card)
    if card.rows and card.hidden:
        at = card.head + ROW * len(card.rows) + 13
        text = f"{card.hidden} more"
        parts.append(f'<text class="more" x="46" y="{_n(at)}">{text}</text>')
        begin = max(card.width - 58, NAME_AT + 6.2 * len(text) + 8)
        length = card.width - 8 - begin
        if length > 0:
            parts.append(f'<path class="cover" d="M{_n(begin)} {_n(at - 4)}h{_n(length)}"/>')
            parts.append(f'<path class="covered" d="M{_n(begin)} {_n(at - 4)}h{_n(length * card.described)}"/>')
    parts.append("</g>")
    return "".join(parts)


def _rows(card: Card) -> list[str]:
    found, last_was_key = [], False
    for number, row in enumerate(card.rows):
        y = card.head + ROW * number + 14
        if last_was_key and not row.is_key:
            found.append(f'<path class="key-rule" d="M9 {_n(y - 12)}h{_n(card.width - 18)}"/>')
        last_was_key = row.is_key
        found.append(_row(card, row, y))
    return found


def _row(card: Card, row: Row, y: float) -> str:
    room = card.width - NAME_AT - EDGE - 6.4 * len(row.type) - (10 if row.type else 0)
    kind = "col pk" if row.is_key else "col"
    if row.in_words:
        kind += " biz-row"
    text = f'<text class="key" x="9" y="{_n(y - 1)}">{row.roles}</text>' if row.roles else ""
    text += f'<text class="{kind}" x="46" y="{_n(y)}">{escape(_cut(row.label, room, 7.0))}</text>'
    if row.definition:
        begin = NAME_AT + 7.0 * len(row.label) + 10
        left = card.width - begin - EDGE - 6.4 * len(row.type) - 10
        if left > 30:
            text += f'<text class="says" x="{_n(begin)}" y="{_n(y)}">{escape(_cut(row.definition, left, 5.4))}</text>'
    if row.type:
        text += f'<text class="type" x="{_n(card.width - 8)}" y="{_n(y)}">{escape(row.type)}</text>'
    return f'<g class="row" data-column="{escape(row.column)}">{text}</g>'


def line_svg(line: Line, notation: Notation = "crows-foot") -> str:
    """Return a line as a group: its run, and the marks at both ends; its sentence is its title."""
    kinds = "rel-line asked" if line.confidence else "rel-line"
    run = "run" if line.identifying or line.confidence else "run non"
    address = f' data-address="{escape(line.address)}"' if line.address else ""
    return (
        f'<g class="{kinds}"{address} data-line="{escape(line.id)}" data-ends="{escape(" ".join(line.ends))}" '
        f'data-columns="{_listed(line.columns)}" data-refs="{_listed(line.ref_columns)}"><title>{escape(line.words)}</title>'
        f'<path class="{run}" d="{path_of(line.points)}"/>{ends(line, notation)}{_confidence(line)}</g>'
    )


def _confidence(line: Line) -> str:
    """Return how sure a proposed line is, in the middle of its longest piece."""
    if not line.confidence or len(line.points) < 2:
        return ""
    one, other = max(pairwise(line.points), key=lambda piece: _far(*piece))
    x, y = (one[0] + other[0]) / 2, (one[1] + other[1]) / 2
    return (
        f'<g class="sure" transform="translate({_n(x)} {_n(y)})"><rect x="-13" y="-9" width="26" height="18" rx="9"/>'
        f'<text y="4" text-anchor="middle">.{min(99, round(100 * line.confidence)):02d}</text></g>'
    )


def _listed(columns: Sequence[str]) -> str:
    """Return names of columns as an attribute, one a line."""
    return "&#10;".join(escape(column) for column in columns)


def path_of(points: Sequence[Point]) -> str:
    """Return a way as the data of an SVG path with round corners."""
    if len(points) < 2:
        return ""
    text = [f"M{_n(points[0][0])} {_n(points[0][1])}"]
    for before, at, after in zip(points, points[1:], points[2:], strict=False):
        size = min(_CORNER, _far(before, at) / 2, _far(at, after) / 2)
        one, other = _towards(at, before, size), _towards(at, after, size)
        text.append(f"L{_n(one[0])} {_n(one[1])}Q{_n(at[0])} {_n(at[1])} {_n(other[0])} {_n(other[1])}")
    text.append(f"L{_n(points[-1][0])} {_n(points[-1][1])}")
    return "".join(text)


def _far(one: Point, other: Point) -> float:
    return abs(one[0] - other[0]) + abs(one[1] - other[1])


def _towards(at: Point, other: Point, size: float) -> Point:
    length = _far(at, other) or 1.0
    return at[0] + (other[0] - at[0]) * size / length, at[1] + (other[1] - at[1]) * size / length


def note_svg(note: Note) -> str:
    """Return a note or a frame as a group at its place; a note's text is broken into lines that it has room for."""
    width, height = _n(note.width), _n(note.height)
    begin = (
        f'<g class="note-box {note.kind}" data-note="{escape(note.id)}" transform="translate({_n(note.x)} {_n(note.y)})">'
        f'<rect class="slip" width="{width}" height="{height}" rx="3"/>'
    )
    if note.kind == "frame":
        text = f'<text class="frame-title" x="12" y="22">{escape(_cut(note.text.replace(chr(10), " "), note.width - 24, 8.0))}</text>'
    else:
        most = max(1, int((note.height - 12) / _NOTE_LINE))
        lines = _broken(note.text, int((note.width - 20) / 6.4))[:most]
        text = "".join(
            f'<text x="10" y="{_n(20 + _NOTE_LINE * at)}">{escape(line)}</text>' for at, line in enumerate(lines)
        )
    return f"{begin}{text}</g>"


_NOTE_LINE = 17.0


def _broken(text: str, letters: int) -> list[str]:
    """Break a text into lines of so many letters, at its own line breaks too."""
    return [line for part in text.splitlines() for line in wrap(part, max(4, letters)) or [""]]


def body(drawing: Drawing, notation: Notation = "crows-foot", addresses: Mapping[Key, str] | None = None) -> str:
    """Return everything from below: frames, lines, cards, notes. Cards for which there is an address link there."""
    depending = {line.child for line in drawing.lines if line.identifying}
    return "".join([
        *(note_svg(note) for note in drawing.notes if note.kind == "frame"),
        *(line_svg(line, notation) for line in drawing.lines),
        *(
            _linked(card_svg(card, notation, depends=card.key in depending), (addresses or {}).get(card.key, ""))
            for card in drawing.cards
        ),
        *(note_svg(note) for note in drawing.notes if note.kind == "note"),
    ])  # fmt: skip


def _linked(text: str, address: str) -> str:
    return f'<a href="{escape(address)}">{text}</a>' if address else text


def document(
    drawing: Drawing,
    notation: Notation = "crows-foot",
    *,
    palette: str = "light",
    fonts: Mapping[str, Path] | None = None,
) -> str:
    """Return a whole SVG file with its styles in it; `fonts` are font files to put in by family."""
    width, height = max(drawing.width, 200.0), drawing.height + (_FOOT_OF_LEGEND if drawing.legend else 0)
    legend = _legend(drawing)
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {_n(width)} {_n(height)}" width="{_n(width)}" height="{_n(height)}" '
        f'role="img"><title>{escape(drawing.title)}</title><style>{_embedded(fonts or {})}{_styles(palette)}</style>'
        f'<rect width="{_n(width)}" height="{_n(height)}" fill="{PALETTES[palette]["sheet"]}"/>'
        f'<g class="drawing">{body(drawing, notation)}{legend}</g></svg>\n'
    )


def _legend(drawing: Drawing) -> str:
    x, y, parts = 40.0, drawing.height + 6, []
    for hue, text in drawing.legend:
        parts.append(
            f'<g class="card-box h{hue}" transform="translate({_n(x)} {_n(y)})">'
            f'<path class="tab" d="M0 12v-8q0-4 4-4h8q3 0 4 3l3 9z"/><text class="schema" x="25" y="10">{escape(text)}</text></g>'
        )
        x += 44 + 6.2 * len(text)
    return "".join(parts)


def _styles(palette: str) -> str:
    """Return the styles with their colours and faces put in, for programs that know no custom properties."""
    text = re.sub(r"/\*.*?\*/", "", STYLES.read_text(), flags=re.DOTALL)
    blocks = re.findall(r"([^{}]+)\{([^{}]*)\}", text)
    values = dict(PALETTES[palette]) | _FACES
    for selector, declarations in blocks:
        name = selector.strip()
        if name == ".drawing" or (palette == "dark" and name.endswith(" .drawing")):
            values |= dict(re.findall(r"--([\w-]+):\s*([^;]+);", declarations))
    rules = [
        f"{' '.join(selector.split())}{{{' '.join(declarations.split())}}}"
        for selector, declarations in blocks if not selector.strip().endswith(".drawing")
    ]  # fmt: skip
    return re.sub(r"var\(--([\w-]+)\)", lambda found: values[found[1]], "".join(rules))


def _embedded(fonts: Mapping[str, Path]) -> str:
    return "".join(
        f"@font-face{{font-family:'{family}';font-weight:200 900;src:url(data:font/woff2;base64,"
        f"{base64.b64encode(path.read_bytes()).decode()}) format('woff2')}}"
        for family, path in fonts.items()
    )


def _cut(text: str, room: float, letter: float) -> str:
    """Cut a text that is wider than its room."""
    most = int(room / letter + 0.01)
    return text if len(text) <= most else f"{text[: max(1, most - 1)]}…"
