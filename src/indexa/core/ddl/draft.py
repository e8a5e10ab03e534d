"""What all parts of a script share: the model, the platform, how names are written, and what has been written so far."""

from __future__ import annotations

from indexa.core.ddl.names import Namer
from indexa.core.ddl.script import Options, Remark, Statement
from indexa.core.ddl.targets import Target
from indexa.core.model import VIEW_KINDS, Model, Table
from indexa.core.naming.limits import longest


class Draft:
    """A script that is being written."""

    def __init__(self, model: Model, target: Target, options: Options) -> None:
        self.model, self.target, self.options = model, target, options
        self.namer = Namer(target.name, model.platform)
        self.remarks: list[Remark] = []
        self.statements: list[Statement] = []
        self.made: set[tuple[str, str]] = set()
        """Tables that are there already, where keys stand within them."""
        self.same = model.platform == target.name
        """Whether types and expressions are in the platform's own words already."""
        self.tables = [table for table in model.tables if self.wanted(table.schema) and table.kind not in VIEW_KINDS]
        self.views = [table for table in model.tables if self.wanted(table.schema) and table.kind in VIEW_KINDS]
        self.shown = {(table.schema, table.name): table for table in self.tables}
        self._taken = {(table.schema, table.name.lower()) for table in self.shown.values()}
        self.unless_there = "IF NOT EXISTS " if options.if_not_exists and target.if_not_exists else ""

    def is_same(self, *platforms: str) -> bool:
        """Return whether model and script are of one of these platforms, both of the same."""
        return self.same and self.target.name in platforms

    def wanted(self, schema: str) -> bool:
        """Return whether a schema goes into the script."""
        return not self.options.schemas or schema in self.options.schemas

    def note(self, object_: str, what: str) -> None:
        """Remark that something is left out or is not as it was."""
        remark = Remark(object_, what)
        if remark not in self.remarks[-20:]:
            self.remarks.append(remark)

    def add(self, kind: str, schema: str, name: str, statement: str) -> None:
        """Put a statement at the end."""
        self.statements.append(Statement(kind, schema, name, statement))

    def path(self, schema: str, name: str) -> str:
        """Return the full name of an object."""
        return self.namer.path(schema if self.target.has_schemas else "", name)

    def path_of(self, table: Table) -> str:
        """Return the full name of a table."""
        return self.path(table.schema, table.name)

    def free_name(self, table: Table, name: str) -> str:
        """Return the name of a key or index, with its table's before it where something else of the schema has it.

        There are platforms where it need differ only from others of its table, and others where a schema's all differ.
        """
        if self.same or not name or self.target.name in ("mysql", "sqlserver"):
            return name
        free = name
        if (table.schema, name.lower()) in self._taken:
            free = f"{table.name}_{name}"[: longest(self.target.name) or None]
            self.note(table.full_name, f"{name} is called {free}: its name is taken in the schema")
        self._taken.add((table.schema, free.lower()))
        return free

    def constraint(self, name: str) -> str:
        """Return the words that give a constraint its name; none where it has none."""
        return f"CONSTRAINT {self.namer.quoted(name)} " if name else ""

    def beside(self, comment: str) -> str:
        """Return the comment of a key or index where it stands in its statement."""
        has = comment and self.same and self.target.comments == "inline" and self.options.comments
        return f" COMMENT {self.namer.text(comment)}" if has else ""

    def collation(self, name: str) -> str:
        """Return the name of a collation, which PostgreSQL folds unless it is quoted."""
        if self.target.name not in ("postgresql", "greenplum"):
            return name
        return ".".join(f'"{part}"' for part in name.replace('"', "").split("."))
