"""Presets: intake settings under a name, shared in an area, and as a file."""

from __future__ import annotations

import msgspec
from django.db import transaction

from indexa.areas.models import Area, Person
from indexa.core.intake.choice import OBJECT_KINDS, patterns
from indexa.sources.models import Preset

LARGEST_FILE = 200_000
FORMAT = "indexa-presets/1"


class PresetError(Exception):
    """A file of presets can't be taken in; the text says why."""


class PresetRecord(msgspec.Struct, forbid_unknown_fields=True):
    """One preset in the file."""

    name: str
    kinds: list[str]
    schemas: list[str] = []
    include: str = ""
    exclude: str = ""


class _File(msgspec.Struct):
    format: str
    presets: list[PresetRecord]


def export(presets: list[Preset]) -> bytes:
    """Write presets as a JSON file."""
    records = [PresetRecord(one.name, sorted(one.kinds), one.schemas, one.include, one.exclude) for one in presets]
    return msgspec.json.format(msgspec.json.encode(_File(FORMAT, records)), indent=2)


@transaction.atomic
def take_in(area: Area, person: Person, content: bytes) -> list[Preset]:
    """Import presets; one of a name that is there replaces it. All of them or, with PresetError, none."""
    if len(content) > LARGEST_FILE:
        raise PresetError("The file is too large for a file of presets.")
    try:
        read = msgspec.json.decode(content, type=_File)
    except (msgspec.DecodeError, UnicodeDecodeError) as error:
        raise PresetError(f"This is no file of presets: {error}") from None
    if read.format != FORMAT:
        raise PresetError(f"The file says it is “{read.format[:40]}”; files of “{FORMAT}” are read.")
    taken = []
    for number, record in enumerate(read.presets, 1):
        unknown = set(record.kinds) - set(OBJECT_KINDS)
        if unknown or not record.name.strip() or len(record.name) > 80:
            wrong = f"knows no kind “{sorted(unknown)[0]}”" if unknown else "needs a name of at most 80 letters"
            raise PresetError(f"Preset {number} in the file {wrong}. Nothing was imported.")
        taken.append(save(area, person, record))
    return taken


def save(area: Area, person: Person, record: PresetRecord) -> Preset:
    """Save settings under a name; a preset of that name takes them over."""
    preset, _ = Preset.objects.update_or_create(
        area=area,
        name=record.name.strip(),
        defaults={
            "kinds": [kind for kind in OBJECT_KINDS if kind in record.kinds],
            "schemas": record.schemas,
            "include": " ".join(patterns(record.include)),
            "exclude": " ".join(patterns(record.exclude)),
            "made_by": person,
        },
    )
    return preset
