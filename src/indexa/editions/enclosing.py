"""Change scripts that an edition holds: with their steps, what came of the rehearsal, and who signed them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from django.db.models import Max

from indexa.areas.models import Area
from indexa.core import platforms
from indexa.core.change.script import RISKS
from indexa.core.ddl.script import Script
from indexa.core.edition.parts import EnclosedScript, ScriptStep
from indexa.reconcile.models import KeptScript

_MOST_OFFERED = 50


def scripts_of(area: Area) -> list[KeptScript]:
    """Return the newest change script of each comparison of an area, the latest first."""
    newest = (
        KeptScript.objects.filter(comparison__area=area)
        .values("comparison")
        .annotate(newest=Max("pk"))
        .values("newest")
    )
    found = KeptScript.objects.filter(pk__in=newest).select_related("comparison__model", "signed_by")
    return list(found.order_by("-pk")[:_MOST_OFFERED])


def title_of(script: KeptScript) -> str:
    """Return what a script is called: what it brings to which model."""
    return f"From {script.comparison.other_label} to {script.comparison.model.name}"


def enclosed(area: Area, ids: Sequence[int]) -> list[EnclosedScript]:
    """Return change scripts of an area as an edition holds them."""
    found = KeptScript.objects.filter(pk__in=ids, comparison__area=area)
    return [_enclosed(one) for one in found.select_related("comparison__model", "signed_by").order_by("pk")]


def _enclosed(script: KeptScript) -> EnclosedScript:
    written = script.as_core
    ending = Script([], [], written.terminator, written.batch, written.body_end)
    signed = ""
    if script.signed_at and script.signed_checksum == script.checksum:
        name = script.signed_by.display_name if script.signed_by else "a person who left"
        signed = f"by {name}, {script.signed_at:%-d %B %Y}"
    return EnclosedScript(
        title_of(script), platforms.get(script.platform).label, script.checksum, written.text(), script.revert_as_core.text(),
        tuple(
            ScriptStep(one.what, f"{one.risk}: {RISKS[one.risk]}", "".join(map(ending.ended, one.statements)).strip(), one.check, one.fill)
            for one in written.steps
        ),
        tuple(f"{one.object}: {one.what}" for one in written.kept), tuple(_rehearsal(script)), signed,
    )  # fmt: skip


def _rehearsal(script: KeptScript) -> Iterator[str]:
    told: dict[str, Any] | None = script.rehearsal
    if not told:
        return
    if told["way"] == "reader":
        yield f"Read by our own reader only: {told['why_not']}"
    if told["failed"]:
        yield f"Stopped at “{told['failed']['what']}”: {told['failed']['error']}"
        return
    yield f"{len(told['left'])} difference{'' if len(told['left']) == 1 else 's'} left"
    if told["way"] == "server":
        yield f"{told['rows_kept']:,} of {told['rows_there']:,} made-up rows kept"
    if told["revert_error"]:
        yield f"Taking it back stops: {told['revert_error']}"
    elif told["revert_left"]:
        yield f"Taken back, {len(told['revert_left'])} differences from before are left"
    else:
        yield "Taking it back brings the old structure back"
