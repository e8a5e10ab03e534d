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


def render_confined(source: str, contexts: Sequence[Mapping[str, object]]) -> list[tuple[str, str]]:
    """Render a checked template for each context. Raises PatternError where it takes too much time or memory."""
    made: list[tuple[str, str]] = []
    try:
        with kept_child(MEGABYTES) as child:
            for start in range(0, len(contexts), _AT_ONCE):
                answer = child.call("render", source, list(contexts[start : start + _AT_ONCE]), seconds=SECONDS)
                made += [(name, why) for name, why in answer]
    except ConfinedError as error:
        raise PatternError(f"It can't be used: {error}.") from None
    except CoreError as error:
        raise PatternError(str(error)) from None
    return made
