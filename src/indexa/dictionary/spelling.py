"""What a search that finds nothing may have meant: each word that nothing contains is replaced by the one that is nearest to it."""

from __future__ import annotations

import re
from difflib import SequenceMatcher

from django.db import OperationalError, connection, transaction

from indexa.areas.models import Area
from indexa.glossary.models import Term
from indexa.ui.lookups import correction

_LIKENESS = 0.5
"""Share of the three-letter pieces of a word that must stand in a text for it to be looked at."""
_LEAST = 0.6
"""How alike two words must be, between 0 and 1, as `SequenceMatcher` counts it."""
_TEXTS, _PEOPLE = 200, 500
_SHORTEST, _MOST_WORDS = 4, 4
_MILLISECONDS = 400
_WORD = re.compile(r"[^\W_]+", re.UNICODE)


@correction
def nearest(area: Area, text: str) -> str:
    """Return a text whose words stand in the area's columns, terms or people, near to one that nothing contains; "" for none."""
    words = text.lower().split()[:_MOST_WORDS]
    better = [_nearest_word(area, word) for word in words]
    return " ".join(better) if better != words and all(better) else ""


def _nearest_word(area: Area, word: str) -> str:
    if _is_there(area, word):
        return word
    if len(word) < _SHORTEST:
        return ""
    found = {one for text in _texts_like(area, word) for one in (text.lower(), *_WORD.findall(text.lower()))}
    ranked = (
        (SequenceMatcher(None, word, one).ratio(), -len(one), one) for one in found if abs(len(one) - len(word)) <= 3
    )
    best = max(ranked, default=(0.0, 0, ""))
    return best[2] if best[0] >= _LEAST else ""


def _is_there(area: Area, word: str) -> bool:
    pattern = "%" + word.replace("\\", r"\\").replace("%", r"\%").replace("_", r"\_") + "%"
    with connection.cursor() as cursor:
        cursor.execute(
            "select exists (select 1 from dictionary_row where area_id = %s and text like %s)", [area.pk, pattern]
        )
        return bool(cursor.fetchone()[0])


def _texts_like(area: Area, word: str) -> list[str]:
    """Return names and words that hold most of a word's three-letter pieces; what takes too long is left."""
    found: list[str] = []
    try:
        with transaction.atomic(), connection.cursor() as cursor:
            cursor.execute(f"set local statement_timeout = {_MILLISECONDS}")
            cursor.execute(f"set local pg_trgm.word_similarity_threshold = {_LIKENESS}")
            cursor.execute(
                "select text from dictionary_row where text %%> %s and area_id = %s limit %s", [word, area.pk, _TEXTS]
            )
            found += [row[0] for row in cursor.fetchall()]
    except OperationalError:
        pass
    found += [name for term in Term.objects.filter(area=area) for name in (term.name, *term.synonyms)]
    people = area.memberships.select_related("person")[:_PEOPLE]
    return found + [one.person.display_name for one in people]
