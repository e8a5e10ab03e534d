"""Wordbooks: words, their short forms, status and meaning; several can be stacked, a department's above the company's."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from typing import Literal, TypeAlias

import msgspec

Status: TypeAlias = Literal["proposed", "agreed", "retired"]


class Word(msgspec.Struct, frozen=True, kw_only=True):
    """A word or a phrase as people write it, and its short forms in small letters, the preferred one first."""

    word: str
    abbreviations: tuple[str, ...] = ()
    status: Status = "agreed"
    meaning: str = ""
    context_words: tuple[str, ...] = ()
    """Words, as names have them, beside which this word is the one that is meant; empty where it needs no company."""


class Wordbook(msgspec.Struct, frozen=True, kw_only=True):
    """Words under one name."""

    name: str
    words: tuple[Word, ...] = ()


class Stack:
    """Wordbooks from the nearest to the most general: the first that knows a short form decides what it stands for."""

    def __init__(self, books: Sequence[Wordbook] = ()) -> None:
        self.books = tuple(books)
        self._by_short: dict[str, tuple[Word, ...]] = {}
        self._by_word: dict[str, Word] = {}
        for book in reversed(self.books):
            by_short: dict[str, list[Word]] = defaultdict(list)
            for word in book.words:
                if word.status == "retired":
                    continue
                for short in word.abbreviations:
                    by_short[short.lower()].append(word)
                if word.abbreviations:
                    self._by_word[word.word.lower()] = word
            self._by_short.update((short, tuple(words)) for short, words in by_short.items())
        self.longest_phrase = max((word.count(" ") + 1 for word in self._by_word), default=1)

    def __bool__(self) -> bool:
        return bool(self._by_short)

    def meanings(self, short: str) -> tuple[Word, ...]:
        """Return the words that a short form (in small letters) stands for; several where it is ambiguous."""
        return self._by_short.get(short, ())

    def entry(self, word: str) -> Word | None:
        """Return the entry of a word or phrase (in small letters) that has a short form."""
        return self._by_word.get(word)

    def abbreviations(self) -> Iterable[str]:
        """Return all short forms."""
        return self._by_short

    def ambiguous(self) -> dict[str, tuple[Word, ...]]:
        """Return the short forms that stand for several words."""
        return {short: words for short, words in self._by_short.items() if len(words) > 1}

    def choose(self, short: str, company: Iterable[str]) -> tuple[Word | None, bool]:
        """Return the word that is meant beside these words of the name and its table, and whether that is certain."""
        words = self.meanings(short)
        if len(words) == 1 and not words[0].context_words:
            return words[0], True
        near = set(company)
        called_for = [word for word in words if not near.isdisjoint(word.context_words)]
        if len(called_for) == 1:
            return called_for[0], True
        plain = [word for word in words if not word.context_words]
        if not called_for and len(plain) == 1:
            return plain[0], True
        likely = called_for or plain or list(words)
        return (likely[0] if likely else None), False
