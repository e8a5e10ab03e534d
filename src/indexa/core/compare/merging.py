"""Three states: where source and model both went on from one reading, each one's changes stay, and conflicts are told."""

from __future__ import annotations

from collections.abc import Collection, Mapping

import msgspec

from indexa.core.compare.applying import Applied, apply
from indexa.core.compare.comparing import Comparison, compare
from indexa.core.compare.differences import Difference
from indexa.core.compare.matching import KnownRenames
from indexa.core.model import Model

_SWAPPED = {"new": "gone", "gone": "new"}


class Merged(msgspec.Struct):
    """The model with what the source changed; `comparison` goes from the model as it was to the source."""

    comparison: Comparison
    applied: Applied


def own_changes(reading: Model, model: Model) -> dict[str, Difference]:
    """Return what people changed in a model since a reading, by id; both in the names that the source has."""
    found = compare(reading, model, renames=KnownRenames()).differences
    return {one.id: one for one in found}


def merge(
    reading: Model,
    model: Model,
    source: Model,
    renames: KnownRenames,
    give_way: Collection[str] = (),
    kept: Collection[str] = (),
) -> Merged:
    """Bring a model to what the source says by now, and leave what people changed in it since the `reading`.

    All three are in the names that the source had in the reading; `source` and `renames` may have later ones. `give_way` are
    ids of people's changes that the source's value replaces, `kept` ids of the source's that the model does not follow.
    """
    comparison = compare(model, source, renames=renames)
    own = compare(reading, model, renames=KnownRenames())
    stays = {_seen_from_model(one) for one in own.differences if one.id not in give_way}
    stays |= {
        f"{part.what}:{'.'.join(name).lstrip('.')}:{part.after.name}"
        for name, parts in own.parts.items()
        for part in parts
        if part.id not in give_way and part.before and part.after and part.before.name != part.after.name
    }
    stays |= set(kept)
    taken = {one.id for one in comparison.differences if one.id not in stays}
    return Merged(comparison, apply(comparison, taken))


def _seen_from_model(one: Difference) -> str:
    """Return the id that what people changed has where the model is compared with the source: made here is gone there."""
    if one.kind in _SWAPPED and one.id.endswith(f":{one.kind}"):
        return f"{one.id.removesuffix(one.kind)}{_SWAPPED[one.kind]}"
    return one.id


def in_the_way(one: Difference, own: Mapping[str, Difference]) -> list[Difference]:
    """Return the changes of people that one of the source's can't stand beside.

    The same property with another value; changes within what the source took out; the deletion of what the source changed.
    """
    same = own.get(one.id)
    if same is not None:
        return [same] if (same.kind, same.after) != (one.kind, one.after) else []
    place = one.full_table
    if one.kind == "gone" and one.what in ("table", "view"):
        return [mine for mine in own.values() if mine.full_table == place]
    if one.kind == "gone" and one.what == "column":
        return [mine for id_, mine in own.items() if id_.startswith(f"column:{place}:{one.name}.")]
    deleted = [f"column:{place}:{one.name}:gone"] if one.what == "column" else []
    deleted += [f"table:{place}:gone"] if place and one.kind != "gone" else []
    return [own[id_] for id_ in deleted if id_ in own]
