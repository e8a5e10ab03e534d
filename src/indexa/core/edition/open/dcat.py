"""An edition as a catalog by DCAT 3: a dataset for each table, its columns by the terms of CSV on the Web, who owns it, which edition.

Addresses of datasets stay the same between editions, so that whoever receives them twice knows them again.
"""

from __future__ import annotations

from typing import Literal as Choice
from urllib.parse import quote

from rdflib import DCAT, DCTERMS, FOAF, RDF, RDFS, BNode, Graph, Literal, Namespace, URIRef
from rdflib.collection import Collection
from rdflib.term import Node

from indexa.core.edition.book import Book, Page

VERSION = URIRef(f"{DCAT}version")
"""A property that DCAT has from version 3 on."""
CSVW = Namespace("http://www.w3.org/ns/csvw#")
Form = Choice["turtle", "json-ld"]
MEDIA_TYPES: dict[Form, str] = {"turtle": "text/turtle", "json-ld": "application/ld+json"}
CANNOT = (
    "foreign keys over several columns", "indexes, checks and queries of views", "diagrams", "business rules",
    "who signed, beyond the publisher",
)  # fmt: skip
"""What of an edition a DCAT catalog does not carry."""


def graph_of(book: Book, base: str) -> Graph:
    """Return an edition as a graph; `base` is the address below which its things lie, with a slash at its end."""
    graph = Graph()
    for prefix, space in (("dcat", DCAT), ("dct", DCTERMS), ("foaf", FOAF), ("csvw", CSVW)):
        graph.bind(prefix, space)
    imprint, catalog = book.imprint, URIRef(base)
    publisher = _agent(graph, base, imprint.area)
    day = Literal(max((one.at for one in imprint.signatures), default=imprint.made_at).date())
    graph.add((catalog, RDF.type, DCAT.Catalog))
    graph.add((catalog, DCTERMS.title, Literal(imprint.title, lang="en")))
    graph.add((catalog, DCTERMS.description, Literal(imprint.note or f"{imprint.title}, {imprint.edition}", lang="en")))
    graph.add((catalog, DCTERMS.publisher, publisher))
    graph.add((catalog, DCTERMS.modified, day))
    graph.add((catalog, VERSION, Literal(str(imprint.number or "draft"))))
    for page in book.pages:
        dataset = _dataset(graph, base, book, page)
        graph.add((dataset, DCTERMS.modified, day))
        graph.add((catalog, DCAT.dataset, dataset))
    return graph


def identifier_of(page: Page) -> str:
    """Return what a table is known by: model, schema and name."""
    return f"{page.model.name}/{page.table.full_name}"


def _dataset(graph: Graph, base: str, book: Book, page: Page) -> URIRef:
    table, identifier = page.table, identifier_of(page)
    dataset = URIRef(f"{base}datasets/{quote(identifier)}")
    graph.add((dataset, RDF.type, DCAT.Dataset))
    graph.add((dataset, DCTERMS.identifier, Literal(identifier)))
    graph.add((dataset, DCTERMS.title, Literal(table.business_name or table.full_name, lang="en")))
    told = table.definition or table.comment or f"{table.kind.capitalize()} {table.full_name} of {page.model.name}."
    graph.add((dataset, DCTERMS.description, Literal(told, lang="en")))
    graph.add((dataset, DCTERMS.type, Literal(table.kind)))
    graph.add((dataset, VERSION, Literal(str(book.imprint.number or "draft"))))
    graph.add(
        (dataset, DCTERMS.publisher, _agent(graph, base, page.said.get("", {}).get("Owner") or book.imprint.area))
    )
    for word in sorted({told["Term"] for told in page.carried.values() if "Term" in told}):
        graph.add((dataset, DCAT.keyword, Literal(word, lang="en")))
    for name, words in page.said.get("", {}).items():
        if name == "Confidentiality":
            rights = BNode()
            graph.add((rights, RDF.type, DCTERMS.RightsStatement))
            graph.add((rights, RDFS.label, Literal(f"{name}: {words}", lang="en")))
            graph.add((dataset, DCTERMS.accessRights, rights))
        elif name != "Owner":
            graph.add((dataset, DCAT.keyword, Literal(f"{name}: {words}", lang="en")))
    for _, _, target in page.refers:
        if target >= 0:
            graph.add((dataset, DCTERMS.relation, URIRef(f"{base}datasets/{quote(identifier_of(book.pages[target]))}")))
    distribution = URIRef(f"{dataset}/pages")
    graph.add((dataset, DCAT.distribution, distribution))
    graph.add((distribution, RDF.type, DCAT.Distribution))
    graph.add((distribution, DCTERMS.title, Literal("Documentation", lang="en")))
    graph.add((distribution, DCAT.accessURL, URIRef(f"{base}{page.path}")))
    graph.add((distribution, DCAT.mediaType, URIRef("https://www.iana.org/assignments/media-types/text/html")))
    _columns(graph, dataset, page)
    return dataset


def _columns(graph: Graph, dataset: URIRef, page: Page) -> None:
    schema = BNode()
    graph.add((dataset, CSVW.tableSchema, schema))
    graph.add((schema, RDF.type, CSVW.Schema))
    nodes: list[Node] = []
    for column in page.table.columns:
        node = BNode()
        nodes.append(node)
        graph.add((node, RDF.type, CSVW.Column))
        graph.add((node, CSVW.name, Literal(column.name)))
        graph.add((node, CSVW.datatype, Literal(column.type)))
        graph.add((node, CSVW.required, Literal(not column.nullable)))
        if column.business_name:
            graph.add((node, CSVW.title, Literal(column.business_name, lang="en")))
        if column.definition or column.comment:
            graph.add((node, DCTERMS.description, Literal(column.definition or column.comment, lang="en")))
    ordered = BNode()
    Collection(graph, ordered, nodes)
    graph.add((schema, CSVW.column, ordered))
    if page.table.primary_key:
        graph.add((schema, CSVW.primaryKey, Literal(", ".join(page.table.primary_key.columns))))


def _agent(graph: Graph, base: str, name: str) -> URIRef:
    agent = URIRef(f"{base}agents/{quote(name)}")
    graph.add((agent, RDF.type, FOAF.Agent))
    graph.add((agent, FOAF.name, Literal(name)))
    return agent


def write(book: Book, base: str, form: Form = "turtle") -> bytes:
    """Return an edition as Turtle or JSON-LD."""
    return graph_of(book, base).serialize(format=form, encoding="utf-8")
