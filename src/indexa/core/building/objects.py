"""Objects written by hand: indexes, checks, types, sequences by fields; views, triggers and routines as the platform's text."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any, Literal, NamedTuple, TypeAlias

from indexa.core import platforms
from indexa.core.building.parts import BuildError
from indexa.core.ddl.script import Script, Statement
from indexa.core.ddl.targets import TARGETS
from indexa.core.ddl.writing import write_ddl
from indexa.core.model import Check, Domain, Enum, Index, IndexPart, Model, Routine, Table, Trigger
from indexa.core.model import Sequence as NumberSequence
from indexa.core.scripts.reader import ScriptFile, read_scripts

LONGEST = {"line": 400, "text": 200_000}
Form: TypeAlias = Literal["line", "text", "sql", "flag"]
Given: TypeAlias = Mapping[str, str]
_LARGEST = 2**63 - 1


class Field(NamedTuple):
    """One field of an object's form."""

    name: str
    label: str
    form: Form = "line"
    hint: str = ""


class Kind(NamedTuple):
    """A kind of object: what people call it, what is asked of it, and how it is made of what they say and told again."""

    word: str
    of_table: bool
    logical: bool
    fields: tuple[Field, ...]
    make: Callable[[Given], Any] | None
    told: Callable[[Any], dict[str, str]]


def _words(text: str) -> list[str]:
    return [word.strip() for word in text.split(",") if word.strip()]


def _need(given: Given, field: str, label: str) -> str:
    value = given.get(field, "").strip()
    if not value:
        raise BuildError(f"{label} is needed.")
    return value


def _number(given: Given, field: str, label: str, usual: int) -> int:
    text = given.get(field, "").strip().replace("_", "")
    if not text:
        return usual
    try:
        value = int(text)
    except ValueError as error:
        raise BuildError(f"{label}: “{text[:40]}” is no whole number.") from error
    if not -_LARGEST - 1 <= value <= _LARGEST:
        raise BuildError(f"{label}: {text[:40]} is larger than any sequence holds.")
    return value


def _index(given: Given) -> Index:
    parts = []
    for text in _words_outside_brackets(_need(given, "columns", "Columns")):
        base, _, order = text.rpartition(" ")
        descending = order.lower() == "desc" and bool(base)
        bare = base if descending else text
        is_expression = "(" in bare
        parts.append(
            IndexPart(
                column="" if is_expression else bare, expression=bare if is_expression else "", descending=descending
            )
        )
    return Index(
        name=_need(given, "name", "The name"), parts=tuple(parts), unique=bool(given.get("unique")),
        method=given.get("method", "").strip() or "btree", included=tuple(_words(given.get("included", ""))),
        predicate=given.get("predicate", "").strip() or None,
    )  # fmt: skip


def _words_outside_brackets(text: str) -> list[str]:
    """Split at commas that stand in no brackets."""
    found, depth, start = [], 0, 0
    for at, letter in enumerate(text):
        depth += (letter == "(") - (letter == ")")
        if letter == "," and not depth:
            found.append(text[start:at])
            start = at + 1
    return [one.strip() for one in (*found, text[start:]) if one.strip()]


def _told_index(index: Index) -> dict[str, str]:
    columns = ", ".join(f"{p.column or p.expression}{' desc' if p.descending else ''}" for p in index.parts)
    return {
        "name": index.name, "columns": columns, "unique": "on" if index.unique else "", "method": index.method,
        "included": ", ".join(index.included), "predicate": index.predicate or "",
    }  # fmt: skip


def _check(given: Given) -> Check:
    return Check(name=_need(given, "name", "The name"), expression=_need(given, "expression", "The condition"))


def _enum(given: Given) -> Enum:
    values = [line.strip() for line in given.get("values", "").splitlines() if line.strip()]
    if not values:
        raise BuildError("Values are needed, one a line.")
    twice = next((value for at, value in enumerate(values) if value in values[:at]), None)
    if twice is not None:
        raise BuildError(f"The value {twice} is there twice.")
    return Enum(name=_need(given, "name", "The name"), schema=given.get("schema", "").strip(), values=tuple(values))


def _domain(given: Given) -> Domain:
    name, condition = _need(given, "name", "The name"), given.get("expression", "").strip()
    return Domain(
        name=name, schema=given.get("schema", "").strip(), type=_need(given, "type", "The type"),
        nullable=not given.get("required"), default=given.get("default", "").strip() or None,
        checks=[Check(name=f"{name}_check", expression=condition)] if condition else [],
    )  # fmt: skip


def _told_domain(domain: Domain) -> dict[str, str]:
    return {
        "name": domain.name, "schema": domain.schema, "type": domain.type, "required": "" if domain.nullable else "on",
        "default": domain.default or "", "expression": " and ".join(one.expression for one in domain.checks),
    }  # fmt: skip


def _sequence(given: Given) -> NumberSequence:
    increment = _number(given, "increment", "Step", 1)
    if increment == 0:
        raise BuildError("Step: a sequence that counts by 0 never moves.")
    lowest = _number(given, "minimum", "Smallest", 1 if increment > 0 else -_LARGEST)
    highest = _number(given, "maximum", "Largest", _LARGEST if increment > 0 else -1)
    start = _number(given, "start", "First number", lowest if increment > 0 else highest)
    if not lowest <= start <= highest:
        raise BuildError(f"First number: {start} lies outside {lowest} to {highest}.")
    return NumberSequence(
        name=_need(given, "name", "The name"), schema=given.get("schema", "").strip(), type=given.get("type", "").strip() or "bigint",
        start=start, increment=increment, minimum=lowest, maximum=highest, cycle=bool(given.get("cycle")),
    )  # fmt: skip


def _told_sequence(one: NumberSequence) -> dict[str, str]:
    return {
        "name": one.name, "schema": one.schema, "type": one.type, "start": str(one.start), "increment": str(one.increment),
        "minimum": str(one.minimum), "maximum": str(one.maximum), "cycle": "on" if one.cycle else "",
    }  # fmt: skip


_NAME, _SCHEMA = Field("name", "Name"), Field("schema", "Schema")
KINDS: dict[str, Kind] = {
    "index": Kind("index", True, False, (
        _NAME, Field("columns", "Columns", hint="in their order, commas between; desc behind one that is descending"),
        Field("unique", "unique", "flag"), Field("method", "Method", hint="btree where nothing is said"),
        Field("included", "Included columns"), Field("predicate", "Only rows where"),
    ), _index, _told_index),
    "check": Kind("check", True, True, (_NAME, Field("expression", "Condition that every row meets", "sql")), _check,
                  lambda one: {"name": one.name, "expression": one.expression}),
    "trigger": Kind("trigger", True, False, (Field("text", "The whole CREATE TRIGGER statement", "sql"),), None,
                    lambda one: {"text": one.definition}),
    "view": Kind("view", False, False, (_NAME, _SCHEMA, Field("text", "Query", "sql")), None, lambda one: {}),
    "enum": Kind("enum type", False, True, (_NAME, _SCHEMA, Field("values", "Values, one a line", "text")), _enum,
                 lambda one: {"name": one.name, "schema": one.schema, "values": "\n".join(one.values)}),
    "domain": Kind("domain", False, True, (
        _NAME, _SCHEMA, Field("type", "Type"), Field("required", "never empty", "flag"), Field("default", "Default"),
        Field("expression", "Condition", "sql", hint="the value is called VALUE"),
    ), _domain, _told_domain),
    "sequence": Kind("sequence", False, False, (
        _NAME, _SCHEMA, Field("type", "Type", hint="bigint where nothing is said"), Field("start", "First number"),
        Field("increment", "Step"), Field("minimum", "Smallest"), Field("maximum", "Largest"), Field("cycle", "begin again at the end", "flag"),
    ), _sequence, _told_sequence),
    "routine": Kind("routine", False, False, (Field("text", "The whole CREATE FUNCTION or CREATE PROCEDURE statement", "sql"),), None,
                    lambda one: {"text": one.definition}),
}  # fmt: skip
"""Kinds in the order in which they are offered."""


def make(kind: str, given: Given) -> Any:
    """Return an object of a kind that has fields. Raises BuildError with what is missing or can't be."""
    known = KINDS[kind]
    for field in known.fields:
        if len(given.get(field.name, "")) > LONGEST["line" if field.form in ("line", "flag") else "text"]:
            raise BuildError(f"{field.label}: that is too long.")
    if known.make is None:
        raise BuildError(f"A {known.word} is written as text.")
    return known.make(given)


def view_of(platform: str, name: str, schema: str, query: str, tables: Sequence[Table]) -> Table:
    """Return a view with the columns that its query has, read with the tables that it is of. Raises BuildError."""
    view = Table(
        name=_need({"name": name}, "name", "The name"), schema=schema, kind="view",
        definition_sql=_need({"text": query}, "text", "The query").rstrip().removesuffix(";"),
    )  # fmt: skip
    made = _read(platform, write_ddl(Model(name="", platform=platform, tables=[*tables, view]), platform).text())
    found = next((one for one in made.tables if one.name.lower() == name.lower() and one.kind == "view"), None)
    if found is None or not found.columns:
        raise BuildError("The query could not be read. Write one SELECT statement, as the platform has it.")
    view.columns = found.columns
    return view


def trigger_of(platform: str, text: str, table: Table) -> Trigger:
    """Return the trigger that a statement makes on a table. Raises BuildError where it makes none."""
    made = _read(platform, f"{_alone(platform, table)}\n{_ended(platform, text)}")
    triggers = [trigger for one in made.tables for trigger in one.triggers]
    if len(triggers) != 1:
        raise BuildError(
            f"This makes {len(triggers) or 'no'} trigger{'' if len(triggers) == 1 else 's'} of {table.name}. Write one CREATE TRIGGER statement on it."
        )
    return triggers[0]


def routine_of(platform: str, text: str) -> Routine:
    """Return the routine that a statement makes. Raises BuildError where it makes none."""
    made = _read(platform, _ended(platform, text))
    if len(made.routines) != 1:
        raise BuildError(
            f"This makes {len(made.routines) or 'no'} routine{'' if len(made.routines) == 1 else 's'}. "
            "Write one CREATE FUNCTION or CREATE PROCEDURE statement."
        )
    return made.routines[0]


def _alone(platform: str, table: Table) -> str:
    """Return the DDL of a table with its columns and nothing else."""
    bare = Table(name=table.name, schema=table.schema, columns=table.columns)
    return write_ddl(Model(name="", platform=platform, tables=[bare]), platform).text()


def _ended(platform: str, text: str) -> str:
    """Return a statement with what a script of the platform has behind one that holds others."""
    target = TARGETS[platform]
    bare = _need({"text": text}, "text", "The statement").rstrip()
    bare = bare.removesuffix(target.body_end).rstrip() if target.body_end else bare
    return Script([], [], target.terminator, target.batch, target.body_end).ended(Statement("routine", "", "", bare))


def _read(platform: str, text: str) -> Model:
    return read_scripts([ScriptFile("", text.encode())], platforms.get(platform).dialect, lambda *_: None, "")[0]
