"""An edition of 1,000 tables with 20,000 columns and 40 diagrams: pages beside strings joined by hand, and every document, with its memory."""

from __future__ import annotations

import argparse
import datetime as dt
import html
import multiprocessing
import resource
import time
from collections.abc import Callable, Iterator
from typing import TypeVar

from bench.schemas import build, ddl
from indexa.adapters.documents import FORMS, OPEN_FORMS
from indexa.adapters.graphviz import place_by_graphviz
from indexa.core import platforms
from indexa.core.diagram.arranging import arrange
from indexa.core.edition.book import Book, book_of
from indexa.core.edition.facts import differences, facts_of
from indexa.core.edition.parts import Contents, Frozen, Imprint, Picture, freeze, thaw
from indexa.core.render.site import build_site
from indexa.core.scripts.reader import ScriptFile, read_scripts

_TABLES_A_DIAGRAM = 12
T = TypeVar("T")


def make(tables: int, diagrams: int) -> bytes:
    """Return a frozen edition."""
    script = ScriptFile("bench.sql", ";\n".join([*ddl(build(tables)), ""]).encode())
    model, _ = read_scripts([script], platforms.get("postgresql").dialect, lambda *_: None, "bench")
    for number, table in enumerate(model.tables):
        table.definition = f"What table {number} is for, in a sentence as people write it, and who asks for it."
        for column in table.columns[::2]:
            column.definition = f"What {column.name} means, as it was agreed with those who enter it."
    pictures = []
    for number in range(diagrams):
        chosen = {
            (one.schema, one.name)
            for one in model.tables[number * _TABLES_A_DIAGRAM : (number + 1) * _TABLES_A_DIAGRAM]
        }
        drawing = arrange(model, place_by_graphviz, tables=chosen, style="grid", depth="keys")
        drawing.title = f"Diagram {number + 1}"
        pictures.append(Picture(0, drawing))
    return freeze(Frozen("Bench", "Bench", "", Contents(), [model], pictures))


def _book(frozen: bytes) -> Book:
    return book_of(thaw(frozen), Imprint("Bench", "Bench", "", "Bench", dt.datetime(2026, 12, 1, tzinfo=dt.UTC), 1))


def _joined(book: Book) -> Iterator[bytes]:
    """Write the same tables as plainly as can be: strings, joined."""
    for page in book.pages:
        rows = "".join(
            f"<tr><td>{one.position}<td>{html.escape(one.name)}<td>{html.escape(one.type)}<td>{html.escape(one.definition)}"
            for one in page.table.columns
        )
        yield f"<h1>{html.escape(page.table.full_name)}</h1><p>{html.escape(page.table.definition)}<table>{rows}</table>".encode()


def _sized(frozen: bytes) -> str:
    book = _book(frozen)
    columns = sum(len(page.table.columns) for page in book.pages)
    size = len(frozen) / 1024**2
    return f"{len(book.pages):,} tables, {columns:,} columns, {len(book.plates)} diagrams, frozen {size:.1f} MB"


def _timed(work: Callable[[Book], int], frozen: bytes) -> tuple[float, int, float]:
    """Return seconds, what the work returned, and the highest memory of this process in MB."""
    book = _book(frozen)
    began = time.perf_counter()
    size = work(book)
    seconds = time.perf_counter() - began
    return seconds, size, max(map(_highest, (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN)))


def _highest(of: int) -> float:
    """Return the highest memory of this process, or of the largest that it started, in MB."""
    return resource.getrusage(of).ru_maxrss / 1024


def _apart(work: Callable[[], T]) -> T:
    """Do it in a process of its own: its memory is its own, and this process stays small."""
    queue: multiprocessing.Queue[T] = multiprocessing.Queue()
    process = multiprocessing.Process(target=lambda: queue.put(work()))
    process.start()
    found = queue.get()
    process.join()
    return found


def _measured(label: str, work: Callable[[Book], int], frozen: bytes) -> float:
    seconds, size, peak = _apart(lambda: _timed(work, frozen))
    print(f"| {label} | {seconds:.2f} s | {size / 1024**2:.1f} MB | {peak:.0f} MB |", flush=True)
    return seconds


def main(arguments: list[str]) -> None:
    """Print time, size and memory of every form."""
    parser = argparse.ArgumentParser(prog="./indexa bench publishing")
    parser.add_argument("--tables", type=int, default=1_000)
    parser.add_argument("--diagrams", type=int, default=40)
    options = parser.parse_args(arguments)
    frozen = _apart(lambda: make(options.tables, options.diagrams))
    print(f"{_apart(lambda: _sized(frozen))}\n\n| form | time | size | memory of the process |\n|---|---|---|---|")
    joined = _measured("strings joined by hand", lambda one: sum(map(len, _joined(one))), frozen)
    pages = _measured("web pages", lambda one: sum(len(content) for _, content in build_site(one, {})), frozen)
    for form in (*FORMS.values(), *OPEN_FORMS.values()):
        _measured(form.label, lambda one, form=form: sum(len(content) for _, content in form.files(one, [])), frozen)  # type: ignore[misc]
    told = _apart(lambda: _timed(lambda one: len(differences(facts_of(one), facts_of(one), {})), frozen))
    print(
        f"\nWhat changed, beside itself: {told[0]:.2f} s. Pages take {pages / joined:.1f} times what joined strings take."
    )
