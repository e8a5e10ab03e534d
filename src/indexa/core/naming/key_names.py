"""Names of keys and indexes: those that a standard's patterns ask for, or plain ones where it has no pattern."""

from __future__ import annotations

import msgspec

from indexa.core import platforms
from indexa.core.model import ForeignKey, Index, Key, Model, Table
from indexa.core.naming.checking import Checker
from indexa.core.naming.patterns import Renderer
from indexa.core.naming.standard import Kind, Rule, Standard
from indexa.core.naming.wordbook import Stack

_PATTERNS: dict[Kind, str] = {
    "primary key": "pk_{{ table }}",
    "unique key": "uq_{{ table }}_{{ columns|join('_') }}",
    "foreign key": "fk_{{ table }}_{{ ref_table }}{% if number > 1 %}_{{ number }}{% endif %}",
    "index": "ix_{{ table }}_{{ columns|join('_') }}",
}
"""What keys are called where the standard has no pattern for them."""


def name_keys(model: Model, standard: Standard, stack: Stack | None, renderer: Renderer) -> None:
    """Give all keys and indexes of a model the names that the standard's patterns ask for, whatever they are called."""
    rules = dict(standard.rules)
    for kind, pattern in _PATTERNS.items():
        rule = rules.get(kind) or Rule(form="any")
        rules[kind] = rule if rule.pattern else msgspec.structs.replace(rule, pattern=pattern)
    wanted = {kind: msgspec.structs.replace(rules[kind], leave_server_names=False) for kind in _PATTERNS}
    standard = msgspec.structs.replace(standard, platform=model.platform, rules=wanted, severities={})
    for table in model.tables:
        for number, (kind, part) in enumerate(_parts(table)):
            part.name = f"{kind} {number}"
    should = {
        (finding.table, finding.kind, finding.name): finding.should
        for finding in Checker(standard, stack, renderer=renderer).check(model)
        if finding.rule == "pattern" and finding.should
    }
    folded = platforms.get(model.platform).dialect.folded
    for table in model.tables:
        for kind, part in _parts(table):
            part.name = folded(should.get((table.name, kind, part.name), part.name).replace(" ", "_"))


def _parts(table: Table) -> list[tuple[Kind, Key | ForeignKey | Index]]:
    return [
        *(("primary key", key) for key in (table.primary_key,) if key),
        *(("unique key", key) for key in table.unique),
        *(("foreign key", key) for key in table.foreign_keys),
        *(("index", index) for index in table.indexes),
    ]
