"""The diagrams that an edition makes itself: one for each group of tables that refer to each other most."""

from __future__ import annotations

from collections.abc import Iterator

from indexa.core.diagram.arranging import arrange
from indexa.core.diagram.neighbourhoods import LOOSE, neighbourhoods
from indexa.core.diagram.placing import Engine
from indexa.core.edition.parts import Picture
from indexa.core.model import Model


def neighbourhood_pictures(model: Model, position: int, engine: Engine) -> Iterator[Picture]:
    """Yield a picture for each neighbourhood of the model at a position; tables without relationships are on none."""
    for one in neighbourhoods(model):
        if one.name == LOOSE:
            continue
        drawing = arrange(model, engine, tables=set(one.tables), style="orthogonal", depth="keys")
        drawing.title = one.name
        yield Picture(position, drawing)
