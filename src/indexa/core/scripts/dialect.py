"""How a platform writes SQL, as data: quoting, folding, terminators, types. The reader of scripts holds no names."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

import msgspec

Fold = Literal["lower", "upper", "keep"]
Bodies = Literal["blocks", "slash", "go", "end"]


def _as_written(type_text: str) -> str:
    return type_text


class Dialect(msgspec.Struct, frozen=True, kw_only=True):
    """What a tokenizer, a splitter and the statement reader must know of one platform's SQL."""

    name: str
    fold: Fold = "keep"
    """What becomes of an unquoted name."""
    keeps_references: bool = False
    """Whether a reference outlives its table: it is to whatever table of that name comes."""
    case_matters: bool = False
    """Whether two names that differ by case only are two names."""
    fold_quoted: bool = False
    """Whether quoted names are folded as well."""
    default_schema: str = ""
    identifier_quotes: str = '"'
    """Those of `"`, `` ` `` and `[` that enclose names."""
    double_quoted_strings: bool = False
    backslash: bool = False
    """Whether a backslash escapes within any string; E'...' strings always have it."""
    hash_comments: bool = False
    slash_comments: bool = False
    brace_comments: bool = False
    nested_comments: bool = False
    """Whether a block comment may hold others."""
    dollar_quotes: bool = False
    q_quotes: bool = False
    """Whether q'[...]' and its like are strings."""
    conditional_comments: bool = False
    """Whether the text of `/*! ... */` is part of the statement."""
    dotted_quotes: bool = False
    """Whether one quoted name may hold a whole path, as in `` `project.dataset.table` ``."""
    inline_indexes: bool = False
    """Whether KEY and INDEX may stand between columns."""
    unique_index_is_key: bool = False
    use_names_schema: bool = False
    """Whether USE (or DATABASE) sets the schema of the names that follow."""
    bodies: Bodies = "blocks"
    """How a routine's body ends: with its blocks, at a line of "/", at a line of GO, or at END PROCEDURE."""
    commands: str = ""
    """A pattern of client commands, each a line of its own, as it stands at the start of a statement."""
    serials: dict[str, str] = {}
    """Types that stand for a number from a sequence, and what the catalog calls them."""
    identity_types: frozenset[str] = frozenset()
    """Types that stand for an identity column."""
    any_type_words: bool = False
    """Whether any words whatever make a type."""
    canonical_type: Callable[[str], str] = _as_written
    """Word a type as the platform's own catalog does."""
    canonical_default: Callable[[str, str], str] | None = None
    """Word a default (given its text and the column's type) as the catalog does."""
    identity_default: Literal["always", "by default"] = "by default"
    names_constraints: Literal["", "postgresql", "mysql", "duckdb"] = ""
    """The rule by which the platform names constraints that have no name."""
    bare_default: str = ""
    """What DEFAULT without an expression stands for; "" where it is not allowed."""
    primary_key_may_be_null: bool = False
    query_keeps: frozenset[Literal["not null", "default", "comment"]] = frozenset()
    """What a table made by a query has of the columns that the query shows, beside their types."""
    merges_twin_keys: bool = False
    """Whether a unique key that a table declares twice is one."""
    query_type: Callable[[str], str] = _as_written
    """What a table made by a query calls the type of a column that the query shows."""
    query_keeps_collation: bool = True
    """Whether a table made by a query sorts a column as the one that the query shows."""
    views_spell_as_tables: bool = False
    """Whether a view spells a column as its table does, and not as the query does."""
    routines_share_names: bool = True
    """Whether several routines may have one name, told apart by their arguments."""
    adding_changes: bool = False
    """Whether adding a column that is there already gives it another type."""
    restrict_is_no_action: bool = False
    """Whether the two actions are one to the platform."""
    index_method: str = "btree"
    """How an index works where its statement does not say."""
    indexes_keep_order: bool = True
    """Whether an index knows that a column of it descends."""
    views_follow: bool = False
    """Whether a view's columns are worked out each time it is used, and not once when it is made."""
    keys_lose_columns: bool = False
    """Whether a key or index goes on without a column that is dropped."""
    queries_follow_names: bool = False
    """Whether the query of a view goes on to show a table or column that is renamed."""
    view_columns_keep_comments: bool = False
    """Whether a view's column has the comment of the table's column that it shows."""
    nicknames: tuple[str, ...] = ()
    """What people call it in the names of files, in small letters; those of up to three stand alone."""
    signs: tuple[tuple[str, int], ...] = ()
    """Patterns that speak for this dialect, each with its weight; a negative weight speaks against it."""
    parser: str = ""
    """The expression parser's name of it; "" where it has none."""

    def __hash__(self) -> int:
        return hash(self.name)

    def plain_name(self, raw: str) -> str:
        """Return the name that a token stands for: unquoted, or folded as the dialect folds."""
        if raw[0] in "\"`['" and len(raw) > 1:
            inner, closer = raw[1:-1], raw[-1]
            if closer in inner:
                inner = inner.replace(closer * 2, closer)
            return self.folded(inner) if self.fold_quoted else inner
        return self.folded(raw)

    def folded(self, name: str) -> str:
        """Return a name without quotes as the platform keeps it."""
        if self.fold == "lower":
            return name.lower()
        return name.upper() if self.fold == "upper" else name

    def key(self, name: str) -> str:
        """Return what names are compared by."""
        return name if self.case_matters else name.lower()
