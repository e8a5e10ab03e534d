"""Settling words of a naming pass: the wordbook learns them, and all names that have them follow."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from django.db import transaction
from django.urls import reverse

from indexa.areas.models import Area, Person
from indexa.changes import undoing
from indexa.changes.errors import ChangeError
from indexa.changes.models import Change
from indexa.core.naming.expanding import Part, business_name
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress
from indexa.jobs.registry import Arguments, background
from indexa.naming.errors import PassError
from indexa.naming.passes import to_business, to_physical
from indexa.naming.passes.models import NamingPass, PassWord
from indexa.naming.passes.services import open_pass
from indexa.naming.wordbooks import services as wordbooks
from indexa.naming.wordbooks.models import Wordbook
from indexa.naming.wordbooks.records import Memory, remembered

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
    _forget(naming_pass, asked, person)
    with remembered(area, person, f"{short} is “{word}”") as memory:
        _learn(naming_pass, asked, chosen, book, person, memory)
    asked.save()
    return _follow(naming_pass, [asked])


@transaction.atomic
def settle_apart(
    *, area: Area, person: Person, pass_id: int, short: str, word: str, context_words: Sequence[str], book: Wordbook
) -> int:
    """Say what a short form stands for beside certain words only. Names in other company stay open. Returns how many follow."""
    naming_pass = open_pass(area, pass_id)
    asked = _asked(naming_pass, short)
    if naming_pass.direction != NamingPass.Direction.BUSINESS:
        raise PassError("Only short forms can have two meanings.")
    chosen = _chosen(naming_pass, word)
    company = [one for one in dict.fromkeys(context_words) if one != short][:_MOST_BESIDE]
    if not company:
        raise PassError("Tick the words beside which it is this one.")
    with remembered(area, person, f"{short} is “{chosen}”") as memory:
        memory.settle(asked.pk, chosen, company)
        wordbooks.learn(book=book, person=person, word=chosen, short=short, context_words=company, memory=memory)
    return _settle_beside(naming_pass, asked, chosen, company)


def _settle_beside(naming_pass: NamingPass, asked: PassWord, chosen: str, company: Sequence[str]) -> int:
    """Give the names that have a word in this company its meaning; return how many follow."""
    short = asked.short
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
        for asked in certain:
            _learn(naming_pass, asked, asked.options[0][0], book, person, memory)
    PassWord.objects.bulk_update(certain, ["state", "chosen", "book_word"], batch_size=1_000)
    _follow(naming_pass, certain)
    return len(certain)


class SettleArguments(Arguments):
    """Of which pass certain words are settled."""

    naming_pass: int


@background("certain words", SettleArguments)
def settle_certain_in_background(job: Job, progress: Progress) -> str:
    """Settle the certain words of the job's pass. Returns the address of the pass."""
    assert job.started_by is not None
    progress.report("Settling words")
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
def reopen(*, area: Area, person: Person, pass_id: int, short: str) -> None:
    """Take back what was said of a word: the wordbook forgets what it learned by that, the names are open again."""
    naming_pass = open_pass(area, pass_id)
    asked = naming_pass.words.filter(short=short).first()
    if asked is None or (asked.state == PassWord.State.OPEN and not asked.chosen):
        raise PassError(f"“{short}” is open.")
    _forget(naming_pass, asked, person)
    _open_again([asked])
    _follow(naming_pass, [asked])


def _open_again(words: Sequence[PassWord]) -> None:
    for asked in words:
        asked.state, asked.chosen, asked.book_word = PassWord.State.OPEN, "", None
    PassWord.objects.bulk_update(words, ["state", "chosen", "book_word"], batch_size=1_000)


def reattach(decisions: Mapping[int, dict[str, Any] | None]) -> None:
    """Open words of passes again, or settle them as they were, by their ids; what belongs to a pass that is over stays."""
    words = PassWord.objects.filter(pk__in=list(decisions), naming_pass__state=NamingPass.State.OPEN)
    by_pass: dict[int, list[PassWord]] = {}
    for asked in words.select_related("naming_pass__model__area"):
        by_pass.setdefault(asked.naming_pass_id, []).append(asked)
    for found in by_pass.values():
        naming_pass = found[0].naming_pass
        _open_again([asked for asked in found if decisions[asked.pk] is None])
        whole = [asked for asked in found if (text := decisions[asked.pk]) and not text["context_words"]]
        for asked in whole:
            asked.state, asked.chosen = PassWord.State.SETTLED, (decisions[asked.pk] or {})["chosen"]
        PassWord.objects.bulk_update(whole, ["state", "chosen"], batch_size=1_000)
        context_words = [asked for asked in found if (text := decisions[asked.pk]) and text["context_words"]]
        _follow(naming_pass, [asked for asked in found if asked not in context_words])
        for asked in context_words:
            text = decisions[asked.pk] or {}
            _settle_beside(naming_pass, asked, text["chosen"], text["context_words"])


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
    naming_pass: NamingPass, asked: PassWord, chosen: str, book: Wordbook, person: Person, memory: Memory
) -> None:
    if naming_pass.direction == NamingPass.Direction.PHYSICAL:
        word, short = asked.short[:1].upper() + asked.short[1:], chosen
    else:
        word, short = chosen, asked.short
    memory.settle(asked.pk, chosen)
    learned, new = wordbooks.learn(book=book, person=person, word=word, short=short, memory=memory)
    asked.state, asked.chosen, asked.book_word = PassWord.State.SETTLED, chosen, learned if new else None


def _forget(naming_pass: NamingPass, asked: PassWord, person: Person) -> None:
    """Take back what the wordbook learned by settling a word: as a whole where nothing was changed since, else the short form."""
    settled = Change.objects.filter(target="pass word", object_id=asked.pk, field="settled", after__isnull=False)
    for change in settled.filter(change_set__in_force=True).select_related("change_set").order_by("-pk"):
        if change.change_set.changes.filter(target="pass word").count() == 1:
            try:
                undoing.revert(change.change_set, person)
            except ChangeError:
                break
            asked.book_word = None
    short = asked.chosen if naming_pass.direction == NamingPass.Direction.PHYSICAL else asked.short
    if asked.book_word is not None:
        wordbooks.unlearn(asked.book_word, short)


def _follow(naming_pass: NamingPass, words: Sequence[PassWord]) -> int:
    if naming_pass.direction == NamingPass.Direction.PHYSICAL:
        return to_physical.rewrite(naming_pass, [one.short for one in words])
    text = {}
    for one in words:
        if one.state == PassWord.State.SETTLED:
            text[one.short] = (one.chosen, True)
        else:
            text[one.short] = (one.options[0][0] if one.options else business_name([Part(one.short, one.short)]), False)
    return to_business.rewrite(naming_pass, text)
