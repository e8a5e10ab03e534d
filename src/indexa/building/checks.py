"""Holding stored models against the rules for their structure, and what people decide about what is found."""

from __future__ import annotations

from typing import NamedTuple

from django.core.cache import cache

from indexa.areas.models import Area, Person
from indexa.building.models import RuleWeight, StructureWaiver
from indexa.core.building.parts import BuildError
from indexa.core.checks.structure import BY_ID, RULES, Fault, Rule, check_structure
from indexa.diagrams.drawing import last_change_of
from indexa.store.loading import load_model
from indexa.store.models import StoredModel

_KEPT_FOR = 3_600
"""Seconds for which what was found is remembered while nothing in the model changes."""


class RuleCount(NamedTuple):
    """A rule with its weight in the area, and how many faults of a model it finds that nobody let stand."""

    rule: Rule
    weight: str
    open: int


class Checked(NamedTuple):
    """What was found in a model: open faults, those that are let stand with their waivers, and the rules."""

    faults: list[Fault]
    waived: list[tuple[Fault, StructureWaiver]]
    rules: list[RuleCount]


def check(model: StoredModel) -> Checked:
    """Hold a model against the rules as its area weighs them."""
    weights = dict(RuleWeight.objects.filter(area_id=model.area_id).values_list("rule", "weight"))
    key = f"checks:{model.pk}:{last_change_of(model)}:{sorted(weights.items())}".replace(" ", "")
    found: list[Fault] = cache.get_or_set(key, lambda: check_structure(load_model(model), weights), _KEPT_FOR) or []
    waivers = {one.fingerprint: one for one in StructureWaiver.objects.filter(model=model).select_related("by")}
    faults = [fault for fault in found if fault.fingerprint not in waivers]
    waived = [(fault, waivers[fault.fingerprint]) for fault in found if fault.fingerprint in waivers]
    counts = {rule.id: 0 for rule in RULES}
    for fault in faults:
        counts[fault.rule] += 1
    rules = [RuleCount(rule, weights.get(rule.id, rule.severity), counts[rule.id]) for rule in RULES]
    return Checked(faults, waived, rules)


def weigh(*, area: Area, rule: str, weight: str) -> None:
    """Set how much a rule weighs in an area. Raises BuildError for a rule or weight that is none."""
    if rule not in BY_ID or weight not in RuleWeight.Weight.values:
        raise BuildError("That is no rule, or no weight of one.")
    RuleWeight.objects.update_or_create(area=area, rule=rule, defaults={"weight": weight})


def let_stand(*, model: StoredModel, person: Person, fingerprint: str, reason: str) -> None:
    """Let a fault stand. Raises BuildError for one that is not there, and where no reason is given."""
    reason = " ".join(reason.replace("\x00", "").split())[:300]
    if not reason:
        raise BuildError("Say why it may stand.")
    if all(fault.fingerprint != fingerprint for fault in check(model).faults):
        raise BuildError("This is no longer found. Load the page again.")
    StructureWaiver.objects.get_or_create(
        model=model, fingerprint=fingerprint, defaults={"reason": reason, "by": person}
    )


def count_again(*, model: StoredModel, waiver_id: int) -> None:
    """Have a fault count again that was let stand."""
    StructureWaiver.objects.filter(model=model, pk=waiver_id).delete()
