"""The glossary and the code lists of an edition by SKOS: a scheme for the terms, one for each list."""

from __future__ import annotations

from urllib.parse import quote

from rdflib import DCTERMS, OWL, RDF, SKOS, Graph, Literal, URIRef

from indexa.core.edition.book import Book
from indexa.core.edition.open.dcat import Form

CANNOT = ("tables and columns", "business rules", "owners of terms")
"""What of an edition it does not carry."""


def graph_of(book: Book, base: str) -> Graph:
    """Return terms and code lists as a graph; `base` is the address below which they lie, with a slash at its end."""
    graph = Graph()
    graph.bind("skos", SKOS)
    graph.bind("dct", DCTERMS)
    if book.terms:
        scheme = _scheme(graph, f"{base}terms", "Glossary")
        names = {term.name for term in book.terms}
        for term in book.terms:
            concept = _concept(graph, scheme, term.name, term.name)
            if term.definition:
                graph.add((concept, SKOS.definition, Literal(term.definition, lang="en")))
            for other in term.synonyms:
                if other != term.name:
                    graph.add((concept, SKOS.altLabel, Literal(other, lang="en")))
            if term.broader in names:
                graph.add((concept, SKOS.broader, URIRef(f"{scheme}/{quote(term.broader, safe='')}")))
            else:
                graph.add((concept, SKOS.topConceptOf, scheme))
                graph.add((scheme, SKOS.hasTopConcept, concept))
    for one in book.lists:
        scheme = _scheme(graph, f"{base}codes/{quote(one.name)}", one.name)
        if one.meaning:
            graph.add((scheme, DCTERMS.description, Literal(one.meaning, lang="en")))
        for code in one.codes:
            concept = _concept(graph, scheme, code.code, code.meaning or code.code)
            graph.add((concept, SKOS.notation, Literal(code.code)))
            graph.add((concept, SKOS.topConceptOf, scheme))
            graph.add((scheme, SKOS.hasTopConcept, concept))
            if code.retired:
                graph.add((concept, OWL.deprecated, Literal(True)))
    return graph


def _scheme(graph: Graph, address: str, title: str) -> URIRef:
    scheme = URIRef(address)
    graph.add((scheme, RDF.type, SKOS.ConceptScheme))
    graph.add((scheme, DCTERMS.title, Literal(title, lang="en")))
    return scheme


def _concept(graph: Graph, scheme: URIRef, key: str, label: str) -> URIRef:
    concept = URIRef(f"{scheme}/{quote(key, safe='')}")
    graph.add((concept, RDF.type, SKOS.Concept))
    graph.add((concept, SKOS.inScheme, scheme))
    graph.add((concept, SKOS.prefLabel, Literal(label, lang="en")))
    return concept


def write(book: Book, base: str, form: Form = "turtle") -> bytes:
    """Return terms and code lists as Turtle or JSON-LD."""
    return graph_of(book, base).serialize(format=form, encoding="utf-8")
