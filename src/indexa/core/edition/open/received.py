"""A catalog by DCAT as whoever receives it reads it: its datasets with their columns, whatever program wrote it."""

from __future__ import annotations

import hashlib
import json
from typing import Any

import msgspec
from rdflib import DCAT, DCTERMS, FOAF, RDF, Graph, Node
from rdflib.collection import Collection
from rdflib.exceptions import ParserError

from indexa.core.edition.open.dcat import CSVW, VERSION
from indexa.core.errors import CoreError

LARGEST = 64 * 1024 * 1024
FORMS = {"text/turtle": "turtle", "application/ld+json": "json-ld"}
"""Media types that are taken, with the parser of each."""
_LONGEST = 20_000


class CatalogProblem(CoreError):
    """What was sent is no catalog that can be taken; the message says why."""

    code = "catalog"


class ReceivedColumn(msgspec.Struct):
    """A column of a dataset."""

    name: str
    type: str = ""
    title: str = ""
    description: str = ""
    required: bool = False


class ReceivedDataset(msgspec.Struct):
    """A dataset as it was described."""

    identifier: str
    title: str
    description: str
    publisher: str = ""
    page: str = ""
    keywords: list[str] = msgspec.field(default_factory=list)
    columns: list[ReceivedColumn] = msgspec.field(default_factory=list)

    @property
    def digest(self) -> str:
        """What is the same as long as nothing of it changes."""
        return hashlib.sha256(msgspec.json.encode(self, order="deterministic")).hexdigest()


class Received(msgspec.Struct):
    """A catalog with its datasets."""

    title: str
    publisher: str
    version: str
    datasets: list[ReceivedDataset]


def read(content: bytes, media_type: str) -> Received:
    """Read a catalog. Raises CatalogProblem for what is too large, of another type, unreadable, or without a catalog or identifiers."""
    form = FORMS.get(media_type.partition(";")[0].strip().lower())
    if form is None:
        raise CatalogProblem(f"“{media_type[:60]}” is not taken. Send {' or '.join(FORMS)}.")
    if len(content) > LARGEST:
        raise CatalogProblem(f"It is larger than {LARGEST // 1024**2} MB.")
    if form == "json-ld":
        _refuse_remote_contexts(content)
    try:
        graph = Graph().parse(data=content, format=form)
    except (ParserError, SyntaxError, ValueError, KeyError, TypeError, AttributeError) as error:
        raise CatalogProblem(f"It can't be read as {media_type}: {str(error)[:200]}") from None
    catalogs = list(graph.subjects(RDF.type, DCAT.Catalog))
    if len(catalogs) != 1:
        raise CatalogProblem(f"It holds {len(catalogs)} catalogs; one is taken.")
    found = [_dataset(graph, one) for one in graph.objects(catalogs[0], DCAT.dataset)]
    names = [one.identifier for one in found]
    if "" in names or len(set(names)) != len(names):
        raise CatalogProblem("Each dataset needs an identifier of its own.")
    found.sort(key=lambda one: one.identifier)
    publisher = graph.value(catalogs[0], DCTERMS.publisher)
    return Received(
        _text(graph, catalogs[0], DCTERMS.title), _text(graph, publisher, FOAF.name) if publisher else "",
        _text(graph, catalogs[0], VERSION), found,
    )  # fmt: skip


def _refuse_remote_contexts(content: bytes) -> None:
    """Raise for JSON-LD that asks for a context elsewhere: nothing that somebody sends makes this program fetch something."""
    try:
        data = json.loads(content)
    except (ValueError, RecursionError) as error:
        raise CatalogProblem(f"It is no JSON: {str(error)[:120]}") from None
    waiting: list[Any] = [data]
    while waiting:
        one = waiting.pop()
        if isinstance(one, dict):
            contexts = one.get("@context", [])
            contexts = contexts if isinstance(contexts, list) else [contexts]
            if "@import" in one or any(isinstance(context, str) for context in contexts):
                raise CatalogProblem("It asks for a context at another address. Send it with the context in it.")
            waiting.extend(one.values())
        elif isinstance(one, list):
            waiting.extend(one)


def _dataset(graph: Graph, dataset: Node) -> ReceivedDataset:
    publisher, distribution = graph.value(dataset, DCTERMS.publisher), graph.value(dataset, DCAT.distribution)
    page = _text(graph, distribution, DCAT.accessURL) if distribution else ""
    return ReceivedDataset(
        _text(graph, dataset, DCTERMS.identifier), _text(graph, dataset, DCTERMS.title), _text(graph, dataset, DCTERMS.description),
        _text(graph, publisher, FOAF.name) if publisher else "", page if page.startswith(("http://", "https://")) else "",
        sorted(str(one)[:200] for one in graph.objects(dataset, DCAT.keyword)), _columns(graph, dataset),
    )  # fmt: skip


def _columns(graph: Graph, dataset: Node) -> list[ReceivedColumn]:
    schema = graph.value(dataset, CSVW.tableSchema)
    first = graph.value(schema, CSVW.column) if schema else None
    if first is None:
        return []
    return [
        ReceivedColumn(
            _text(graph, one, CSVW.name), _text(graph, one, CSVW.datatype), _text(graph, one, CSVW.title),
            _text(graph, one, DCTERMS.description), _text(graph, one, CSVW.required) == "true",
        )
        for one in Collection(graph, first)
    ]  # fmt: skip


def _text(graph: Graph, subject: Node, predicate: Node) -> str:
    return str(graph.value(subject, predicate) or "")[:_LONGEST]
