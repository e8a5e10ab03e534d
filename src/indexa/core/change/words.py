"""How each platform words the changes of a table, as data. `{table}`, `{name}` and so on are written by the caller."""

from __future__ import annotations

import msgspec


class Words(msgspec.Struct, frozen=True, kw_only=True):
    """The statements that change a table on one platform; "" for what it can't."""

    rename_table: str = "ALTER TABLE {table} RENAME TO {name}"
    move_table: str = ""
    rename_column: str = "ALTER TABLE {table} RENAME COLUMN {column} TO {name}"
    add_column: str = "ALTER TABLE {table} ADD COLUMN {line}"
    drop_column: str = "ALTER TABLE {table} DROP COLUMN {column}"
    set_type: str = "ALTER TABLE {table} ALTER COLUMN {column} TYPE {type}"
    set_default: str = "ALTER TABLE {table} ALTER COLUMN {column} SET DEFAULT {default}"
    drop_default: str = "ALTER TABLE {table} ALTER COLUMN {column} DROP DEFAULT"
    set_not_null: str = "ALTER TABLE {table} ALTER COLUMN {column} SET NOT NULL"
    drop_not_null: str = "ALTER TABLE {table} ALTER COLUMN {column} DROP NOT NULL"
    whole_column: str = ""
    """Where a column is said anew as a whole instead: type, default and whether it may be empty at once."""
    drop_constraint: str = "ALTER TABLE {table} DROP CONSTRAINT {name}"
    drop_primary_key: str = ""
    """Where it is not dropped by its name."""
    drop_unique: str = ""
    drop_foreign_key: str = ""
    drop_index: str = "DROP INDEX {path}"
    drop_index_of_table: str = ""
    """Where the table has to be named."""
    begin: tuple[str, ...] = ()
    end: tuple[str, ...] = ()
    transactional: bool = False


_POSTGRESQL = Words(
    move_table="ALTER TABLE {table} SET SCHEMA {schema}",
    set_type="ALTER TABLE {table} ALTER COLUMN {column} TYPE {type}{using}",
    begin=("BEGIN",),
    end=("COMMIT",),
    transactional=True,
)

WORDS: dict[str, Words] = {
    "postgresql": _POSTGRESQL,
    "greenplum": _POSTGRESQL,
    "redshift": msgspec.structs.replace(
        _POSTGRESQL, set_default="", drop_default="", set_not_null="", drop_not_null="",
        set_type="ALTER TABLE {table} ALTER COLUMN {column} TYPE {type}",
    ),
    "mysql": Words(
        whole_column="ALTER TABLE {table} MODIFY COLUMN {line}", drop_primary_key="ALTER TABLE {table} DROP PRIMARY KEY",
        drop_unique="ALTER TABLE {table} DROP INDEX {name}", drop_foreign_key="ALTER TABLE {table} DROP FOREIGN KEY {name}",
        drop_index_of_table="DROP INDEX {name} ON {table}", rename_table="RENAME TABLE {table} TO {path}",
        move_table="RENAME TABLE {table} TO {path}",
    ),
    "firebird": Words(
        rename_table="", rename_column="ALTER TABLE {table} ALTER COLUMN {column} TO {name}", add_column="ALTER TABLE {table} ADD {line}",
        drop_column="ALTER TABLE {table} DROP {column}",
    ),
    "sqlserver": Words(
        rename_table="EXEC sp_rename {full}, {new}", rename_column="EXEC sp_rename {full_column}, {new}, 'COLUMN'",
        move_table="ALTER SCHEMA {schema} TRANSFER {table}", add_column="ALTER TABLE {table} ADD {line}",
        whole_column="ALTER TABLE {table} ALTER COLUMN {column} {type} {null}", set_type="", set_not_null="", drop_not_null="",
        set_default="ALTER TABLE {table} ADD DEFAULT {default} FOR {column}", drop_default="",
        drop_index_of_table="DROP INDEX {name} ON {table}",
    ),
    "oracle": Words(
        add_column="ALTER TABLE {table} ADD ({line})", set_type="ALTER TABLE {table} MODIFY ({column} {type})",
        set_default="ALTER TABLE {table} MODIFY ({column} DEFAULT {default})", drop_default="ALTER TABLE {table} MODIFY ({column} DEFAULT NULL)",
        set_not_null="ALTER TABLE {table} MODIFY ({column} NOT NULL)", drop_not_null="ALTER TABLE {table} MODIFY ({column} NULL)",
    ),
    "db2": Words(rename_table="RENAME TABLE {table} TO {name}", set_type="ALTER TABLE {table} ALTER COLUMN {column} SET DATA TYPE {type}"),
    "snowflake": Words(set_type="ALTER TABLE {table} ALTER COLUMN {column} SET DATA TYPE {type}", set_default=""),
    "bigquery": Words(
        set_type="ALTER TABLE {table} ALTER COLUMN {column} SET DATA TYPE {type}", set_not_null="",
        drop_constraint="ALTER TABLE {table} DROP CONSTRAINT {name}", drop_primary_key="ALTER TABLE {table} DROP PRIMARY KEY",
    ),
    "teradata": Words(
        rename_table="RENAME TABLE {table} TO {path}", rename_column="ALTER TABLE {table} RENAME {column} TO {name}",
        add_column="ALTER TABLE {table} ADD {line}", drop_column="ALTER TABLE {table} DROP {column}", whole_column="ALTER TABLE {table} ADD {line}",
        drop_index_of_table="DROP INDEX {name} ON {table}",
    ),
    "informix": Words(
        rename_table="RENAME TABLE {table} TO {name}", rename_column="RENAME COLUMN {table}.{column} TO {name}",
        add_column="ALTER TABLE {table} ADD ({line})", drop_column="ALTER TABLE {table} DROP ({column})",
        whole_column="ALTER TABLE {table} MODIFY ({line})",
    ),
}  # fmt: skip
"""By platform. SQLite and DuckDB make tables anew instead."""
