"""What forms of tables offer: types, and the parts that a table can play."""

from __future__ import annotations

from indexa.core.ddl.targets import TARGETS
from indexa.core.ddl.types import translated
from indexa.store.models import StoredModel

PARTS = ("", "code table", "many-to-many table", "subtype", "fact", "dimension", "bridge", "aggregate")
HISTORIES = ("", "history overwritten", "history as rows", "history in columns")
"""What a dimension does with the values it had before; "" where nobody said."""
TYPES = (
    "integer", "bigint", "smallint", "decimal(12, 2)", "double precision", "boolean", "char(2)", "varchar(40)", "varchar(200)", "text",
    "date", "time", "timestamp", "timestamp with time zone", "uuid", "binary", "json",
)  # fmt: skip


def offered_types(model: StoredModel) -> list[str]:
    """Return the types that are offered: the model's own, then the usual ones in its platform's words."""
    own = (
        model.model_objects.filter(kind__in=["enum", "domain"]).order_by("schema", "name").values_list("schema", "name")
    )
    usual = [translated(one, "", model.platform) for one in TYPES] if model.platform in TARGETS else []
    words = [one.text for one in usual if one is not None] or list(TYPES)
    return [*(f"{schema}.{name}" if schema else name for schema, name in own), *dict.fromkeys(words)]
