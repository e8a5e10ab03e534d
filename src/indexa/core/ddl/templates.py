"""Templates for the wording of statements: what a script has for each kind of statement, and before and after all of them.

The same small, safe part of Jinja as in the names of keys: no loops, no calls. A template is given the statement as it would
be and puts words around it or others in it; one that can't be rendered leaves the statement as it is, with a remark.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import lru_cache

import msgspec
from jinja2 import Template, TemplateError

from indexa.core import platforms
from indexa.core.compare.comparing import compare
from indexa.core.compare.matching import KnownRenames
from indexa.core.ddl.script import Remark, Script, Statement
from indexa.core.errors import CoreError
from indexa.core.model import Model
from indexa.core.naming.patterns import PatternError, Renderer, check_template, environment
from indexa.core.scripts.reader import ScriptFile, read_scripts

KINDS: dict[str, str] = {
    "header": "Before the whole script",
    "schema": "Making a schema",
    "type": "Making a type or domain",
    "sequence": "Making a sequence",
    "table": "Making a table",
    "foreign key": "Adding a foreign key",
    "index": "Making an index",
    "view": "Making a view",
    "routine": "Making a function or procedure",
    "trigger": "Making a trigger",
    "comment": "Writing a comment",
    "footer": "After the whole script",
}
PARTS = {
    "statement": "the statement as it would be, without what ends it; empty before and after the script",
    "kind": "what it makes: table, index, view …",
    "schema": "the schema of the object",
    "name": "the name of the object",
    "platform": "the platform that the script is for",
    "model": "the name of the model",
    "version": "the version of the model, or the time at which it was read",
    "person": "who makes the script",
    "date": "the day on which it is made, as 2026-11-30",
}
"""What a template can use, with what it stands for."""
LONGEST_SOURCE = 10_000
_LONGEST = 2_000_000


class Facts(msgspec.Struct, frozen=True):
    """What templates are told beside the statement."""

    platform: str = ""
    model: str = ""
    version: str = ""
    person: str = ""
    date: str = ""


class TemplateProblem(CoreError):
    """A template that can't be kept; the message says why."""

    code = "ddl.template"


def check(source: str) -> None:
    """Raise TemplateProblem unless a template holds only what a statement needs. Runs none of it."""
    if len(source) > LONGEST_SOURCE:
        raise TemplateProblem(f"The template has {len(source):,} characters; {LONGEST_SOURCE:,} are kept.")
    try:
        check_template(source, PARTS)
    except PatternError as error:
        raise TemplateProblem(str(error)) from None


@lru_cache(maxsize=50)
def _compiled(source: str) -> Template:
    return environment().from_string(source)


def render(source: str, contexts: Sequence[Mapping[str, object]]) -> list[tuple[str, str]]:
    """Return the text for each context, or "" and why there is none: a Renderer for those who write the template themselves."""
    check(source)
    template = _compiled(source)
    return [_rendered(template, parts) for parts in contexts]


def _rendered(template: Template, parts: Mapping[str, object]) -> tuple[str, str]:
    made, length = [], 0
    try:
        for piece in template.generate(parts):
            made.append(piece)
            length += len(piece)
            if length > _LONGEST:
                raise ValueError(f"what it makes has more than {_LONGEST:,} letters")
    except (TemplateError, TypeError, ValueError, IndexError, OverflowError, AttributeError) as error:
        return "", f"It can't be used here: {error}."
    return "".join(made).strip(), ""


def worded(script: Script, templates: Mapping[str, str], facts: Facts, renderer: Renderer) -> Script:
    """Return a script in which statements are worded by templates, by kind. What a template fails at stays as it is."""
    statements, remarks = list(script.statements), list(script.remarks)
    for kind, source in templates.items():
        if kind in ("header", "footer"):
            continue
        places = [at for at, one in enumerate(statements) if one.kind == kind]
        contexts = [_context(statements[at], facts) for at in places]
        try:
            made = renderer(source, contexts) if contexts else []
        except CoreError as error:
            remarks.append(Remark(f"The template of {kind}s", str(error)))
            continue
        for at, (text, why) in zip(places, made, strict=True):
            if why or not text:
                remarks.append(Remark(f"{kind} {statements[at].name}", why or "The template makes nothing of it."))
            else:
                statements[at] = msgspec.structs.replace(statements[at], text=text)
    ends = {}
    for kind in ("header", "footer"):
        context = _context(Statement(kind, "", "", ""), facts)
        try:
            ends[kind] = renderer(templates[kind], [context])[0][0] if templates.get(kind) else ""
        except CoreError as error:
            remarks.append(Remark(f"The {kind}", str(error)))
    return msgspec.structs.replace(
        script, statements=statements, remarks=remarks, header=ends.get("header") or script.header, footer=ends.get("footer", "")
    )  # fmt: skip


def _context(statement: Statement, facts: Facts) -> dict[str, object]:
    return {"statement": statement.text, "kind": statement.kind, "schema": statement.schema, "name": statement.name,
            **msgspec.structs.asdict(facts)}  # fmt: skip


def changed_meaning(platform: str, before: Script, after: Script) -> list[str]:
    """Return in words what a reworded script no longer makes, or makes otherwise, as our own reader of scripts understands both."""
    found = compare(_read(platform, before), _read(platform, after), renames=KnownRenames()).differences
    return [
        f"{one.what} {one.full_table or one.name}{f'.{one.name}' if one.table and one.name != one.table else ''}: "
        + (
            "no longer made"
            if one.kind == "gone"
            else "made anew"
            if one.kind == "new"
            else f"{one.field or 'definition'} differs"
        )
        for one in found
    ]


def _read(platform: str, script: Script) -> Model:
    text = script.text().encode()
    return read_scripts([ScriptFile("", text)], platforms.get(platform).dialect, lambda *_: None, "")[0]
