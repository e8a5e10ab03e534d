"""How a command ends that can't do its work: a sentence on standard error, and a number."""

from __future__ import annotations

import sys
from collections.abc import Callable

from indexa.adapters.errors import SourceError
from indexa.core.errors import CoreError


def run_or_say_why(work: Callable[[], int], *, failed: int, about: str = "") -> int:
    """Return what the work returns, or `failed` after telling why; `about` is the file an error of the core is about."""
    try:
        return work()
    except SourceError as error:
        why = f"{error.message} {error.hint}"
    except CoreError as error:
        why = f"{about}: {error}" if about else str(error)
    except OSError as error:
        why = f"{error.filename}: {error.strerror}."
    print(f"indexa: {why}", file=sys.stderr)
    return failed
