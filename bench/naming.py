"""Names: how many are split and told rightly, out of real software; how fast, beside a bare loop with a dictionary."""

from __future__ import annotations

import re
import time
from collections import defaultdict
from collections.abc import Callable
from pathlib import Path

from bench.common import compare
from bench.schemas import column_names, words
from indexa.core.model import Column, Model, Table
from indexa.core.naming.evidence import Place
from indexa.core.naming.expanding import Expander
from indexa.core.naming.lexicon import general
from indexa.core.naming.mining import mine
from indexa.core.naming.splitting import Splitter
from indexa.core.naming.translating import Translator
from indexa.core.naming.wordbook import Stack, Word, Wordbook

SETS = Path(__file__).parent / "names"
PLAIN_SPLIT = re.compile(r"[A-Z]+(?=[A-Z][a-z])|[A-Z]?[a-z]+|[A-Z]+|\d+")


def rows(name: str) -> list[list[str]]:
    """Return the rows of one of the sets."""
    return [line.split("\t") for line in (SETS / name).read_text("utf-8").splitlines()]


def splitting() -> None:
    """Run-together pieces alone, and among the other names of their schema; a plain dynamic program beside them."""
    gold = rows("run_together.tsv")
    by_source: dict[str, list[str]] = defaultdict(list)
    for name, _, _, _, _, source in rows("expansions.tsv"):
        by_source[source].append(name)
    for name, _, source in gold:
        by_source[source].append(name)
    learned = {}
    for source, names in by_source.items():
        learned[source] = Splitter()
        learned[source].learn(names)
    alone, plain = Splitter(), plain_program()
    cases: dict[str, Callable[[str, str], list[str]]] = {
        "a plain dynamic program over word frequencies": lambda name, _: plain(name.lower()),
        "Indexa, each name alone": lambda name, _: alone.split(name),
        "Indexa, the names of a package together": lambda name, source: learned[source].split(name),
    }
    for title, split in cases.items():
        right = sum(split(name, source) == text.split() for name, text, source in gold)
        print(f"run together, {title}: {right / len(gold):.1%} of {len(gold)}")
    mixed = rows("mixed.tsv")
    right = sum(alone.split(name) == text.split() for name, text in mixed)
    print(f"a sample of all names, Indexa: {right / len(mixed):.1%} of {len(mixed)}")
    delimited = [(name.split("_"), name) for name in (SETS / "in_full.txt").read_text().split()]
    gold_all = [(text.split(), name) for name, text, _ in gold] + delimited
    print(
        f"all, Indexa: {sum(alone.split(name) == text for text, name in gold_all) / len(gold_all):.1%} of {len(gold_all)}"
    )


def plain_program() -> Callable[[str], list[str]]:
    """Return the usual way: the least cost over single words, unknown letters each on their own."""
    costs = general().costs

    def split(name: str) -> list[str]:
        best: list[tuple[float, int]] = [(0.0, 0)]
        for end in range(1, len(name) + 1):
            best.append(
                min(
                    (best[start][0] + costs.get(name[start:end], 20.0 * (end - start)), start)
                    for start in range(max(0, end - 24), end)
                )
            )
        found, end = [], len(name)
        while end:
            start = best[end][1]
            found.append(name[start:end])
            end = start
        return found[::-1]

    return split


def expanding() -> None:
    """Short forms told in full without any wordbook; names in full left alone; the first word with that beginning beside it."""
    gold = rows("expansions.tsv")
    by_source: dict[str, list[int]] = defaultdict(list)
    for at, row in enumerate(gold):
        by_source[row[5]].append(at)
    right = matched = 0
    sure: dict[int, list[bool]] = defaultdict(list)
    for numbers in by_source.values():
        places = [Place(gold[at][0], gold[at][1], gold[at][2], gold[at][3]) for at in numbers]
        for at, found in zip(numbers, Expander(places).expand_all(), strict=True):
            good = found.business_name.lower() == gold[at][4].lower()
            right += good
            sure[min(9, int(found.confidence * 10))].append(good)
            matched += " ".join(by_beginning(word) for word in found.words).lower() == gold[at][4].lower()
    print(
        f"expansion: Indexa {right / len(gold):.1%} of {len(gold)}, by the first word with that beginning {matched / len(gold):.1%}"
    )
    for tenth, hits in sorted(sure.items()):
        print(f"  confidence {tenth / 10:.1f} and above: {sum(hits)} of {len(hits)} right")
    names = (SETS / "in_full.txt").read_text().split()
    found_all = Expander([Place(name, "t") for name in names]).expand_all()
    alone = sum(one.business_name.lower() == name.replace("_", " ") for one, name in zip(found_all, names, strict=True))
    print(f"names in full left alone: {alone / len(names):.1%} of {len(names)}")


def mining() -> None:
    """Short forms mined from the same names, a package at a time; what each stands for is read off the names told by hand."""
    gold = rows("expansions.tsv")
    by_source: dict[str, list[list[str]]] = defaultdict(list)
    for row in gold:
        by_source[row[5]].append(row)
    text: list[tuple[float, bool]] = []
    asked = 0
    for names in by_source.values():
        tables = {row[1]: Table(name=row[1]) for row in names}
        for row in names:
            listed = tables[row[1]].columns
            listed.append(Column(row[0], len(listed) + 1, row[3], comment=row[2]))
        wanted: dict[str, set[str]] = defaultdict(set)
        splitter = Splitter()
        splitter.learn(row[0] for row in names)
        for row in names:
            pieces, spoken = splitter.split(row[0]), row[4].lower().split()
            if len(pieces) == len(spoken):
                for piece, word in zip(pieces, spoken, strict=True):
                    if piece != word and piece.isalpha():
                        wanted[piece].add(word)
        asked += len(wanted)
        for found in mine([Model(name="m", tables=list(tables.values()))]):
            if found.kind == "short form" and found.short in wanted:
                text.append((found.confidence, found.word in wanted[found.short]))
    print(f"mining: {asked} short forms; of those told at a confidence and above")
    for least in (0.9, 0.85, 0.8, 0.7, 0.6, 0.5, 0.0):
        hits = [good for confidence, good in text if confidence >= least]
        if hits:
            print(f"  {least:.2f}: right {sum(hits) / len(hits):.1%}, found {sum(hits) / asked:.1%} of all")


def by_beginning(word: str) -> str:
    """Return the commonest word that begins with these letters, and is longer."""
    if not _BY_BEGINNING:
        for one in general().costs:  # the commonest first
            for size in range(2, len(one)):
                _BY_BEGINNING.setdefault(one[:size], one)
    return _BY_BEGINNING.get(word, word)


_BY_BEGINNING: dict[str, str] = {}


def main(_: list[str]) -> None:
    """Print how many are right, then how fast it is."""
    splitting()
    expanding()
    mining()
    names = list(column_names(1_000_000))
    book = words()

    def bare() -> object:
        seen: dict[str, str] = {}
        text = []
        for name in names:
            found = seen.get(name)
            if found is None:
                found = seen[name] = " ".join([book.get(piece.lower()) or piece for piece in PLAIN_SPLIT.findall(name)])
            text.append(found)
        return text

    stack = Stack(
        [
            Wordbook(
                name="b",
                words=tuple(Word(word=word.capitalize(), abbreviations=(short,)) for short, word in book.items()),
            )
        ]
    )
    general()
    print("1,000,000 names, a wordbook of 2,000")
    compare({"one expression, a dictionary, a memo": bare, "Indexa": lambda: Translator(stack).translate_all(names)})
    places = [
        Place(name, f"t{at // 20}", f"The {name} of it." if not at % 4 else "", "varchar(20)")
        for at, name in enumerate(names[:200_000])
    ]
    half = Stack([Wordbook(name="b", words=stack.books[0].words[:1000])])
    started = time.perf_counter()
    Expander(places, half).expand_all()
    print(f"200,000 columns proposed, half of the words known: {time.perf_counter() - started:.1f} s")
