"""Taking a catalog in: by identifier, all of it or nothing, the same again changing nothing."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import msgspec
from django.db import transaction
from django.utils import timezone

from indexa.commons.models import Catalog, Dataset, DatasetVersion, Delivery
from indexa.core.edition.open.received import Received, ReceivedDataset

_MOST_DETAILS = 2_000


class Outcome(NamedTuple):
    """How many datasets a catalog adds, changes, leaves as they are, and no longer has."""

    added: int
    changed: int
    unchanged: int
    gone: int
    details: list[tuple[str, str]]
    """The first datasets that it adds, changes or no longer has, by their identifiers."""

    @property
    def counts(self) -> dict[str, int]:
        """How many, by what happens to them."""
        return {"added": self.added, "changed": self.changed, "unchanged": self.unchanged, "gone": self.gone}

    @property
    def words(self) -> str:
        """It as a sentence."""
        return ", ".join(f"{count:,} {word}" for word, count in self.counts.items())


@transaction.atomic
def take(name: str, received: Received, *, sender: str, dry: bool = False) -> Outcome:
    """Take a catalog in under a name; with `dry` only tell what that would change."""
    catalog = Catalog.objects.select_for_update().filter(name=name).first()
    known = {one.identifier: one for one in catalog.datasets.all()} if catalog is not None else {}
    coming = {one.identifier: one for one in received.datasets}
    added = [one for key, one in coming.items() if key not in known]
    changed = [
        one for key, one in coming.items() if key in known and (known[key].digest != one.digest or known[key].gone_at)
    ]
    gone = [one for key, one in known.items() if key not in coming and one.gone_at is None]
    outcome = Outcome(
        len(added), len(changed), len(coming) - len(added) - len(changed), len(gone), _details(added, changed, gone)
    )
    if dry:
        return outcome
    catalog = catalog or Catalog(name=name)
    catalog.title = received.title or name
    catalog.publisher, catalog.version = received.publisher[:300], received.version[:80]
    catalog.save()
    delivery = Delivery.objects.create(catalog=catalog, sender=sender[:200], version=catalog.version, **outcome.counts)
    datasets = [_filled(known.get(one.identifier) or Dataset(catalog=catalog), one) for one in (*added, *changed)]
    Dataset.objects.bulk_create(
        datasets, batch_size=500, update_conflicts=True, unique_fields=["catalog", "identifier"],
        update_fields=["title", "description", "publisher", "content", "digest", "words", "gone_at"],
    )  # fmt: skip
    ids = dict(catalog.datasets.values_list("identifier", "pk"))
    DatasetVersion.objects.bulk_create(
        [DatasetVersion(dataset_id=ids[one.identifier], delivery=delivery, content=one.content) for one in datasets],
        batch_size=500,
    )
    Dataset.objects.filter(pk__in=[one.pk for one in gone]).update(gone_at=timezone.now())
    return outcome


def _details(
    added: Sequence[ReceivedDataset], changed: Sequence[ReceivedDataset], gone: Sequence[Dataset]
) -> list[tuple[str, str]]:
    found = [("added", one.identifier) for one in added] + [("changed", one.identifier) for one in changed]
    return (found + [("gone", one.identifier) for one in gone])[:_MOST_DETAILS]


def _filled(dataset: Dataset, one: ReceivedDataset) -> Dataset:
    dataset.identifier, dataset.title, dataset.description = one.identifier[:500], one.title, one.description
    dataset.publisher, dataset.content, dataset.digest = one.publisher[:300], msgspec.to_builtins(one), one.digest
    words = [one.identifier, one.title, one.description, one.publisher, *one.keywords]
    words += [f"{column.name} {column.title} {column.description}" for column in one.columns]
    dataset.words, dataset.gone_at = "\n".join(words).lower(), None
    return dataset
