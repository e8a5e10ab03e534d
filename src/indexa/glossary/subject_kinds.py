"""Terms, code lists, domains and rules as something that can be owned and have files."""

from __future__ import annotations

from typing import Any

from django.urls import reverse

from indexa.areas.models import Area
from indexa.describing import subjects
from indexa.describing.subjects import SubjectKind
from indexa.glossary.models import CodeList, Domain, Rule, Term

_KINDS: dict[str, tuple[Any, str]] = {
    "term": (Term, "terms"), "code_list": (CodeList, "lists"), "domain": (Domain, "domains"), "rule": (Rule, "rules"),
}  # fmt: skip
"""The model and the name in addresses, by kind of subject."""


def register_all() -> None:
    """Make all of them known."""
    for name, (model, kind) in _KINDS.items():
        subjects.register(name, _kind_of(model, kind))


def _kind_of(model: Any, kind: str) -> SubjectKind:
    def label_of(area: Area, object_id: int) -> str | None:
        return model.objects.filter(pk=object_id, area=area).values_list("name", flat=True).first()  # type: ignore[no-any-return]

    def address_of(area: Area, object_id: int) -> str:
        return reverse("glossary:item", args=[area.slug, kind, object_id])

    return SubjectKind(label_of, address_of)
