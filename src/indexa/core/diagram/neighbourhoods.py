"""Which tables matter most, and which belong together: what a model's first diagrams are made of."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence

import msgspec
import networkx as nx

from indexa.core.diagram.parts import Card, Key, Line
from indexa.core.model import VIEW_KINDS, Model, Table

_MOST_ON_FIRST, _LEAST_ON_FIRST = 14, 5
_LARGEST = 40
"""By judgement: more tables than these are no neighbourhood that one takes in at a glance; it is parted again."""
_SEED = 7
"""Communities are found the same way each time."""
LOOSE = "Tables without relationships"
"""The name of the last neighbourhood, of tables that nothing connects."""
_WORD = re.compile(r"[A-Z]?[a-z]+|[A-Z]+(?![a-z])|[A-Z]")


class Neighbourhood(msgspec.Struct):
    """Tables that refer to each other more than to others; `name` says what most of them are about."""

    name: str
    tables: list[Key]


def graph_of(tables: Iterable[Table]) -> nx.Graph:
    """Return the tables as a graph: an edge for each pair that a relationship connects, weighed by how many do."""
    graph = nx.Graph()
    for table in tables:
        graph.add_node((table.schema, table.name))
    for table in tables:
        for key in table.foreign_keys:
            child, parent = (table.schema, table.name), (key.ref_schema, key.ref_table)
            if parent in graph and parent != child:
                weight = graph.get_edge_data(child, parent, {"weight": 0})["weight"]
                graph.add_edge(child, parent, weight=weight + 1)
    return graph


def importance(tables: Sequence[Table], widths: Mapping[Key, int] | None = None) -> dict[Key, float]:
    """Return how much each table matters: what refers to it counts fully, what it refers to by half, and a bit its width.

    A table that only lists codes (few columns, refers to nothing) counts half, however many refer to it. `widths` are numbers
    of columns, for tables that come without theirs.
    """
    referred: Counter[Key] = Counter()
    there = {(table.schema, table.name) for table in tables}
    for table in tables:
        for parent in {(key.ref_schema, key.ref_table) for key in table.foreign_keys} - {(table.schema, table.name)}:
            referred[parent] += parent in there
    found = {}
    for table in tables:
        key = (table.schema, table.name)
        score = referred[key] + 0.5 * len({(one.ref_schema, one.ref_table) for one in table.foreign_keys})
        width = widths.get(key, 0) if widths is not None else len(table.columns)
        score += min(width, 40) / 40
        if width <= 4 and not table.foreign_keys:
            score /= 2
        found[key] = score
    return found


def suggested(model: Model, widths: Mapping[Key, int] | None = None, most: int = _MOST_ON_FIRST) -> list[Key]:
    """Return the tables of a model's first diagram: those that matter most, each connected to another where it can be."""
    tables = [table for table in model.tables if table.kind not in VIEW_KINDS] or list(model.tables)
    scores = importance(tables, widths)
    graph = graph_of(tables)
    ranked = sorted(scores, key=lambda key: (-scores[key], key))
    chosen = ranked[:1]
    while len(chosen) < min(most, len(ranked)):
        beside = {other for key in chosen for other in graph[key]} - set(chosen)
        pool = beside or (set(ranked) - set(chosen))
        best = min(pool, key=lambda key: (-scores[key], key))
        if len(chosen) >= _LEAST_ON_FIRST and not beside and not graph[best]:
            break
        chosen.append(best)
    return chosen


def neighbourhoods(model: Model) -> list[Neighbourhood]:
    """Return the tables of a model in groups that refer to each other most, the largest first; loose ones together at last."""
    tables = [table for table in model.tables if table.kind not in VIEW_KINDS]
    graph = graph_of(tables)
    loose = sorted(key for key in graph if not graph[key])
    graph.remove_nodes_from(loose)
    groups = [group for found in _communities(graph) for group in _parted(graph, found)]
    words = {(table.schema, table.name): _words(table) for table in tables}
    everywhere = Counter(word for one in words.values() for word in set(one))
    scores = importance(tables)
    found = [
        Neighbourhood(_name(group, words, everywhere, len(tables), scores), sorted(group))
        for group in sorted(groups, key=lambda group: (-len(group), min(group)))
    ]
    _tell_apart(found)
    if loose:
        found.append(Neighbourhood(LOOSE, loose))
    return found


def communities(cards: Iterable[Card], lines: Iterable[Line]) -> list[set[Key]]:
    """Return the groups that cards fall into by the lines between them, the largest first."""
    graph = nx.Graph()
    graph.add_nodes_from(card.key for card in cards)
    graph.add_weighted_edges_from((line.child, line.parent, 1) for line in lines if line.child != line.parent)
    groups = [part for found in _communities(graph) for part in _parted(graph, found)]
    return sorted(groups, key=lambda group: (-len(group), min(group)))


def _communities(graph: nx.Graph) -> list[set[Key]]:
    if not graph:
        return []
    ordered = nx.Graph()
    ordered.add_nodes_from(sorted(graph))
    ordered.add_weighted_edges_from(
        sorted((min(a, b), max(a, b), data["weight"]) for a, b, data in graph.edges(data=True))
    )
    return [set(one) for one in nx.community.louvain_communities(ordered, weight="weight", seed=_SEED)]


def _parted(graph: nx.Graph, group: set[Key]) -> list[set[Key]]:
    """Part a group that is too large for a glance, as long as it has parts."""
    if len(group) <= _LARGEST:
        return [group]
    parts = _communities(graph.subgraph(group))
    return [group] if len(parts) < 2 else [one for part in parts for one in _parted(graph, part)]


def _words(table: Table) -> list[str]:
    text = table.business_name or table.name
    return [word.lower() for word in _WORD.findall(text) if len(word) > 1]


def _name(
    group: Collection[Key],
    words: Mapping[Key, Sequence[str]],
    everywhere: Mapping[str, int],
    total: int,
    scores: Mapping[Key, float],
) -> str:
    """Name a group by the word that most of its tables share and few others have, else by the table that matters most."""
    counts = Counter(word for key in group for word in set(words[key]))
    best, value = "", 0.0
    for word, count in sorted(counts.items()):
        share, elsewhere = count / len(group), (everywhere[word] - count) / max(1, total - len(group))
        if count >= 2 and share - 2 * elsewhere > max(value, 0.3):
            best, value = word, share - 2 * elsewhere
    if best:
        return best.capitalize()
    centre = min(group, key=lambda key: (-scores[key], key))
    return f"Around {' '.join(words[centre]) or centre[1]}"


def _tell_apart(found: list[Neighbourhood]) -> None:
    seen: dict[str, int] = defaultdict(int)
    for one in found:
        seen[one.name] += 1
        if seen[one.name] > 1:
            one.name = f"{one.name} {seen[one.name]}"
