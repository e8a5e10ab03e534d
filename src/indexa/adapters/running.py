"""Running a change script on a database, step by step, stopped at the first error, with an account of what was done."""

from __future__ import annotations

import time
from collections.abc import Callable
from contextlib import suppress
from typing import Literal, TypeAlias

import msgspec

from indexa.adapters.statements import Connected, ConnectionLostError, DatabaseRefusedError
from indexa.core.change.script import ChangeScript, Step, statement_alone

State: TypeAlias = Literal["not begun", "done", "stopped", "taken back", "not known"]
"""Of a step: `taken back` with the transaction that it was part of, `not known` where the connection ended meanwhile."""


class StepDone(msgspec.Struct, kw_only=True):
    """What came of a step."""

    what: str
    state: State = "not begun"
    milliseconds: float = 0
    error: str = ""


class CancelledError(Exception):
    """Somebody called the run off."""


Watch = Callable[[int, list[StepDone]], None]
"""Hears before each step its number and what came of those before; may raise CancelledError."""


def run_script(script: ChangeScript, on: Connected, watch: Watch) -> list[StepDone]:
    """Run a script to its end or to the first error. Nothing is raised: each step says what came of it.

    Rows that are in the way of a step are counted right before it, and stop the run too.
    """
    done = [StepDone(what=step.what) for step in script.steps]
    current = 0
    try:
        for statement in script.begin:
            on.run(statement)
        for current, step in enumerate(script.steps):
            watch(current, done)
            started = time.monotonic()
            try:
                _run_step(script, step, on)
            finally:
                done[current].milliseconds = round((time.monotonic() - started) * 1000, 1)
            done[current].state = "done"
        for statement in script.end:
            on.run(statement)
    except CancelledError:
        done[current].error = "Cancelled before this step."
        _take_back(script, on, done)
    except ConnectionLostError as error:
        _lost(script, done, current, f"The connection ended: {error}")
    except DatabaseRefusedError as error:
        done[current].state, done[current].error = "stopped", str(error)
        _take_back(script, on, done)
    return done


def _run_step(script: ChangeScript, step: Step, on: Connected) -> None:
    if step.check and (rows := int(on.value(step.check) or 0)):
        raise DatabaseRefusedError(f"{rows:,} row{'' if rows == 1 else 's'} in the way, counted by: {step.check}")
    for statement in step.statements:
        on.run(statement_alone(script, statement))


def _take_back(script: ChangeScript, on: Connected, done: list[StepDone]) -> None:
    if not script.transactional:
        return
    # Where the server does not take it either, it ends the transaction with the connection, which is what comes next.
    with suppress(DatabaseRefusedError):
        on.run("ROLLBACK")
    for step in done:
        if step.state == "done":
            step.state = "taken back"


def _lost(script: ChangeScript, done: list[StepDone], current: int, why: str) -> None:
    """A transaction that was not committed is taken back by the server; at its commit nobody knows, nor without one."""
    at_commit = all(step.state == "done" for step in done)
    done[current].error = why
    if not script.transactional:
        done[current].state = "not known"
        return
    for step in done:
        if step.state == "done":
            step.state = "not known" if at_commit else "taken back"
    if not at_commit:
        done[current].state = "stopped"
