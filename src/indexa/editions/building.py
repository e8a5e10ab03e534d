"""Making an edition: the draft, which freezes what is told; and at publication every form of it, from what was frozen and signed."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import msgspec
from django.contrib.staticfiles import finders
from django.urls import reverse
from django.utils import timezone

from indexa.adapters.documents import FORMS, OPEN_FORMS
from indexa.adapters.typesetting import TooLargeError, TypesettingError
from indexa.core.edition import parts
from indexa.core.edition.book import Book, book_of
from indexa.core.edition.facts import Difference, differences, facts_of
from indexa.core.edition.parts import Frozen, Imprint, Signature
from indexa.core.edition.withholding import unnamed
from indexa.core.render.site import build_site
from indexa.editions import files
from indexa.editions.choices import choices_of
from indexa.editions.freezing import collect
from indexa.editions.models import Approval, Edition
from indexa.editions.signals import edition_published
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress
from indexa.jobs.registry import Arguments, background
from indexa.store.models import StoredModel
from indexa.store.signals import models_published

State = Edition.State
OUT = (State.PUBLISHED, State.SUPERSEDED, State.WITHDRAWN)
"""States of editions that were published once: they have a number, and never change."""
MOST_MENTIONS = 500
"""That are kept, by judgement: more are not a slip but a choice that does not fit."""
_FONTS = (
    "atkinson-hyperlegible-next-latin-wght-normal.woff2",
    "atkinson-hyperlegible-mono-latin-wght-normal.woff2",
    "source-serif-4-latin-wght-normal.woff2",
    "LICENSE-atkinson-hyperlegible.txt",
    "LICENSE-source-serif-4.txt",
)


class EditionArguments(Arguments):
    """Which edition is made."""

    edition: int


@background("edition", EditionArguments)
def build_edition(job: Job, progress: Progress) -> str:
    """Freeze what the job's edition tells, and make its pages as a draft. Returns the address of the draft."""
    edition = Edition.objects.select_for_update().filter(pk=job.arguments["edition"]).first()
    if edition is None:
        raise JobFailedError("The draft was discarded before it was made.")
    if edition.state not in (State.BUILDING, State.DRAFT):
        raise JobFailedError("The edition is in review or published; what it tells does not change.")
    choices = choices_of(edition.content)
    stored = StoredModel.objects.filter(area=edition.area).in_bulk(choices.models)
    if not stored:
        raise JobFailedError("None of the chosen models exists any longer.", "Choose others.")
    models = [stored[pk] for pk in choices.models if pk in stored]
    frozen, edition.withheld, named = collect(
        area=edition.area, title=edition.title, note=edition.note, models=models, choices=choices, progress=progress
    )
    edition.mentions = msgspec.to_builtins(named[:MOST_MENTIONS])
    edition.frozen_id = files.keep(parts.freeze(frozen))
    edition.follows = _before(edition)
    book = book_of(frozen, imprint_of(edition))
    pages = build_site(book, fonts(), changes_of(edition, book), _named(edition.follows))
    files.replace(edition, pages, progress, "Making pages", len(book.pages))
    edition.summary = {
        "models": [model.name for model in book.models],
        "tables": len(book.pages),
        "columns": sum(len(page.table.columns) for page in book.pages),
        "described": sum(page.described for page in book.pages),
    }
    edition.state = State.DRAFT
    edition.save(update_fields=["summary", "state", "frozen", "follows", "withheld", "mentions"])
    return reverse("editions:page", args=[edition.area.slug, edition.pk])


@background("publish edition", EditionArguments)
def publish_edition(job: Job, progress: Progress) -> str:
    """Make every form of a signed edition, under its number and with who signed it, and publish it."""
    edition = Edition.objects.select_for_update(of=("self",)).filter(pk=job.arguments["edition"]).first()
    if edition is None or edition.state != State.PUBLISHING or edition.frozen_id is None:
        raise JobFailedError("The edition is not to be published any more.")
    book = book_of(thawed(edition), imprint_of(edition))
    changes = changes_of(edition, book)
    edition.checksum = files.replace(
        edition, _all_forms(book, changes, _named(edition.follows), progress), progress, "Making pages", len(book.pages)
    )
    edition.state, edition.published_at = State.PUBLISHED, timezone.now()
    edition.save(update_fields=["checksum", "state", "published_at"])
    if edition.follows is not None:
        Edition.objects.filter(pk=edition.follows.pk, state=State.PUBLISHED).update(state=State.SUPERSEDED)
    edition_published.send(Edition, edition=edition, person=edition.published_by)
    models_published.send(
        StoredModel, models=choices_of(edition.content).models, person=edition.published_by,
        label=f"Edition {edition.number}, {edition.title}",
    )  # fmt: skip
    return reverse("editions:page", args=[edition.area.slug, edition.pk])


def _all_forms(
    book: Book, changes: list[Difference] | None, since: str, progress: Progress
) -> Iterator[tuple[str, bytes]]:
    yield from build_site(book, fonts(), changes, since)
    for folder, forms in (("documents", FORMS), ("open", OPEN_FORMS)):
        for form in forms.values():
            progress.report(f"Making the {form.label}")
            try:
                for name, content in form.files(book, changes or []):
                    yield f"{folder}/{name}", content
                    progress.report(f"Making the {form.label}")
            except (TypesettingError, TooLargeError) as error:
                raise JobFailedError(
                    f"{form.label}: {error}", "Nothing was published. Leave diagrams out, or try again."
                ) from error
    yield "facts.json", msgspec.json.encode(facts_of(book), order="deterministic")


def imprint_of(edition: Edition) -> Imprint:
    """Return what names an edition on its pages."""
    author = edition.made_by.display_name if edition.made_by else "Indexa"
    signed = edition.approvals.filter(state=Approval.State.APPROVED).order_by("decided_at") if edition.number else []
    return Imprint(
        edition.title, edition.area.name, edition.note, author, edition.made_at, edition.number or 0, edition.frozen_id or "",
        tuple(Signature(one.name, one.decided_at) for one in signed if one.decided_at),
    )  # fmt: skip


def thawed(edition: Edition) -> Frozen:
    """Return all that an edition tells."""
    assert edition.frozen_id
    return parts.thaw(files.bytes_of(edition.frozen_id))


def _before(edition: Edition) -> Edition | None:
    """Return the edition before this one: the latest of its title, else the latest that has one of its models."""
    found = Edition.objects.filter(area=edition.area, state__in=OUT, frozen__isnull=False).exclude(pk=edition.pk)
    same = found.filter(title=edition.title).order_by("-number").first()
    if same is not None:
        return same
    wanted = set(choices_of(edition.content).models)
    return next((one for one in found.order_by("-number") if wanted & set(choices_of(one.content).models)), None)


def changes_of(edition: Edition, book: Book) -> list[Difference] | None:
    """Return what changed since the edition before, without what is left out now for its class; None where there is none."""
    if edition.follows is None:
        return None
    return unnamed(between(edition.follows, book), edition.withheld)


def between(earlier: Edition, book: Book) -> list[Difference]:
    """Return what changed since an earlier edition."""
    before = facts_of(book_of(thawed(earlier), imprint_of(earlier)))
    paths = {f"{page.model.name}/{page.table.full_name}": page.path for page in book.pages}
    return differences(before, facts_of(book), paths)


def _named(edition: Edition | None) -> str:
    return f"edition {edition.number}" if edition is not None else ""


def fonts() -> dict[str, bytes]:
    """Return the fonts that ship with pages."""
    found = {}
    for name in _FONTS:
        path = finders.find(f"ui/fonts/{name}")
        assert isinstance(path, str), f"{name} is not shipped"
        found[name] = Path(path).read_bytes()
    return found
