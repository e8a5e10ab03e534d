"""Extensions of PostgreSQL that a model uses: it says so only by the types, functions and operator classes that they bring."""

from __future__ import annotations

import re
from collections.abc import Iterable

from indexa.core.model import Model, Table

_BRINGS = {
    "pg_trgm": "gin_trgm_ops gist_trgm_ops similarity word_similarity",
    "citext": "citext",
    "hstore": "hstore",
    "ltree": "ltree lquery ltxtquery",
    "uuid-ossp": "uuid_generate_v1 uuid_generate_v1mc uuid_generate_v4",
    "pgcrypto": "crypt gen_salt digest hmac pgp_sym_encrypt",
    "postgis": "geometry geography st_makepoint st_setsrid",
    "cube": "cube",
    "intarray": "gin__int_ops gist__int_ops",
    "unaccent": "unaccent",
}
_OF_WORD = {word: extension for extension, words in _BRINGS.items() for word in words.split()}
_WORD = re.compile(r"\w+")


def extensions(model: Model, tables: Iterable[Table]) -> list[str]:
    """Return the extensions that some tables of a model need, sorted; those that a catalog tells nothing of are not known."""
    tables = list(tables)
    found = {
        _OF_WORD[word] for text in _texts(model, tables) for word in _WORD.findall(text.lower()) if word in _OF_WORD
    }
    equal = [part for table in tables for one in table.exclusions if one.method == "gist" for part in one.elements]
    if any(part.rstrip().endswith(" WITH =") for part in equal):
        found.add("btree_gist")
    own = {part.name for part in (*model.composites, *model.domains, *model.enums)} | {
        one.name for one in model.routines
    }
    return sorted(one for one in found if not set(_BRINGS.get(one, "").split()) & own)


def _texts(model: Model, tables: Iterable[Table]) -> Iterable[str]:
    for table in tables:
        for column in table.columns:
            yield column.type
            yield column.default or ""
            yield column.generated or ""
        for index in table.indexes:
            for part in index.parts:
                yield f"{part.operator_class} {part.expression}"
    for domain in model.domains:
        yield domain.type
