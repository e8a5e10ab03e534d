"""Changes of tables, columns, keys and relationships. What a parent's key loses or gets, its children follow, through all generations."""

from __future__ import annotations

from collections.abc import Sequence

from indexa.core.building.parts import BuildError, Column, Part, Relationship, Table, Unique
from indexa.core.model.parts import ACTIONS

LONGEST_NAME = 200
LONGEST_PHRASE = 80


def add_table(part: Part, name: str, schema: str = "") -> Table:
    """Add a table or entity. Raises BuildError for a name that is none or is taken."""
    name = _checked(name)
    _refuse_taken(part, schema, name)
    table = Table(id=part.fresh_id(), schema=schema, name=name)
    part.tables[table.id] = table
    return table


def rename_table(part: Part, table_id: int, name: str, schema: str | None = None) -> None:
    """Give a table another name, or another schema."""
    table = part.table(table_id)
    name, schema = _checked(name), table.schema if schema is None else schema
    if (name, schema) != (table.name, table.schema):
        _refuse_taken(part, schema, name, but=table_id)
        table.name, table.schema = name, schema


def delete_table(part: Part, table_id: int) -> None:
    """Delete a table with its relationships; what these brought to others goes with them."""
    part.table(table_id)
    for one in (*part.as_parent(table_id), *part.as_child(table_id)):
        if one.id in part.relationships:
            unrelate(part, one.id)
    del part.tables[table_id]


def add_column(
    part: Part,
    table_id: int,
    name: str,
    type_: str = "",
    *,
    nullable: bool = True,
    in_key: bool = False,
    after: int = 0,
) -> Column:
    """Add a column behind another (or at the end), as part of the key if asked. Raises BuildError for a name that is taken."""
    table = part.table(table_id)
    name = _checked(name)
    _refuse_taken_column(table, name)
    column = Column(id=part.fresh_id(), name=name, type=" ".join(type_.split()), nullable=nullable and not in_key)
    at = next((number for number, one in enumerate(table.columns, 1) if one.id == after), len(table.columns))
    table.columns.insert(at, column)
    if in_key:
        set_key(part, table_id, [*table.key, column.id])
    return column


def change_column(
    part: Part,
    table_id: int,
    column_id: int,
    *,
    name: str | None = None,
    type_: str | None = None,
    nullable: bool | None = None,
    default: str | None = None,
) -> None:
    """Change a column; those that relationships bring on follow its type, and its name where they still have it.

    Raises BuildError for the type of a column that is brought itself, since that is its origin's.
    """
    table = part.table(table_id)
    column = table.column(column_id)
    if name is not None and _checked(name) != column.name:
        _rename(part, table, column, _checked(name))
    if type_ is not None and " ".join(type_.split()) != column.type:
        above, origin_id = part.origin(table_id, column_id)
        if origin_id != column_id:
            origin = f"{part.table(above).name}.{part.table(above).column(origin_id).name}"
            raise BuildError(f"{column.name} has its type from {origin}. Change it there, and all others follow.")
        _retype(part, table_id, column_id, " ".join(type_.split()))
    if nullable is not None and nullable != column.nullable:
        if nullable and column_id in table.key:
            raise BuildError(f"{column.name} is part of the key, and can't be empty.")
        column.nullable = nullable
        for one in part.as_child(table_id):
            if column_id in one.columns:
                one.optional = any(table.column(id_).nullable for id_ in one.columns)
    if default is not None:
        column.default = default.strip() or None


def _rename(part: Part, table: Table, column: Column, name: str) -> None:
    _refuse_taken_column(table, name, but=column.id)
    before = column.name
    waiting = [(table, column)]
    while waiting:
        table, column = waiting.pop()
        column.name = name
        for child, brought in _brought(part, table.id, column.id):
            free = all(other.name.lower() != name.lower() for other in child.columns if other.id != brought.id)
            if brought.name == before and free:
                waiting.append((child, brought))


def _retype(part: Part, table_id: int, column_id: int, type_: str) -> None:
    waiting, seen = [(part.table(table_id), part.table(table_id).column(column_id))], set()
    while waiting:
        table, column = waiting.pop()
        if column.id not in seen:
            seen.add(column.id)
            column.type = type_
            waiting += _brought(part, table.id, column.id)


def _brought(part: Part, table_id: int, column_id: int) -> list[tuple[Table, Column]]:
    """Return the columns that relationships bring a column to, each with its table."""
    found = []
    for one in part.as_parent(table_id):
        if column_id in one.ref_columns:
            child = part.table(one.child)
            found.append((child, child.column(one.columns[one.ref_columns.index(column_id)])))
    return found


def move_column(part: Part, table_id: int, column_id: int, after: int) -> None:
    """Put a column behind another, or first where `after` is 0."""
    table = part.table(table_id)
    column = table.column(column_id)
    table.columns.remove(column)
    at = next((number for number, one in enumerate(table.columns, 1) if one.id == after), 0)
    table.columns.insert(at, column)


def delete_column(part: Part, table_id: int, column_id: int) -> None:
    """Delete a column, also out of the key and out of all that the key brought on. Raises BuildError for one that is brought."""
    table = part.table(table_id)
    column = table.column(column_id)
    bringing = [one for one in part.as_child(table_id) if column_id in one.columns]
    if bringing:
        parents = " and ".join(sorted({part.table(one.parent).name for one in bringing}))
        too = ", and it goes too" if column.brought else " first"
        raise BuildError(f"{column.name} is here by the relationship to {parents}. Delete that{too}.")
    for one in part.as_parent(table_id):
        if not one.of_key and column_id in one.ref_columns:
            unrelate(part, one.id)
    if column_id in table.key:
        set_key(part, table_id, [id_ for id_ in table.key if id_ != column_id])
    table.columns.remove(column)
    _prune(table)


def set_key(part: Part, table_id: int, columns: Sequence[int]) -> None:
    """Set the columns of the primary key, in their order; relationships that refer to it follow.

    Raises BuildError where the key would be gone while others refer to it, or would lose what an identifying relationship brings.
    """
    table = part.table(table_id)
    for id_ in columns:
        table.column(id_).nullable = False
    for one in part.as_child(table_id):
        if one.identifying and not set(one.columns) <= set(columns):
            raise BuildError(
                f"The key of {table.name} holds that of {part.table(one.parent).name}, which identifies it. "
                "Make the relationship non-identifying first."
            )
    followers = [one for one in part.as_parent(table_id) if one.of_key]
    if not columns and any(one.parent != table_id or one.columns for one in followers):
        children = ", ".join(sorted({part.table(one.child).name for one in followers}))
        raise BuildError(f"{children} refer to the key of {table.name}. Delete those relationships first.")
    table.key = list(dict.fromkeys(columns))
    _follow(part, part.as_parent(table_id))


def add_unique(part: Part, table_id: int, columns: Sequence[int]) -> Unique:
    """Add a unique key. Raises BuildError for one of no column, and for one that is there already."""
    table = part.table(table_id)
    wanted = [table.column(id_).id for id_ in dict.fromkeys(columns)]
    if not wanted:
        raise BuildError("Choose the columns that the key is made of.")
    if any(set(wanted) == set(keyed) for keyed in (table.key, *(one.columns for one in table.unique))):
        raise BuildError(f"{table.name} has a key of these columns already.")
    made = Unique(id=part.fresh_id(), columns=wanted)
    table.unique.append(made)
    return made


def delete_unique(part: Part, table_id: int, unique_id: int) -> None:
    """Delete a unique key."""
    table = part.table(table_id)
    table.unique = [one for one in table.unique if one.id != unique_id]


def _prune(table: Table) -> None:
    """Take columns that are gone out of the unique keys; a key of none goes."""
    there = {column.id for column in table.columns}
    for one in table.unique:
        one.columns = [id_ for id_ in one.columns if id_ in there]
    table.unique = [one for one in table.unique if one.columns]


# Relationships ------------------------------------------------------------------------------------


def relate(
    part: Part, parent_id: int, child_id: int, *, identifying: bool = False, optional: bool = False, role: str = ""
) -> Relationship:
    """Have a child refer to a parent, whose key comes along. Raises BuildError for a parent without key, and for a circle of identity."""
    parent, child = part.table(parent_id), part.table(child_id)
    if not parent.key:
        raise BuildError(f"{parent.name} has no key that could go to {child.name}. Give it one first.")
    _refuse_circle(part, parent_id, child_id, identifying=identifying)
    made = Relationship(
        id=part.fresh_id(), child=child_id, parent=parent_id, identifying=identifying, optional=optional and not identifying, role=role
    )  # fmt: skip
    part.put(made)
    _follow(part, [made])
    return made


def make_subtype(part: Part, subtype_id: int, of: int) -> Relationship:
    """Make a table a subtype of another one: it is identified by the other's key and by nothing else. Raises BuildError."""
    subtype = part.table(subtype_id)
    if subtype.key:
        raise BuildError(
            f"{subtype.name} has a key of its own. A subtype has that of {part.table(of).name} alone: take its own out first."
        )
    return relate(part, of, subtype_id, identifying=True)


def associate(part: Part, one_id: int, other_id: int) -> Table:
    """Relate two tables many to many: by a new one between them, whose key is made of both of theirs. Raises as `relate` does."""
    one, other = part.table(one_id), part.table(other_id)
    joined = "_" if "_" in f"{one.name}{other.name}" or (one.name + other.name).islower() else " "
    base = f"{one.name}{joined}{other.name}"
    taken = {table.name.lower() for table in part.tables.values() if table.schema == one.schema}
    name = next(n for n in (base, *(f"{base}{joined}{number}" for number in range(2, 1_000))) if n.lower() not in taken)
    between = add_table(part, name, one.schema)
    relate(part, one_id, between.id, identifying=True)
    relate(part, other_id, between.id, identifying=True, role="Other" if one_id == other_id else "")
    return between


def change_relationship(
    part: Part, relationship_id: int, *, identifying: bool | None = None, optional: bool | None = None
) -> None:
    """Make a relationship identifying or not, optional or not; the child's key and all that depends on it follow."""
    one = _relationship(part, relationship_id)
    child = part.table(one.child)
    if identifying is not None and identifying != one.identifying:
        _refuse_circle(part, one.parent, one.child, identifying=identifying)
        one.identifying = identifying
        if identifying:
            one.optional = False
        elif not identifying:
            kept = {id_ for other in part.as_child(one.child) if other.identifying for id_ in other.columns}
            gone = set(one.columns) - kept
            set_key(part, child.id, [id_ for id_ in child.key if id_ not in gone])
    if optional is not None:
        one.optional = optional and not one.identifying
    _follow(part, [one])


def describe_relationship(
    part: Part,
    relationship_id: int,
    *,
    on_delete: str,
    on_update: str,
    phrase: str,
    phrase_back: str,
    at_most_one: bool,
) -> None:
    """Set what happens to children when a parent goes or changes its key, what both do in words, and one child or many."""
    one = _relationship(part, relationship_id)
    for action in (on_delete, on_update):
        if action not in ACTIONS:
            raise BuildError(f"“{action[:40]}” is nothing that can happen. Choose of: {', '.join(ACTIONS)}.")
    if "set null" in (on_delete, on_update) and not one.optional:
        raise BuildError(
            "Its columns are never empty, so they can't be set to null. Make the relationship optional first."
        )
    one.on_delete, one.on_update = on_delete, on_update
    one.phrase, one.phrase_back = _words(phrase), _words(phrase_back)
    child = part.table(one.child)
    keyed = [key for key in child.unique if set(key.columns) == set(one.columns)]
    if at_most_one and not keyed and set(child.key) != set(one.columns):
        add_unique(part, child.id, one.columns)
    elif not at_most_one:
        for key in keyed:
            delete_unique(part, child.id, key.id)


def _words(text: str) -> str:
    text = " ".join(text.replace("\x00", "").split())
    if len(text) > LONGEST_PHRASE:
        raise BuildError(f"The words have {len(text)} characters; {LONGEST_PHRASE} are kept.")
    return text


def unrelate(part: Part, relationship_id: int) -> None:
    """Delete a relationship with the columns it brought, unless another one brings them as well."""
    one = _relationship(part, relationship_id)
    part.drop(one)
    if _take_away(part, part.table(one.child), one.columns):
        _follow(part, part.as_parent(one.child))


def _relationship(part: Part, id_: int) -> Relationship:
    if id_ not in part.relationships:
        raise BuildError("This relationship is no longer in the model. Load the page again.")
    return part.relationships[id_]


def _bring(part: Part, one: Relationship) -> bool:
    """Bring the parent's key into the child: what is missing comes, what is not part of it goes. True if the child's key changed."""
    parent, child = part.table(one.parent), part.table(one.child)
    before = dict(zip(one.ref_columns, one.columns, strict=True))
    gone = [own for ref, own in before.items() if ref not in parent.key]
    pairs = {}
    for ref in parent.key:
        own = before.get(ref)
        pairs[ref] = own if own is not None else _arrive(part, one, parent.column(ref), child).id
    one.ref_columns, one.columns = list(pairs), list(pairs.values())
    for own in one.columns:
        column = child.column(own)
        if one.identifying:
            column.nullable = False
        elif column.brought and own not in child.key:
            column.nullable = one.optional
    changed = _take_away(part, child, gone)
    if one.identifying:
        key = [*child.key, *(own for own in one.columns if own not in child.key)]
        changed = changed or key != child.key
        child.key = key
    return changed


def _arrive(part: Part, one: Relationship, theirs: Column, child: Table) -> Column:
    """Return the child's column for a column of the parent's key: one that is the same already, or a new one."""
    origin = part.origin(one.parent, theirs.id)
    wanted = f"{one.role} {theirs.name}".strip() if one.role else theirs.name
    for column in child.columns:
        same = part.origin(child.id, column.id) == origin and column.id != theirs.id and one.child != one.parent
        if same and column.name.lower() == wanted.lower():
            return column
    taken = {column.name.lower() for column in child.columns}
    if wanted.lower() in taken:
        parent = part.table(one.parent)
        joined = "_" if "_" in wanted or (wanted.islower() and wanted.isascii()) else " "
        prefix = "Parent" if one.child == one.parent else parent.name
        wanted = f"{prefix.lower() if joined == '_' else prefix}{joined}{wanted}"
        number, base = 1, wanted
        while wanted.lower() in taken:
            number += 1
            wanted = f"{base}{joined}{number}"
    column = Column(id=part.fresh_id(), name=wanted, type=theirs.type, nullable=one.optional, brought=True)
    at = len(child.key) if one.identifying else len(child.columns)
    child.columns.insert(min(at, len(child.columns)), column)
    return column


def _take_away(part: Part, child: Table, columns: Sequence[int]) -> bool:
    """Delete columns that were brought and that no other relationship needs. True if the child's key changed."""
    if not columns:
        return False
    needed = {id_ for other in part.as_child(child.id) for id_ in other.columns}
    brought = {column.id for column in child.columns if column.brought}
    gone = {id_ for id_ in columns if id_ not in needed and id_ in brought}
    child.columns = [column for column in child.columns if column.id not in gone]
    _prune(child)
    key = [id_ for id_ in child.key if id_ not in gone]
    changed, child.key = key != child.key, key
    return changed


def _follow(part: Part, relationships: Sequence[Relationship]) -> None:
    """Have relationships follow their parents' keys, and all that depends on them; one whose parent has no key any more goes."""
    waiting = list(relationships)
    while waiting:
        one = waiting.pop()
        if one.id not in part.relationships:
            continue
        if not one.of_key:
            continue
        if part.table(one.parent).key:
            changed = _bring(part, one)
        else:
            part.drop(one)
            changed = _take_away(part, part.table(one.child), one.columns)
        if changed:
            waiting += part.as_parent(one.child)


def _refuse_circle(part: Part, parent: int, child: int, *, identifying: bool) -> None:
    if not identifying:
        return
    above, waiting = {parent}, [parent]
    while waiting:
        for one in part.as_child(waiting.pop()):
            if one.identifying and one.parent not in above:
                above.add(one.parent)
                waiting.append(one.parent)
    if child in above:
        names = f"{part.table(child).name} and {part.table(parent).name}"
        if child == parent:
            raise BuildError(
                f"{part.table(child).name} can't be identified by itself. Make the relationship non-identifying."
            )
        raise BuildError(
            f"{names} would each be part of the other's key. Make one of the relationships non-identifying."
        )


def _checked(name: str) -> str:
    name = " ".join(name.replace("\x00", "").split())
    if not name:
        raise BuildError("A name is missing.")
    if len(name) > LONGEST_NAME:
        raise BuildError(f"The name has {len(name)} characters; {LONGEST_NAME} are kept.")
    return name


def _refuse_taken(part: Part, schema: str, name: str, but: int = 0) -> None:
    for other in part.tables.values():
        if other.id != but and (other.schema, other.name.lower()) == (schema, name.lower()):
            raise BuildError(f"There is a {other.name} already. Take another name, or use that one.")


def _refuse_taken_column(table: Table, name: str, but: int = 0) -> None:
    if any(other.name.lower() == name.lower() and other.id != but for other in table.columns):
        raise BuildError(f"{table.name} has {name} already.")
