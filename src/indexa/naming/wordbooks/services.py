"""What can be done with wordbooks: finding and changing words, merging doubles, taking lists in, finding words in models."""

from __future__ import annotations

from collections.abc import Sequence
from typing import cast

from django.db import connection, transaction
from django.db.models import Q, QuerySet

from indexa.areas.models import Area, Person
from indexa.core.naming.wordbook import Stack, Status, Word
from indexa.core.naming.wordbook import Wordbook as CoreWordbook
from indexa.core.naming.wordbook_rows import Reading
from indexa.naming.errors import WordError
from indexa.naming.wordbooks.models import BookWord, Wordbook, WordbookUse
from indexa.naming.wordbooks.records import Memory, remembered

_LONGEST = 200
_LONGEST_MEANING = 20_000
_MOST_SHORTS = 20
LATEST_PASSES = (
    "select distinct on (p.model_id) p.id from naming_pass p join model m on m.id = p.model_id where m.area_id = %s "
    "order by p.model_id, p.id desc"
)
"""The latest pass of each model of an area."""


def books_of(area: Area) -> list[Wordbook]:
    """Return the wordbooks that the area uses, the nearest first; make the first one where there is none."""
    books = list(Wordbook.objects.filter(uses__area=area).select_related("area").order_by("uses__rank", "uses__pk"))
    return books or [make_book(area, area.name)]


def own_book(area: Area) -> Wordbook:
    """Return the nearest wordbook that belongs to the area itself: what is learned goes into it."""
    own = next((book for book in books_of(area) if book.area_id == area.pk), None)
    return own or make_book(area, area.name)


@transaction.atomic
def make_book(area: Area, name: str) -> Wordbook:
    """Make a wordbook of the area, or find the one of that name, and put it on top of the area's own ones."""
    book, new = Wordbook.objects.get_or_create(area=area, name=" ".join(name.split())[:80])
    if new or not WordbookUse.objects.filter(area=area, wordbook=book).exists():
        rank = WordbookUse.objects.filter(area=area).count()
        WordbookUse.objects.create(area=area, wordbook=book, rank=rank)
    return book


def stack_of(area: Area) -> Stack:
    """Return the area's wordbooks as the core knows them, in two queries."""
    books = list(Wordbook.objects.filter(uses__area=area).order_by("uses__rank", "uses__pk"))
    words: dict[int, list[Word]] = {book.pk: [] for book in books}
    rows = BookWord.objects.filter(wordbook__in=books).values_list(
        "wordbook_id", "word", "abbreviations", "status", "meaning", "context_words"
    )
    for book_id, word, abbreviations, status, meaning, context_words in rows:
        words[book_id].append(
            Word(
                word=word,
                abbreviations=tuple(abbreviations),
                status=cast(Status, status),
                meaning=meaning,
                context_words=tuple(context_words),
            )
        )
    return Stack([CoreWordbook(name=book.name, words=tuple(words[book.pk])) for book in books])


def find(area: Area, text: str = "", status: str = "", book: int = 0) -> QuerySet[BookWord]:
    """Return the words of an area whose word, short forms or meaning hold the text."""
    found = BookWord.objects.filter(wordbook__uses__area=area).select_related("wordbook", "owner")
    text = text.strip()
    if text:
        found = found.filter(
            Q(word__icontains=text) | Q(abbreviations__contains=[text.lower()]) | Q(meaning__icontains=text)
        )
    if status in BookWord.Status.values:
        found = found.filter(status=status)
    return found.filter(wordbook_id=book) if book else found


def uses(area: Area, words: Sequence[BookWord]) -> dict[int, int]:
    """Return how many names of the latest passes hold each word's short forms, by the word's id; one query."""
    abbreviations = {short for word in words for short in word.abbreviations}
    with connection.cursor() as cursor:
        cursor.execute(
            f"select w, count(*) from ({LATEST_PASSES}) latest join naming_pass_name n on n.naming_pass_id = latest.id "  # noqa: S608
            "cross join unnest(n.words) w where n.words && %s::text[] and w = any(%s) group by w",
            [area.pk, list(abbreviations), list(abbreviations)],
        )
        counts: dict[str, int] = dict(cursor.fetchall())
    return {word.pk: sum(counts.get(short, 0) for short in word.abbreviations) for word in words}


def doubles(area: Area, words: Sequence[BookWord]) -> dict[int, list[BookWord]]:
    """Return, by the word's id, the other words in use that share a short form with it; one query."""
    abbreviations = {short for word in words for short in word.abbreviations}
    others = BookWord.objects.filter(wordbook__uses__area=area, abbreviations__overlap=list(abbreviations)).exclude(
        status="retired"
    )
    by_short: dict[str, list[BookWord]] = {}
    for other in others.select_related("wordbook"):
        for short in other.abbreviations:
            by_short.setdefault(short, []).append(other)
    return {
        word.pk: list(
            {o.pk: o for short in word.abbreviations for o in by_short.get(short, []) if o.pk != word.pk}.values()
        )
        for word in words
        if word.status != "retired"
    }


def abbreviations_from(text: str) -> list[str]:
    """Return the short forms of a field: parted by blanks or commas, in small letters, each once. Raises WordError."""
    abbreviations = list(dict.fromkeys(text.lower().replace(",", " ").split()))
    if len(abbreviations) > _MOST_SHORTS:
        raise WordError(f"{len(abbreviations)} short forms are too many; {_MOST_SHORTS} are kept.")
    if long := next((one for one in abbreviations if len(one) > _LONGEST), ""):
        raise WordError(f"“{long[:30]}…” is too long for a short form.")
    return abbreviations


@transaction.atomic
def save(
    *, area: Area, person: Person, word_id: int | None, book_id: int, word: str, abbreviations: list[str], context_words: list[str],
    status: str, meaning: str, owner: Person | None = None,
) -> BookWord:  # fmt: skip
    """Add a word, or change one. Raises WordError where the wordbook has it already or a field can't be kept."""
    word = " ".join(word.replace("\x00", "").split())
    if not word or len(word) > _LONGEST:
        raise WordError("A word is needed." if not word else f"The word is too long; {_LONGEST} letters are kept.")
    if len(meaning) > _LONGEST_MEANING:
        raise WordError(f"The meaning is too long; {_LONGEST_MEANING:,} letters are kept.")
    if status not in BookWord.Status.values:
        raise WordError("There is no such status.")
    book = Wordbook.objects.filter(area=area, pk=book_id).first()
    if book is None:
        raise WordError("The wordbook is no longer there. Load the page again.")
    item = BookWord(wordbook=book)
    if word_id is not None:
        found = BookWord.objects.select_for_update(of=("self",)).filter(pk=word_id, wordbook__area=area).first()
        if found is None:
            raise WordError("The word is no longer there. Load the page again.")
        item = found
    other = BookWord.objects.filter(wordbook=book, word__iexact=word).exclude(pk=item.pk).first()
    if other:
        raise WordError(f"“{other.word}” is in {book.name} already. Give it the short form, or merge the two.")
    with remembered(area, person, f"“{word}”") as memory:
        memory.keep([item] if item.pk else [])
        item.wordbook, item.word, item.abbreviations, item.context_words = book, word, abbreviations, context_words
        item.status, item.meaning = status, meaning.replace("\x00", "").strip()
        item.owner, item.changed_by = owner, person
        item.save()
        memory.made([item])
    return item


@transaction.atomic
def merge(*, area: Area, person: Person, keep_id: int, drop_id: int) -> BookWord:
    """Merge one word into another: it gives its short forms, and its meaning where the other has none, and goes."""
    found = {
        one.pk: one
        for one in BookWord.objects.select_for_update(of=("self",)).filter(
            pk__in=[keep_id, drop_id], wordbook__area=area
        )
    }
    if len(found) != 2:
        raise WordError("One of the two is no longer there. Load the page again.")
    keep, drop = found[keep_id], found[drop_id]
    with remembered(area, person, f"“{drop.word}” merged into “{keep.word}”") as memory:
        memory.keep([keep, drop])
        _merge(keep, drop, person)
    return keep


def _merge(keep: BookWord, drop: BookWord, person: Person) -> None:
    keep.abbreviations = list(dict.fromkeys([*keep.abbreviations, *drop.abbreviations]))
    keep.context_words = (
        list(dict.fromkeys([*keep.context_words, *drop.context_words]))
        if keep.context_words and drop.context_words
        else []
    )
    keep.meaning = keep.meaning or drop.meaning
    keep.owner, keep.changed_by = keep.owner or drop.owner, person
    drop.delete()
    keep.save()


@transaction.atomic
def learn(
    *, book: Wordbook, person: Person | None, word: str, short: str, status: str = "agreed", context_words: Sequence[str] = (),
    memory: Memory | None = None,
) -> tuple[BookWord, bool]:  # fmt: skip
    """Give a word of the wordbook a short form; make the word where it has none. Returns it, and whether that is new.

    `context_words`: the company in which the short form stands for it.
    Kept as a change of its own unless a memory is given.
    """
    if memory is None:
        with remembered(book.area, person, f"{short} is “{word}”") as own:
            return learn(
                book=book, person=person, word=word, short=short, status=status, context_words=context_words, memory=own
            )
    item = BookWord.objects.select_for_update().filter(wordbook=book, word__iexact=word).first()
    if item is None:
        item = BookWord.objects.create(
            wordbook=book,
            word=word,
            abbreviations=[short],
            context_words=list(context_words),
            status=status,
            changed_by=person,
        )
        memory.made([item])
        return item, True
    memory.keep([item])
    new = short not in item.abbreviations
    if new:
        item.abbreviations = [*item.abbreviations, short]
    # A word that is meant everywhere so far, and has other short forms, needs no company for them.
    if context_words and (item.context_words or item.abbreviations == [short]):
        item.context_words = list(dict.fromkeys([*item.context_words, *context_words]))
    item.status, item.changed_by = status, person
    item.save()
    return item, new


def unlearn(item: BookWord, short: str) -> None:
    """Take a short form from a word; a word that has no other and no meaning goes with it."""
    if short not in item.abbreviations:
        return
    item.abbreviations = [one for one in item.abbreviations if one != short]
    if item.abbreviations or item.meaning:
        item.save()
    else:
        item.delete()


@transaction.atomic
def take_in(*, book: Wordbook, person: Person | None, reading: Reading) -> tuple[int, int]:
    """Add what a list says: words that are new, and short forms that are new to a word. Returns how many of each."""
    there = {one.word.lower(): one for one in BookWord.objects.select_for_update().filter(wordbook=book)}
    new, changed = [], []
    with remembered(book.area, person, f"Words imported into {book.name}") as memory:
        for entry in reading.wordbook.words:
            known = there.get(entry.word.lower())
            if known is None:
                new.append(
                    BookWord(
                        wordbook=book,
                        word=entry.word[:_LONGEST],
                        abbreviations=list(entry.abbreviations),
                        changed_by=person,
                    )
                )
            elif more := [short for short in entry.abbreviations if short not in known.abbreviations]:
                memory.keep([known])
                known.abbreviations, known.changed_by = [*known.abbreviations, *more], person
                changed.append(known)
        memory.made(BookWord.objects.bulk_create(new, batch_size=2_000))
        BookWord.objects.bulk_update(changed, ["abbreviations", "changed_by"], batch_size=2_000)
    return len(new), len(changed)


@transaction.atomic
def set_status(*, area: Area, person: Person, word_ids: Sequence[int], status: str) -> int:
    """Give words another status, as one change. Returns how many had another one."""
    if status not in BookWord.Status.values:
        raise WordError("There is no such status.")
    words = list(
        BookWord.objects.select_for_update(of=("self",))
        .filter(pk__in=word_ids, wordbook__area=area)
        .exclude(status=status)
    )
    with remembered(area, person, f"{len(words)} words {status}") as memory:
        memory.keep(words)
        for one in words:
            one.status, one.changed_by = status, person
        BookWord.objects.bulk_update(words, ["status", "changed_by"], batch_size=2_000)
    return len(words)


# the stack ----------------------------------------------------------------------------------------------------------------


@transaction.atomic
def move(*, area: Area, book_id: int, by: int) -> None:
    """Move a wordbook up (-1) or down (1) in the area's stack."""
    uses = list(WordbookUse.objects.select_for_update().filter(area=area))
    at = next((at for at, use in enumerate(uses) if use.wordbook_id == book_id), None)
    if at is None or not 0 <= at + by < len(uses):
        return
    uses[at], uses[at + by] = uses[at + by], uses[at]
    for rank, use in enumerate(uses):
        use.rank = rank
    WordbookUse.objects.bulk_update(uses, ["rank"])


@transaction.atomic
def use(*, area: Area, person: Person, book_id: int) -> Wordbook:
    """Use another area's wordbook, below all that are used. The person must be of that area. Raises WordError."""
    book = Wordbook.objects.filter(pk=book_id, area__memberships__person=person).exclude(area=area).first()
    if book is None:
        raise WordError("There is no such wordbook in an area that you are in.")
    rank = WordbookUse.objects.filter(area=area).count()
    WordbookUse.objects.get_or_create(area=area, wordbook=book, defaults={"rank": rank})
    return book


def usable(area: Area, person: Person) -> QuerySet[Wordbook]:
    """Return the wordbooks of other areas that the person is in, which this area does not use yet."""
    return (
        Wordbook.objects.filter(area__memberships__person=person)
        .exclude(area=area)
        .exclude(uses__area=area)
        .select_related("area")
        .distinct()
    )


@transaction.atomic
def rename_book(*, area: Area, book_id: int, name: str) -> None:
    """Give an own wordbook another name. Raises WordError where there is one of that name."""
    name = " ".join(name.replace("\x00", "").split())[:80]
    if not name or Wordbook.objects.filter(area=area, name__iexact=name).exclude(pk=book_id).exists():
        raise WordError("Give the wordbook a name of its own.")
    Wordbook.objects.filter(area=area, pk=book_id).update(name=name)


@transaction.atomic
def remove(*, area: Area, book_id: int) -> str:
    """Take a wordbook out of the stack; an own one must be empty and goes for good. Returns its name. Raises WordError."""
    used = WordbookUse.objects.select_related("wordbook").filter(area=area, wordbook_id=book_id).first()
    if used is None:
        raise WordError("The wordbook is no longer there. Load the page again.")
    book = used.wordbook
    if book.area_id != area.pk:
        used.delete()
        return book.name
    others = WordbookUse.objects.filter(wordbook=book).exclude(area=area).select_related("area")
    if others:
        raise WordError(f"{book.name} is used by {', '.join(one.area.name for one in others[:3])}.")
    if book.words.exists():
        raise WordError(f"{book.name} has words. Merge or move them first, or keep it.")
    book.delete()
    return book.name
