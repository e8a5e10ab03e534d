"""The parts of a drawn diagram: cards with rows, lines with both ends, and the whole drawing."""

from __future__ import annotations

from typing import Literal, TypeAlias

import msgspec

Depth: TypeAlias = Literal["names", "keys", "columns", "full"]
DEPTHS: tuple[Depth, ...] = ("names", "keys", "columns", "full")
Naming: TypeAlias = Literal["physical", "business", "both"]
NAMINGS: tuple[Naming, ...] = ("physical", "business", "both")
Key: TypeAlias = tuple[str, str]
"""Schema and name of a table: what a card is known by."""
Point: TypeAlias = tuple[float, float]


class Row(msgspec.Struct, frozen=True, gc=False):
    """A column on a card. `roles` are its key roles in short; `definition` the first line of it, at depth "full"."""

    column: str
    label: str
    roles: str
    type: str
    is_key: bool = False
    nullable: bool = False
    definition: str = ""
    in_words: bool = False
    """Whether the label is a business name."""


class Card(msgspec.Struct):
    """A table as a card: its size and what is on it. `x` and `y` are its top left corner, below the tab."""

    key: Key
    name: str
    title: str
    """The name on it in the machine's face; "" where only business names are shown."""
    business_name: str
    kind: str
    rows: list[Row]
    hidden: int
    """Columns that the depth does not show."""
    described: float
    """Share of columns with a definition, 0 to 1."""
    width: float
    height: float
    head: float
    """Height of the part above the rows."""
    x: float = 0
    y: float = 0
    hue: int = 0
    """Which colour marks it, from 1; 0 for none. What it stands for is told by the drawing's legend."""
    mark: str = ""
    """The value that the colour stands for, in words."""
    id: str = ""
    part: str = ""
    """The part that the table plays: fact, code table …"""

    @property
    def right(self) -> float:
        """The x of the right edge."""
        return self.x + self.width

    @property
    def bottom(self) -> float:
        """The y of the lower edge."""
        return self.y + self.height

    @property
    def full_name(self) -> str:
        """Schema and name with a dot between them."""
        return f"{self.key[0]}.{self.name}" if self.key[0] else self.name


class Line(msgspec.Struct):
    """A relationship between two cards of a drawing; points run from the child (many) to the parent (one)."""

    name: str
    child: Key
    parent: Key
    columns: tuple[str, ...]
    ref_columns: tuple[str, ...]
    identifying: bool = False
    optional: bool = False
    one_to_one: bool = False
    asserted: bool = False
    confidence: float = 0
    """Above 0 for one that is proposed and not decided."""
    points: list[Point] = msgspec.field(default_factory=list)
    bends: list[Point] = msgspec.field(default_factory=list)
    """Corners that a person chose, from child to parent; none where the way is searched."""
    id: str = ""
    ends: tuple[str, str] = ("", "")
    """Ids of the cards of child and parent."""
    words: str = ""
    """The relationship as a sentence."""
    address: str = ""
    """Where one that is proposed is decided."""


class Note(msgspec.Struct):
    """A text that a person put on a diagram: a slip of paper, or a frame around some cards with the text as its title."""

    kind: Literal["note", "frame"]
    text: str
    x: float
    y: float
    width: float
    height: float
    id: str = ""


class Drawing(msgspec.Struct):
    """A whole diagram, laid out."""

    cards: list[Card]
    lines: list[Line]
    notes: list[Note] = msgspec.field(default_factory=list)
    width: float = 0
    height: float = 0
    legend: list[tuple[int, str]] = msgspec.field(default_factory=list)
    """Hue and what it stands for."""
    title: str = ""
