"""Finding words in models: what the names, comments and keys of models tell becomes proposals in a wordbook."""

from __future__ import annotations

from collections.abc import Sequence

from django.urls import reverse

from indexa.areas.models import Area, Person
from indexa.core.naming.expanding import Part, business_name
from indexa.core.naming.mining import Found, mine
from indexa.jobs import services as jobs
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress
from indexa.jobs.registry import Arguments, background
from indexa.naming.wordbooks import services as wordbooks
from indexa.naming.wordbooks import term_issues
from indexa.naming.wordbooks.models import BookWord, Wordbook
from indexa.naming.wordbooks.records import remembered
from indexa.store.loading import load_model
from indexa.store.models import StoredModel

LEAST = 0.6
"""The confidence from which on a word is proposed."""


def start(*, area: Area, person: Person, models: Sequence[StoredModel], book: Wordbook) -> Job:
    """Put the finding of words into the queue."""
    title = f"Finding words in {', '.join(model.name for model in models)}"[:200]
    return jobs.start(
        area=area, kind="words", title=title, person=person, models=[model.pk for model in models], book=book.pk
    )


class FindWordsArguments(Arguments):
    """In which models words are looked for, and for which wordbook."""

    models: list[int]
    book: int


@background("words", FindWordsArguments)
def find_words(job: Job, progress: Progress) -> str:
    """Propose words for the job's wordbook out of its models. Returns the address of what is proposed."""
    book = Wordbook.objects.filter(area=job.area, pk=job.arguments["book"]).first()
    models = list(StoredModel.objects.filter(area=job.area, pk__in=job.arguments["models"]))
    if book is None or not models:
        raise JobFailedError("The wordbook or the models were removed before words could be found.")
    loaded = []
    for done, model in enumerate(models):
        progress.report("Reading names and comments", done, len(models) + 1)
        loaded.append(load_model(model, with_words=True))
    progress.report("Weighing what they tell", len(models), len(models) + 1)
    found = [one for one in mine(loaded, wordbooks.stack_of(job.area)) if one.confidence >= LEAST]
    propose(book, [one for one in found if one.kind == "short form"], job.started_by)
    term_issues.keep(job.area, found)
    return f"{reverse('naming:wordbook', args=[job.area.slug])}?status=proposed&book={book.pk}"


def propose(book: Wordbook, found: Sequence[Found], person: Person | None) -> int:
    """Add what was found as proposed words; a word that the wordbook has gets no short form by itself. Returns how many."""
    there = {word.lower() for word in BookWord.objects.filter(wordbook=book).values_list("word", flat=True)}
    by_word: dict[str, BookWord] = {}
    for one in found:
        word = business_name([Part(one.short, one.word.replace(" ", "_"))])[:200]
        if word.lower() in there:
            continue
        item = by_word.setdefault(
            word.lower(),
            BookWord(
                wordbook=book,
                word=word,
                abbreviations=[],
                status=BookWord.Status.PROPOSED,
                confidence=one.confidence,
                changed_by=person,
            ),
        )
        item.abbreviations = [*item.abbreviations, one.short[:200]]
        item.evidence = [
            *item.evidence,
            *(f"{one.short}: {message}" for message in one.evidence),
            f"{one.short}: in {one.count} names",
        ]
    with remembered(book.area, person, f"{len(by_word)} words found") as memory:
        memory.made(BookWord.objects.bulk_create(by_word.values(), batch_size=2_000))
    return len(by_word)
