"""What the colours of cards stand for: one registry of marks, to which every part of the product adds its own.

A mark tells for each card which of a few values it has, in words; the commonest values get a hue, and a legend says which.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence

import msgspec

from indexa.core.diagram.neighbourhoods import communities
from indexa.core.diagram.parts import Card, Drawing, Key

HUES = 6
"""How many colours there are; further values have none."""
Values = Mapping[Key, str]


class Mark(msgspec.Struct, frozen=True):
    """A mark: its name, what people call it, and what tells the value of each card ("" for none)."""

    name: str
    label: str
    values: Callable[[Drawing], Values]


_marks: dict[str, Mark] = {}


def register_mark(mark: Mark) -> None:
    """Make a mark known, in the order in which marks are offered."""
    _marks[mark.name] = mark


def marks() -> list[Mark]:
    """Return all marks."""
    return list(_marks.values())


def colour(drawing: Drawing, name: str) -> None:
    """Give each card the hue of its value of a mark, the commonest value first; one value alone needs none."""
    mark = _marks.get(name) or _marks["schema"]
    values = mark.values(drawing)
    counts = Counter(value for value in values.values() if value)
    ranked = sorted(counts, key=lambda value: (-counts[value], value))
    hues = {value: number for number, value in enumerate(ranked[:HUES], 1)} if len(set(values.values())) > 1 else {}
    for card in drawing.cards:
        value = values.get(card.key, "")
        card.hue, card.mark = hues.get(value, 0), value
    drawing.legend = [(hue, value) for value, hue in hues.items()]


def _schemas(drawing: Drawing) -> Values:
    return {card.key: card.key[0] for card in drawing.cards}


def _neighbourhoods(drawing: Drawing) -> Values:
    groups = communities(drawing.cards, drawing.lines)
    names: dict[Key, str] = {}
    degree = Counter(key for line in drawing.lines for key in (line.child, line.parent))
    for group in groups:
        if len(group) < 2:
            continue
        centre = min(group, key=lambda key: (-degree[key], key))
        names |= dict.fromkeys(group, f"around {centre[1]}")
    return {card.key: names.get(card.key, "") for card in drawing.cards}


def _described(drawing: Drawing) -> Values:
    return {card.key: _share(card) for card in drawing.cards}


def _share(card: Card) -> str:
    if card.described >= 1:
        return "every column described"
    return "some columns described" if card.described else "nothing described"


def _kinds(drawing: Drawing) -> Values:
    return {card.key: card.kind for card in drawing.cards}


def _parts(drawing: Drawing) -> Values:
    return {card.key: card.part for card in drawing.cards}


_OWN: Sequence[Mark] = (
    Mark("schema", "schema", _schemas),
    Mark("neighbourhood", "neighbourhood", _neighbourhoods),
    Mark("described", "described or not", _described),
    Mark("kind", "kind of table", _kinds),
    Mark("part", "part it plays", _parts),
)
for _mark in _OWN:
    register_mark(_mark)
