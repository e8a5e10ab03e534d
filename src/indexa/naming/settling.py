"""Settling words of a naming pass: the wordbook learns them, and all names that have them follow."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction
from django.urls import reverse

from indexa.areas.models import Area, Person
from indexa.core.naming.expanding import Part, business_name
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress
from indexa.naming import to_business, to_physical, wordbooks
from indexa.naming.errors import PassError, WordError
from indexa.naming.models import NamingPass, PassWord, Wordbook, WordChange
from indexa.naming.passes import open_pass
from indexa.naming.word_memory import Memory, remembered, take_back

CERTAIN = 0.85
"""From which confidence on words are offered to be taken together."""
_LONGEST = 200
_MOST_BESIDE = 20


@transaction.atomic
def settle(*, area: Area, person: Person, pass_id: int, short: str, word: str, book: Wordbook) -> int:
    """Say what a word stands for: the wordbook learns it, and all names with it follow. Returns how many."""
    naming_pass = open_pass(area, pass_id)
    asked = _asked(naming_pass, short)
    chosen = _chosen(naming_pass, word)
    _forget(naming_pass, asked)
    _learn(naming_pass, asked, chosen, book, person)
    asked.save()
    return _follow(naming_pass, [asked])


@transaction.atomic
def settle_apart(
    *, area: Area, person: Person, pass_id: int, short: str, word: str, beside: Sequence[str], book: Wordbook
) -> int:
    """Say what a short form stands for beside certain words only. Names in other company stay open. Returns how many follow."""
    naming_pass = open_pass(area, pass_id)
    asked = _asked(naming_pass, short)
    if naming_pass.direction != NamingPass.Direction.BUSINESS:
        raise PassError("Only short forms can have two meanings.")
    chosen = _chosen(naming_pass, word)
    company = [one for one in dict.fromkeys(beside) if one != short][:_MOST_BESIDE]
    if not company:
        raise PassError("Tick the words beside which it is this one.")
    wordbooks.learn(book=book, person=person, word=chosen, short=short, beside=company, settled=[asked.pk])
    asked.chosen = "; ".join(dict.fromkeys([*filter(None, asked.chosen.split("; ")), chosen]))[:_LONGEST]
    count = to_business.rewrite(naming_pass, {short: (chosen, True)}, company)
    if not naming_pass.names.filter(words__contains=[short], open__contains=[short]).exists():
        asked.state = PassWord.State.SETTLED
    asked.save()
    return count


@transaction.atomic
def settle_certain(*, area: Area, person: Person, pass_id: int, book: Wordbook) -> int:
    """Settle all words whose likeliest meaning is certain enough. Returns how many words."""
    naming_pass = open_pass(area, pass_id)
    certain = list(naming_pass.words.filter(state=PassWord.State.OPEN, options__0__1__gte=CERTAIN))
    with remembered(area, person, f"{len(certain)} certain words settled") as memory:
        memory.settled = [asked.pk for asked in certain]
        for asked in certain:
            _learn(naming_pass, asked, asked.options[0][0], book, person, memory)
    PassWord.objects.bulk_update(certain, ["state", "chosen", "book_word"], batch_size=1_000)
    _follow(naming_pass, certain)
    return len(certain)


def settle_certain_in_background(job: Job, progress: Progress) -> str:
    """Settle the certain words of the job's pass. Returns the address of the pass."""
    assert job.started_by is not None
    progress.tell("Settling words")
    try:
        settle_certain(
            area=job.area,
            person=job.started_by,
            pass_id=job.arguments["naming_pass"],
            book=wordbooks.own_book(job.area),
        )
    except PassError as error:
        raise JobFailedError(str(error)) from error
    return reverse("naming:pass", args=[job.area.slug, job.arguments["naming_pass"]])


@transaction.atomic
def reopen(*, area: Area, pass_id: int, short: str) -> None:
    """Take back what was said of a word: the wordbook forgets what it learned by that, the names are open again."""
    naming_pass = open_pass(area, pass_id)
    asked = naming_pass.words.filter(short=short).first()
    if asked is None or (asked.state == PassWord.State.OPEN and not asked.chosen):
        raise PassError(f"“{short}” is open.")
    _forget(naming_pass, asked)
    _open_again([asked])
    _follow(naming_pass, [asked])


def _open_again(words: Sequence[PassWord]) -> None:
    for asked in words:
        asked.state, asked.chosen, asked.book_word = PassWord.State.OPEN, "", None
    PassWord.objects.bulk_update(words, ["state", "chosen", "book_word"], batch_size=1_000)


@transaction.atomic
def undo_words(*, change: WordChange) -> None:
    """Take a change of words back; words of an open pass that were settled by it are open again. Raises WordError."""
    take_back(change)
    words = list(
        PassWord.objects.filter(pk__in=change.settled, naming_pass__state=NamingPass.State.OPEN).select_related(
            "naming_pass__model__area"
        )
    )
    if words:
        _open_again(words)
        _follow(words[0].naming_pass, words)


def _asked(naming_pass: NamingPass, short: str) -> PassWord:
    asked = naming_pass.words.filter(short=short).first()
    if asked is None:
        raise PassError(f"This pass does not ask for “{short}”.")
    return asked


def _chosen(naming_pass: NamingPass, word: str) -> str:
    word = " ".join(word.split())
    if naming_pass.direction == NamingPass.Direction.PHYSICAL:
        word = word.lower()
        if not word.isalnum():
            raise PassError("A short form has letters and digits only.")
    if not word or len(word) > _LONGEST:
        raise PassError(f"Say a word of up to {_LONGEST} letters.")
    return word


def _learn(
    naming_pass: NamingPass, asked: PassWord, chosen: str, book: Wordbook, person: Person, memory: Memory | None = None
) -> None:
    if naming_pass.direction == NamingPass.Direction.PHYSICAL:
        word, short = asked.short[:1].upper() + asked.short[1:], chosen
    else:
        word, short = chosen, asked.short
    learned, new = wordbooks.learn(book=book, person=person, word=word, short=short, memory=memory, settled=[asked.pk])
    asked.state, asked.chosen, asked.book_word = PassWord.State.SETTLED, chosen, learned if new else None


def _forget(naming_pass: NamingPass, asked: PassWord) -> None:
    """Take back what the wordbook learned by settling a word: as a whole where nothing was changed since, else the short form."""
    changes = WordChange.objects.filter(settled__contains=[asked.pk], undone_at__isnull=True)
    for change in changes:
        if len(change.settled) == 1:
            try:
                take_back(change)
            except WordError:
                break
            asked.book_word = None
    short = asked.chosen if naming_pass.direction == NamingPass.Direction.PHYSICAL else asked.short
    if asked.book_word is not None:
        wordbooks.unlearn(asked.book_word, short)


def _follow(naming_pass: NamingPass, words: Sequence[PassWord]) -> int:
    if naming_pass.direction == NamingPass.Direction.PHYSICAL:
        return to_physical.rewrite(naming_pass, [one.short for one in words])
    told = {}
    for one in words:
        if one.state == PassWord.State.SETTLED:
            told[one.short] = (one.chosen, True)
        else:
            told[one.short] = (one.options[0][0] if one.options else business_name([Part(one.short, one.short)]), False)
    return to_business.rewrite(naming_pass, told)
