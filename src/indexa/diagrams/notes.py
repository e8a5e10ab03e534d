"""Notes and frames on a diagram: written, moved, resized and deleted, each a change set."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.db import transaction

from indexa.areas.models import Area, Person
from indexa.changes.recording import Recorder, record
from indexa.core.diagram.cards import TAB
from indexa.diagrams.drawing import drawing_of
from indexa.diagrams.errors import DiagramError
from indexa.diagrams.models import Diagram, DiagramNote
from indexa.diagrams.moving import move_within
from indexa.diagrams.records import record_of_note
from indexa.diagrams.saving import lock, touch

LONGEST = 2_000
_SIZES = {"note": (220.0, 90.0), "frame": (420.0, 300.0)}
_LEAST, _MOST = 40.0, 20_000.0
_AROUND = 24.0
"""How far from the tables that it goes around a frame runs."""


@transaction.atomic
def create(
    *,
    area: Area,
    person: Person,
    diagram: Diagram,
    kind: str,
    text: str,
    at: tuple[float, float],
    around: Mapping[str, float] | None = None,
) -> DiagramNote:
    """Put a note or a frame on a diagram, at a place or around a box (x, y, width, height). Raises DiagramError for no text."""
    lock(diagram)
    if kind not in _SIZES:
        raise DiagramError(f"“{kind}” is no kind of note.")
    width, height = _SIZES[kind]
    note = DiagramNote(diagram=diagram, kind=kind, text=_checked(text), x=at[0], y=at[1], width=width, height=height)
    if around:
        note.x, note.y = around["x"] - _AROUND, around["y"] - _AROUND - TAB - 20
        note.width, note.height = around["width"] + 2 * _AROUND, around["height"] + 2 * _AROUND + TAB + 20
    with record(area=area, person=person, why=f"New {kind} on {diagram.name}", model_id=diagram.model_id) as changes:
        note.save()
        changes.create("note", note.pk, _label(note), "record", record_of_note(note))
    touch(diagram)
    return note


@transaction.atomic
def change(*, area: Area, person: Person, diagram: Diagram, note_id: int, given: Mapping[str, object]) -> None:
    """Set text, place or size of a note, or bring it to the front or the back (`layer`).

    A frame that is moved takes along what lies wholly in it, unless `alone` is given. Raises DiagramError for values that are
    none.
    """
    lock(diagram)
    note = diagram.notes.filter(pk=note_id).first()
    if note is None:
        raise DiagramError("That note is no longer on the diagram.")
    before = record_of_note(note)
    if "text" in given:
        note.text = _checked(str(given["text"]))
    try:
        for name in ("x", "y", "width", "height"):
            if name in given:
                setattr(note, name, round(float(str(given[name])), 1))
    except ValueError as error:
        raise DiagramError("These are no numbers. Load the page again.") from error
    if not (
        _LEAST <= note.width <= _MOST and _LEAST <= note.height <= _MOST and abs(note.x) < 1e6 and abs(note.y) < 1e6
    ):
        raise DiagramError("That is too small, too large or too far away.")
    if "layer" in given:
        note.rank = _rank(diagram, note, str(given["layer"]))
    if record_of_note(note) == before:
        return
    with record(area=area, person=person, why=f"Changed {diagram.name}", model_id=diagram.model_id) as changes:
        if note.kind == "frame" and "alone" not in given and (note.x, note.y) != (before["x"], before["y"]):
            _take_along(changes, diagram, note, before)
        note.save()
        changes.update("note", note.pk, _label(note), "record", before, record_of_note(note))
    touch(diagram)


def _rank(diagram: Diagram, note: DiagramNote, layer: str) -> int:
    ranks = list(diagram.notes.exclude(pk=note.pk).values_list("rank", flat=True)) or [note.rank]
    if layer == "front":
        return max(ranks) + 1
    if layer == "back":
        return min(ranks) - 1
    raise DiagramError(f"“{layer}” is neither front nor back.")


def _take_along(changes: Recorder, diagram: Diagram, frame: DiagramNote, before: Mapping[str, Any]) -> None:
    """Move the tables and notes that lie wholly in a frame as far as it moves."""
    left, top = float(before["x"]), float(before["y"])
    by_x, by_y = frame.x - left, frame.y - top
    right, bottom = left + float(before["width"]), top + float(before["height"])

    def holds(x: float, y: float, width: float, height: float) -> bool:
        return left <= x and top <= y and x + width <= right and y + height <= bottom

    for other in diagram.notes.exclude(pk=frame.pk):
        if holds(other.x, other.y, other.width, other.height):
            was = record_of_note(other)
            other.x, other.y = other.x + by_x, other.y + by_y
            other.save()
            changes.update("note", other.pk, _label(other), "record", was, record_of_note(other))
    drawing = drawing_of(diagram)
    inside = [card for card in drawing.cards if holds(card.x, card.y - TAB, card.width, card.height + TAB)]
    places = {int(card.id[1:]): (card.x + by_x, card.y + by_y) for card in inside}
    if places:
        move_within(changes, diagram, drawing, places)


@transaction.atomic
def delete(*, area: Area, person: Person, diagram: Diagram, note_id: int) -> None:
    """Delete a note or frame; what lies in a frame stays."""
    lock(diagram)
    note = diagram.notes.filter(pk=note_id).first()
    if note is None:
        return
    with record(
        area=area, person=person, why=f"Deleted a {note.kind} of {diagram.name}", model_id=diagram.model_id
    ) as changes:
        changes.delete("note", note.pk, _label(note), "record", record_of_note(note))
        note.delete()
    touch(diagram)


def _checked(text: str) -> str:
    text = text.replace("\r\n", "\n").replace("\x00", "").strip()
    if not text:
        raise DiagramError("A note needs a text.")
    if len(text) > LONGEST:
        raise DiagramError(f"The text has {len(text):,} characters; {LONGEST:,} are kept.")
    return text


def _label(note: DiagramNote) -> str:
    return note.text.splitlines()[0][:60]
