"""Fits the weights of what rows say, on rows that are made up for schemas whose keys are declared; all other weights are held.

`./indexa bench fitting_rows FOLDER[=SHARE]… [--write]` takes what `fitting` takes. Run it after `fitting --write`, which leaves
out what rows say. Without --write it judges the weights on schemas that were left out.
"""

from __future__ import annotations

import argparse
import random
from collections import defaultdict
from collections.abc import Sequence
from multiprocessing import Pool

from bench.fitting import (
    Example,
    composite_examples,
    declares_what_is_plain,
    fit,
    foreign_examples,
    hide,
    primary_examples,
    read_models,
    write,
)
from bench.inferring import f1, judge, keys_found
from bench.made_up_rows import said_by_made_up_rows
from indexa.core.infer import weights
from indexa.core.infer.data import DataSaid
from indexa.core.model import Model

HIDDEN = ("foreign", "all")
# What is believed before any row is seen.
KEYS = {
    "data unique": 1.5, "data not unique": -7.0, "fewer columns are unique in the data": -4.0, "told by rows alone": -1.0,
}  # fmt: skip
REFERENCES = {
    "data included": 1.5, "many values included": 1.0, "numbers included": 0.5, "many numbers included": 0.5,
    "data nearly included": 0.5, "data not included": -6.0, "others hold them too": -0.5, "data in the narrower": 4.0,
    "higher numbers stand there": -1.5, "the highest number there": 1.0, "numbers there have gaps": 1.0,
    "told by rows alone": 0.0, "rows alone, no key word": -0.5,
    "data included, rows alone": 0.0, "many values included, rows alone": 1.0,
    "numbers included, rows alone": 0.0, "many numbers included, rows alone": 1.0,
}  # fmt: skip
COMPOSITES = {"data included": 1.5, "data not included": -5.0}
_PULL, _PULL_OF_FEW = 0.001, 0.003
Said = dict[tuple[str, str], DataSaid]
"""What made-up rows said of each model, by its name and what was hidden of it."""


def ask_all(models: dict[str, Model]) -> Said:
    """Make up rows for each model and ask them."""
    with Pool() as pool:
        asked = [(name, model, what) for name, model in models.items() for what in HIDDEN]
        return dict(pool.imap_unordered(_ask, asked, chunksize=1))


def _ask(given: tuple[str, Model, str]) -> tuple[tuple[str, str], DataSaid]:
    name, model, what = given
    return (name, what), said_by_made_up_rows(model, hide(model, what))


def fit_rows(
    models: dict[str, Model], shares: dict[str, float], said: Said, train: Sequence[str], telling: set[str]
) -> None:
    """Set the weights of what rows say to those that some of the models lead to."""
    refer = [name for name in train if name in telling]
    for weighed, alone in ((weights.PRIMARY_ALONE, True), (weights.PRIMARY, False)):
        keys = [(shares[n], primary_examples(models[n], "all", alone=alone, data=said[n, "all"])) for n in train]
        _refit(weighed, keys, KEYS, _PULL)
    for weighed, alone in ((weights.ALONE, True), (weights.FOREIGN, False)):
        references = [
            (shares[n], foreign_examples(models[n], what, alone=alone, data=said[n, what]))
            for n in refer
            for what in HIDDEN
        ]
        _refit(weighed, references, REFERENCES, _PULL)
    several = [(shares[n], composite_examples(models[n], "foreign", said[n, "foreign"])) for n in refer]
    _refit(weights.COMPOSITE, several, COMPOSITES, _PULL_OF_FEW)


def _refit(
    weighed: dict[str, float], groups: list[tuple[float, list[Example]]], believed: dict[str, float], pull: float
) -> None:
    found = fit(groups, {**weighed, **believed}, pull, believed)
    weighed.clear()
    weighed.update(found)


def main(arguments: list[str]) -> None:
    """Fit, judge on what was left out, and write."""
    parser = argparse.ArgumentParser(prog="./indexa bench fitting_rows")
    parser.add_argument("folder", nargs="+", metavar="FOLDER[=SHARE]")
    parser.add_argument("--folds", type=int, default=2)
    parser.add_argument("--write", action="store_true")
    given = parser.parse_args(arguments)
    models, shares, sets = read_models(given.folder)
    telling = {name for name in models if declares_what_is_plain(models[name])}
    message = ask_all(models)
    order = sorted({name.split("_")[0] for name in models})
    random.Random(7).shuffle(order)
    rows: dict[str, list[tuple[float, float]]] = defaultdict(list)
    text: list[tuple[float, bool]] = []
    for fold in range(1 if given.write else given.folds):
        out = set() if given.write else set(order[fold :: given.folds])
        fit_rows(models, shares, message, [n for n in models if n.split("_")[0] not in out], telling)
        if given.write:
            write()
        for name in models:
            if name in telling and (given.write or name.split("_")[0] in out):
                score, confidences = judge(models[name], "foreign", message[name, "foreign"])
                right, keys = keys_found(models[name], message[name, "all"])
                rows[sets[name]].append((f1(score), right / max(1, keys)))
                text += confidences
    for folder, found in rows.items():
        references, keys_share = (sum(values) / len(found) for values in zip(*found, strict=True))
        print(f"{folder}: {len(found)} schemas, F1 with rows {references:.3f}, keys with rows {keys_share:.3f}")
    for low, high in ((0.5, 0.7), (0.7, 0.8), (0.8, 0.9), (0.9, 1.0)):
        part = [right for value, right in text if low <= value < high]
        print(f"told at {low} to {high}: {sum(part)} of {len(part)} right")
