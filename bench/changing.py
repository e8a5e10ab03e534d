"""Change scripts: two large models compared, the script between them, rehearsals; and a folder of pairs of real versions.

./indexa bench changing                  made-up models
./indexa bench changing FOLDER           FOLDER/NAME.PLATFORM/OLD.sql.gz and NEW.sql.gz: each pair rehearsed
"""

from __future__ import annotations

import copy
import gzip
from pathlib import Path

from bench.common import timed
from bench.layout import made_up
from indexa.adapters.rehearsing import rehearse
from indexa.core import platforms
from indexa.core.change.script import Options
from indexa.core.change.writing import change_of, revert_of
from indexa.core.compare.comparing import compare
from indexa.core.model import Column, Model
from indexa.core.scripts.reader import ScriptFile, read_scripts

TABLES, REHEARSED, DIFFERENCES = 10_000, 500, 1_000
_ALL = Options(allow_drops=True)
_NAMES = {"postgres": "postgresql"}


def main(arguments: list[str]) -> None:
    """Print seconds for each, with its goal; of pairs also what is left after the script and after taking it back."""
    if arguments:
        _pairs(Path(arguments[0]))
        return
    before = _made_up(TABLES)
    after = _changed(before, DIFFERENCES)
    comparison, compared = timed(lambda: compare(before, after))
    script, written = timed(lambda: change_of(comparison, "postgresql", _ALL))
    print(
        f"compared {TABLES:,} with {TABLES:,} tables, {len(comparison.differences):,} differences: {compared:.2f} s (goal 1)"
    )
    print(f"change script of {len(script.steps):,} steps: {written:.2f} s (goal 2)")
    before = _made_up(REHEARSED)
    comparison = compare(before, _changed(before, 100))
    script, back = change_of(comparison, "postgresql", _ALL), revert_of(comparison, "postgresql")
    done, took = timed(lambda: rehearse(comparison.before, comparison.after, script, back, lambda *_: None))
    print(
        f"rehearsed on {REHEARSED} tables: {took:.1f} s (goal 60), {len(done.left)} differences left, {len(done.revert_left)} after taking it back"
    )


def _made_up(count: int) -> Model:
    """Return a made-up model whose keys have names of their own, as a server wants it."""
    model = made_up(count)
    for table in model.tables:
        if table.primary_key:
            table.primary_key.name = f"{table.name}_pk"
        table.foreign_keys = []  # of columns that do not fit their parents: no server takes them
    return model


def _changed(model: Model, count: int) -> Model:
    """Return a model of which so many tables have a column more, or another type."""
    made = copy.deepcopy(model)
    for number, table in enumerate(made.tables[:count]):
        if number % 2:
            table.columns.append(Column("added", len(table.columns) + 1, "text"))
        else:
            table.columns[-1].type = "text"
    return made


def _pairs(folder: Path) -> None:
    for pair in sorted(path for path in folder.iterdir() if (path / "OLD.sql.gz").exists()):
        word = pair.name.rpartition(".")[2]
        platform = _NAMES.get(word, word)
        before, after = (_read(pair / f"{name}.sql.gz", platform) for name in ("OLD", "NEW"))
        comparison = compare(before, after)
        script, back = change_of(comparison, platform, _ALL), revert_of(comparison, platform)
        done = rehearse(before, after, script, back, lambda *_: None)
        failed = f", stopped at {done.failed.what}: {done.failed.error}" if done.failed else ""
        print(
            f"{pair.name}: {len(script.steps)} steps, {len(done.left)} differences left, {len(done.revert_left)} after taking it back, "
            f"rows {sum(done.rows_after.values())} of {sum(done.rows_before.values())}, {done.seconds:.1f} s{failed}"
        )


def _read(path: Path, platform: str) -> Model:
    text = gzip.decompress(path.read_bytes())
    model = read_scripts(
        [ScriptFile(path.name, text)], platforms.get(platform).dialect, lambda *_: None, path.parent.name
    )[0]
    model.platform = platform
    return model
