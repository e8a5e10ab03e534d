"""The model file: a Model as versioned JSON, and its published JSON Schema."""

import msgspec

from indexa.core.errors import ModelFileError
from indexa.core.model.parts import Model

FORMAT = "indexa-model"
VERSION = 1

_encoder = msgspec.json.Encoder(order="deterministic")
_decoder = msgspec.json.Decoder(Model)
SCHEMA_ID = f"urn:indexa:model:{VERSION}"


class _Head(msgspec.Struct):
    format: str = ""
    version: int = 0


def write(model: Model) -> bytes:
    """Return the model file's bytes; equal models give equal bytes."""
    # The two members that name the format stand first; the model itself does not know of files.
    return f'{{"format":"{FORMAT}","version":{VERSION},'.encode() + _encoder.encode(model)[1:]


def read(data: bytes) -> Model:
    """Return the model in data. Raises ModelFileError with the place of the first fault."""
    try:
        head = msgspec.json.decode(data, type=_Head)
    except msgspec.DecodeError as error:
        raise ModelFileError(f"This is not a model file: {error}.") from error
    if head.format != FORMAT:
        raise ModelFileError(f'This is not a model file: its "format" is not "{FORMAT}".')
    if head.version > VERSION:
        raise ModelFileError(
            f"The model file has version {head.version}; this Indexa reads up to {VERSION}. "
            "Update Indexa, or write the file with an older one."
        )
    try:
        return _decoder.decode(data)
    except msgspec.ValidationError as error:
        raise ModelFileError(f"The model file is not valid: {error}.") from error


def json_schema() -> dict[str, object]:
    """Return the JSON Schema (2020-12) of the model file."""
    (root,), parts = msgspec.json.schema_components([Model], ref_template="#/$defs/{name}")
    model = parts["Model"]
    model["properties"] = {"format": {"const": FORMAT}, "version": {"const": VERSION}, **model["properties"]}
    model["required"] = ["format", "version", *model["required"]]
    schema: dict[str, object] = {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "$id": SCHEMA_ID,
        "title": f"Indexa model file, version {VERSION}",
        **root,
        "$defs": parts,
    }
    return schema
