"""Proposes the dialect of a script from what is in it; a person may overrule it."""

from __future__ import annotations

import re

from indexa.core import platforms

SAMPLE = 400_000
"""How many bytes of a script are looked at: half at its beginning, half spread over the rest."""
_ENOUGH = 5
_MOST_HITS = 12
_DATA = re.compile(rb"^(?:INSERT|REPLACE) .*?$", re.I | re.M)


def sample_of(content: bytes) -> str:
    """Return the text that is looked at: the beginning, and pieces from further on; rows of data are taken out."""
    pieces = [content[: SAMPLE // 2]]
    if len(content) > SAMPLE // 2:
        step = max((len(content) - SAMPLE // 2) // 20, 1)
        pieces += [content[at : at + SAMPLE // 40] for at in range(SAMPLE // 2, len(content), step)]
    return _DATA.sub(b"", b"\n".join(pieces)).decode("utf-8", "replace")


def propose(text: str) -> list[tuple[str, int]]:
    """Rank the platforms whose signs the text shows, the best first, each with its score.

    A sign counts as often as it is found, a dozen times at most. Empty where nothing speaks for any of them.
    """
    scores = []
    for name in platforms.names():
        dialect = platforms.get(name).dialect
        score = 0
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
