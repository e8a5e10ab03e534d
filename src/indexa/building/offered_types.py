"""The types that a type field completes to."""

from __future__ import annotations

from indexa.core.ddl.targets import TARGETS
from indexa.core.ddl.types import translated
from indexa.store.models import StoredModel

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
