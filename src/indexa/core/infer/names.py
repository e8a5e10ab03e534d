"""The names of a schema as words that can be compared, whatever marks, capitals, prefixes and short forms they have."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Collection, Iterable

from indexa.core.model import VIEW_KINDS, Model, Table
from indexa.core.naming.abbreviating import fit
from indexa.core.naming.inflecting import singular
from indexa.core.naming.splitting import Splitter
from indexa.core.naming.wordbook import Stack

KEY_WORDS = frozenset(
    "id ids code cd cod no num nr nbr number key fk pk sk ref uuid guid oid uid gid idx seq sid ident identifier identity "
    "rowid kod nummer numero codigo cle index link pid handle hash checksum digest".split()
)
"""Words at the end or beginning of a name that say it identifies something."""
ALWAYS_KEY_WORDS = frozenset("id ids pk fk sk uuid guid oid uid key ref rowid".split())
"""Those of them that are never what a name is about."""
_MARKERS = frozenset("tbl tab tb table dim fct fact mst lkp lkup lookup enum t rel xref ref fk pk".split())
"""Words before a table's name that say no more than what kind of table it is."""
_TEXT = re.compile(r"(n?(var)?char|character|text|string)", re.I)
_LENGTHS_SHARE = 0.2
_VOWEL = re.compile("[aeiouy]")
_TYPE_MARKS = frozenset(
    "i v t b d n c s f l ts dt int str vch vc txt num nb chr ch bol bln dat flt dbl lng dec jsn arr".split()
)
"""What stands before columns where their names tell their types."""
_MARKED_SHARE = 0.8
_LEAST_MARKS = 3
_PREFIX_SHARE = 0.6
_OWN_PREFIX_SHARE = 0.7
_FEW_COLUMNS = 2
_GOOD_FIT = 0.6
_MEANS_OTHERS = 0.6
"""What is left of a reading where the short form is known to mean other words."""
_LONG_WORD = 5

_MOST_INITIALS = 6
"""Letters that may stand for a table's words."""
_MOST_SPELLED = 3
_LEAST_OF_A_WORD = 4
_MOST_OF_ONE = 3
"""Letters that may stand for a table of one word."""
_HEADS = frozenset("header head hdr master mst main base".split())
"""Last words of tables whose rows have parts in others: what others call them goes without."""
_SMALL_WORDS = frozenset(
    "to in on of by is at no id or as up an it if so we my me do go us the and for new old".split()
)
"""What is a word of its own more often than initials."""

Words = tuple[str, ...]


class TableNames:
    """The words of a table's name and of its columns' names, with what all of them share taken off."""

    __slots__ = ("aliases", "columns", "marks", "needed", "table", "whole", "words")

    def __init__(self, table: Table, words: Words, columns: dict[str, Words], marks: Words) -> None:
        self.table, self.words, self.columns, self.marks = table, words, columns, marks
        self.whole = columns
        """The words of the columns' names with what all of them share."""
        self.aliases: list[Words] = [words]
        """What the table may be called in other tables: its words, and the prefix its columns share."""
        self.needed = frozenset(column.name for column in table.columns if not column.nullable)
        """The columns that always have a value, as far as that tells keys."""


class SchemaNames:
    """All names of a model, split with what they tell of each other, and an index of tables by their words."""

    def __init__(self, model: Model, stack: Stack | None = None) -> None:
        self._stack = stack or Stack()
        self._splitter = Splitter(self._stack.abbreviations())
        tables = [table for table in model.tables if table.kind not in VIEW_KINDS]
        self._splitter.learn([name for table in tables for name in (table.name, *(c.name for c in table.columns))])
        self._memo: dict[str, Words] = {}
        self.texts_have_lengths = _have_lengths(tables)
        self._tables_in_letters: frozenset[str] = frozenset()
        self._initials: set[str] = set()
        """Names of first columns that are a table's initials and id: aid of author."""
        raw = [self.words(table.name) for table in tables]
        self._tables_in_letters = frozenset("".join(words[cut:]) for words in raw for cut in range(len(words)))
        self._initials = {
            table.columns[0].name.lower()
            for table, words in zip(tables, raw, strict=True)
            if _begins_with_initials(table, words)
        }
        self._marked = _are_marked(self.words(column.name) for table in tables for column in table.columns)
        prefixes = _shared_prefixes(raw)
        self.module_words = _module_words(raw)
        self.tables: list[TableNames] = []
        for table, words in zip(tables, raw, strict=True):
            kept = words
            while len(kept) > 1 and (
                kept[0] in _MARKERS or (kept[0] in prefixes and kept[0] not in words[: len(words) - len(kept)])
            ):
                kept = kept[1:]
            self.tables.append(self._table(table, kept, words[: len(words) - len(kept)]))
        if not _tells_what_is_needed(self.tables):
            for one in self.tables:
                one.needed = frozenset(one.columns)
        self.vocabulary: Counter[str] = Counter(word for one in self.tables for word in one.words)
        self._by_initial: dict[str, list[str]] = defaultdict(list)
        for word in self.vocabulary:
            self._by_initial[word[:1]].append(word)
        self._beginning_with: dict[str, list[tuple[int, Words]]] = defaultdict(list)
        for number, one in enumerate(self.tables):
            for words in dict.fromkeys((one.words, (*one.marks, *one.words))):
                if len(words) > 1:
                    self._beginning_with[words[0][:1]].append((number, words))
        self._spelled: dict[str, tuple[tuple[int, float], ...]] = {}
        self._alternatives: dict[str, tuple[tuple[str, float], ...]] = {}
        self.by_words: dict[str, list[int]] = defaultdict(list)
        self.by_ending: dict[str, list[int]] = defaultdict(list)
        self.by_beginning: dict[str, list[int]] = defaultdict(list)
        for number, one in enumerate(self.tables):
            for name in {"".join(one.words), "".join((*one.marks, *one.words))}:
                self.by_words[name].append(number)
            for cut in range(1, len(one.words)):
                self.by_ending["".join(one.words[cut:])].append(number)
                self.by_beginning["".join(one.words[:cut])].append(number)
        for number, one in enumerate(self.tables):
            one.aliases = [one.words, *(alias for alias in one.aliases[1:] if "".join(alias) not in self.by_ending)]
            for alias in one.aliases[1:]:
                self.by_words["".join(alias)].append(number)
        editions = [_without_edition(one.words) for one in self.tables]
        known = Counter(editions)
        for number, (one, plain) in enumerate(zip(self.tables, editions, strict=True)):
            if known[plain] == 1 and plain != one.words and "".join(plain) not in self.by_words:
                one.aliases.append(plain)
                self.by_words["".join(plain)].append(number)

    def words(self, name: str) -> Words:
        """Return the words of a name, in the singular; of a name without letters the name itself."""
        found = self._memo.get(name)
        if found is None:
            found = tuple(map(self._singular, self._splitter.split(name))) or (name.lower(),)
            last = found[-1]
            if len(found) == 1 and last in self._initials:
                found = (last[:-2], last[-2:])
            elif (
                last.endswith("id")
                and last[:-2] in self._tables_in_letters
                and last not in self._splitter.lexicon.costs
            ):
                found = (*found[:-1], *self.words(last[:-2]), "id")
            self._memo[name] = found
        return found

    def _singular(self, word: str) -> str:
        """Return the singular of a word; letters that make no word, as gpocs, stay as they are."""
        if not _VOWEL.search(word):
            return word
        found = singular(word)
        known = self._splitter.lexicon.costs
        return found if len(found) >= _LONG_WORD or found in known or word in known else word

    def _table(self, table: Table, words: Words, marks: Words) -> TableNames:
        columns = {column.name: self.words(column.name) for column in table.columns}
        if self._marked:
            columns = {
                name: found[1:] if len(found) > 1 and found[0] in _TYPE_MARKS else found
                for name, found in columns.items()
            }
        own = _shared_beginning(columns.values())
        named = TableNames(table, words, columns, marks)
        if own:
            named.whole = columns
            named.columns = {
                name: found[len(own) :]
                if found[: len(own)] == own and len(found) > len(own) and not self._names_another(words, found)
                else found
                for name, found in columns.items()
            }
            if own != words and own[0] not in KEY_WORDS:
                named.aliases.append(own)
        return named

    def _names_another(self, own: Words, column: Words) -> bool:
        """Say whether a column is called by another table's name with a key word and at most a role behind it: order_id in
        order_items, trigger_id_up in trigger_depends."""
        at = next((place for place in (-1, -2) if column[place:][:1] and column[place] in ALWAYS_KEY_WORDS), 0)
        name = column[:at] if at else ()
        return bool(name) and name != own and "".join(name) in self._tables_in_letters

    def is_spelled_by(self, number: int, stem: Words) -> bool:
        """Say whether one word is made of the beginnings of the words of a table's name."""
        return self.has_initials(self.tables[number], stem)

    def has_initials(self, one: TableNames, stem: Words) -> bool:
        """Say so of a table that need not be in the index yet."""
        return len(stem) == 1 and any(_initials(stem[0], words) for words in (one.words, (*one.marks, *one.words)))

    def spelled_by(self, letters: str) -> tuple[tuple[int, float], ...]:
        """Return the tables whose words begin with these letters, in order: `hda` of history_dataset_association, `idp` of
        identity_provider; each with how surely."""
        found = self._spelled.get(letters)
        if found is None:
            made: dict[int, float] = {}
            if 2 <= len(letters) <= _MOST_INITIALS and letters.isalpha() and not self._is_word(letters):
                for number, words in self._beginning_with[letters[0]]:
                    if spells(letters, words):
                        made.setdefault(number, 0.8 if len(letters) == len(words) > 2 else 0.65)
            found = self._spelled[letters] = tuple(made.items()) if len(made) <= _MOST_SPELLED else ()
        return found

    def _is_word(self, letters: str) -> bool:
        """Say whether letters are a word of their own more often than initials."""
        lexicon = self._splitter.lexicon
        known = len(letters) >= _LEAST_OF_A_WORD and letters in lexicon.costs and letters not in lexicon.short_forms
        return known or letters in _SMALL_WORDS

    def alternatives(self, word: str) -> tuple[tuple[str, float], ...]:
        """Return the words of table names that a column's word may mean, each with how surely, itself first."""
        found = self._alternatives.get(word)
        if found is None:
            found = self._alternatives[word] = tuple(self._weigh(word))
        return found

    def _weigh(self, word: str) -> Iterable[tuple[str, float]]:
        yield word, 1.0
        if len(word) < 2 or not word.isalpha() or word in KEY_WORDS:
            return
        text = {singular(meaning.word.lower()) for meaning in self._stack.meanings(word)}
        yield from ((other, 1.0) for other in sorted(text) if other in self.vocabulary and other[:1] != word[:1])
        general = self._splitter.lexicon.short_forms
        known, best = general.get(word, ()), []
        for other in self._by_initial.get(word[0], ()):
            if other == word:
                continue
            if other in text or any(singular(one.word.lower()) == word for one in self._stack.meanings(other)):
                best.append((other, 1.0))
            elif other in known or word in general.get(other, ()):
                best.append((other, 0.95))
            else:
                value = max(fit(word, other), fit(other, word))
                if other in general or word in general:
                    value *= _MEANS_OTHERS
                if value >= _GOOD_FIT:
                    best.append((other, 0.9 * value))
        yield from sorted(best, key=lambda one: -one[1])[:4]

    def readings(self, words: Words) -> list[tuple[str, float]]:
        """Return the joined words of table names that these words may mean, each with how surely, as they stand first."""
        made: list[tuple[str, float]] = [("", 1.0)]
        for word in words:
            made = [
                (begun + other, sure * how)
                for begun, sure in made
                for other, how in self.alternatives(word)
                if sure * how >= 0.4
            ][:12]
        return made


def _without_edition(words: Words) -> Words:
    """Return a table's words without what only tells an old table from a new one, or its rows from their parts: filters2,
    user_v2, order_header."""
    if len(words) > 1 and words[-1] in _HEADS:
        return words[:-1]
    if len(words) > 1 and words[-1].isdigit():
        words = words[:-1]
        if len(words) > 1 and words[-1] == "v":
            words = words[:-1]
    return words


def _are_marked(names: Iterable[Words]) -> bool:
    """Say whether nearly all columns begin with a mark of their type, as v_name and i_count."""
    firsts = [words[0] for words in names if len(words) > 1]
    marked = [word for word in firsts if word in _TYPE_MARKS]
    return len(marked) >= _MARKED_SHARE * max(1, len(firsts)) and len(set(marked)) >= _LEAST_MARKS


def _tells_what_is_needed(tables: list[TableNames]) -> bool:
    """Say whether columns that may be empty are no keys: not in a schema whose tables let their ids be empty, as those
    do that never declared a key."""
    firsts = [one for one in tables if one.needed]
    firsts = [one for one in firsts if _is_an_id(one)] or firsts
    return 2 * sum(one.table.columns[0].name in one.needed for one in firsts) >= max(1, len(firsts))


def _is_an_id(one: TableNames) -> bool:
    """Say whether the first column's name ends as an id's."""
    return one.columns[one.table.columns[0].name][-1] in ALWAYS_KEY_WORDS


def _have_lengths(tables: list[Table]) -> bool:
    """Say whether the texts of a schema are given lengths, so that one without is a long text."""
    texts = [column.type.lower() for table in tables for column in table.columns if _TEXT.match(column.type)]
    return sum("(" in one for one in texts) >= _LENGTHS_SHARE * len(texts)


def _shared_prefixes(names: list[Words]) -> frozenset[str]:
    """Return the first words that most of the tables share."""
    if len(names) < 4:
        return frozenset()
    counts = Counter(words[0] for words in names if len(words) > 1)
    return frozenset(word for word, count in counts.items() if count >= _PREFIX_SHARE * len(names))


def _module_words(names: list[Words]) -> frozenset[str]:
    """Return first words that several tables share: of a module, or of what belongs together."""
    counts = Counter(words[0] for words in names if len(words) > 1)
    return frozenset(word for word, count in counts.items() if count >= 3)


def _shared_beginning(columns: Collection[Words]) -> Words:
    """Return the words that most columns of a table begin with; none where there are few columns."""
    own: Words = ()
    while len(columns) > _FEW_COLUMNS:
        size = len(own)
        following = Counter(found[size] for found in columns if len(found) > size + 1 and found[:size] == own)
        word, count = following.most_common(1)[0] if following else ("", 0)
        if count <= _FEW_COLUMNS or count < _OWN_PREFIX_SHARE * len(columns):
            break
        own = (*own, word)
    return own


def _begins_with_initials(table: Table, words: Words) -> bool:
    """Say whether a table's first column is made of its initials and id."""
    name = table.columns[0].name.lower() if table.columns else ""
    return (
        name.isalpha()
        and name.endswith(("id", "no"))
        and any(_initials(name[:-2], words[cut:]) for cut in range(len(words)))
    )


def _initials(letters: str, words: Words) -> bool:
    """Say whether letters are the beginnings of all the words, or a few letters that begin the only one."""
    if len(words) == 1:
        return 0 < len(letters) <= _MOST_OF_ONE and words[0].startswith(letters)
    return spells(letters, words)


def spells(letters: str, words: Words) -> bool:
    """Say whether letters are made of the beginnings of all the words, in their order."""
    if not words:
        return not letters
    first, rest = words[0], words[1:]
    for count in range(1, len(letters) - len(rest) + 1):
        if not first.startswith(letters[:count]):
            return False
        if spells(letters[count:], rest):
            return True
    return False
