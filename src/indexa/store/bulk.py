"""Bulk writing: ids in blocks, rows by COPY, set-based deletion."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from django.db import connection

from indexa.jobs.progress import Progress
from indexa.store.signals import send_model_changed

_ROWS_BETWEEN_TICKS = 5_000


def reserve_ids(table: str, count: int) -> range:
    """Take count ids off the table's sequence, for nobody else."""
    if not count:
        return range(0)
    with connection.cursor() as cursor:
        # Between nextval and setval nobody else may take a number: the lock ends with the transaction.
        cursor.execute("select pg_advisory_xact_lock(hashtext('reserve_ids'), hashtext(%s))", [table])
        cursor.execute(
            "select setval(s, nextval(s) + %s) from pg_get_serial_sequence(%s, 'id') s",
            [count - 1, table],
        )
        last = cursor.fetchone()[0]
    return range(last - count + 1, last + 1)


def copy_rows(
    table: str,
    columns: Sequence[str],
    rows: Iterable[Sequence[Any]],
    progress: Progress,
    step: str,
    total: int,
) -> None:
    """COPY rows into table, telling progress and heeding a cancel every few thousand."""
    names = ", ".join(f'"{name}"' for name in columns)
    with connection.cursor() as cursor:
        psycopg_cursor = cursor.cursor
        with psycopg_cursor.copy(f'COPY "{table}" ({names}) FROM STDIN') as copy:
            write = copy.write_row
            for number, row in enumerate(rows):
                if number % _ROWS_BETWEEN_TICKS == 0:
                    progress.report(step, number, total)
                write(row)


def refresh_statistics() -> None:
    """Let the planner see what was just copied: without it, joins over the new rows go astray."""
    with connection.cursor() as cursor:
        cursor.execute("analyze model_table, model_column")


def delete_model(model_id: int) -> None:
    """Delete a model and all that is in it, set by set. Its logical or physical counterparts stay."""
    send_model_changed(gone_models=[model_id])
    tables = "select id from model_table where model_id = %s"
    columns = f"select id from model_column where table_id in ({tables})"
    statements = [
        f"delete from model_relationship where table_id in ({tables})",
        f"update model_relationship set ref_table_id = null where ref_table_id in ({tables})",
        f"delete from model_key where table_id in ({tables})",
        f"delete from model_index where table_id in ({tables})",
        f"delete from model_check where table_id in ({tables})",
        "delete from model_object where model_id = %s",
        f"update model_column set attribute_id = null where attribute_id in ({columns})",
        f"update model_column set migrated_from_id = null where migrated_from_id in ({columns})",
        f"update model_table set entity_id = null where entity_id in ({tables})",
        f"delete from model_column where table_id in ({tables})",
        "delete from model_table where model_id = %s",
    ]
    with connection.cursor() as cursor:
        for statement in statements:
            cursor.execute(statement, [model_id])
