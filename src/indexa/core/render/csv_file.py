"""A dictionary as CSV: UTF-8, RFC 4180."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator, Sequence

from indexa.core.dictionary.entry import HEADINGS, Entry
from indexa.core.render.cells import neutral

_ROWS_A_PIECE = 500


def pieces(entries: Iterable[Entry], more: Sequence[str] = ()) -> Iterator[bytes]:
    """Yield the file in pieces of some hundred lines, each ended by CR LF. `more` are headings of what else entries hold."""
    buffer = io.StringIO()
    writer = csv.writer(buffer, lineterminator="\r\n")
    writer.writerow([*HEADINGS, *(neutral(one) for one in more)])
    for number, entry in enumerate(entries, 1):
        writer.writerow([neutral(cell) for cell in entry.cells()])
        if number % _ROWS_A_PIECE == 0:
            yield buffer.getvalue().encode()
            buffer.seek(0)
            buffer.truncate()
    yield buffer.getvalue().encode()
