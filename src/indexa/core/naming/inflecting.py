"""One and many: English plurals and singulars, with the exceptions that matter in names."""

from __future__ import annotations

from functools import lru_cache

import inflection

_ALIKE = frozenset(
    "data premises series species news media metadata status address process access class basis analysis bonus bus "
    "gas lens canvas campus alias atlas basics business diagnosis previous various its his this is as us was has does "
    "goods works tax sms gps dns aws sales savings means hours_of address progress success always plus minus vs ids "
    "census consensus corpus focus menus nexus radius stimulus surplus terminus thesaurus versus virus across less "
    "focus axis chassis crisis emphasis hypothesis oasis synopsis synthesis thesis class pass mass loss gross cross "
    "canvass compass express press stress dress glass grass boss miss kiss toss process excess recess"
    .split()
)  # fmt: skip


_SHORT = 5


@lru_cache(maxsize=50_000)
def singular(word: str) -> str:
    """Return the singular of a word in small letters, or the word where it has none."""
    if len(word) < 4 or word in _ALIKE or not word.endswith("s") or word.endswith(("ss", "us", "is")):
        return {"indices": "index", "vertices": "vertex", "people": "person", "children": "child"}.get(word, word)
    if word.endswith("ses") and len(word) > _SHORT and word[:-2] in _ALIKE:
        return word[:-2]
    return inflection.singularize(word)


@lru_cache(maxsize=50_000)
def plural(word: str) -> str:
    """Return the plural of a word in small letters."""
    if word in ("data", "premises", "series", "species", "news", "media", "metadata", "works", "goods", "sales"):
        return word
    return inflection.pluralize(singular(word))
