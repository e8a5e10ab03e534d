"""Trying a change script out: on a throw-away database with the earlier structure and made-up rows, or, where none can be started
here, by our own reader."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

import msgspec

from indexa.adapters.errors import SourceError
from indexa.adapters.live import open_source
from indexa.adapters.statements import DatabaseRefusedError
from indexa.adapters.throwaway import STARTS, Database, Server, server
from indexa.core import platforms
from indexa.core.change.made_up_rows import inserts
from indexa.core.change.script import ChangeScript, statement_alone
from indexa.core.compare.reporting import left_between
from indexa.core.ddl.names import Namer
from indexa.core.ddl.script import Script, Statement
from indexa.core.ddl.writing import write_ddl
from indexa.core.intake.choice import Choice
from indexa.core.model import VIEW_KINDS, Model
from indexa.core.scripts.reader import ScriptFile, read_scripts

_HOME = "rehearsal"
"""The database in which tables without a schema lie."""
_MOST_LEFT = 200
Tick = Callable[[str, int, int], None]


class StepRun(msgspec.Struct, kw_only=True):
    """What running a step came to; `error` is "" where the server took it."""

    what: str
    milliseconds: float
    error: str = ""


class Rehearsal(msgspec.Struct, kw_only=True):
    """What a rehearsal showed."""

    way: str
    """"server", or "reader" where no server can be started: our own reader says what the script makes."""
    version: str = ""
    steps: list[StepRun] = []
    left: list[str] = []
    """Differences that are left after the script, in words."""
    revert_error: str = ""
    revert_left: list[str] = []
    rows_before: dict[str, int] = {}
    rows_after: dict[str, int] = {}
    seconds: float = 0
    why_not: str = ""
    """Why it was not tried out on a server."""
    wanted: Model | None = None
    """What the script is to make, as the server itself tells it; None where none was started."""

    @property
    def failed(self) -> StepRun | None:
        """The step at which it stopped."""
        return next((step for step in self.steps if step.error), None)

    @property
    def is_clean(self) -> bool:
        """Whether the script ran to its end and nothing is left."""
        return self.failed is None and not self.left


def rehearse(before: Model, after: Model, change: ChangeScript, revert: ChangeScript, tick: Tick) -> Rehearsal:
    """Try a change script out: make the earlier model, run it, compare, run the revert script, compare again.

    Raises SourceError where the earlier model itself can't be made on the throw-away database.
    """
    started = time.monotonic()
    platform = change.platform
    if platform not in STARTS:
        made = _by_reader(before, after, change, revert, f"No server of {platforms.label_of(platform)} runs here.")
    else:
        try:
            with server(platform) as own:
                made = _on_server(own, before, after, change, revert, tick)
        except SourceError as error:
            if error.code != "no-server":
                raise
            made = _by_reader(before, after, change, revert, error.message)
    made.seconds = round(time.monotonic() - started, 2)
    return made


def _on_server(
    own: Server, before: Model, after: Model, change: ChangeScript, revert: ChangeScript, tick: Tick
) -> Rehearsal:
    total = len(change.steps) + len(revert.steps) + 4
    tick("Making the earlier structure", 0, total)
    trial = own.database(_HOME)
    _make(trial, before)
    made = Rehearsal(way="server")
    _fill(trial, before)
    earlier = _read(trial, before)
    trial = _again(own, trial)
    made.rows_before = _counts(trial, earlier)
    tick("Making the wanted structure beside it", 1, total)
    made.wanted = wanted = _wanted(own, trial, after)
    for number, step in enumerate(change.steps, 2):
        tick(step.what, number, total)
        run = _run_step(trial, change, step.statements, step.what, first=number == 2)
        made.steps.append(run)
        if run.error:
            trial.close()
            return made
    ended = _run_end(trial, change)
    if ended is not None:
        made.steps.append(ended)
        return made
    now = _read(trial, after)
    made.left = left_between(now, wanted, _MOST_LEFT)
    trial = _again(own, trial)
    made.rows_after = _counts(trial, now)
    tick("Taking it back", total - 1, total)
    made.revert_error, made.revert_left = _take_back(trial, revert, before, earlier)
    return made


def _take_back(trial: Database, revert: ChangeScript, before: Model, earlier: Model) -> tuple[str, list[str]]:
    for number, step in enumerate(revert.steps):
        run = _run_step(trial, revert, step.statements, step.what, first=number == 0)
        if run.error:
            trial.close()
            return f"{step.what}: {run.error}", []
    ended = _run_end(trial, revert)
    if ended is not None:
        return f"{ended.what}: {ended.error}", []
    back = _read(trial, before)
    return "", left_between(back, earlier, _MOST_LEFT)


def _run_step(trial: Database, script: ChangeScript, statements: list[Statement], what: str, *, first: bool) -> StepRun:
    begun = time.monotonic()
    try:
        if first:
            for one in script.begin:
                trial.run(one)
        for statement in statements:
            trial.run(statement_alone(script, statement))
    except DatabaseRefusedError as error:
        return StepRun(what=what, milliseconds=_since(begun), error=str(error))
    return StepRun(what=what, milliseconds=_since(begun))


def _since(begun: float) -> float:
    return round((time.monotonic() - begun) * 1000, 1)


def _run_end(trial: Database, script: ChangeScript) -> StepRun | None:
    """Run what ends a script. Returns what went wrong: some rules are looked at only when a transaction is committed."""
    begun = time.monotonic()
    try:
        for one in script.end:
            trial.run(one)
    except DatabaseRefusedError as error:
        trial.close()
        return StepRun(what="Commit", milliseconds=_since(begun), error=str(error))
    return None


def _make(database: Database, model: Model) -> None:
    """Make a model. Raises SourceError with the statement that the server did not take."""
    script: Script = write_ddl(model, database.platform)
    for statement in script.statements:
        try:
            database.run(statement.text)
        except DatabaseRefusedError as error:
            what = f"{statement.kind} {statement.name}"
            raise SourceError(
                "not-made", f"The server did not take the {what} of the model: {error}", "Look at it there."
            ) from error


def _fill(database: Database, model: Model) -> None:
    """Put rows in as far as the server takes them: what checks and rules of its own refuse stays out."""
    for _, statement in inserts(model, database.platform):
        try:
            database.run(statement)
        except DatabaseRefusedError:
            continue


def _wanted(own: Server, trial: Database, after: Model) -> Model:
    """Return the wanted model as the server itself tells it, made in a database of its own."""
    if own.platform == "mysql":
        return _wanted_elsewhere(own, after)
    beside = own.database("wanted")
    _make(beside, after)
    return _read(beside, after)


def _wanted_elsewhere(own: Server, after: Model) -> Model:
    """Return the wanted model from a second server: on MySQL a schema is a database, and each name is there once."""
    with server("mysql") as second:
        beside = second.database(_HOME)
        _make(beside, after)
        return _read(beside, after)


def _read(database: Database, like: Model) -> Model:
    """Read what a database holds, in the schemas of a model. Lets go of the connection, since files have one at a time."""
    apart: list[Any] = [*like.enums, *like.domains, *like.sequences, *like.routines]
    schemas = {table.schema for table in like.tables} | {one.schema for one in apart}
    home = {"mysql": _HOME, "postgresql": "public", "sqlite": "main", "duckdb": "main"}[database.platform]
    database.close()
    with open_source(database.platform, database.address, database.password) as opened:
        found, _ = opened.read(
            Choice(tuple(sorted({schema or home for schema in schemas}) or (home,))), lambda *_: None, "rehearsal"
        )
    return found


def _again(own: Server, database: Database) -> Database:
    """Return the same database with a connection that is open."""
    return own.reopened(database)


def _counts(database: Database, model: Model) -> dict[str, int]:
    """Return how many rows each table has."""
    namer = Namer(database.platform)
    found = {}
    for table in model.tables:
        if table.kind not in VIEW_KINDS:
            path = namer.path("" if database.platform == "sqlite" else table.schema, table.name)
            found[table.full_name] = int(database.value(f"SELECT COUNT(*) FROM {path}") or 0)  # noqa: S608  our own names
    return found


def _by_reader(before: Model, after: Model, change: ChangeScript, revert: ChangeScript, why: str) -> Rehearsal:
    """Read the script over that of the earlier model by our own reader: that it parses is no proof that a server takes it."""
    platform = change.platform
    base = write_ddl(before, platform).text()
    wanted, earlier = _understood(platform, write_ddl(after, platform).text()), _understood(platform, base)
    now = _understood(platform, f"{base}\n{change.text()}")
    back = _understood(platform, f"{base}\n{change.text()}\n{revert.text()}")
    return Rehearsal(
        way="reader",
        left=left_between(now, wanted, _MOST_LEFT),
        revert_left=left_between(back, earlier, _MOST_LEFT),
        why_not=why,
    )


def _understood(platform: str, text: str) -> Model:
    return read_scripts([ScriptFile("", text.encode())], platforms.get(platform).dialect, lambda *_: None, "")[0]
