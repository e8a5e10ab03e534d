"""What a change of a domain would touch, told before it is saved."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from typing import Any

from indexa.core.type_families import family
from indexa.glossary.models import Domain
from indexa.glossary.services import carriers
from indexa.store.models import DescribedColumn
from indexa.ui.parameters import parse_int

_SHOWN = 40
_TOUCHING = {
    "base_type": "type", "least": "from", "most": "to", "pattern": "pattern", "unit": "unit", "default": "default",
    "masked": "how it is shown where private",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Reach:
    """The columns a change reaches, each with whether its type fits the domain's then; `sign` stands for exactly this change."""

    count: int
    changed: list[str]
    columns: list[tuple[DescribedColumn, bool]]
    misfits: int
    hidden: int
    base_type: str
    sign: str


def reach_of(domain: Domain, given: dict[str, Any]) -> Reach | None:
    """Return what a change reaches; None where nothing changes that columns have of it, or none carries it."""
    wanted = {name: str(given.get(name, "")).strip() for name in _TOUCHING}
    changed = [label for name, label in _TOUCHING.items() if wanted[name] != getattr(domain, name)]
    if (parse_int(given.get("code_list")) or None) != domain.code_list_id:
        changed.append("code list")
    columns = carriers(domain) if changed else []
    if not columns:
        return None
    base = family(wanted["base_type"], {}) if wanted["base_type"] else ""
    told = [(column, not base or column.family in (base, "")) for column in columns]
    told.sort(key=lambda pair: pair[1])
    sign = hashlib.sha256(repr((sorted(wanted.items()), given.get("code_list"), len(columns))).encode()).hexdigest()[
        :16
    ]
    misfits = sum(not fits for _, fits in told)
    return Reach(len(columns), changed, told[:_SHOWN], misfits, max(0, len(told) - _SHOWN), wanted["base_type"], sign)
