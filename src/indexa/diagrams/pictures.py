"""The diagrams that an area shares, as the pictures of an edition."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any

from indexa.core.diagram.arranging import measure
from indexa.core.edition.parts import Picture
from indexa.diagrams.drawing import drawing_of
from indexa.diagrams.models import Diagram


def shared_pictures(positions: Mapping[int, int], only: Collection[int] = ()) -> list[Picture]:
    """Return the shared diagrams of some models, given the position of each model by id; what is only proposed is left out.

    Where `only` names diagrams by id, there are no others.
    """
    found = []
    shared = Diagram.objects.filter(model_id__in=list(positions), private_to__isnull=True)
    shared = shared.filter(pk__in=only) if only else shared
    for diagram in shared.select_related("model__area").order_by("name", "pk"):
        drawing = drawing_of(diagram)
        if not drawing.cards:
            continue
        drawing.lines = [line for line in drawing.lines if not line.confidence]
        measure(drawing)
        notation: Any = diagram.notation
        found.append(Picture(positions[diagram.model_id], drawing, notation))
    return sorted(found, key=lambda picture: picture.model)
