"""What a person chose for an edition, as it is kept with the edition and in templates."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import msgspec

from indexa.core.edition.parts import Contents, Paper


class Choices(msgspec.Struct, frozen=True, kw_only=True):
    """The choices of an edition. Ids are those of the area's objects; one that is gone meanwhile is passed over."""

    models: list[int] = []
    """In the order in which the edition tells of them."""
    contents: Contents = Contents()
    text: str = ""
    """Its own text, with names as `composing.keep_names` keeps them."""
    above: str = ""
    """The class above which things are left out, as `composing.thresholds` words it."""
    private: int = 0
    """The yes-or-no field that keeps definitions in the area where it says yes; 0 for none."""
    schemas: list[str] = []
    """The only schemas there are; empty for all."""
    view: int = 0
    """The saved view of the dictionary whose tables are the only ones; 0 for none."""
    only_diagrams: list[int] = []
    """The only shared diagrams there are; empty for all."""
    scripts: list[int] = []
    audience: str = ""
    foot: str = ""
    paper: Paper = "a4"

    def as_template(self) -> dict[str, Any]:
        """Return what a template keeps: everything but which models and change scripts."""
        kept: dict[str, Any] = msgspec.to_builtins(msgspec.structs.replace(self, models=[], scripts=[]))
        return kept


def choices_of(kept: Mapping[str, Any]) -> Choices:
    """Return kept choices; what they do not say is as by default."""
    return msgspec.convert(kept, Choices)
