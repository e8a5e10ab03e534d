"""Drift of a source: what differs from its model at each reading, told once, and accepted as known until it changes."""

from __future__ import annotations

from collections.abc import Collection

from django.core import signing
from django.db import transaction
from django.utils import timezone

from indexa.areas.models import Membership, Person
from indexa.core.compare.comparing import Comparison, compare
from indexa.core.compare.differences import Difference
from indexa.core.compare.ignoring import IGNORABLE, ignored
from indexa.core.compare.reporting import Reported, as_text
from indexa.reconcile.models import DriftFinding, DriftPoint, DriftWatch, ModelVersion
from indexa.reconcile.other_sides import own_renames, state_of
from indexa.sources.models import Intake, Source
from indexa.store.models import StoredModel
from indexa.store.storing import read_snapshot

_SALT = "feed of a drift"
_MOST_TOLD = 100


@transaction.atomic
def watch(*, source: Source, person: Person, ignore: Collection[str], schemas: Collection[str]) -> DriftWatch:
    """Watch a source by a rule of what matters, and look at its last reading at once."""
    rule = {
        "ignore": [one for one in ignore if one in IGNORABLE],
        "schemas": sorted({one.strip() for one in schemas if one.strip()}),
    }
    made, _ = DriftWatch.objects.update_or_create(
        source=source, defaults=rule, create_defaults=rule | {"made_by": person}
    )
    look_again(made)
    return made


def stop(source: Source) -> None:
    """End the watch of a source, with what it found."""
    DriftWatch.objects.filter(source=source).delete()


def look_again(found: DriftWatch) -> None:
    """Look at the last reading of a source once more: the model or the rule may be another by now."""
    intake = Intake.objects.filter(source=found.source_id).select_related("snapshot", "model").order_by("-pk").first()
    if intake is not None and intake.model is not None:
        look(found, intake)


@transaction.atomic
def look(found: DriftWatch, intake: Intake) -> DriftPoint:
    """Compare a reading with the model as it is and with its last version. What was found before as it is keeps its date."""
    model = intake.model
    assert model is not None
    read, mine = read_snapshot(intake.snapshot), state_of(model)
    comparison = compare(read, mine, paired=own_renames(model))
    differences = _that_matter(found, comparison)
    known = {(one.identity, one.before, one.after): one for one in found.findings.all()}
    rows, new = [], []
    for number, one in enumerate(differences):
        before = known.get((one.id, one.before, one.after))
        if before is None:
            new.append(one)
        rows.append(_row(found, number, one, before, intake))
    found.findings.all().delete()
    DriftFinding.objects.bulk_create(rows, batch_size=2_000)
    version = ModelVersion.objects.filter(model=model).select_related("snapshot").order_by("-number").first()
    from_version = len(_that_matter(found, compare(read, read_snapshot(version.snapshot)))) if version else None
    told = {"from_model": len(rows), "from_version": from_version, "at": intake.at}
    earlier = DriftPoint.objects.filter(intake=intake).first()
    if earlier is None:
        return DriftPoint.objects.create(watch=found, intake=intake, new=len(new), lines=_lines(new), **told)
    DriftPoint.objects.filter(pk=earlier.pk).update(**told)
    earlier.refresh_from_db()
    return earlier


def _that_matter(found: DriftWatch, comparison: Comparison) -> list[Difference]:
    left_out = ignored(comparison, found.ignore)
    wanted = set(found.schemas)
    return [
        one for one in comparison.differences
        if one.id not in left_out and (not wanted or not one.schema or one.schema in wanted)
    ]  # fmt: skip


def _row(found: DriftWatch, number: int, one: Difference, before: DriftFinding | None, intake: Intake) -> DriftFinding:
    return DriftFinding(
        watch=found, number=number, identity=one.id, kind=one.kind, what=one.what, schema=one.schema, table=one.table, name=one.name,
        field=one.field, before=one.before, after=one.after, evidence=list(one.evidence), requires=list(one.requires),
        first_seen=before.first_seen if before else intake.at,
        accepted_by_id=before.accepted_by_id if before else None, accepted_at=before.accepted_at if before else None,
    )  # fmt: skip


def _lines(differences: list[Difference]) -> list[str]:
    """Return differences in words, those of a table together."""
    rows = [Reported(difference=one) for one in sorted(differences, key=lambda one: one.full_table)]
    return [line.rstrip() for line in as_text("", "", rows).splitlines()[1:] if line.strip()][:_MOST_TOLD]


@transaction.atomic
def accept(*, found: DriftWatch, person: Person, numbers: Collection[int], known: bool) -> int:
    """Accept findings as known, or tell them again. Returns how many changed."""
    DriftWatch.objects.select_for_update(of=("self",)).get(pk=found.pk)
    rows = found.findings.filter(number__in=list(numbers), accepted_at__isnull=known)
    return rows.update(accepted_by=person if known else None, accepted_at=timezone.now() if known else None)


def follow_state(sender: object, *, model: StoredModel, **_: object) -> None:
    """Look again at the sources of a model that was brought to another state, as a receiver of `brought_to_another_state`."""
    for found in DriftWatch.objects.filter(source__model=model).select_related("source"):
        look_again(found)


def text_of(point: DriftPoint) -> str:
    """Return how a mail words a reading's drift; "" where nothing is new."""
    if not point.new:
        return ""
    more = f"\n  and {point.new - len(point.lines):,} more" if point.new > len(point.lines) else ""
    lines = "\n".join(point.lines)
    return f"New against the model since the last reading, {point.new:,}:\n{lines}{more}"


def feed_key(found: DriftWatch, person: Person) -> str:
    """Return the key of a person's feed: it holds as long as they are a member and nobody renewed the addresses."""
    return signing.dumps([found.pk, person.pk, found.feed_number], salt=_SALT, compress=False)


def watch_of_key(key: str) -> DriftWatch | None:
    """Return what a feed's key opens; None for one that is forged, was renewed, or whose person is no member any more."""
    try:
        watch_id, person_id, number = signing.loads(key, salt=_SALT)
    except (signing.BadSignature, ValueError, TypeError):
        return None
    found = DriftWatch.objects.select_related("source__area").filter(pk=watch_id, feed_number=number).first()
    if found is None:
        return None
    member = Membership.objects.filter(area=found.source.area, person_id=person_id, person__is_active=True)
    return found if member.exists() else None


def renew_feed(found: DriftWatch) -> None:
    """End all addresses of the feed that were given out."""
    found.feed_number += 1
    found.save(update_fields=["feed_number"])
