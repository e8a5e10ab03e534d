"""Layouts by Graphviz, a general tool for graphs that is run as a program of its own, bounded in time."""

from __future__ import annotations

import shutil
import subprocess
from collections.abc import Sequence

from indexa.core.diagram.parts import Point
from indexa.core.diagram.placing import Direction, EngineError

_PX = 72.0
"""Px an inch, which is Graphviz's measure."""
_SECONDS = 120
_FEW_FOR_LAYERS = 300
"""Up to so many nodes, layers are searched as long as they get better."""


def place_by_graphviz(
    sizes: Sequence[tuple[float, float]], edges: Sequence[tuple[int, int]], style: str, direction: Direction
) -> list[Point]:
    """Return the middle of each node. Raises EngineError where Graphviz is missing, fails, or takes too long."""
    program = {"layered": "dot", "radial": "twopi"}.get(style, "sfdp")
    if shutil.which(program) is None:
        raise EngineError(f"{program} is not installed.")
    text = _written(sizes, edges, program, direction)
    try:
        done = subprocess.run(
            [program, "-Tplain"], input=text, capture_output=True, text=True, timeout=_SECONDS, check=True
        )  # fmt: skip
    except (subprocess.SubprocessError, OSError) as error:
        raise EngineError(str(error)) from error
    return _read(done.stdout, len(sizes))


def _written(
    sizes: Sequence[tuple[float, float]], edges: Sequence[tuple[int, int]], program: str, direction: Direction
) -> str:
    if program == "dot":
        settings = f"rankdir={'LR' if direction == 'right' else 'TB'};nodesep=0.5;ranksep=1.1;"
        if len(sizes) > _FEW_FOR_LAYERS:
            settings += "nslimit=1;nslimit1=1;mclimit=0.3;searchsize=10;"
    elif program == "twopi":
        settings = 'overlap=prism;sep="+30";ranksep=3;'
    else:
        settings = 'overlap=prism;sep="+28";K=2;start=1;'
    lines = [f'{"digraph" if program == "dot" else "graph"} g {{{settings}node[shape=box,fixedsize=true,label=""];']
    lines += [f"n{at}[width={w / _PX:.3f},height={h / _PX:.3f}];" for at, (w, h) in enumerate(sizes)]
    arrow = "->" if program == "dot" else "--"
    lines += [f"n{a}{arrow}n{b};" for a, b in edges]
    return "\n".join([*lines, "}"])


def _read(text: str, count: int) -> list[Point]:
    """Read the plain form: `graph scale width height`, `node name x y ...`; y counts upwards."""
    top, found = 0.0, {}
    for line in text.splitlines():
        words = line.split()
        if words[:1] == ["graph"]:
            top = float(words[3])
        elif words[:1] == ["node"]:
            found[int(words[1][1:])] = (float(words[2]) * _PX, (top - float(words[3])) * _PX)
    if len(found) != count:
        raise EngineError("The layout lacks some of its nodes.")
    return [found[at] for at in range(count)]
