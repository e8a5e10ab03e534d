"""Any name into its words: at marks, where the case changes, and inside what is run together.

Marks and case settle most names. A piece that has neither, `lastlogindate`, is taken apart at least cost: each word costs
the logarithm of its rarity, in the wordbook, in the names that are split together, and in the general lexicon. Every piece
is worked out once.
"""

from __future__ import annotations

import math
import re
from collections import Counter
from collections.abc import Callable, Iterable, Mapping
from typing import TypeAlias

from indexa.core.naming.lexicon import Lexicon, general

PIECES = re.compile(r"[A-Z]{2,}[a-z]+|[A-Z]?[a-z]+|[A-Z]+|\d+")
_PIECES_OF_ANY_SCRIPT = re.compile(r"[^\W\d_]+|\d+")
_WITH_DIGITS = re.compile(r"[^\W_]+")
_LETTERS_AND_DIGITS = re.compile(r"\d+|[^\W\d_]+")

_UNKNOWN, _UNKNOWN_LETTER = 6.5, 2.8
_SHORT = {1: 5.0, 2: 2.6, 3: 1.0}
"""What short words cost more: almost any letters can be read as a row of them."""
_WORD = 1.0
_OWN = 5.0
"""What a word or short form of the wordbooks costs at least."""
_OF_THE_SCHEMA = 0.6
"""The share of what is expected that the names split together decide, against the lexicon's."""
_LAST_LETTER = 4.0
_PLURAL = 4.0
_CASE_AGAINST = 2.5
_BEGINNINGS, _ENDS = frozenset(("un", "re", "dis", "mis")), frozenset(("ability", "ness", "ization", "isation"))
_LONG_WORD, _STEM = 6, 4
_MOST_LETTERS = 120
"""A longer piece is no name: it stays whole."""


_Found: TypeAlias = "tuple[str, ...] | None"


class Splitter:
    """Splits names, given the words of wordbooks (`own`, in small letters) and what is known of the schema."""

    def __init__(self, own: Iterable[str] = (), lexicon: Lexicon | None = None) -> None:
        self.lexicon = lexicon or general()
        self._own = frozenset(own)
        rarity = math.log(max(1, len(self._own)))
        # Almost any word is a row of the short forms of a large wordbook: the more there are, the more each costs.
        self._own_cost, self._short_share = max(_OWN, rarity), min(1.0, 0.5 + rarity / 60)
        self._costs: Mapping[str, float] = self.lexicon.costs
        self._longest = max(self.lexicon.longest, max(map(len, self._own), default=0))
        self._memo, self._runs = _Memo(self._words_of), _Memo(self._run_with_digits)

    def split(self, name: str) -> list[str]:
        """Return the words of a name in small letters; a name without letters and digits has none."""
        memo = self._memo
        words: list[str] = []
        if not name.isascii():
            return self._split_any_script(name)
        for piece in PIECES.findall(name):
            found = memo[piece]
            if found is None:
                return self._split_with_digits(name)
            words += found
        return words

    def learn(self, names: Iterable[str]) -> None:
        """Take the words of these names, which belong together, as more likely from now on.

        They are split with what is known so far, and their words counted: once for each different name.
        """
        counts: Counter[str] = Counter()
        for name in dict.fromkeys(names):
            counts.update({word for word in self.split(name) if word.isalpha()})
        total = sum(counts.values())
        if not total:
            return
        costs = dict(self.lexicon.costs)
        for word, count in counts.items():
            known = self.lexicon.costs.get(word)
            if known is None and (count < 2 or len(word) < 2):
                continue
            rarity = math.exp(-known) if known is not None else 0.0
            rarer = costs[word] = -math.log((1 - _OF_THE_SCHEMA) * rarity + _OF_THE_SCHEMA * count / total)
            if len(word) > 3 and word[-1] != "s":
                costs.setdefault(f"{word}s", rarer + _PLURAL)
        self._costs = costs
        self._memo, self._runs = _Memo(self._words_of), _Memo(self._run_with_digits)

    # pieces ------------------------------------------------------------------------------------------------------

    def _words_of(self, piece: str) -> tuple[str, ...] | None:
        if piece.isdigit():
            return None
        small = piece.lower()
        if len(piece) > 2 and piece[1].isupper() and piece[-1].islower():
            return self._capitals_and_small(piece)
        if len(small) <= 2 or small in self._own or len(small) > _MOST_LETTERS:
            return (small,)
        return self._segment(small)[0]

    def _capitals_and_small(self, piece: str) -> tuple[str, ...]:
        """Read HTTPServer, URLs, SSLproxy: the last capital begins the next word, or the row of capitals is a word."""
        capitals = next(at for at, letter in enumerate(piece) if letter.islower())
        small = piece.lower()
        if small in self.lexicon.mixed:
            return (small,)
        if piece[capitals:] == "s" and capitals > 1:
            return (small,)
        choices = []
        for at, against in ((capitals - 1, 0.0), (capitals, _CASE_AGAINST)):
            first, first_cost = self._segment(small[:at])
            second, second_cost = self._segment(small[at:])
            choices.append((first_cost + second_cost + against, (*first, *second)))
        return min(choices)[1]

    def _segment(self, piece: str) -> tuple[tuple[str, ...], float]:
        """Take letters apart at least cost; return the words and what they cost."""
        costs, own, size = self._costs, self._own, len(piece)
        own_cost, short_share = self._own_cost, self._short_share
        if size <= 2:
            return (piece,), self._cost(piece)
        best = [0.0] + [math.inf] * size
        back = [0] * (size + 1)
        longest = self._longest
        for end in range(1, size + 1):
            for start in range(max(0, end - longest), end):
                word = piece[start:end]
                cost = costs.get(word)
                if word in own:
                    cost = own_cost + short_share * _SHORT.get(end - start, 0.0)
                elif cost is None:
                    cost = _UNKNOWN + _UNKNOWN_LETTER * (end - start) + _SHORT.get(end - start, 0.0)
                else:
                    cost += _SHORT.get(end - start, 0.0)
                cost += best[start] + _WORD
                if end - start == 1 and end == size:
                    cost += _LAST_LETTER
                if cost < best[end]:
                    best[end], back[end] = cost, start
        words: list[str] = []
        end = size
        while end:
            words.append(piece[back[end] : end])
            end = back[end]
        words.reverse()
        return self._whole(words), best[size]

    def _whole(self, words: list[str]) -> tuple[str, ...]:
        """Put beginnings and ends that are no words of their own back to their word: un|subscription, exploit|ability."""
        at = len(words) - 1
        while at > 0:
            before, word = words[at - 1], words[at]
            begins = before in _BEGINNINGS and len(word) >= _LONG_WORD and word in self.lexicon.costs
            if (
                (begins or (word in _ENDS and len(before) >= _STEM))
                and before not in self._own
                and word not in self._own
            ):
                words[at - 1 : at + 1] = [before + word]
            at -= 1
        return tuple(words)

    def _cost(self, word: str) -> float:
        cost = self._costs.get(word)
        if cost is None:
            cost = _UNKNOWN + _UNKNOWN_LETTER * len(word)
        return cost + _WORD + _SHORT.get(len(word), 0.0)

    # the rarer kinds of names --------------------------------------------------------------------------------------

    def _split_with_digits(self, name: str) -> list[str]:
        """Split a name with digits in it: md5 and ipv4 are words, address2 is two."""
        words: list[str] = []
        for run in _WITH_DIGITS.findall(name):
            words += self._runs[run] or ()
        return words

    def _run_with_digits(self, run: str) -> tuple[str, ...]:
        if run.lower() in self._own:
            return (run.lower(),)
        words: list[str] = []
        at = 0
        for found in self.lexicon.alphanumeric.finditer(run):
            words += self._plain_run(run[at : found.start()])
            words.append(found[0].lower())
            at = found.end()
        return (*words, *self._plain_run(run[at:]))

    def _plain_run(self, run: str) -> list[str]:
        words: list[str] = []
        pieces = PIECES.findall(run)
        at = 0
        while at < len(pieces):
            joined = pieces[at] + pieces[at + 1] if at + 1 < len(pieces) else ""
            if joined.lower() in self._own and (pieces[at].isdigit() or pieces[at + 1].isdigit()):
                words.append(joined.lower())
                at += 2
                continue
            words += self._memo[pieces[at]] or (pieces[at],)
            at += 1
        return words

    def _split_any_script(self, name: str) -> list[str]:
        """Split a name in any script at its marks, its digits, and where a small letter meets a capital."""
        words: list[str] = []
        for piece in _PIECES_OF_ANY_SCRIPT.findall(name):
            if piece.isascii():
                words += self._plain_run(piece)
                continue
            start = 0
            for at in range(1, len(piece)):
                if piece[at].isupper() and (piece[at - 1].islower() or piece[at + 1 : at + 2].islower()):
                    words.append(piece[start:at].lower())
                    start = at
            words.append(piece[start:].lower())
        return words


class _Memo(dict[str, _Found]):
    """The words of each piece, worked out when it is first asked for; None for digits, which need their neighbours."""

    def __init__(self, work_out: Callable[[str], _Found]) -> None:
        self._work_out = work_out

    def __missing__(self, piece: str) -> _Found:
        found = self[piece] = self._work_out(piece)
        return found
