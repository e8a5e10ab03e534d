"""A script as a list of statements, and what of a model it leaves out."""

from __future__ import annotations

from typing import TypeAlias

import msgspec

Kind: TypeAlias = str
"""What a statement is about: schema, type, sequence, table, key, index, view, routine, trigger, comment."""


class Statement(msgspec.Struct, frozen=True):
    """One statement, without its terminator, and the object that it makes."""

    kind: Kind
    schema: str
    name: str
    text: str


class Remark(msgspec.Struct, frozen=True):
    """Something of the model that the script does not have as it is, and why."""

    object: str
    what: str


class Options(msgspec.Struct, frozen=True, kw_only=True):
    """What goes into a script and how."""

    schemas: frozenset[str] = frozenset()
    """Only these; all where there are none."""
    comments: bool = True
    if_not_exists: bool = False
    drop_first: bool = False
    header: str = ""
    """Lines put before it, as comments."""


class Script(msgspec.Struct):
    """A whole script."""

    statements: list[Statement]
    remarks: list[Remark]
    terminator: str
    batch: str
    body_end: str
    header: str = ""
    footer: str = ""

    def text(self) -> str:
        """Return the script as a file."""
        parts = [_remarked(self.header)] if self.header else []
        parts += [self.ended(statement) for statement in self.statements]
        if self.remarks:
            parts.append(
                "\n".join(f"-- Left out: {one.object}: {one.what}".replace("\n", " ") for one in self.remarks) + "\n"
            )
        parts += [_remarked(self.footer)] if self.footer else []
        return "\n".join(parts)

    def ended(self, statement: Statement) -> str:
        """Return a statement with what ends it on this platform."""
        body = statement.kind in ("routine", "trigger")
        text = statement.text.rstrip()
        if body and self.body_end == ";;":
            return f"DELIMITER ;;\n{text}\n;;\nDELIMITER ;\n"
        if body and self.body_end:
            return f"{text}\n{self.body_end}\n"
        text = text if text.endswith(";") and body else f"{text}{self.terminator}"
        return f"{text}\n{self.batch}\n" if self.batch else f"{text}\n"

    def files(self) -> list[tuple[str, str]]:
        """Return a file for each object: its path and text, numbered in the order in which they are run."""
        made: dict[tuple[str, str, str], list[str]] = {}
        for statement in self.statements:
            folder = "keys" if statement.kind == "foreign key" else f"{statement.kind}s"
            made.setdefault((folder, statement.schema, statement.name), []).append(self.ended(statement))
        found = []
        for number, ((folder, schema, name), texts) in enumerate(made.items(), 1):
            label = "".join(
                letter if letter.isalnum() or letter in "_-" else "_" for letter in f"{schema}.{name}".strip(".")
            )
            found.append((f"{number:05}-{folder}-{label}.sql", "\n".join(texts)))
        return found


def _remarked(text: str) -> str:
    """Return lines as remarks; those that are remarks already stay as they are."""
    return "\n".join(line if line.startswith("--") else f"-- {line}".rstrip() for line in text.splitlines()) + "\n"
