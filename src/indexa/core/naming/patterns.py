"""Templates for the names of keys and indexes: a small, safe part of Jinja. No loops, no calls, no access to objects.

A `Pattern` is checked where it is made, without running any of it. What it makes is asked of a `Renderer`: `render`
does it in this process, whose memory and time it can take; servers hand in one that is bounded.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import lru_cache
from typing import Any, Protocol

from jinja2 import StrictUndefined, Template, TemplateError, meta, nodes
from jinja2.sandbox import ImmutableSandboxedEnvironment, SandboxedEnvironment

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
_LONGEST_VALUE = 20_000
"""Letters that a value may have on its way to a name."""


class PatternError(CoreError):
    """A template can't be used; the message says why."""

    code = "standard.pattern"


class Renderer(Protocol):
    """Renders a checked template. Raises PatternError where it takes too much time or memory."""

    def __call__(self, source: str, contexts: Sequence[Mapping[str, object]]) -> list[tuple[str, str]]:
        """Return for each context the name, or "" and why there is none."""


class Pattern:
    """One template, checked when it is made. Raises PatternError."""

    def __init__(self, source: str, renderer: Renderer) -> None:
        check_pattern(source)
        self.source, self._renderer = source, renderer

    def names(self, contexts: Sequence[Mapping[str, object]]) -> list[str | PatternError]:
        """Return the name for the parts of each object, or why they do not fit the template."""
        if not contexts:
            return []
        try:
            made = self._renderer(self.source, contexts)
        except PatternError as error:
            return [error] * len(contexts)
        return [PatternError(why) if why else name for name, why in made]

    def name(self, parts: Mapping[str, object]) -> str:
        """Return the name for these parts. Raises PatternError where they do not fit the template."""
        (made,) = self.names([parts])
        if isinstance(made, PatternError):
            raise made
        return made


def render(source: str, contexts: Sequence[Mapping[str, object]]) -> list[tuple[str, str]]:
    """Render in this process: a Renderer for those who write the template themselves."""
    check_pattern(source)
    template = _compiled(source)
    return [_rendered(template, parts) for parts in contexts]


def _rendered(template: Template, parts: Mapping[str, object]) -> tuple[str, str]:
    made, length = [], 0
    try:
        for piece in template.generate(parts):
            made.append(piece)
            length += len(piece)
            if length > _LONGEST_VALUE:
                raise ValueError(f"what it makes has more than {_LONGEST_VALUE:,} letters")
    except (TemplateError, TypeError, ValueError, IndexError, OverflowError, AttributeError) as error:
        return "", f"It can't be used here: {error}."
    return "".join("".join(made).split())[:_LONGEST_NAME], ""


def _shorter(value: str, length: int = 4) -> str:
    return value[: max(1, min(int(length), 60))]


def _bounded(value: str) -> str:
    if len(value) > _LONGEST_VALUE:
        raise ValueError(f"a value has more than {_LONGEST_VALUE:,} letters")
    return value


def _replaced(value: object, old: str, new: str) -> str:
    """Replace, unless the result would be too long: repeated, it would double a text at each step."""
    text, old, new = str(value), str(old), str(new)
    grown = len(text) + text.count(old) * (len(new) - len(old))
    if grown > _LONGEST_VALUE:
        raise ValueError(f"a value has more than {_LONGEST_VALUE:,} letters")
    return text.replace(old, new)


def _joined(value: Any, mark: str = "") -> str:
    pieces = [str(piece) for piece in value]
    if sum(map(len, pieces)) + len(pieces) * len(str(mark)) > _LONGEST_VALUE:
        raise ValueError(f"a value has more than {_LONGEST_VALUE:,} letters")
    return str(mark).join(pieces)


class _Environment(ImmutableSandboxedEnvironment):
    """The sandbox, in which sums of texts are bounded too."""

    intercepted_binops = frozenset({"+"})

    def call_binop(self, context: Any, operator: str, left: Any, right: Any) -> Any:
        """Add; a text that grew too long ends the rendering."""
        total = super().call_binop(context, operator, left, right)
        return _bounded(total) if isinstance(total, str) else total


@lru_cache(maxsize=1)
def environment() -> SandboxedEnvironment:
    """Return the sandbox in which templates are compiled: our filters, and nothing that is not told."""
    # Nothing is worked out while a template is compiled: that would be before any limit.
    environment = _Environment(undefined=StrictUndefined, autoescape=False, optimized=False)
    environment.filters = {name: one for name, one in environment.filters.items() if name in _FILTERS}
    environment.filters |= {"short": _shorter, "replace": _replaced, "join": _joined}
    return environment


@lru_cache(maxsize=200)
def _compiled(source: str) -> Template:
    return environment().from_string(source)


def check_pattern(source: str) -> None:
    """Raise PatternError unless the template holds only what a name needs. Runs none of it."""
    check_template(source, PARTS)


def check_template(source: str, parts: Mapping[str, str]) -> None:
    """Raise PatternError unless a template uses only our filters and these parts. Runs none of it."""
    try:
        tree = environment().parse(source)
        for node in tree.find_all(nodes.Node):
            if not isinstance(node, _NODES):
                raise PatternError(f"{type(node).__name__} is more than a template may hold; line {node.lineno}.")
            if isinstance(node, nodes.Filter) and node.name not in _FILTERS:
                raise PatternError(f"There is no filter “{node.name}”. There are {', '.join(sorted(_FILTERS))}.")
        unknown = meta.find_undeclared_variables(tree) - parts.keys()
        if unknown:
            raise PatternError(f"There is no part “{min(unknown)}”. There are {', '.join(parts)}.")
    except TemplateError as error:
        raise PatternError(f"It can't be read: {error}.") from None
    except RecursionError:
        raise PatternError("It can't be read: too much is nested in it.") from None
