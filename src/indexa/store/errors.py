"""What can be wrong with a change of a model."""

from __future__ import annotations

from indexa.changes.errors import ChangeError


class EditError(ChangeError):
    """An edit that can't be made; the text says why and what to do."""


class StaleEditError(EditError):
    """Somebody else saved the field first. Both values are kept on the error."""

    def __init__(self, *, theirs: str, yours: str, by: str) -> None:
        super().__init__(f"{by} saved another text while you were writing. Nothing of yours is lost: decide below.")
        self.theirs, self.yours, self.by = theirs, yours, by
