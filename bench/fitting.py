"""Fits the weights of `core.infer` to schemas whose declared keys are hidden, and judges them on schemas left out.

`./indexa bench fitting FOLDER[=SHARE]…` takes folders of model files and how much each schema of a folder counts; with
--write the weights of all of them are written. A folder given with --keys teaches primary keys only: schemas that were not
chosen for declaring what refers. It needs SciPy, which the set-up does not install.
Each column chooses one key or none (a multinomial logit over its choices); each table chooses its primary key or none.
A schema counts by the fourth root of its size, so that large ones don't outweigh all others. One that leaves undeclared
what plainly refers (`_DECLARES`) teaches keys, but not what refers to them.
"""

from __future__ import annotations

import argparse
import random
import sys
from collections import Counter, defaultdict
from collections.abc import Collection, Iterable, Mapping
from itertools import pairwise
from pathlib import Path
from typing import Any

from indexa.core.infer import weights
from indexa.core.infer.composite import CompositeWeigher
from indexa.core.infer.data import DataSaid
from indexa.core.infer.foreign import Weigher
from indexa.core.infer.joins import joined_columns
from indexa.core.infer.keys import KeyChoice, all_choices, choices_alone, told_unique
from indexa.core.infer.matching import Matcher
from indexa.core.infer.names import SchemaNames
from indexa.core.infer.surroundings import Surroundings
from indexa.core.model import Model, file

Example = tuple[list[dict[str, float]], int]
"""The features of each choice, and which one is right; -1 for none."""
_STEPS, _PULL, _ROOT = 300, 0.0004, 0.75
_FEW, _DECLARES = 6, 0.75
# What is believed before any schema is seen: signs that hardly occur in the schemas at hand keep these weights.
KEYS = {
    "has its value beside": -3.0,
    "unique key": 1.5,
    "unique index": 1.5,
    "begins with the id of its whole": -3.0,
    "made of the names beside it": 1.5,
    "holds what is made of the names beside": -1.5,
    "uuid behind": -1.0,
    "holds what numbers itself": -3.0,
    "two parts of one name": -3.0,
    "with the edition of a copy": 2.0,
    "begins with its own id, in a copy": 1.0,
    "without the edition of a copy": -1.0,
}
REFERENCES = {
    "any": -2.0, "name whole": 3.0, "name role": 2.0, "person: user": 3.0, "person: key word": 1.5, "person's role": -1.0,
    "person: one word": 1.0, "person: last word": 1.5, "joined": 3.5, "joined often": 0.5, "joined by one name": -1.5,
    "comment refers": 3.5, "comment names": 1.5, "comment refers elsewhere": -0.5, "a part of a name that joins others": -2.0,
    "self role": 3.0, "one end of what joins rows": 4.0,
    "type column beside": -3.0, "measure word": -1.5, "counts": -2.0, "person: role inside": -1.0, "a person beside another's name": -2.0,
    "measure behind": -2.0,
    "declared elsewhere": 4.0, "declared elsewhere to others": -1.5, "habit of ending": 0.8, "declares others": -0.8,
    "unique key": -1.0, "numbers itself": -2.0,
    "goes on from that table": 2.0, "named with what its columns share": 2.0,
    "in its own schema": 1.0, "a rival is in its own schema": -1.0, "its role is that schema's name": 2.0, "the very name of one key": 1.0,
    "its values are made there": 1.0, "its values are made elsewhere": -1.0, "that key refers on": -1.0, "a rival's key refers there": 1.0,
}  # fmt: skip
COMPOSITES = {
    "any": 0.5, "of 2": 0.5, "of 3": 0.3, "side by side": 0.5, "in the key": 0.4, "name holds the other's": 1.0, "names share words": 0.5,
    "indexed": 1.0, "joined": 2.5, "rivals": -1.5, "all refer elsewhere": -1.5, "identifies within": 1.0, "says little": -1.5,
    "may be empty": -0.5, "unique key": -1.0, "other type": -1.5, "target is all key": -0.5, "key unsure": -2.0, "other schema": -1.0,
    "table's name before": 1.5, "one part names the table": 1.0, "held by many": -0.5, "key speaks of its table": 1.0,
}  # fmt: skip
_PULL_OF_KEYS = 0.001
_PULL_OF_FEW = 0.03
"""The pull where there are few examples: composite references."""
WEIGHTS = Path(weights.__file__)


def hide(model: Model, what: str) -> Model:
    """Return a copy without its foreign keys; "all": without primary and unique keys, "bare": nor indexes and comments;
    "loose": like all, and the columns of primary keys may be empty, as where none was ever declared."""
    copy = file.read(file.write(model))
    for table in copy.tables:
        table.foreign_keys = []
        if what == "loose" and table.primary_key:
            for column in table.columns:
                column.nullable |= column.name in table.primary_key.columns
        if what != "foreign":
            table.primary_key, table.unique = None, []
        if what in ("all", "loose"):
            table.indexes = [index for index in table.indexes if not index.unique]
        if what == "bare":
            table.indexes = []
            table.comment = ""
            for column in table.columns:
                column.comment = column.remark = ""
    return copy


def primary_examples(model: Model, what: str, *, alone: bool, data: DataSaid | None = None) -> list[Example]:
    """Return an example for each table with a declared primary key, weighed by itself or with what the others tell."""
    hidden = hide(model, what)
    names = SchemaNames(hidden)
    matcher = Matcher(names)
    declared = {(t.schema, t.name): frozenset(t.primary_key.columns) for t in model.tables if t.primary_key}
    found = []
    every = None if alone else all_choices(names, matcher, data)
    around = Surroundings(names, matcher)
    unique = told_unique(data) if data is not None else {}

    def alone_of(number: int) -> list[KeyChoice]:
        table = names.tables[number].table
        return choices_alone(names, around, number, data, unique.get((table.schema, table.name), ()))

    for number, one in enumerate(names.tables):
        truth = declared.get((one.table.schema, one.table.name))
        made = every[number] if every is not None else alone_of(number)
        if truth is None:
            continue
        right = next((at for at, choice in enumerate(made) if frozenset(choice.columns) == truth), -1)
        found.append(([choice.features for choice in made], right))
    return found


def weigher_of(hidden: Model, data: DataSaid | None = None) -> Weigher:
    """Make what weighs the columns of a model."""
    names = SchemaNames(hidden)
    matcher = Matcher(names)
    keys = all_choices(names, matcher, data)
    return Weigher(names, matcher, keys, joined_columns(hidden), hidden.platform or "postgresql", data)


def foreign_examples(model: Model, what: str, *, alone: bool, data: DataSaid | None = None) -> list[Example]:
    """Return an example for each column that has a choice, weighed by itself or with what the others tell."""
    weigher = weigher_of(hide(model, what), data)
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


def composite_examples(model: Model, what: str, data: DataSaid | None = None) -> list[Example]:
    """Return an example for each row of columns that may refer to a composite key."""
    hidden = hide(model, what)
    weigher = weigher_of(hidden, data)
    matcher = Matcher(weigher.names)
    keys = all_choices(weigher.names, matcher, data)
    weighs = CompositeWeigher(weigher, keys, data)
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


def fit(
    groups: Iterable[tuple[float, list[Example]]],
    believed: Mapping[str, float],
    pull: float = _PULL,
    only: Collection[str] | None = None,
) -> dict[str, float]:
    """Return the weights that make the right choices likely; each group of examples has its share.

    With `only`, all other signs keep the weights that are believed.
    """
    import numpy
    from scipy import optimize, sparse

    numbered: dict[str, int] = {}
    rows, columns, values = [], [], []
    starts, right_ones, shares = [], [], []
    choices = 0
    for schema_share, group in groups:
        share = schema_share / max(1, len(group)) ** _ROOT
        for made, right in group:
            starts.append(choices)
            right_ones.append(choices + right if right >= 0 else -1)
            shares.append(share)
            for features in made:
                for name, value in features.items():
                    rows.append(choices)
                    columns.append(numbered.setdefault(name, len(numbered)))
                    values.append(value)
                choices += 1
    matrix = sparse.csr_matrix((values, (rows, columns)), shape=(choices, len(numbered)))
    first, right_at, weight = numpy.array(starts), numpy.array(right_ones), numpy.array(shares)
    example = numpy.repeat(numpy.arange(len(first)), numpy.diff(numpy.append(first, choices)))
    is_right = numpy.zeros(choices)
    is_right[right_at[right_at >= 0]] = 1
    beliefs = numpy.array([believed.get(name, 0.0) for name in numbered])
    moves = numpy.array([only is None or name in only for name in numbered], dtype=float)

    def loss(w: Any) -> Any:
        scores = matrix @ w
        top = numpy.maximum(numpy.maximum.reduceat(scores, first), 0)
        text = numpy.exp(scores - top[example])
        whole = numpy.add.reduceat(text, first) + numpy.exp(-top)
        likely = -(numpy.log(whole) + top)
        likely[right_at >= 0] += scores[right_at[right_at >= 0]]
        slope = matrix.T @ ((is_right - text / whole[example]) * weight[example])
        far = w - beliefs
        return pull / 2 * (far @ far) - weight @ likely / weight.sum(), moves * (pull * far - slope / weight.sum())

    found = optimize.minimize(loss, beliefs, jac=True, method="L-BFGS-B", options={"maxiter": _STEPS}).x
    text = dict(believed) | {name: round(float(found[i]), 2) for name, i in numbered.items()}
    return {name: text[name] for name in sorted(text) if abs(text[name]) >= 0.005}


def declares_what_is_plain(model: Model) -> bool:
    """Say whether a schema declares most of the columns that are a table's name with a key word, and no key themselves."""
    weigher = weigher_of(hide(model, "foreign"))
    truth = single_keys(model)
    declared = plain = 0
    for number, one in enumerate(weigher.names.tables):
        composite = {name for key in one.table.foreign_keys if len(key.columns) > 1 for name in key.columns}
        for column, made in weigher._first_choices(number).items():
            if column not in composite and any(
                {"name whole", "key words agree"} <= choice.features.keys()
                and "the key itself" not in choice.features
                and choice.match is not None
                and choice.match.sure == 1
                for choice in made
            ):
                plain += 1
                declared += bool(truth.get((one.table.full_name.lower(), column.lower())))
    return plain < _FEW or declared >= _DECLARES * plain


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

    text: list[tuple[float, bool]] = []
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
        text.append((one.confidence, key_ in wanted))
        if one.confidence >= 0.5:
            found.add(key_)
            if key_ not in wanted:
                wrong.append(f"+ {key_[0]}({','.join(key_[1])}) -> {ref} {one.confidence:.2f}")
    for key_ in wanted:
        if key_ not in found:
            wrong.append(f"- {key_[0]}({','.join(key_[1])}) -> {key_[2]}")
    return len(found & set(wanted)), len(found), len(wanted), text, wrong


def main(arguments: list[str]) -> None:
    """Fit, judge on what was left out, and write."""
    parser = argparse.ArgumentParser(prog="./indexa bench fitting")
    parser.add_argument("folder", nargs="+", metavar="FOLDER[=SHARE]")
    parser.add_argument("--keys", action="append", default=[], metavar="FOLDER[=SHARE]")
    parser.add_argument("--folds", type=int, default=3)
    parser.add_argument("--write", action="store_true")
    parser.add_argument("--wrong", action="store_true")
    given = parser.parse_args(arguments)
    models, shares, sets = read_models([*given.folder, *given.keys])
    for_keys = {Path(one.partition("=")[0]).name for one in given.keys}
    names = sorted(models)
    groups = {name: name.split("_")[0] for name in names}
    order = sorted(set(groups.values()))
    random.Random(7).shuffle(order)
    modes = ("foreign", "all", "bare")
    telling = {name for name in names if sets[name] not in for_keys and declares_what_is_plain(models[name])}
    print(f"{len(names)} schemas, {len(telling)} of them tell what refers", file=sys.stderr)
    rows, calibration = [], defaultdict(list)
    for fold in range(given.folds if not given.write else 1):
        out = set() if given.write else set(order[fold :: given.folds])
        train = [n for n in names if groups[n] not in out]
        _train(models, shares, train, telling)
        if given.write:
            write()
        for name in names if given.write else [n for n in names if groups[n] in out]:
            for mode in modes[:2]:
                keys_right, keys = score_keys(models[name], "bare" if mode == "bare" else "all")
                right, proposed, declared, text, wrong = score_references(models[name], mode)
                f1 = 2 * right / max(1, proposed + declared)
                rows.append((f"{sets[name]} {mode}", name, f1, right, proposed, declared, keys_right, keys))
                calibration[f"{sets[name]} {mode}"] += text
                if given.wrong and mode == "foreign":
                    print(f"\n{name}: F1 {f1:.2f} of {declared}")
                    print("\n".join(wrong[:40]))
    for mode in sorted(calibration):
        mine = [row for row in rows if row[0] == mode]
        for row in mine if mode.endswith(" foreign") else []:
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


def read_models(folders: list[str]) -> tuple[dict[str, Model], dict[str, float], dict[str, str]]:
    """Return the models of folders by name, how much each counts, and the folder each is from."""
    models: dict[str, Model] = {}
    shares: dict[str, float] = {}
    sets: dict[str, str] = {}
    for given in folders:
        folder, _, share = given.partition("=")
        for path in sorted(Path(folder).glob("*.json")):
            models[path.stem] = file.read(path.read_bytes())
            shares[path.stem], sets[path.stem] = float(share or 1), Path(folder).name
    return models, shares, sets


def _train(models: dict[str, Model], shares: dict[str, float], train: list[str], telling: set[str]) -> None:
    """Set the weights to those that some of the models lead to."""
    modes, kinds = ("foreign", "all", "bare"), {"all": 1.0, "bare": 1.0, "loose": 0.4}
    refer = [name for name in train if name in telling]
    for weighed, alone in ((weights.PRIMARY_ALONE, True), (weights.PRIMARY, False)):
        examples = [
            (share * shares[n], primary_examples(models[n], m, alone=alone))
            for n in train
            for m, share in kinds.items()
        ]
        weighed.clear()
        weighed.update(fit(examples, KEYS, _PULL_OF_KEYS))
    for weighed, alone in ((weights.ALONE, True), (weights.FOREIGN, False)):
        examples = [(shares[n], foreign_examples(models[n], m, alone=alone)) for n in refer for m in modes]
        weighed.clear()
        weighed.update(fit(examples, REFERENCES))
    weights.COMPOSITE.clear()
    made = [(shares[n], composite_examples(models[n], m)) for n in refer for m in modes[:2]]
    # A schema without one declared tells little of those that others have: of such only each tenth example counts.
    composites = [
        (share, group if any(right >= 0 for _, right in group) else group[::10]) for share, group in made if share >= 1
    ]
    weights.COMPOSITE.update(fit(composites, COMPOSITES, _PULL_OF_FEW))


def write() -> None:
    """Write the weights as they are into the core."""
    lines = [
        '"""How much each sign counts, in logarithms of odds; `./indexa bench fitting --write` makes this file."""',
        "",
    ]
    for name, text in (
        ("PRIMARY_ALONE", weights.PRIMARY_ALONE),
        ("PRIMARY", weights.PRIMARY),
        ("ALONE", weights.ALONE),
        ("FOREIGN", weights.FOREIGN),
        ("COMPOSITE", weights.COMPOSITE),
    ):
        lines.append(f"{name}: dict[str, float] = {{")
        lines += [f'    "{sign}": {value},' for sign, value in sorted(text.items())]
        lines.append("}")
    WEIGHTS.write_text("\n".join(lines) + "\n")
