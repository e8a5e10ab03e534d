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
from indexa.core.model import Check, Column, Model, Table
from indexa.core.scripts.reader import ScriptFile, read_scripts

TABLES, REHEARSED, DIFFERENCES = 10_000, 500, 1_000
CHECKS, VIEWS = 5_000, 1_000
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
    told, written = _in_other_words(told=True), _in_other_words(told=False)
    for when in ("first", "again"):
        comparison, compared = timed(lambda: compare(told, written))
        print(
            f"{CHECKS:,} checks and {VIEWS:,} views as a server tells them compared with a script, {when}: {compared:.1f} s, "
            f"{len(comparison.differences)} differences"
        )
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


def _in_other_words(*, told: bool) -> Model:
    """Return a model whose checks and views are in a script's words, or as PostgreSQL tells them."""
    tables = []
    for at in range(max(CHECKS, VIEWS + 1)):
        check = f"a in ('x', 'y{at}') and b > {at}"
        if told:
            check = f"(((a)::text = ANY ((ARRAY['x'::character varying, 'y{at}'::character varying])::text[])) AND (b > {at}))"
        columns = [Column(name, place, "integer") for place, name in enumerate(("a", "b", "c"), 1)]
        tables.append(Table(schema="s", name=f"t{at}", columns=columns, checks=[Check(name="k", expression=check)]))
    for at in range(VIEWS):
        query = f"select x.a, x.b from t{at} x join t{at + 1} y using (c) where x.b > {at}"
        if told:
            query = (
                f" SELECT x.a,\n    x.b\n   FROM (s.t{at} x\n     JOIN s.t{at + 1} y USING (c))\n  WHERE (x.b > {at});"
            )
        columns = [Column("a", 1, "integer"), Column("b", 2, "integer")]
        tables.append(Table(schema="s", name=f"v{at}", kind="view", columns=columns, definition_sql=query))
    return Model(name="m", platform="postgresql", tables=tables)


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
