"""The names of a schema as words that can be compared, whatever marks, capitals, prefixes and short forms they have."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable

from indexa.core.model import VIEW_KINDS, Model, Table
from indexa.core.naming.abbreviating import fit
from indexa.core.naming.inflecting import singular
from indexa.core.naming.splitting import Splitter
from indexa.core.naming.wordbook import Stack

KEY_WORDS = frozenset(
    "id ids code cd cod no num nr nbr number key fk pk sk ref uuid guid oid uid gid idx seq sid ident identifier identity "
    "rowid kod nummer numero codigo cle index link pid handle hash".split()
)
"""Words at the end or beginning of a name that say it identifies something."""
ALWAYS_KEY_WORDS = frozenset("id ids pk fk sk uuid guid oid uid key ref rowid".split())
"""Those of them that are never what a name is about."""
_MARKERS = frozenset("tbl tab tb table dim fct fact mst lkp lkup lookup t rel xref ref fk pk".split())
"""Words before a table's name that say no more than what kind of table it is."""
_PREFIX_SHARE = 0.6
_OWN_PREFIX_SHARE = 0.7
_GOOD_FIT = 0.6

Words = tuple[str, ...]


class TableNames:
    """The words of a table's name and of its columns' names, with what all of them share taken off."""

    __slots__ = ("aliases", "columns", "marks", "table", "words")

    def __init__(self, table: Table, words: Words, columns: dict[str, Words], marks: Words) -> None:
        self.table, self.words, self.columns, self.marks = table, words, columns, marks
        self.aliases: list[Words] = [words]
        """What the table may be called in other tables: its words, and the prefix its columns share."""


class SchemaNames:
    """All names of a model, split with what they tell of each other, and an index of tables by their words."""

    def __init__(self, model: Model, stack: Stack | None = None) -> None:
        self._stack = stack or Stack()
        self._splitter = Splitter(self._stack.shorts())
        tables = [table for table in model.tables if table.kind not in VIEW_KINDS]
        self._splitter.learn([name for table in tables for name in (table.name, *(c.name for c in table.columns))])
        self._memo: dict[str, Words] = {}
        raw = [self.words(table.name) for table in tables]
        prefixes = _shared_prefixes(raw)
        self.module_words = _module_words(raw)
        self.tables: list[TableNames] = []
        for table, words in zip(tables, raw, strict=True):
            kept = words
            while len(kept) > 1 and (kept[0] in prefixes or kept[0] in _MARKERS):
                kept = kept[1:]
            self.tables.append(self._table(table, kept, words[: len(words) - len(kept)]))
        self.vocabulary: Counter[str] = Counter(word for one in self.tables for word in one.words)
        self._by_initial: dict[str, list[str]] = defaultdict(list)
        for word in self.vocabulary:
            self._by_initial[word[:1]].append(word)
        self._alternatives: dict[str, tuple[tuple[str, float], ...]] = {}
        self.by_words: dict[str, list[int]] = defaultdict(list)
        self.by_ending: dict[str, list[int]] = defaultdict(list)
        self.by_beginning: dict[str, list[int]] = defaultdict(list)
        for number, one in enumerate(self.tables):
            for alias in one.aliases:
                self.by_words["".join(alias)].append(number)
            for cut in range(1, len(one.words)):
                self.by_ending["".join(one.words[cut:])].append(number)
                self.by_beginning["".join(one.words[:cut])].append(number)

    def words(self, name: str) -> Words:
        """Return the words of a name, in the singular; of a name without letters the name itself."""
        found = self._memo.get(name)
        if found is None:
            found = tuple(singular(word) for word in self._splitter.split(name)) or (name.lower(),)
            self._memo[name] = found
        return found

    def _table(self, table: Table, words: Words, marks: Words) -> TableNames:
        columns = {column.name: self.words(column.name) for column in table.columns}
        own: Words = ()
        if len(columns) > 2:
            firsts = Counter(found[0] for found in columns.values() if len(found) > 1)
            if firsts:
                first, count = firsts.most_common(1)[0]
                if count >= _OWN_PREFIX_SHARE * len(columns) and count > 2:
                    own = (first,)
        named = TableNames(table, words, columns, marks)
        if own:
            named.columns = {
                name: found[1:] if found[:1] == own and len(found) > 1 else found for name, found in columns.items()
            }
            if own != words and own[0] not in KEY_WORDS:
                named.aliases.append(own)
        return named

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
        told = {singular(meaning.word.lower()) for meaning in self._stack.meanings(word)}
        yield from ((other, 1.0) for other in sorted(told) if other in self.vocabulary and other[:1] != word[:1])
        general = self._splitter.lexicon.short_forms
        known, best = general.get(word, ()), []
        for other in self._by_initial.get(word[0], ()):
            if other == word:
                continue
            if other in told or any(singular(one.word.lower()) == word for one in self._stack.meanings(other)):
                best.append((other, 1.0))
            elif other in known or word in general.get(other, ()):
                best.append((other, 0.95))
            else:
                value = max(fit(word, other), fit(other, word))
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
