"""Business names to physical names under a standard: short forms, case, separator, length, what is reserved or taken."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Sequence
from functools import cached_property

import msgspec

from indexa.core.naming.abbreviating import skeleton
from indexa.core.naming.inflecting import plural, singular
from indexa.core.naming.limits import longest, reserved
from indexa.core.naming.standard import Kind, Rule, Standard, Step
from indexa.core.naming.wordbook import Stack

_PARTS = re.compile(r"[^\W_]+")
_CUT_TO = 3
_DROPPED = frozenset({"of", "the", "a", "an"})
_MAY_GO = _DROPPED | {"and", "or", "in", "on", "at", "for", "with", "per"}
"""Words that say little: the first to go where a name is too long. From, to and by say more."""


class Made(msgspec.Struct, frozen=True):
    """A name, and what had to be done to it beyond joining words; each note is a sentence for people."""

    name: str
    notes: tuple[str, ...] = ()


class Maker:
    """Makes names of all kinds under one standard."""

    def __init__(self, standard: Standard, stack: Stack | None = None) -> None:
        self.standard = standard
        self.stack = stack or Stack([standard.wordbook])
        self._reserved = reserved(standard.platform)
        self._memo: dict[tuple[Kind, str], Made] = {}

    def rule(self, kind: Kind) -> Rule:
        """Return the rule of a kind, or the plain one."""
        return self.standard.rules.get(kind, self._plain)

    @cached_property
    def _plain(self) -> Rule:
        return Rule(form="any")

    def make(self, kind: Kind, business_name: str) -> Made:
        """Return the physical name for a business name; "" with a note where it holds no letter that may be used."""
        key = kind, business_name
        made = self._memo.get(key)
        if made is None:
            made = self._memo[key] = self._make(self.rule(kind), business_name)
        return made

    def make_all(self, kind: Kind, business_names: Sequence[str], taken: Iterable[str] = ()) -> list[Made]:
        """Return names that differ from each other and from those that are taken, in the order of the business names.

        The first keeps the name, the next ones have a running number at their end, within the longest length.
        """
        used = {name.lower() for name in taken}
        rule = self.rule(kind)
        most = rule.max_length or longest(self.standard.platform)
        made = []
        for business_name in business_names:
            one = self.make(kind, business_name)
            name, number = one.name, 1
            while name and name.lower() in used:
                number += 1
                ending = f"{rule.separator}{number}"
                kept = one.name[: most - len(ending)] if most else one.name
                name = kept.rstrip(rule.separator or None) + ending
            if number > 1:
                one = Made(name, (*one.notes, f"“{one.name}” is taken; it has the number {number}."))
            if name:
                used.add(name.lower())
            made.append(one)
        return made

    def _make(self, rule: Rule, business_name: str) -> Made:
        words = self.words(rule, business_name)
        words = [pair for pair in words if pair[0] not in _DROPPED] or words
        return self.join(rule, words, business_name)

    def words(self, rule: Rule, business_name: str) -> list[tuple[str, str]]:
        """Return the words of a business name in small letters, phrases of the wordbooks as one, each with what stands for it."""
        spoken = [word.lower() for word in _PARTS.findall(business_name)]
        found: list[tuple[str, str]] = []
        at = 0
        while at < len(spoken):
            for size in range(min(self.stack.longest_phrase, len(spoken) - at), 0, -1):
                phrase = " ".join(spoken[at : at + size])
                entry = self.stack.entry(phrase) or (self.stack.entry(singular(phrase)) if size == 1 else None)
                if entry is not None:
                    found.append((phrase, self.form(rule, phrase, entry.abbreviations[0])))
                    break
            else:
                size, word = 1, spoken[at]
                found.append((word, word))
            at += size
        return found

    def form(self, rule: Rule, word: str, short: str) -> str:
        """Return the form of a word that the rule asks for."""
        return word if rule.form == "full" else short

    def join(self, rule: Rule, words: Sequence[tuple[str, str]], business_name: str) -> Made:
        """Put words together as the rule asks, and see to what a name must not be."""
        notes: list[str] = []
        words = class_word_last(rule, words)
        if rule.number != "any" and words:
            words = self._in_number(rule, list(words))
        tokens = [token for _, text in words for token in _PARTS.findall(text)]
        tokens = [self._allowed(rule, token, notes) for token in tokens]
        tokens = [token for token in tokens if token]
        if not tokens:
            return Made("", (f"“{business_name}” has no letter that a name may have.",))
        if tokens[0][0].isdigit() and not rule.prefix:
            words, tokens = [("n", "n"), *words], ["n", *tokens]
            notes.append("It began with a digit.")
        most = rule.max_length or longest(self.standard.platform)
        room = most - len(rule.prefix) - len(rule.suffix) if most else 0
        name = written(rule, tokens)
        if room and len(name) > room:
            name = self._shortened(rule, words, tokens, room)
            notes.append(f"It would have {len(written(rule, tokens))} letters, {room} may be; it was shortened.")
        name = f"{rule.prefix}{name}{rule.suffix}"
        if name.lower() in self._reserved:
            notes.append(f"“{name}” is a word of the platform.")
            name = f"{name[: most - 1] if most else name}_"
        return Made(name, tuple(notes))

    def _in_number(self, rule: Rule, words: list[tuple[str, str]]) -> list[tuple[str, str]]:
        change = plural if rule.number == "plural" else singular
        word, text = words[-1]
        if " " not in word and text == word:
            words[-1] = (word, change(word))
        return words

    def _allowed(self, rule: Rule, token: str, notes: list[str]) -> str:
        if not token.isascii() and re.search(f"[^{rule.allowed}]", token):
            plain = unicodedata.normalize("NFKD", token.replace("ß", "ss").replace("ø", "o").replace("æ", "ae"))
            plain = "".join(letter for letter in plain if not unicodedata.combining(letter))
            if plain != token:
                notes.append(f"“{token}” is written “{plain}”.")
            token = plain
        kept = re.sub(f"[^{rule.allowed}]", "", token)
        if kept != token:
            notes.append(f"“{token}” has letters that a name may not have; “{kept}” is left.")
        return kept

    def _shortened(self, rule: Rule, words: Sequence[tuple[str, str]], tokens: list[str], room: int) -> str:
        """Shorten step by step, as the standard orders them, until the name fits; what is left is cut off."""
        pairs = list(words)
        for step in self.standard.shorten:
            tokens = self._step(step, rule, pairs, tokens, room)
            if len(written(rule, tokens)) <= room:
                return written(rule, tokens)
        return written(rule, tokens)[:room].rstrip(rule.separator or None)

    def _step(self, step: Step, rule: Rule, pairs: list[tuple[str, str]], tokens: list[str], room: int) -> list[str]:
        if step == "connecting words":
            return [token for token in tokens if token not in _MAY_GO] or tokens
        if step == "short forms":
            made = []
            for word, text in pairs:
                entry = self.stack.entry(word)
                made += _PARTS.findall(entry.abbreviations[0] if entry else text)
            return [re.sub(f"[^{rule.allowed}]", "", token) for token in made if token not in _MAY_GO] or tokens
        tokens = list(tokens)
        while len(written(rule, tokens)) > room:
            if step == "vowels":
                change = [at for at, token in enumerate(tokens) if len(skeleton(token)) < len(token)]
                if not change:
                    return tokens
                at = max(change, key=lambda one: (len(tokens[one]), one))
                tokens[at] = skeleton(tokens[at])
            else:
                at = max(range(len(tokens)), key=lambda one: (len(tokens[one]), one))
                if len(tokens[at]) <= _CUT_TO:
                    return tokens
                tokens[at] = tokens[at][:-1]
        return tokens


def class_word_last(rule: Rule, words: Sequence[tuple[str, str]]) -> Sequence[tuple[str, str]]:
    """Put the class word at the end where another word stands there and one, and only one, stands before it."""
    if not rule.class_words or not words or _class_word(words[-1][0]) in rule.class_words:
        return words
    places = [at for at, (word, _) in enumerate(words) if _class_word(word) in rule.class_words]
    if len(places) != 1:
        return words
    at = places[0]
    return [*words[:at], *words[at + 1 :], words[at]]


def _class_word(word: str) -> str:
    """Return the part of a word or phrase that tells its class: the last word."""
    return word.lower().rpartition(" ")[2]


def written(rule: Rule, tokens: Sequence[str]) -> str:
    """Join words in the rule's case with its separator."""
    if rule.case == "upper":
        tokens = [token.upper() for token in tokens]
    elif rule.case == "lower":
        tokens = [token.lower() for token in tokens]
    elif rule.case in ("pascal", "title"):
        tokens = [token[:1].upper() + token[1:].lower() for token in tokens]
    elif rule.case == "camel":
        tokens = [token[:1].upper() + token[1:].lower() if at else token.lower() for at, token in enumerate(tokens)]
    return rule.separator.join(tokens)
