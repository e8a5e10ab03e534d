"""Completing a change script: the value that rows get where a column is never to be empty."""

from __future__ import annotations

import msgspec

from indexa.core.change.script import ChangeScript, Step
from indexa.core.ddl.script import Statement
from indexa.core.errors import CoreError

_PLACE = "..."
_LONGEST = 2_000


class FillError(CoreError):
    """What was given is no value; the message says why."""


def can_be_filled(step: Step) -> bool:
    """Return whether a step waits for a value that can be put into its place."""
    return step.fill.count(_PLACE) == 1


def filled(script: ChangeScript, number: int, expression: str, parser: str) -> ChangeScript:
    """Return a script in which the step of a number (from 1) has its value: a step that fills the rows stands before it.

    `expression` is one SQL expression of the dialect `parser`. Raises FillError for any other text.
    """
    step = script.steps[number - 1] if 0 < number <= len(script.steps) else None
    if step is None or not can_be_filled(step):
        raise FillError(f"Step {number} has nothing to fill in.")
    text = step.fill.replace(_PLACE, _one_expression(expression, parser)).rstrip(";")
    before = Step(
        what=f"Fill {step.what.removeprefix('Let ').removesuffix(' never be empty')}", object=step.object, risk="rewrites",
        differences=step.differences, statements=[Statement("rows", "", step.object, text)],
    )  # fmt: skip
    whole = msgspec.structs.replace(step, fill="", check="")
    steps = [*script.steps[: number - 1], before, whole, *script.steps[number:]]
    return msgspec.structs.replace(script, steps=steps)


def _one_expression(text: str, parser: str) -> str:
    import sqlglot
    from sqlglot import exp
    from sqlglot.errors import SqlglotError

    text = text.strip()
    if not text or len(text) > _LONGEST or any(mark in text for mark in (";", "--", "/*", "\x00")):
        raise FillError("Enter one value or expression, without remarks and semicolons: 'unknown', 0, or other_column.")
    try:
        found = sqlglot.parse(f"SELECT {text}", dialect=parser or None)
    except SqlglotError as error:
        raise FillError(f"“{text[:60]}” is no expression. Write texts in single quotes: 'unknown'.") from error
    tree = found[0] if len(found) == 1 else None
    values = tree.expressions if isinstance(tree, exp.Select) and _given(tree) == ["expressions"] else []
    if len(values) != 1 or isinstance(values[0], (exp.Star, exp.Alias)):
        raise FillError(f"“{text[:60]}” is more than one value. Enter one value or expression.")
    return text


def _given(tree: object) -> list[str]:
    arguments: dict[str, object] = getattr(tree, "args", {})
    return [name for name, value in arguments.items() if value]
