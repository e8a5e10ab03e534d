"""The names of a model held against a standard: findings with rule, place, why, and the name it should have."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Sequence
from functools import lru_cache, partial

import msgspec

from indexa.core.model import Model
from indexa.core.naming.evidence import CONNECTING
from indexa.core.naming.inflecting import plural, singular
from indexa.core.naming.limits import longest, reserved
from indexa.core.naming.making import Maker, class_word_last, written
from indexa.core.naming.objects import Named, named_objects
from indexa.core.naming.patterns import Pattern, PatternError, Renderer
from indexa.core.naming.server_made import made_by_server
from indexa.core.naming.splitting import Splitter
from indexa.core.naming.standard import SEVERITIES, Kind, Rule, Severity, Standard
from indexa.core.naming.wordbook import Stack

RULES = {
    "empty": "A name has at least one letter.",
    "characters": "Only the letters that the standard allows.",
    "case": "Capitals and small letters, and the mark between words.",
    "length": "No longer than the standard or the platform allows.",
    "reserved": "No word that is the platform's own.",
    "doubled": "One name once within its table or schema.",
    "prefix": "The prefix and suffix that the standard asks for.",
    "short form": "The short form that the wordbook prefers, or the word in full where the standard asks for that.",
    "unknown word": "Only words that stand in the wordbook.",
    "ambiguous": "No short form that stands for several words.",
    "class word": "A class word at the end: what kind of value it is.",
    "number": "One or many, as the standard asks.",
    "pattern": "Keys and indexes are named by their pattern.",
}
"""Id of each rule, with what it asks."""


class Finding(msgspec.Struct, frozen=True, kw_only=True):
    """A name that a rule speaks against. `should` is the name it should have, "" where that is a person's to say."""

    rule: str
    severity: Severity
    kind: str
    place: str
    name: str
    why: str
    should: str = ""
    table: str = ""

    @property
    def fingerprint(self) -> str:
        """What is the same from one check to the next, for baselines and waivers."""
        return f"{self.rule}|{self.kind}|{self.place}"


class _Alike:
    """Objects of one scope for which a pattern asks the same name, with the numbered names that they should have."""

    def __init__(self) -> None:
        self.names: list[str] = []
        self.contexts: list[dict[str, object]] = []
        self.failure: PatternError | None = None
        self._asked: list[str] = []

    def number(self, made: Sequence[str | PatternError], within: Callable[[str], str]) -> None:
        """Take the names that the pattern makes with running numbers."""
        self.failure = next((one for one in made if isinstance(one, PatternError)), None)
        asked = [within(name) for name in made if isinstance(name, str)]
        if len(set(asked)) < len(asked):  # the pattern does not count itself
            asked = [within(f"{name}_{at + 1}" if at else name) for at, name in enumerate(asked)]
        self._asked = asked
        taken, right = set(self.names), set(asked)
        wrong = [name for name in self.names if name not in right]
        free = [name for name in asked if name not in taken]
        free += [(free or asked)[0]] * (len(wrong) - len(free)) if wrong else []
        self._should: dict[str, str] = {}
        for name, should in zip(wrong, free, strict=False):
            self._should.setdefault(name, should)

    def allows(self, name: str) -> bool:
        """Say whether a name is one that the pattern asks for."""
        return name not in self._should or re.sub(r"_?\d+$", "", name) == self._asked[0]

    def should(self, name: str) -> str:
        """Return the name that one should have that is not allowed: one that none of the others has."""
        return self._should[name]


class Checker:
    """Checks names of one model against one standard; the templates of its patterns are the renderer's to run."""

    def __init__(self, standard: Standard, stack: Stack | None = None, *, renderer: Renderer) -> None:
        self.standard = standard
        self.stack = stack or Stack([standard.wordbook])
        self._maker = Maker(standard, self.stack)
        self._splitter = Splitter(self.stack.abbreviations())
        self._reserved = reserved(standard.platform)
        self._patterns = {
            kind: Pattern(rule.pattern, renderer) for kind, rule in standard.rules.items() if rule.pattern
        }

    def check(self, model: Model) -> list[Finding]:
        """Return the findings of a model in the order of its objects."""
        objects = list(named_objects(model))
        self._count_alike(objects)
        self._splitter.learn(
            one.name for one in objects if one.kind in ("table", "view", "column", "entity", "attribute")
        )
        found = [finding for one in objects if one.kind in self.standard.rules for finding in self._check(one)]
        return found + self._doubled(objects)

    def should(self, one: Named) -> str:
        """Return the name that an object should have by its words."""
        rule = self.standard.rules[one.kind]
        text, *_ = self._run(self._splitter.split(one.name), rule, one.table)
        return self._should(one, rule, text)

    def _finding(self, rule: str, one: Named, why: str, should: str = "") -> Iterable[Finding]:
        severity = self.standard.severities.get(rule, self.standard.rules[one.kind].severity)
        if severity != "off":
            yield Finding(
                rule=rule, severity=severity, kind=one.kind, place=one.place, name=one.name, why=why,
                should=should if should != one.name else "", table=one.table,
            )  # fmt: skip

    def _check(self, one: Named) -> Iterable[Finding]:
        rule = self.standard.rules[one.kind]
        if not one.name.strip():
            yield from self._finding("empty", one, "It has no name.")
            return
        if one.kind in self._patterns:
            yield from self._by_pattern(one, rule)
            return
        yield from self._words(one, rule)

    def _count_alike(self, objects: Sequence[Named]) -> None:
        """Work out what the patterns ask: once for each object, and once more for each that others are alike with.

        Objects of one scope for which a pattern asks the same name are told apart by their running number.
        """
        patterned: dict[Kind, list[Named]] = {}
        for one in objects:
            if one.kind in self._patterns:
                patterned.setdefault(one.kind, []).append(one)
        self._asked: dict[int, str | PatternError] = {}
        """What the pattern makes of an object, by the object's identity: two may have the same place."""
        self._alike: dict[tuple[str, str, str], _Alike] = {}
        for kind, named in patterned.items():
            asked = self._patterns[kind].names([one.parts for one in named])
            for one, name in zip(named, asked, strict=True):
                self._asked[id(one)] = name
                if isinstance(name, str):
                    alike = self._alike.setdefault((kind, one.scope, name), _Alike())
                    alike.names.append(one.name)
                    alike.contexts.append(one.parts | {"number": len(alike.names)})
            within = partial(self.within, rule=self.standard.rules[kind])
            groups = [alike for (of, _, _), alike in self._alike.items() if of == kind]
            numbered = iter(self._patterns[kind].names([parts for alike in groups for parts in alike.contexts]))
            for alike in groups:
                alike.number([next(numbered) for _ in alike.contexts], within)

    def _by_pattern(self, one: Named, rule: Rule) -> Iterable[Finding]:
        if rule.leave_server_names and made_by_server(self.standard.platform, one.kind, one.name, one.parts):
            return
        asked = self._asked[id(one)]
        alike = self._alike[one.kind, one.scope, asked] if isinstance(asked, str) else None
        failure = alike.failure if alike else asked
        if alike is None or failure is not None:
            yield from self._finding("pattern", one, f"The pattern can't be used here. {failure}")
        elif not alike.allows(one.name):
            yield from self._finding("pattern", one, "The pattern asks for another name.", alike.should(one.name))

    def within(self, name: str, rule: Rule) -> str:
        """Return a patterned name within the longest length: each of its words loses letters in turn, from the longest on."""
        most = rule.max_length or longest(self.standard.platform)
        if not most or len(name) <= most:
            return name
        tokens = name.split("_")
        while len("_".join(tokens)) > most:
            at = max(range(len(tokens)), key=lambda place: (len(tokens[place]), place))
            if len(tokens[at]) <= 1:
                return name[:most]
            tokens[at] = tokens[at][:-1]
        return "_".join(tokens)

    def _words(self, one: Named, rule: Rule) -> Iterable[Finding]:
        name = one.name
        body = name.removeprefix(rule.prefix) if rule.prefix else name
        body = body.removesuffix(rule.suffix) if rule.suffix else body
        words = self._splitter.split(body)
        text, unknown, ambiguous, wrong = self._run(words, rule, one.table)
        should = self._should(one, rule, text)
        if bad := sorted(set(re.findall(f"[^{rule.allowed}]", name))):
            shown = " ".join("space" if letter.isspace() else letter for letter in bad[:8])
            yield from self._finding("characters", one, f"It holds `{shown}`.", should)
        if not words:
            yield from self._finding("empty", one, "It has no letter and no digit.")
            return
        if (rule.prefix and not name.startswith(rule.prefix)) or (rule.suffix and not name.endswith(rule.suffix)):
            yield from self._finding("prefix", one, f"It should be `{rule.prefix}…{rule.suffix}`.", should)
        freed = body.removesuffix("_") if body.removesuffix("_").lower() in self._reserved else body
        if not bad and rule.case != "any" and not _is_written(rule, freed):
            shown = written(rule, ["first", "second"])
            yield from self._finding("case", one, f"It is not written like `{shown}`.", should)
        most = rule.max_length or longest(self.standard.platform)
        if most and len(name) > most:
            yield from self._finding("length", one, f"It has {len(name)} letters; {most} may be.", should)
        if name.lower() in self._reserved:
            yield from self._finding("reserved", one, "It is a word of the platform and must be quoted.", should)
        if wrong:
            message = ", ".join(f"`{was}` should be `{now}`" for was, now in wrong)
            yield from self._finding("short form", one, f"By the wordbook {message}.", should)
        if rule.known_words and unknown:
            yield from self._finding(
                "unknown word", one, f"The wordbook does not know {', '.join(f'`{word}`' for word in unknown)}."
            )
        for short, meanings in ambiguous:
            yield from self._finding("ambiguous", one, f"`{short}` stands for {' or '.join(meanings)}.")
        yield from self._ends(one, rule, text)

    def _ends(self, one: Named, rule: Rule, told: Sequence[tuple[str, str]]) -> Iterable[Finding]:
        if not told:
            return
        word = told[-1][0].lower().split(" ")[-1]
        if rule.class_words and word not in rule.class_words:
            ordered = class_word_last(rule, told)
            moved = self._should(one, rule, told) if ordered is not told else ""
            if moved and not moved.lower().endswith(f"{ordered[-1][1]}{rule.suffix}".lower()):
                moved = ""  # the length left no room for it
            yield from self._finding("class word", one, f"It ends with “{word}”, which is no class word.", moved)
        if rule.number != "any" and word.isalpha() and word not in CONNECTING:
            asked = singular(word) if rule.number == "singular" else plural(word)
            if asked != word:
                yield from self._finding("number", one, f"“{word}” should be “{asked}”.", self._should(one, rule, told))

    def _run(
        self, words: Sequence[str], rule: Rule, table: str
    ) -> tuple[list[tuple[str, str]], list[str], list[tuple[str, list[str]]], list[tuple[str, str]]]:
        """Return each word in full with the form it should have, unknown ones, ambiguous ones, and those in a wrong form."""
        text: list[tuple[str, str]] = []
        unknown: list[str] = []
        ambiguous: list[tuple[str, list[str]]] = []
        wrong: list[tuple[str, str]] = []
        company = {*words, *self._splitter.split(table)}
        for word in words:
            meanings = self.stack.meanings(word)
            entry, sure = self.stack.choose(word, company) if meanings else (self.stack.entry(word), True)
            if meanings and not sure:
                ambiguous.append((word, [one.word for one in meanings]))
                text.append((word, word))
                continue
            if entry is None:
                if word.isalpha():
                    unknown.append(word)
                text.append((word, word))
                continue
            full = entry.word.lower()
            if rule.form == "any":
                form = word
            elif rule.form == "full":
                form = full
            else:
                form = entry.abbreviations[0]
            if form != word and form != full.replace(" ", ""):
                wrong.append((word, form))
            text.append((full, form))
        return text, unknown, ambiguous, wrong

    def _should(self, one: Named, rule: Rule, told: Sequence[tuple[str, str]]) -> str:
        return self._maker.join(rule, told, one.name).name

    def _doubled(self, objects: Sequence[Named]) -> list[Finding]:
        """Find columns of one table, and tables and views of one schema, that differ by capitals only."""
        seen: dict[tuple[bool, str, str], str] = {}
        found: list[Finding] = []
        for one in objects:
            if one.kind not in self.standard.rules or one.kind not in _ONCE or not one.name:
                continue
            place = (one.kind in ("column", "attribute"), one.scope, one.name.lower())
            if place in seen:
                found += self._finding("doubled", one, f"`{seen[place]}` has the name as well, but for capitals.")
            seen.setdefault(place, one.place)
        return found


_ONCE = frozenset({"column", "attribute", "table", "view", "entity"})


@lru_cache(maxsize=64)
def _writing(case: str, separator: str) -> re.Pattern[str]:
    word = {
        "lower": r"[^\WA-Z_]+",
        "upper": r"[^\Wa-z_]+",
        "pascal": r"[A-Z0-9][A-Za-z0-9]*",
        "title": r"[A-Z0-9][A-Za-z0-9]*",
        "camel": r"[A-Za-z0-9]+",
    }[case]
    if case == "camel":
        first = r"[a-z][A-Za-z0-9]*"
        return re.compile(rf"{first}(?:{re.escape(separator)}{word})*" if separator else first)
    return re.compile(rf"{word}(?:{re.escape(separator)}{word})*" if separator else word)


def _is_written(rule: Rule, name: str) -> bool:
    """Say whether case and separators are the rule's; letters of other scripts count as of either case."""
    return _writing(rule.case, rule.separator).fullmatch(name) is not None


def check(model: Model, standard: Standard, stack: Stack | None = None, *, renderer: Renderer) -> list[Finding]:
    """Return the findings of a model under a standard."""
    return Checker(standard, stack, renderer=renderer).check(model)


def at_least(findings: Iterable[Finding], severity: Severity) -> list[Finding]:
    """Return the findings of this severity and above."""
    least = SEVERITIES.index(severity)
    return [one for one in findings if SEVERITIES.index(one.severity) >= least]
