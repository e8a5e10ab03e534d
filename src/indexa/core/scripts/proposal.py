"""Proposes the dialect of a script from what is in it; a person may overrule it."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

from indexa.core import platforms
from indexa.core.scripts.dialect import Dialect
from indexa.core.scripts.reader import ScriptFile

SAMPLE = 400_000
"""How many bytes of a script are looked at: half at its beginning, half spread over the rest."""
_ENOUGH = 5
_MOST_HITS = 12
_NAMED = 15
"""What a file's name weighs: it settles where the text says little, and is overruled by what the text says clearly."""
_WORDS = re.compile(r"[^a-z0-9]+")
_REMARK = re.compile(r"--(?!#)(?![^\n]*\bdump\b)[^\n]*")
"""What people say beside their statements is no sign of a dialect; what a dump says of itself is."""
_DATA = re.compile(rb"^(?:INSERT|REPLACE) .*?$", re.I | re.M)


def _is_called(dialect: Dialect, file_names: list[str]) -> bool:
    words = {word for name in file_names for word in _WORDS.split(name)}
    return any(
        nickname in words or (len(nickname) > 3 and any(nickname in name for name in file_names))
        for nickname in dialect.nicknames
    )


def sample_of(content: bytes) -> str:
    """Return the text that is looked at: the beginning, and pieces from further on; rows of data are taken out."""
    pieces = [content[: SAMPLE // 2]]
    if len(content) > SAMPLE // 2:
        step = max((len(content) - SAMPLE // 2) // 20, 1)
        pieces += [content[at : at + SAMPLE // 40] for at in range(SAMPLE // 2, len(content), step)]
    return _DATA.sub(b"", b"\n".join(pieces)).decode("utf-8", "replace")


def propose_for(files: Sequence[ScriptFile]) -> list[tuple[str, int]]:
    """Rank the platforms for the files of one script, by the text of the first twenty and by their names."""
    looked_at = files[:20]
    text = "\n".join(sample_of(file.content[:2_000_000]) for file in looked_at)
    return propose(text, [file.name for file in looked_at])


def propose(text: str, file_names: Iterable[str] = ()) -> list[tuple[str, int]]:
    """Rank the platforms whose signs the text and the names of its files show, the best first, each with its score.

    A sign counts as often as it is found, a dozen times at most. Empty where nothing speaks for any of them.
    """
    scores = []
    text = _REMARK.sub("", text)
    called = [name.lower() for name in file_names]
    for name in platforms.names():
        dialect = platforms.get(name).dialect
        score = _NAMED if _is_called(dialect, called) else 0
        for pattern, weight in dialect.signs:
            hits = 0
            for _ in re.finditer(pattern, text, re.I | re.M):
                hits += 1
                if hits == _MOST_HITS:
                    break
            score += weight * min(hits, _MOST_HITS)
        if score >= _ENOUGH:
            scores.append((name, score))
    return sorted(scores, key=lambda scored: (-scored[1], scored[0]))
