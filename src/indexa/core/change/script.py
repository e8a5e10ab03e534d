"""A change script: steps in the order in which they are run, each with the differences that it settles and its risk."""

from __future__ import annotations

import hashlib
from typing import Literal, TypeAlias

import msgspec

from indexa.core.ddl.script import Remark, Script, Statement

Risk: TypeAlias = Literal["safe", "locks", "rewrites", "may fail", "loses data"]
RISKS: dict[Risk, str] = {
    "safe": "changes no row and holds nothing up",
    "locks": "holds writers up while it reads the table",
    "rewrites": "writes all rows of the table again",
    "may fail": "fails where a row does not fit",
    "loses data": "takes rows or values away for good",
}
"""From the least to the most."""


class Step(msgspec.Struct, kw_only=True):
    """Statements that belong together."""

    what: str
    """What it does, in words."""
    object: str
    statements: list[Statement]
    risk: Risk = "safe"
    differences: tuple[str, ...] = ()
    check: str = ""
    """A query that counts the rows in the way; 0 means that the step can be run."""
    fill: str = ""
    """A statement that a person has to complete before the step can succeed on rows; "" where there is nothing to fill in."""


class Options(msgspec.Struct, frozen=True, kw_only=True):
    """What a change script may do and how."""

    allow_drops: bool = False
    """Whether tables, columns and other objects are dropped that the later model has not."""
    comments: bool = True
    """Whether comments in the database follow."""
    online: bool = False
    """Whether steps are worded so that none holds a lock for long, where the platform can; then it is no transaction."""


class ChangeScript(msgspec.Struct):
    """A whole change script; `kept` are the differences that it leaves, each with the reason."""

    platform: str
    steps: list[Step]
    kept: list[Remark]
    transactional: bool
    terminator: str
    batch: str
    body_end: str
    begin: list[str]
    end: list[str]
    header: str = ""

    def text(self) -> str:
        """Return the script as a file: each step under a comment that says what it does and what may be in its way."""
        ending = Script([], [], self.terminator, self.batch, self.body_end)
        lines = [f"-- {line}".rstrip() for line in self.header.splitlines()]
        lines += [f"{one}{self.terminator}" for one in self.begin]
        parts = ["\n".join(lines) + "\n"] if lines else []
        for number, step in enumerate(self.steps, 1):
            head = [f"-- {number}. {step.what} ({step.risk})"]
            if step.check:
                head.append(f"-- Rows in the way, 0 when there are none: {_on_one_line(step.check)}")
            if step.fill:
                head.append("-- Fill this in first where the table has rows:")
                head += [f"-- {line}" for line in step.fill.splitlines()]
            parts.append("\n".join(head) + "\n" + "".join(ending.ended(one) for one in step.statements))
        parts += ["".join(f"{one}{self.terminator}\n" for one in self.end)] if self.end else []
        if self.kept:
            parts.append(
                "\n".join(f"-- Left as it is: {one.object}: {_on_one_line(one.what)}" for one in self.kept) + "\n"
            )
        return "\n".join(parts)

    def checksum(self) -> str:
        """Return the SHA-256 of the text, by which one tells whether it still is what was signed."""
        return hashlib.sha256(self.text().encode()).hexdigest()

    @property
    def statements(self) -> list[Statement]:
        """All statements in their order."""
        return [one for step in self.steps for one in step.statements]


def _on_one_line(text: str) -> str:
    return " ".join(text.split())


def statement_alone(script: ChangeScript, statement: Statement) -> str:
    """Return a statement as a driver takes it: without what only a client's script has."""
    return statement.text.strip().removesuffix(script.body_end or "\0").strip()
