"""Editions in open forms: parsed again, their shapes checked by an independent library, addresses stable, nothing lost that they carry."""

from __future__ import annotations

import datetime as dt
import unittest

from pyshacl import validate
from rdflib import DCAT, DCTERMS, RDF, SKOS, Graph
from rdflib.collection import Collection

from indexa.core.edition.book import Book, book_of
from indexa.core.edition.open import dcat, skos
from indexa.core.edition.parts import CodeList, Contents, Frozen, Imprint, Signature, Term
from indexa.core.glossary.codes import Code
from tests.factories import make_model

BASE = "https://tarnbeck.example/billing/"
DAY = dt.datetime(2026, 12, 1, tzinfo=dt.UTC)
SHAPES = """
@prefix sh: <http://www.w3.org/ns/shacl#> . @prefix dcat: <http://www.w3.org/ns/dcat#> . @prefix dct: <http://purl.org/dc/terms/> .
@prefix foaf: <http://xmlns.com/foaf/0.1/> . @prefix xsd: <http://www.w3.org/2001/XMLSchema#> . @prefix skos: <http://www.w3.org/2004/02/skos/core#> .
[] a sh:NodeShape ; sh:targetClass dcat:Catalog ; sh:property [ sh:path dct:title ; sh:minCount 1 ; sh:uniqueLang true ] ,
  [ sh:path dct:description ; sh:minCount 1 ] , [ sh:path dct:publisher ; sh:minCount 1 ; sh:maxCount 1 ; sh:class foaf:Agent ] ,
  [ sh:path dcat:dataset ; sh:class dcat:Dataset ] .
[] a sh:NodeShape ; sh:targetClass dcat:Dataset ; sh:property [ sh:path dct:title ; sh:minCount 1 ; sh:uniqueLang true ] ,
  [ sh:path dct:description ; sh:minCount 1 ] , [ sh:path dct:identifier ; sh:minCount 1 ; sh:maxCount 1 ] ,
  [ sh:path dct:publisher ; sh:maxCount 1 ; sh:class foaf:Agent ] , [ sh:path dct:relation ; sh:class dcat:Dataset ] ,
  [ sh:path dcat:distribution ; sh:class dcat:Distribution ] , [ sh:path dct:modified ; sh:maxCount 1 ; sh:datatype xsd:date ] ,
  [ sh:path dct:accessRights ; sh:class dct:RightsStatement ] .
[] a sh:NodeShape ; sh:targetClass dcat:Distribution ; sh:property [ sh:path dcat:accessURL ; sh:minCount 1 ; sh:nodeKind sh:IRI ] ,
  [ sh:path dcat:mediaType ; sh:nodeKind sh:IRI ] .
[] a sh:NodeShape ; sh:targetClass skos:Concept ; sh:property [ sh:path skos:prefLabel ; sh:minCount 1 ; sh:uniqueLang true ;
  sh:disjoint skos:altLabel ] , [ sh:path skos:broader ; sh:class skos:Concept ] , [ sh:path skos:inScheme ; sh:class skos:ConceptScheme ] .
"""


def make_book() -> Book:
    model = make_model()
    model.tables[0].definition = "What **measures** <water>."
    for table in model.tables:
        table.id = f"t{table.name}"
        for column in table.columns:
            column.id = f"c{table.name}.{column.name}"
    frozen = Frozen(
        "Billing", "Billing dictionary", "", Contents(), [model],
        said={"tmtr": {"Owner": "Field Operations", "Confidentiality": "Internal", "Retention": "10 years"}},
        carried={"cmtr.mtr_srl_no": {"Term": "Serial / number"}},
        terms=[Term("Meter", "What measures.", ("Device", "Meter")), Term("Serial / number", broader="Meter"), Term("Odd", broader="Gone")],
        lists=[CodeList("State of a meter", "", (Code("A/B", "Active"), Code("C", "", True)))],
    )  # fmt: skip
    return book_of(frozen, Imprint("Billing dictionary", "Billing", "", "Ines", DAY, 2, "d", (Signature("Matt", DAY),)))


class OpenFormTests(unittest.TestCase):
    def test_a_catalog_passes_its_shapes_in_both_forms_and_says_the_same(self) -> None:
        book = make_book()
        graphs = []
        for form in ("turtle", "json-ld"):
            graph = Graph().parse(data=dcat.write(book, BASE, form), format=form)
            conforms, _, report = validate(graph, shacl_graph=Graph().parse(data=SHAPES, format="turtle"))
            self.assertTrue(conforms, report)
            graphs.append(graph)
        self.assertEqual(len(graphs[0]), len(graphs[1]))
        [found] = [
            one
            for one in graphs[0].subjects(DCTERMS.identifier)
            if "mtr_rdg" not in str(one) and "v_mtr" not in str(one)
        ]
        self.assertEqual(str(found), f"{BASE}datasets/billing/metering.mtr")
        self.assertEqual(str(graphs[0].value(found, DCTERMS.description)), "What **measures** <water>.")
        keywords = {str(one) for one in graphs[0].objects(found, DCAT.keyword)}
        self.assertEqual(keywords, {"Serial / number", "Retention: 10 years"})
        schema = graphs[0].value(found, dcat.CSVW.tableSchema)
        columns = Collection(graphs[0], graphs[0].value(schema, dcat.CSVW.column))
        self.assertEqual(
            [str(graphs[0].value(one, dcat.CSVW.name)) for one in columns], ["mtr_id", "mtr_srl_no", "inst_dt"]
        )

    def test_a_fault_is_found_by_the_shapes(self) -> None:
        graph = dcat.graph_of(make_book(), BASE)
        graph.remove((None, DCTERMS.description, None))
        self.assertFalse(validate(graph, shacl_graph=Graph().parse(data=SHAPES, format="turtle"))[0])

    def test_terms_and_codes_are_concepts_with_their_places(self) -> None:
        graph = Graph().parse(data=skos.write(make_book(), BASE), format="turtle")
        conforms, _, report = validate(graph, shacl_graph=Graph().parse(data=SHAPES, format="turtle"))
        self.assertTrue(conforms, report)
        self.assertEqual(len(set(graph.subjects(RDF.type, SKOS.Concept))), 5)
        self.assertEqual(len(set(graph.subject_objects(SKOS.broader))), 1)
        self.assertEqual({str(one) for one in graph.objects(None, SKOS.notation)}, {"A/B", "C"})
