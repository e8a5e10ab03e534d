"""A diagram as text of two general tools: Mermaid's entity relationships, and DOT."""

from __future__ import annotations

import re

from indexa.core.diagram.parts import Drawing, Key

_WORD = re.compile(r"[^0-9A-Za-z_]+")


def as_mermaid(drawing: Drawing) -> str:
    """Return an `erDiagram`; names keep their letters and digits, and what else they hold stands in a label."""
    names = _names(drawing)
    lines = ["erDiagram"]
    for card in drawing.cards:
        lines.append(f'  {names[card.key]}["{_entities(card.business_name or card.full_name)}"] {{')
        for row in card.rows:
            keys = ", ".join(role.replace("UQ", "UK") for role in row.roles.split())
            type_ = _WORD.sub("_", row.type.rstrip("?")).strip("_") or "unknown"
            lines.append(f"    {type_} {_WORD.sub('_', row.column) or '_'} {keys}".rstrip())
        lines.append("  }")
    for line in drawing.lines:
        parent = "|o" if line.optional else "||"
        child = "o|" if line.one_to_one else "o{"
        run = "--" if line.identifying else ".."
        label = _entities(", ".join(line.columns))
        lines.append(f'  {names[line.parent]} {parent}{run}{child} {names[line.child]} : "{label}"')
    return "\n".join(lines) + "\n"


def as_dot(drawing: Drawing) -> str:
    """Return a digraph from child to parent, cards as boxes at their places (in points, y upwards)."""
    names = _names(drawing)
    lines = ["digraph {", "  graph [rankdir=LR];", '  node [shape=plain, fontname="monospace"];']
    for card in drawing.cards:
        rows = "".join(
            f'<tr><td align="left" port="{_html(row.column)}">{_html(f"{row.roles} {row.label} {row.type}".strip())}</td></tr>'
            for row in card.rows
        )
        head = f"<tr><td><b>{_html(card.full_name)}</b></td></tr>"
        place = f"{card.x + card.width / 2:.0f},{drawing.height - card.y - card.height / 2:.0f}"
        table = f'<table border="0" cellborder="1" cellspacing="0">{head}{rows}</table>'
        lines.append(f'  {names[card.key]} [label=<{table}>, pos="{place}"];')
    for line in drawing.lines:
        style = "solid" if line.identifying else "dashed"
        arrow = "teeodot" if line.optional else "teetee"
        tail = "teeodot" if line.one_to_one else "crowodot"
        lines.append(
            f"  {names[line.child]} -> {names[line.parent]} "
            f'[dir=both, style={style}, arrowhead={arrow}, arrowtail={tail}, tooltip="{_quoted(line.words)}"];'
        )
    return "\n".join([*lines, "}"]) + "\n"


def _names(drawing: Drawing) -> dict[Key, str]:
    """Give each card a name of plain letters, no two the same."""
    found: dict[Key, str] = {}
    taken: set[str] = set()
    for card in drawing.cards:
        name = base = _WORD.sub("_", card.full_name).strip("_") or "table"
        number = 1
        while name in taken:
            number += 1
            name = f"{base}_{number}"
        taken.add(name)
        found[card.key] = name
    return found


def _entities(text: str) -> str:
    """Write a text for Mermaid, which shows it in a page: marks that would begin something else as its entity codes."""
    codes = {"#": "#35;", '"': "#quot;", "<": "#lt;", ">": "#gt;", "\n": " "}
    return "".join(codes.get(letter, letter) for letter in text)


def _quoted(text: str) -> str:
    return text.replace("\\", "\\\\").replace('"', "'").replace("\n", " ")


def _html(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;").replace('"', "&quot;")
