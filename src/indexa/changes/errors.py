"""What can be in the way of undoing and redoing."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple


class ChangeError(Exception):
    """A change that can't be made; the text says why and what to do."""


class Conflict(NamedTuple):
    """One thing that is in the way of an undo: of which object and field, and why, as the end of a sentence."""

    label: str
    field: str
    why: str
    by: str = ""
    """Who changed it since; "" where nobody did."""


class ConflictsError(ChangeError):
    """An undo would overwrite what came later. All conflicts are listed, and nothing was changed."""

    def __init__(self, conflicts: Sequence[Conflict]) -> None:
        first, more = conflicts[0], len(conflicts) - 1
        text = f"Not undone: {first.label}, {first.field.lower()}: {first.why}"
        super().__init__(f"{text}, and {more:,} more conflict{'' if more == 1 else 's'}." if more else f"{text}.")
        self.conflicts = tuple(conflicts)


class AlreadyUndoneError(ChangeError):
    """Two requests undid the same at once; the other one was first."""

    def __init__(self) -> None:
        super().__init__("It was undone a moment ago. Nothing else was changed.")
