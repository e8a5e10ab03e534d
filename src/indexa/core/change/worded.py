"""Change scripts in an area's wording: what makes an object is worded by its template, what changes one stays as it is."""

from __future__ import annotations

from collections.abc import Mapping

import msgspec

from indexa.core.change.script import ChangeScript
from indexa.core.ddl import templates
from indexa.core.ddl.script import Script, Statement
from indexa.core.naming.patterns import Renderer


def worded_change(
    change: ChangeScript, sources: Mapping[str, str], facts: templates.Facts, renderer: Renderer
) -> ChangeScript:
    """Return a change script in the wording of templates by kind; the template of a script's end has no place in it."""
    places = [
        (step, at)
        for step, one in enumerate(change.steps)
        for at, statement in enumerate(one.statements)
        if _makes(statement)
    ]
    made = Script(
        [change.steps[step].statements[at] for step, at in places], [], change.terminator, change.batch, change.body_end
    )
    wanted = {kind: source for kind, source in sources.items() if kind != "footer"}
    after = templates.worded(made, wanted, facts, renderer)
    steps = [msgspec.structs.replace(one, statements=list(one.statements)) for one in change.steps]
    for (step, at), statement in zip(places, after.statements, strict=True):
        steps[step].statements[at] = statement
    plain = [line.removeprefix("--").strip() for line in after.header.splitlines()]
    header = "\n".join([change.header, *plain]).strip("\n")
    return msgspec.structs.replace(change, steps=steps, kept=[*change.kept, *after.remarks], header=header)


def _makes(statement: Statement) -> bool:
    words = statement.text.lstrip().upper()
    return words.startswith(("CREATE ", "COMMENT ")) or (statement.kind == "foreign key" and " ADD " in words)
