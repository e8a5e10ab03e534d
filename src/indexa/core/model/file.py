"""The model file: a Model as versioned JSON, and its published JSON Schema."""

import re

import msgspec

from indexa.core.collector import gc_paused
from indexa.core.errors import ModelFileError
from indexa.core.model.parts import Model

FORMAT = "indexa-model"
VERSION = 1

_encoder = msgspec.json.Encoder(order="deterministic")
SCHEMA_ID = f"urn:indexa:model:{VERSION}"


class _Head(msgspec.Struct):
    format: str = ""
    version: int = 0


class _File(Model, kw_only=True):
    """A model and its head, so that one pass over the file reads both."""

    format: str = ""
    version: int = 0


_decoder = msgspec.json.Decoder(_File)


def write(model: Model) -> bytes:
    """Return the model file's bytes; equal models give equal bytes."""
    # The two members that name the format stand first; the model itself does not know of files.
    return f'{{"format":"{FORMAT}","version":{VERSION},'.encode() + _encoder.encode(model)[1:]


def read(data: bytes) -> Model:
    """Return the model in data. Raises ModelFileError with the place of the first fault."""
    try:
        with gc_paused():
            found = _decoder.decode(data)
    except msgspec.ValidationError as error:
        _check_head(data)
        raise ModelFileError(f"The model file is not valid: {error}.") from error
    except (msgspec.DecodeError, UnicodeDecodeError) as error:
        raise ModelFileError(f"This is not a model file: {error}.") from error
    _check_head_of(found)
    return Model(**{name: getattr(found, name) for name in Model.__struct_fields__})


def _check_head(data: bytes) -> None:
    """Say that a file is no model file, or too new, before anything is said of its parts."""
    try:
        _check_head_of(msgspec.json.decode(data, type=_Head))
    except msgspec.DecodeError as error:
        raise ModelFileError(f"This is not a model file: {error}.") from error


def _check_head_of(head: _Head | _File) -> None:
    if head.format != FORMAT:
        raise ModelFileError(f'This is not a model file: its "format" is not "{FORMAT}".')
    if head.version > VERSION:
        raise ModelFileError(
            f"The model file has version {head.version}; this Indexa reads up to {VERSION}. "
            "Update Indexa, or write the file with an older one."
        )


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


_NUL = re.compile(rb"(?<!\\)((?:\\\\)*)\\u0000")
_SHOWN = "␀".encode()


def with_nul_shown(model: Model) -> tuple[Model, int]:
    """Return a model with ␀ in place of each character NUL, which PostgreSQL keeps in no text, and how many there were."""
    content, count = _NUL.subn(rb"\1" + _SHOWN, write(model))
    return (read(content), count) if count else (model, 0)
