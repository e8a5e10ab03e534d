"""Fits the weights of `core.infer` to schemas whose declared keys are hidden, and judges them on schemas left out.

`./indexa bench fitting FOLDER` takes a folder of model files; with --write the weights of all of them are written.
Each column chooses one key or none (a multinomial logit over its choices); each table chooses its primary key or none.
The weights are found by gradient descent with a little pull to nought; every schema counts alike, whatever its size.
"""

from __future__ import annotations

import argparse
import math
import random
import sys
from collections import Counter, defaultdict
from collections.abc import Iterable
from itertools import pairwise
from pathlib import Path

from indexa.core.infer import weights
from indexa.core.infer.composite import CompositeWeigher
from indexa.core.infer.foreign import Weigher
from indexa.core.infer.joins import joined_columns
from indexa.core.infer.keys import all_choices, choices_alone
from indexa.core.infer.matching import Matcher
from indexa.core.infer.names import SchemaNames
from indexa.core.model import Model, file

Example = tuple[list[dict[str, float]], int]
"""The features of each choice, and which one is right; -1 for none."""
_STEPS, _RATE, _PULL = 200, 0.5, 0.0004
# What is believed before any schema is seen: signs that hardly occur in the schemas at hand keep these weights.
KEYS = {"data unique": 1.5, "data not unique": -7.0, "unique key": 1.5, "unique index": 1.5}
REFERENCES = {
    "any": -2.0, "name whole": 3.0, "name role": 2.0, "person: user": 3.0, "person: key word": 1.5, "person's role": -1.0,
    "person: one word": 1.0, "joined": 3.5, "joined often": 0.5, "comment refers": 3.5, "comment names": 1.5, "self role": 3.0,
    "comment refers elsewhere": -0.5, "type column beside": -3.0, "measure word": -1.5, "measure behind": -2.0,
    "declared elsewhere": 4.0, "declared elsewhere to others": -1.5, "habit of ending": 0.8, "declares others": -0.8,
    "data included": 2.5, "data nearly included": 0.5, "data not included": -6.0, "unique key": -1.0, "numbers itself": -2.0,
    "goes on from that table": 2.0,
}  # fmt: skip
COMPOSITES = {
    "any": 0.5, "of 2": 0.5, "of 3": 0.3, "side by side": 0.5, "in the key": 0.4, "name holds the other's": 1.0, "names share words": 0.5,
    "indexed": 1.0, "joined": 2.5, "rivals": -1.5, "all refer elsewhere": -1.5, "identifies within": 1.0, "says little": -1.5,
    "may be empty": -0.5, "unique key": -1.0, "other type": -1.5, "target is all key": -0.5, "key unsure": -2.0, "other schema": -1.0,
    "table's name before": 1.5,
}  # fmt: skip
_PULL_OF_FEW = 0.03
"""The pull where there are few examples: composite references."""
WEIGHTS = Path(weights.__file__)


def hide(model: Model, what: str) -> Model:
    """Return a copy without its foreign keys; "all": without primary and unique keys, "bare": nor indexes and comments."""
    copy = file.read(file.write(model))
    for table in copy.tables:
        table.foreign_keys = []
        if what != "foreign":
            table.primary_key, table.unique = None, []
        if what == "all":
            table.indexes = [index for index in table.indexes if not index.unique]
        if what == "bare":
            table.indexes = []
            table.comment = ""
            for column in table.columns:
                column.comment = column.remark = ""
    return copy


def primary_examples(model: Model, what: str, *, alone: bool) -> list[Example]:
    """Return an example for each table with a declared primary key, weighed by itself or with what the others tell."""
    hidden = hide(model, what)
    names = SchemaNames(hidden)
    matcher = Matcher(names)
    declared = {(t.schema, t.name): frozenset(t.primary_key.columns) for t in model.tables if t.primary_key}
    found = []
    every = None if alone else all_choices(names, matcher)
    for number, one in enumerate(names.tables):
        truth = declared.get((one.table.schema, one.table.name))
        made = every[number] if every is not None else choices_alone(names, matcher, number)
        if truth is None:
            continue
        right = next((at for at, choice in enumerate(made) if frozenset(choice.columns) == truth), -1)
        found.append(([choice.features for choice in made], right))
    return found


def weigher_of(hidden: Model) -> Weigher:
    """Make what weighs the columns of a model."""
    names = SchemaNames(hidden)
    matcher = Matcher(names)
    keys = all_choices(names, matcher)
    return Weigher(names, matcher, keys, joined_columns(hidden), hidden.platform or "postgresql")


def foreign_examples(model: Model, what: str, *, alone: bool) -> list[Example]:
    """Return an example for each column that has a choice, weighed by itself or with what the others tell."""
    weigher = weigher_of(hide(model, what))
    truth = single_keys(model)
    found = []
    for number, one in enumerate(weigher.names.tables):
        full = one.table.full_name.lower()
        for column, made in (weigher._first_choices(number) if alone else weigher.choices(number)).items():
            wanted = truth.get((full, column.lower()), set())
            right = next(
                (
                    at
                    for at, choice in enumerate(made)
                    if (weigher.names.tables[choice.target.table].table.full_name.lower(), choice.target.column.lower())
                    in wanted
                ),
                -1,
            )
            if wanted and right < 0:
                continue
            found.append(([choice.features for choice in made], right))
    return found


def composite_examples(model: Model, what: str) -> list[Example]:
    """Return an example for each row of columns that may refer to a composite key."""
    hidden = hide(model, what)
    weigher = weigher_of(hidden)
    matcher = Matcher(weigher.names)
    keys = all_choices(weigher.names, matcher)
    weighs = CompositeWeigher(weigher, keys)
    truth = {
        (t.full_name.lower(), frozenset(key.columns)): key.ref_table.lower()
        for t in model.tables
        for key in t.foreign_keys
        if len(key.columns) > 1
    }
    found = []
    for number, one in enumerate(weigher.names.tables):
        for made in weighs.choices(number):
            wanted = truth.get((one.table.full_name.lower(), frozenset(made[0].columns)))
            right = next(
                (at for at, c in enumerate(made) if weigher.names.tables[c.target].table.name.lower() == wanted), -1
            )
            found.append(([c.features for c in made], right))
    return found


def single_keys(model: Model) -> dict[tuple[str, str], set[tuple[str, str]]]:
    """Return what columns refer to by themselves: table and column in small letters → tables and columns."""
    found: dict[tuple[str, str], set[tuple[str, str]]] = defaultdict(set)
    primary = {table.full_name.lower(): table.primary_key for table in model.tables}
    for table in model.tables:
        for key in table.foreign_keys:
            if len(key.columns) == 1:
                ref = f"{key.ref_schema}.{key.ref_table}" if key.ref_schema else key.ref_table
                columns = key.ref_columns or (primary.get(ref.lower()).columns if primary.get(ref.lower()) else ("",))  # type: ignore[union-attr]
                found[table.full_name.lower(), key.columns[0].lower()].add((ref.lower(), columns[0].lower()))
    return found


def fit(groups: Iterable[list[Example]], believed: dict[str, float], pull: float = _PULL) -> dict[str, float]:
    """Return the weights that make the right choices likely; each group of examples counts alike (by its root)."""
    numbered: dict[str, int] = {}
    data = []
    for group in groups:
        share = 1 / math.sqrt(max(1, len(group)))
        for made, right in group:
            rows = [
                [(numbered.setdefault(name, len(numbered)), value) for name, value in features.items() if value]
                for features in made
            ]
            data.append((rows, right, share))
    total = sum(share for _, _, share in data)
    size = len(numbered)
    beliefs = [believed.get(name, 0.0) for name in numbered]
    w, squares = list(beliefs), [1e-8] * size
    for step in range(_STEPS):
        gradient = [0.0] * size
        for rows, right, share in data:
            scores = [sum(w[i] * v for i, v in row) for row in rows]
            top = max([0.0, *scores])
            told = [math.exp(score - top) for score in scores]
            whole = sum(told) + math.exp(-top)
            for at, (row, value) in enumerate(zip(rows, told, strict=True)):
                error = share * ((at == right) - value / whole)
                if error > 1e-9 or error < -1e-9:
                    for i, v in row:
                        gradient[i] += error * v
        rate = _RATE / (1 + step / 100)
        for i in range(size):
            slope = gradient[i] / total - pull * (w[i] - beliefs[i])
            squares[i] = 0.95 * squares[i] + 0.05 * slope * slope
            w[i] += rate * 0.2 * slope / math.sqrt(squares[i])
    told = believed | {name: round(w[i], 2) for name, i in numbered.items()}
    return {name: told[name] for name in sorted(told) if abs(told[name]) >= 0.005}


def score_keys(model: Model, what: str) -> tuple[int, int]:
    """Return how many of the declared primary keys are the likeliest choice, and how many there are."""
    right = total = 0
    for made, truth in primary_examples(model, what, alone=False):
        right += truth == 0 and bool(made)
        total += 1
    return right, total


def score_references(model: Model, what: str) -> tuple[int, int, int, list[tuple[float, bool]], list[str]]:
    """Return right ones, proposed ones, declared ones, all with their confidence, and what went wrong in words."""
    from indexa.core.infer.proposing import propose

    told: list[tuple[float, bool]] = []
    wrong: list[str] = []
    wanted: Counter[tuple[str, frozenset[str], str]] = Counter()
    there = {table.full_name.lower() for table in model.tables}
    for table in model.tables:
        for key in table.foreign_keys:
            ref = f"{key.ref_schema}.{key.ref_table}" if key.ref_schema else key.ref_table
            if ref.lower() not in there:
                continue
            wanted[table.full_name.lower(), frozenset(c.lower() for c in key.columns), ref.lower()] += 1
    found = set()
    for one in propose(hide(model, what)):
        if one.kind != "foreign_key":
            continue
        ref = f"{one.ref_schema}.{one.ref_table}" if one.ref_schema else one.ref_table
        key_ = (one.full_name.lower(), frozenset(c.lower() for c in one.columns), ref.lower())
        told.append((one.confidence, key_ in wanted))
        if one.confidence >= 0.5:
            found.add(key_)
            if key_ not in wanted:
                wrong.append(f"+ {key_[0]}({','.join(key_[1])}) -> {ref} {one.confidence:.2f}")
    for key_ in wanted:
        if key_ not in found:
            wrong.append(f"- {key_[0]}({','.join(key_[1])}) -> {key_[2]}")
    return len(found & set(wanted)), len(found), len(wanted), told, wrong


def main(arguments: list[str]) -> None:
    """Fit, judge on what was left out, and write."""
    parser = argparse.ArgumentParser(prog="./indexa bench fitting")
    parser.add_argument("folder", type=Path)
    parser.add_argument("--folds", type=int, default=6)
    parser.add_argument("--write", action="store_true")
    parser.add_argument("--wrong", action="store_true")
    given = parser.parse_args(arguments)
    models = {path.stem: file.read(path.read_bytes()) for path in sorted(given.folder.glob("*.json"))}
    names = sorted(models)
    random.Random(7).shuffle(names)
    groups = {name: name.split("_")[0] for name in names}
    order = sorted(set(groups.values()))
    random.Random(7).shuffle(order)
    modes = ("foreign", "all", "bare")
    primary = {(n, m): primary_examples(models[n], m, alone=True) for n in names for m in ("all", "bare")}
    print("primary examples", sum(map(len, primary.values())), file=sys.stderr)
    rows, calibration = [], defaultdict(list)
    for fold in range(given.folds if not given.write else 1):
        out = set() if given.write else set(order[fold :: given.folds])
        train = [n for n in names if groups[n] not in out]
        kinds = ("all", "bare")
        weights.PRIMARY_ALONE.clear()
        weights.PRIMARY_ALONE.update(fit((primary[n, m] for n in train for m in kinds), KEYS))
        weights.PRIMARY.clear()
        weights.PRIMARY.update(fit((primary_examples(models[n], m, alone=False) for n in train for m in kinds), KEYS))
        for told, alone in ((weights.ALONE, True), (weights.FOREIGN, False)):
            told.clear()
            told.update(fit((foreign_examples(models[n], m, alone=alone) for n in train for m in modes), REFERENCES))
        weights.COMPOSITE.clear()
        made = [composite_examples(models[n], m) for n in train for m in ("foreign", "all")]
        # A schema without one declared tells little of those that others have: of such only each tenth example counts.
        composites = [group if any(right >= 0 for _, right in group) else group[::10] for group in made]
        weights.COMPOSITE.update(fit(composites, COMPOSITES, _PULL_OF_FEW))
        if given.write:
            write()
        for name in names if given.write else [n for n in names if groups[n] in out]:
            for mode in modes:
                keys_right, keys = score_keys(models[name], "bare" if mode == "bare" else "all")
                right, proposed, declared, told, wrong = score_references(models[name], mode)
                f1 = 2 * right / max(1, proposed + declared)
                rows.append((mode, name, f1, right, proposed, declared, keys_right, keys))
                calibration[mode] += told
                if given.wrong and mode == "foreign":
                    print(f"\n{name}: F1 {f1:.2f} of {declared}")
                    print("\n".join(wrong[:40]))
    for mode in modes:
        mine = [row for row in rows if row[0] == mode]
        for row in mine if mode == "foreign" else []:
            print("{:40} F1 {:.2f} {}/{}/{} keys {}/{}".format(row[1][:40], *row[2:]))
        share = sum(row[2] for row in mine) / len(mine)
        keys_share = sum(row[6] / max(1, row[7]) for row in mine) / len(mine)
        sure = [right for value, right in calibration[mode] if value >= 0.8]
        print(
            f"{mode}: mean F1 {share:.3f}, keys {keys_share:.3f} ({sum(r[6] for r in mine)}/{sum(r[7] for r in mine)}), "
            f"precision at 0.8: {sum(sure) / max(1, len(sure)):.3f} of {len(sure)}"
        )
        for low, high in pairwise((0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 0.95, 1.1)):
            part = [right for value, right in calibration[mode] if low <= value < high]
            print(f"   {low}: {sum(part)}/{len(part)}", end="")
        print()


def write() -> None:
    """Write the weights as they are into the core."""
    lines = [
        '"""How much each sign counts, in logarithms of odds; `./indexa bench fitting --write` makes this file."""',
        "",
    ]
    for name, told in (
        ("PRIMARY_ALONE", weights.PRIMARY_ALONE),
        ("PRIMARY", weights.PRIMARY),
        ("ALONE", weights.ALONE),
        ("FOREIGN", weights.FOREIGN),
        ("COMPOSITE", weights.COMPOSITE),
    ):
        lines.append(f"{name}: dict[str, float] = {{")
        lines += [f'    "{sign}": {value},' for sign, value in sorted(told.items())]
        lines.append("}")
    WEIGHTS.write_text("\n".join(lines) + "\n")
