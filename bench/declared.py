"""Schemas that declare most of their references: some are hidden, and what is proposed as sure is judged by them.

What the schema does not declare though it is one counts as wrong here, so the shares are lower bounds.
"""

from __future__ import annotations

import random
import tempfile
from contextlib import nullcontext
from pathlib import Path
from unittest.mock import patch

from bench.inferring import SCHEMAS, wanted_of
from bench.real_scripts import fetch, quiet
from indexa.core import platforms
from indexa.core.infer.proposing import propose
from indexa.core.model import Model, file
from indexa.core.scripts.reader import ScriptFile, read_scripts

_HIDDEN = (0.1, 0.3)
_ROUNDS = 5
_SURE = 0.9
Judged = tuple[int, int, int]
"""Right ones among those at 0.9 and above, all of those, and how many were hidden."""


def main(arguments: list[str]) -> None:
    """Print for each schema and share what is right at 0.9 and above, without and with the declared share counted."""
    packages = [one for one in SCHEMAS if not arguments or one[0] in arguments]
    print("| schema | hidden | before: right of sure, found | now: right of sure, found |\n|---|---|---|---|")
    totals = {(share, counted): (0, 0, 0) for share in _HIDDEN for counted in (False, True)}
    with tempfile.TemporaryDirectory() as folder:
        for package, name, platform in packages:
            content = fetch(Path(folder), package, name)
            if content is None:
                print(f"| {package} | could not be fetched ||")
                continue
            model, _ = read_scripts([ScriptFile(name, content)], platforms.get(platform).dialect, quiet, package)
            model.platform = platform
            for share in _HIDDEN:
                cells = []
                for counted in (False, True):
                    found = [_judge(model, share, number, counted=counted) for number in range(_ROUNDS)]
                    right, sure, hidden = (sum(one[place] for one in found) for place in range(3))
                    totals[share, counted] = tuple(  # type: ignore[assignment]  # three of three
                        a + b for a, b in zip(totals[share, counted], (right, sure, hidden), strict=True)
                    )
                    cells.append(f"{right} of {sure}, {right / max(1, hidden):.0%} of {hidden}")
                print(f"| {package} | {share:.0%} | {cells[0]} | {cells[1]} |")
    for (share, counted), (right, sure, hidden) in totals.items():
        print(
            f"{share:.0%} hidden, {'now' if counted else 'before'}: {right} of {sure} sure ones right "
            f"({right / max(1, sure):.0%}), {right / max(1, hidden):.0%} of the hidden found"
        )


def _judge(model: Model, share: float, number: int, *, counted: bool) -> Judged:
    copy = file.read(file.write(model))
    drawn = random.Random(f"{model.name} {share} {number}")
    for table in copy.tables:
        table.foreign_keys = [key for key in table.foreign_keys if drawn.random() >= share]
    hidden = wanted_of(model) - wanted_of(copy)
    with nullcontext() if counted else patch("indexa.core.infer.proposing.declared_references", return_value=0):
        proposals = propose(copy)
    sure = {
        (
            one.full_name.lower(),
            frozenset(column.lower() for column in one.columns),
            (f"{one.ref_schema}.{one.ref_table}" if one.ref_schema else one.ref_table).lower(),
        )
        for one in proposals
        if one.kind == "foreign_key" and one.confidence >= _SURE
    }
    return len(sure & hidden), len(sure), len(hidden)
