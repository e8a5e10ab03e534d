#!/usr/bin/env python3
"""Makes the words of the general lexicon anew: `words.txt` out of a frequency list, a spelling list and packages of software.

    .venv/bin/python tools/lexicon.py --frequencies WORDS --spelling WORDS PACKAGE...

Frequencies are lines with a word and a count, spelling is one word a line, packages are wheels, Debian packages or archives:
the words of their delimited identifiers are counted, each identifier of a package once. Keep what the benchmark's names
come from out of the packages.
"""

from __future__ import annotations

import argparse
import io
import math
import re
import subprocess
import sys
import tarfile
import zipfile
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import IO

DATA = Path(__file__).resolve().parent.parent / "src" / "indexa" / "core" / "naming" / "data"
IDENTIFIER = re.compile(rb"[A-Za-z_][A-Za-z0-9_]{2,60}")
CASE = re.compile(r"[A-Z]+(?=[A-Z][a-z])|[A-Z]?[a-z]+|[A-Z]+")
CODE = (".py", ".php", ".pl", ".pm", ".rb", ".java", ".xml", ".c", ".h", ".js", ".ts")
LARGEST_FILE = 400_000
FLOOR = 16.5  # what the rarest word costs
SHORT_FORM, LONG_SHORT_FORM, ACRONYM = 8.5, 9.0, 9.5  # what they cost at most
ENDINGS = "s es er ers ed d ing ings able ly al ion ions or ors ment ness less".split()
JOINED_TO = set(
    "id ids no nr by at on is to of in key url uri num name date time type code count list file text path data size flag user".split()
)
TWO_LETTERS = set("am an as at be by do go he hi if in is it me my no of on or ox so to up us we ad".split())
TINY = set("ip os db id no nr ui".split())


def files(path: Path) -> Iterator[bytes]:
    """Yield the source files of a package."""
    if path.suffix in (".whl", ".zip"):
        archive = zipfile.ZipFile(path)
        for info in archive.infolist():
            if info.filename.endswith(CODE) and info.file_size < LARGEST_FILE and "min.js" not in info.filename:
                yield archive.read(info)
        return
    packed: IO[bytes] | None = None
    if path.suffix == ".deb":
        made = subprocess.run(["dpkg-deb", "--fsys-tarfile", str(path)], stdout=subprocess.PIPE, check=True)
        packed = io.BytesIO(made.stdout)
    with tarfile.open(path if packed is None else None, fileobj=packed) as members:
        for member in members:
            if (
                member.isfile()
                and member.name.endswith(CODE)
                and member.size < LARGEST_FILE
                and "min.js" not in member.name
            ):
                found = members.extractfile(member)
                yield found.read() if found else b""


def words_of(path: Path) -> Counter[str]:
    """Count the words of a package's delimited identifiers, each identifier once."""
    identifiers = {raw for content in files(path) for raw in IDENTIFIER.findall(content)}
    words: Counter[str] = Counter()
    for raw in identifiers:
        parts = [word.lower() for part in raw.decode().strip("_").split("_") for word in CASE.findall(part)]
        if 2 <= len(parts) <= 6:
            words.update(parts)
    return words


def lines(name: str) -> set[str]:
    """Return the first words of the lines of one of our lists."""
    return {line.split()[0] for line in (DATA / name).read_text("utf-8").splitlines() if line.strip()}


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--frequencies", type=Path, required=True)
    parser.add_argument("--spelling", type=Path, required=True)
    parser.add_argument("packages", type=Path, nargs="+")
    given = parser.parse_args()
    english = {
        line.split()[0].lstrip("\ufeff"): int(line.split()[1])
        for line in given.frequencies.read_text("utf-8").splitlines()
        if line.strip()
    }
    spelled = {
        word
        for word in given.spelling.read_text("utf-8").split()
        if word.isascii() and word.islower() and word.isalpha()
    }
    solid, abbreviations, acronyms = lines("solid.txt"), lines("short_forms.txt"), lines("acronyms.txt")

    weights: Counter[str] = Counter()
    packages: Counter[str] = Counter()
    for path in given.packages:
        words = words_of(path)
        total = sum(words.values())
        print(f"{path.name}: {len(words):,} words", file=sys.stderr)
        for word, count in words.items():
            weights[word] += math.sqrt(count / total)
            packages[word] += 1
    all_weights, all_english = sum(weights.values()), sum(english.values())

    def at_home(word: str) -> bool:
        return word in english or word in spelled or word in solid

    costs: dict[str, float] = {}
    for word in {*weights, *english, *solid}:
        least = {2: 4, 3: 4 if word not in spelled else 0}.get(len(word), 0 if at_home(word) else 3)
        if not word.isascii() or not word.isalpha() or len(word) < 2 or packages[word] < least:
            continue
        share = (
            0.8 * (weights[word] / all_weights if packages[word] >= 2 else 0) + 0.2 * english.get(word, 0) / all_english
        )
        costs[word] = min(FLOOR, -math.log(share) if share else FLOOR)

    def is_two(word: str) -> bool:
        """Whether the word is two that people join: userid, errmsg."""
        if word in solid or len(word) <= 4:
            return False
        for at in range(2, len(word) - 1):
            first, second = word[:at], word[at:]
            if (
                not at_home(word)
                and all(at_home(one) and costs.get(one, 99) < 12 for one in (first, second))
                and (
                    min(len(first), len(second)) >= 4
                    or (second in JOINED_TO and len(first) > 2)
                    or (first in JOINED_TO and len(second) > 3)
                )
            ):
                return True
            if (
                not at_home(word)
                and word not in abbreviations
                and all(
                    (len(one) > 2 and ((at_home(one) and costs.get(one, 99) < 11) or one in abbreviations))
                    or one in TINY
                    for one in (first, second)
                )
            ):
                return True
        return False

    for word in [word for word in costs if is_two(word)]:
        del costs[word]
    for word, cost in list(costs.items()):
        if len(word) < 4 or cost > 12:
            continue
        for ending in ENDINGS:
            forms = {word + ending} | ({word[:-1] + ending} if word.endswith("e") and ending[0] in "eioa" else set())
            for form in forms:
                if form not in costs and ((ending == "s" and word[-1] != "s") or form in spelled):
                    costs[form] = min(FLOOR, cost + (4 if ending == "s" else 5.5))
    for word in abbreviations:
        costs[word] = min(costs.get(word, FLOOR), LONG_SHORT_FORM if len(word) > 3 else SHORT_FORM)
    for word in acronyms:
        if len(word) > 2:
            costs[word] = min(costs.get(word, FLOOR), ACRONYM)
    for word in abbreviations:
        if word.endswith("s") and word[:-1] in abbreviations:
            costs[word] = max(costs[word], costs[word[:-1]] + 3)
    plain = {
        word for word in costs if at_home(word) or (word.endswith("s") and (word[:-1] in english or word[:-1] in solid))
    }
    plain -= {word for word in plain if len(word) <= 4 and word not in spelled and word not in solid}
    plain -= {word for word in plain if len(word) == 2} - TWO_LETTERS
    text = [
        f"{word}\t{round(cost * 100)}" + ("" if word in plain else "\t-")
        for word, cost in sorted(costs.items(), key=lambda one: (one[1], one[0]))
    ]
    (DATA / "words.txt").write_text("\n".join(text) + "\n", "ascii")
    print(f"{len(text):,} words, {len(plain):,} of them written out by people", file=sys.stderr)


if __name__ == "__main__":
    main()
