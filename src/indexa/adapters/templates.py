"""The one runner of templates that people write: in a warm child process, bounded in memory and time."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from indexa.adapters.confined import ConfinedError, kept_child
from indexa.core.errors import CoreError
from indexa.core.naming.patterns import PatternError

MEGABYTES = 256
SECONDS = 3.0
"""For one batch, whatever it holds; a thousand names take some 20 ms."""
_AT_ONCE = 5_000
_STATEMENTS_AT_ONCE = 500


def render_confined(source: str, contexts: Sequence[Mapping[str, object]]) -> list[tuple[str, str]]:
    """Render a checked template of names for each context. Raises PatternError where it takes too much time or memory."""
    return _rendered("render", source, contexts, _AT_ONCE)


def word_confined(source: str, contexts: Sequence[Mapping[str, object]]) -> list[tuple[str, str]]:
    """Render a checked template of statements for each context. Raises PatternError where it takes too much time or memory."""
    return _rendered("word", source, contexts, _STATEMENTS_AT_ONCE)


def _rendered(work: str, source: str, contexts: Sequence[Mapping[str, object]], at_once: int) -> list[tuple[str, str]]:
    made: list[tuple[str, str]] = []
    try:
        with kept_child(MEGABYTES) as child:
            for start in range(0, len(contexts), at_once):
                answer = child.call(work, source, list(contexts[start : start + at_once]), seconds=SECONDS)
                made += [(name, why) for name, why in answer]
    except ConfinedError as error:
        raise PatternError(f"It can't be used: {error}.") from None
    except CoreError as error:
        raise PatternError(str(error)) from None
    return made
