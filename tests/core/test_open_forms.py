"""Editions in open forms: parsed again, their shapes checked by an independent library, addresses stable, nothing lost that they carry."""

from __future__ import annotations

import datetime as dt
import io
import json
import tempfile
import unittest
from pathlib import Path
from xml.etree import ElementTree as ET

import csvw
import fastavro
import frictionless
import jsonschema
from open_data_contract_standard.model import OpenDataContractStandard
from pyshacl import validate
from rdflib import DCAT, DCTERMS, RDF, SKOS, Graph
from rdflib.collection import Collection

from indexa.core.edition.book import Book, book_of
from indexa.core.edition.open import dcat, skos, structures, tabular, xmi
from indexa.core.edition.open.kinds import TypeKind, kind_of
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


class KindTests(unittest.TestCase):
    def test_types_of_all_platforms_have_a_kind(self) -> None:
        for type_name, kind in (
            ("bigint", TypeKind("integer")), ("NUMBER(10,2)", TypeKind("decimal", 0, 10, 2)), ("double precision", TypeKind("number")),
            ("varchar2(10 char)", TypeKind("string", 10)), ("character varying(24)", TypeKind("string", 24)), ("date", TypeKind("date")),
            ("timestamp with time zone", TypeKind("datetime")), ("time(6)", TypeKind("time")), ("boolean", TypeKind("boolean")),
            ("jsonb", TypeKind("object")), ("text[]", TypeKind("array")), ("bytea", TypeKind("binary")), ("bill.amt_t", TypeKind("string")),
            ("interval", TypeKind("string")), ("uuid", TypeKind("string")),
        ):  # fmt: skip
            self.assertEqual(kind_of(type_name), kind, type_name)


class OpenFormTests(unittest.TestCase):
    def test_csv_on_the_web_and_a_data_package_describe_rows_that_their_own_libraries_then_check(self) -> None:
        book = make_book()
        good = {
            "billing-metering-mtr.csv": "mtr_id,mtr_srl_no,inst_dt\n1,A,2026-01-01\n",
            "billing-metering-mtr-rdg.csv": "mtr_id,rdg_ts,rdg_val\n1,2026-01-01T00:00:00Z,1.5\n",
            "billing-metering-v-mtr.csv": "mtr_id\n1\n",
        }
        with tempfile.TemporaryDirectory() as folder:
            for name, text in good.items():
                (Path(folder) / name).write_text(text)
            metadata = Path(folder) / "csvw-metadata.json"
            metadata.write_bytes(tabular.csvw(book))
            self.assertTrue(csvw.CSVW(str(metadata), validate=True).is_valid)
            descriptor = Path(folder) / "datapackage.json"
            descriptor.write_bytes(tabular.data_package(book))
            report = frictionless.Package(str(descriptor)).validate()
            self.assertTrue(report.valid, report.flatten(["message"]))
            (Path(folder) / "billing-metering-mtr-rdg.csv").write_text("mtr_id,rdg_ts,rdg_val\nx,soon,1.5\n")
            with self.assertRaisesRegex(ValueError, "mtr_id"):
                _ = csvw.CSVW(str(metadata), validate=True).is_valid
            self.assertFalse(frictionless.Package(str(descriptor)).validate().valid)

    def test_a_json_schema_is_one_and_tells_good_rows_from_bad_ones(self) -> None:
        whole = json.loads(structures.json_schema(make_book()))
        jsonschema.Draft202012Validator.check_schema(whole)
        row = {"$ref": "#/$defs/billing.metering.mtr"} | whole
        checker = jsonschema.Draft202012Validator(row)
        self.assertEqual(list(checker.iter_errors({"mtr_id": 1, "mtr_srl_no": "A", "inst_dt": None})), [])
        self.assertTrue(list(checker.iter_errors({"mtr_id": "one", "mtr_srl_no": "A"})))
        self.assertTrue(list(checker.iter_errors({"mtr_srl_no": "A" * 25, "mtr_id": 1})))

    def test_avro_records_are_parsed_and_hold_rows(self) -> None:
        records = json.loads(structures.avro(make_book()))
        for record in records:
            fastavro.parse_schema(record)
        stream = io.BytesIO()
        fastavro.writer(
            stream,
            fastavro.parse_schema(records[0]),
            [{"mtr_id": 1, "mtr_srl_no": "A", "inst_dt": dt.date(2026, 1, 1)}],
        )
        stream.seek(0)
        self.assertEqual(next(iter(fastavro.reader(stream)))["inst_dt"], dt.date(2026, 1, 1))

    def test_a_data_contract_passes_the_schema_of_its_standard(self) -> None:
        schema = OpenDataContractStandard.json_schema()
        made = json.loads(structures.contract(make_book()))
        jsonschema.validate(made, json.loads(schema) if isinstance(schema, str) else schema)
        [meter] = [one for one in made["schema"] if one["name"] == "metering.mtr"]
        self.assertEqual(meter["properties"][0]["primaryKeyPosition"], 1)

    def test_a_class_model_refers_only_to_what_is_there(self) -> None:
        root = ET.fromstring(xmi.write(make_book()))
        ids = [one.get(f"{{{xmi._XMI}}}id") for one in root.iter() if one.get(f"{{{xmi._XMI}}}id")]
        self.assertEqual(len(ids), len(set(ids)))
        for one in root.iter():
            for name in ("type", "association", "memberEnd", "annotatedElement"):
                for target in (one.get(name) or "").split():
                    self.assertIn(target, ids)
        kinds = [one.get(f"{{{xmi._XMI}}}type") for one in root.iter()]
        self.assertEqual((kinds.count("uml:Class"), kinds.count("uml:Association")), (3, 1))

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
