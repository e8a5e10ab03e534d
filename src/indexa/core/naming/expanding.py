"""Names to business names: each short form told in full, by the wordbooks first, then by what the schema itself says."""

from __future__ import annotations

import math
from collections.abc import Sequence

import msgspec

from indexa.core.naming.evidence import CONNECTING, Candidate, Join, Place, SchemaEvidence, comment_words, in_comment
from indexa.core.naming.inflecting import singular
from indexa.core.naming.lexicon import Lexicon, general
from indexa.core.naming.splitting import Splitter
from indexa.core.naming.wordbook import Stack

_TABLE_PREFIXES = frozenset("tbl tb vw vew".split())


class Part(msgspec.Struct, array_like=True):
    """One word of a name and what it becomes, in small letters, `_` within a phrase; `as_written` as people wrote it."""

    word: str
    full: str
    confidence: float = 1.0
    settled: bool = True
    as_written: bool = False


class Expansion(msgspec.Struct, frozen=True):
    """A business name for a name, put together of its parts."""

    name: str
    table: str
    words: tuple[str, ...]
    business_name: str
    confidence: float
    parts: tuple[Part, ...] = ()
    open: tuple[str, ...] = ()
    """Words of the name that nobody has settled: unknown or ambiguous."""


class Expander:
    """Expands names that belong together: what one of them teaches helps the others."""

    def __init__(self, places: Sequence[Place], stack: Stack | None = None, joins: Sequence[Join] = ()) -> None:
        self._lexicon = general()
        self.stack = stack or Stack()
        self.splitter = Splitter(self.stack.abbreviations(), self._lexicon)
        self.splitter.learn(place.name for place in places)
        self.evidence = SchemaEvidence(places, self.splitter, joins)
        self._common_prefix = _common_prefix(places, self.evidence.words)
        self._table_words = {
            table: frozenset(self.splitter.split(table)) for table in {place.table for place in places if place.table}
        }

    def expand_all(self) -> list[Expansion]:
        """Return the business names of all places in their order."""
        memo: dict[Place, Expansion] = {}
        found = []
        for place, words in zip(self.evidence.places, self.evidence.words, strict=True):
            expansion = memo.get(place)
            if expansion is None:
                expansion = memo[place] = self._expand(place, words)
            found.append(expansion)
        return found

    def _expand(self, place: Place, words: list[str]) -> Expansion:
        text = words
        if not place.table and len(words) > 1 and (words[0] in _TABLE_PREFIXES or words[0] == self._common_prefix):
            text = words[1:]
        message = comment_words(place.comment) if place.comment else []
        company = self._company(place, words)
        parts = [self._word(word, at, text, place, message, company) for at, word in enumerate(text)]
        return Expansion(
            place.name,
            place.table,
            tuple(words),
            business_name(parts, self._lexicon),
            round(math.prod(part.confidence for part in parts), 3),
            tuple(parts),
            still_open(parts),
        )

    def table_words(self, table: str) -> frozenset[str]:
        """Return the words of a table's name: the company of all its columns."""
        return self._table_words.get(table, frozenset())

    def _company(self, place: Place, words: list[str]) -> frozenset[str]:
        return self.table_words(place.table) | frozenset(words)

    def _word(
        self, word: str, at: int, words: list[str], place: Place, said: list[str], company: frozenset[str]
    ) -> Part:
        """Return what a word of a name becomes, how sure that is, and whether it is settled."""
        entry, certain = self.stack.choose(word, company)
        if entry is not None:
            return Part(
                word, entry.word, 1.0 if certain else 0.5, certain and entry.status == "agreed", as_written=True
            )
        if word == "no" and words[at + 1 : at + 2] == ["of"]:
            return Part(word, "number", 0.97)
        if word == "no" and (at == 0 or _is_boolean(place.type)):
            return Part(word, word, 0.9)
        if not self.evidence.is_short(word):
            if word in said or self.evidence.is_full(word) or not word.isalpha() or word in self._lexicon.acronyms:
                return Part(word, word, 0.99)
            return Part(word, word, 0.6, settled=len(word) == 1)
        if word in said and word not in self._lexicon.short_forms:
            return Part(word, word, 0.7, settled=False)
        neighbours = [*words[at + 1 : at + 3], *words[max(0, at - 2) : at]]
        best = self._best(word, place, said, company, neighbours, last=at == len(words) - 1 and len(words) > 1)
        if best is None:
            return Part(word, word, 0.3, settled=False)
        return Part(word, best.word, round(best.confidence, 3), settled=False)

    def _best(
        self, word: str, place: Place, said: list[str], company: frozenset[str], neighbours: list[str], *, last: bool
    ) -> Candidate | None:
        """Weigh the schema's candidates with what this name's own comment, table and type say."""
        scores: dict[str, float] = {one.word: one.score for one in self.evidence.candidates(word)}
        for full, value in in_comment(word, said, self._lexicon):
            if value >= 0.5 or full in scores:
                scores[full] = max(scores.get(full, -1.0), -0.5) + 4.0 * value
        for neighbour in neighbours:
            meant = self._lexicon.context_words.get((word, neighbour))
            if meant is not None:
                scores[meant] = max(scores.get(meant, 1.0), 1.0) + 2.5
        for full in scores:
            if full in company or full + "s" in company:
                scores[full] += 1.5
            scores[full] += _by_type(full, place.type) - (1.5 if last and full in _LEADING else 0.0)
        if not scores:
            return None
        full = max(scores, key=lambda one: scores[one])
        total = sum(math.exp(min(score, 30)) for score in scores.values()) + math.exp(2.2)
        confidence = math.exp(min(scores[full], 30)) / total
        return Candidate(word, full, scores[full], [], confidence) if scores[full] > 1.0 else None


def _common_prefix(places: Sequence[Place], words: Sequence[list[str]]) -> str:
    """Return the word with which nearly all tables begin, as a product's own prefix; "" where there is none."""
    tables = {place.name: split for place, split in zip(places, words, strict=True) if not place.table}
    if len(tables) < 5:
        return ""
    first = [split[0] for split in tables.values() if len(split) > 1]
    if not first:
        return ""
    word = max(set(first), key=first.count)
    return word if first.count(word) >= 0.85 * len(tables) else ""


def _is_boolean(type_: str) -> bool:
    return type_.lower().startswith(("bool", "bit", "tinyint(1)"))


_LEADING = frozenset(
    "current default original internal international external estimated previous maximum minimum effective expected general "
    "regular public private special temporary primary secondary".split()
)
"""Words that stand before another: the last word of a name is rarely one of them."""
_DATES = frozenset("date datetime timestamp expiration expiry effective start begin birth".split())
_TEXTS = frozenset("description name address comment remark title".split())
_NUMBERS = frozenset("number count amount quantity price rate percent percentage average total minimum maximum".split())


def _by_type(word: str, type_: str) -> float:
    """Return what the column's type says for a word or against it."""
    type_ = type_.lower()
    if not type_:
        return 0.0
    temporal = type_.startswith(("date", "time", "smalldatetime"))
    textual = "char" in type_ or "text" in type_ or "clob" in type_
    if temporal:
        return 0.5 if word in _DATES else -0.7 if word in _TEXTS or word in _NUMBERS else 0.0
    if textual:
        return 0.3 if word in _TEXTS else -0.5 if word in ("count", "amount", "quantity") else 0.0
    return -0.7 if word in _TEXTS or word in ("timestamp", "date") else 0.2 if word in _NUMBERS else 0.0


def business_name(parts: Sequence[Part], lexicon: Lexicon | None = None) -> str:
    """Put a business name together: capitals but for connecting words within, acronyms in capitals."""
    lexicon = lexicon or general()
    text = []
    for at, part in enumerate(parts):
        if part.as_written:
            text.append(part.full)
            continue
        inner = 0 < at < len(parts) - 1
        for number, one in enumerate(part.full.split("_")):
            text.append(business_word(one, lexicon, inner=inner or number > 0, given=one != part.word))
    return " ".join(text)


def still_open(parts: Sequence[Part]) -> tuple[str, ...]:
    """Return the words that nobody has settled, each once."""
    return tuple(dict.fromkeys(part.word for part in parts if not part.settled))


def business_word(word: str, lexicon: Lexicon, *, inner: bool = False, given: bool = False) -> str:
    """Return one word in small letters as it is written within a business name.

    An acronym is in capitals, its plural as well but for the s. A short word that nobody knows (vlr) is taken for an acronym.
    `inner` words may be connecting words; `given` says that the word is a full form already.
    """
    if word in CONNECTING and inner:
        return word
    if word in lexicon.acronyms:
        return word.upper()
    if (
        word.endswith("s")
        and word[:-1] in lexicon.acronyms
        and len(word) > 2
        and (word not in lexicon.plain or word == "ids")
    ):
        return word[:-1].upper() + "s"
    if any(letter.isdigit() for letter in word) and len(word) <= 6:
        return word.upper()
    unknown = not given and 1 < len(word) <= 4 and word.isascii() and not _is_plain(word, lexicon)
    if unknown and (len(word) <= 3 or not set(word) & set("aeiouy")):
        return word.upper()
    return word[:1].upper() + word[1:]


def _is_plain(word: str, lexicon: Lexicon) -> bool:
    return word in lexicon.plain or singular(word) in lexicon.plain
