"""What changes keep of diagrams and their cards, from which they can be made again."""

from __future__ import annotations

from typing import Any

from indexa.diagrams.models import Diagram, DiagramCard, DiagramLine, DiagramNote

VIEW_FIELDS = ("name", "depth", "naming", "notation", "colour")
"""What people set of a diagram, each undone by itself."""


def record_of_diagram(diagram: Diagram) -> dict[str, Any]:
    """Return a diagram as a record."""
    return {field: getattr(diagram, field) for field in VIEW_FIELDS} | {
        "model_id": diagram.model_id, "private_to_id": diagram.private_to_id, "made_by_id": diagram.made_by_id,
    }  # fmt: skip


def record_of_card(card: DiagramCard) -> dict[str, Any]:
    """Return a card as a record."""
    return {
        "diagram_id": card.diagram_id, "table_id": card.table_id, "x": card.x, "y": card.y, "depth": card.depth,
        "width": card.width,
    }  # fmt: skip


def record_of_note(note: DiagramNote) -> dict[str, Any]:
    """Return a note or frame as a record."""
    return {
        "diagram_id": note.diagram_id, "kind": note.kind, "text": note.text, "x": note.x, "y": note.y, "width": note.width,
        "height": note.height, "rank": note.rank,
    }  # fmt: skip


def record_of_line(line: DiagramLine) -> dict[str, Any]:
    """Return the bends of a line as a record."""
    return {"diagram_id": line.diagram_id, "relationship_id": line.relationship_id, "bends": line.bends}
