"""Templates for the names of keys and indexes: a small, safe part of Jinja. No loops, no calls, no access to objects."""

from __future__ import annotations

from collections.abc import Mapping

from jinja2 import StrictUndefined, TemplateError, meta, nodes
from jinja2.sandbox import ImmutableSandboxedEnvironment

from indexa.core.errors import CoreError

PARTS = {
    "table": "the table's name",
    "schema": "the schema's name",
    "columns": "the names of the columns, a list",
    "column": "the name of the first column",
    "ref_table": "the table that a foreign key refers to",
    "ref_columns": "the columns that it refers to, a list",
    "kind": "pk, uq, fk, ix, ck, sq or tr",
    "unique": "whether an index is unique",
    "number": "the running number among those that would have the same name",
    "method": "how an index works: btree, hash, fulltext …",
}
"""What a template can use, with what it stands for."""
_FILTERS = frozenset(
    {"join", "lower", "upper", "first", "last", "replace", "truncate", "title", "capitalize", "length", "short"}
)
_NODES = (
    nodes.Template, nodes.Output, nodes.TemplateData, nodes.Name, nodes.Const, nodes.Filter, nodes.CondExpr, nodes.Compare,
    nodes.Operand, nodes.And, nodes.Or, nodes.Not, nodes.Concat, nodes.Add, nodes.Sub, nodes.If, nodes.Getitem, nodes.Slice,
    nodes.Keyword, nodes.Neg,
)  # fmt: skip
_LONGEST_NAME = 2_000


class PatternError(CoreError):
    """A template can't be used; the message says why."""

    code = "standard.pattern"


def _shorter(value: str, length: int = 4) -> str:
    return value[: max(1, min(int(length), 60))]


class Pattern:
    """One template, checked when it is made. Raises PatternError."""

    def __init__(self, source: str) -> None:
        environment = ImmutableSandboxedEnvironment(undefined=StrictUndefined, autoescape=False)
        environment.filters = {name: one for name, one in environment.filters.items() if name in _FILTERS}
        environment.filters["short"] = _shorter
        try:
            tree = environment.parse(source)
            for node in tree.find_all(nodes.Node):
                if not isinstance(node, _NODES):
                    raise PatternError(f"{type(node).__name__} is more than a name needs; line {node.lineno}.")
                if isinstance(node, nodes.Filter) and node.name not in _FILTERS:
                    raise PatternError(f"There is no filter “{node.name}”. There are {', '.join(sorted(_FILTERS))}.")
            unknown = meta.find_undeclared_variables(tree) - PARTS.keys()
            if unknown:
                raise PatternError(f"There is no part “{min(unknown)}”. There are {', '.join(PARTS)}.")
            self._template = environment.from_string(source)
        except TemplateError as error:
            raise PatternError(f"It can't be read: {error}.") from None
        self.source = source

    def name(self, parts: Mapping[str, object]) -> str:
        """Return the name for these parts. Raises PatternError where they do not fit the template."""
        try:
            made = self._template.render(parts)
        except (TemplateError, TypeError, ValueError, IndexError, OverflowError, AttributeError) as error:
            raise PatternError(f"It can't be used here: {error}.") from None
        return "".join(made.split())[:_LONGEST_NAME]
