"""Many names at once to business names by the wordbooks alone: each piece of a name is looked up once."""

from __future__ import annotations

from collections.abc import Iterable

from indexa.core.naming.expanding import business_word
from indexa.core.naming.splitting import PIECES, Splitter
from indexa.core.naming.wordbook import Stack


class Translator:
    """Tells names in business words as far as the wordbooks go; other words stay, with a capital.

    A short form that stands for several words is chosen by its company in the name.
    """

    def __init__(self, stack: Stack, splitter: Splitter | None = None) -> None:
        self._stack = stack
        self._splitter = splitter or Splitter(stack.abbreviations())
        self._pieces = _Told(self)

    def translate_all(self, names: Iterable[str]) -> list[str]:
        """Return the business names in the order of the names."""
        pieces, text, find = self._pieces, [], PIECES.findall
        seen: dict[str, str] = {}
        for name in names:
            made = seen.get(name)
            if made is None:
                words = [pieces[piece] for piece in find(name)] if name.isascii() else [None]
                made = seen[name] = self.translate(name) if None in words else " ".join(words)  # type: ignore[arg-type]
            text.append(made)
        return text

    def translate(self, name: str) -> str:
        """Return the business name of one name."""
        words = self._splitter.split(name)
        return " ".join([self._word(word, words) for word in words])

    def _word(self, word: str, company: list[str]) -> str:
        entry, _ = self._stack.choose(word, company)
        return entry.word if entry else business_word(word, self._splitter.lexicon)

    def piece(self, piece: str) -> str | None:
        """Return what a piece becomes wherever it stands; None where that depends on the rest of the name."""
        if piece.isdigit():
            return None
        words = self._splitter.split(piece)
        for word in words:
            meanings = self._stack.meanings(word)
            if len(meanings) > 1 or (meanings and meanings[0].context_words):
                return None
        return " ".join([self._word(word, words) for word in words])


class _Told(dict[str, "str | None"]):
    """What each piece becomes, worked out when it is first met."""

    def __init__(self, translator: Translator) -> None:
        self._translator = translator

    def __missing__(self, piece: str) -> str | None:
        text = self[piece] = self._translator.piece(piece)
        return text
