"""Tables of an edition as a UML class model by XMI 2.5.1: a package for each schema, a class for each table, an association for each key."""

from __future__ import annotations

from itertools import groupby
from xml.etree import ElementTree as ET

from indexa.core.edition.book import Book, Page

CANNOT = ("types beyond their names", "owners and classes", "indexes, checks and queries", "terms, rules, code lists")
"""What of an edition it does not carry."""
_XMI, _UML = "http://www.omg.org/spec/XMI/20131001", "http://www.omg.org/spec/UML/20131001"


def write(book: Book) -> bytes:
    """Return the class model."""
    ET.register_namespace("xmi", _XMI)
    ET.register_namespace("uml", _UML)
    root = ET.Element(f"{{{_XMI}}}XMI")
    model = _element(root, f"{{{_UML}}}Model", "Model", "model", book.imprint.title)
    types = _element(model, "packagedElement", "Package", "types", "Types")
    names = sorted({column.type for page in book.pages for column in page.table.columns})
    ids = {name: f"type-{number}" for number, name in enumerate(names)}
    for name, id_ in ids.items():
        _element(types, "packagedElement", "DataType", id_, name)
    numbers = {id(page): number for number, page in enumerate(book.pages)}
    groups = groupby(book.pages, key=lambda page: (page.model.name, page.table.schema))
    for place, ((name, schema), pages) in enumerate(groups):
        package = _element(
            model, "packagedElement", "Package", f"package-{place}", f"{name}: {schema}" if schema else name
        )
        for page in pages:
            _class(package, page, numbers[id(page)], ids)
    for number, page in enumerate(book.pages):
        for place, (key, _, target) in enumerate(page.refers):
            if target >= 0:
                _association(model, f"association-{number}-{place}", key.name, f"class-{number}", f"class-{target}")
    return bytes(ET.tostring(root, encoding="utf-8", xml_declaration=True))


def _class(package: ET.Element, page: Page, number: int, types: dict[str, str]) -> None:
    table = page.table
    made = _element(package, "packagedElement", "Class", f"class-{number}", table.name)
    _comment(made, f"class-{number}", table.definition or table.comment)
    for place, column in enumerate(table.columns):
        id_ = f"attribute-{number}-{place}"
        attribute = _element(made, "ownedAttribute", "Property", id_, column.name)
        attribute.set("type", types[column.type])
        _comment(attribute, id_, column.definition or column.comment)
        if column.nullable:
            _element(attribute, "lowerValue", "LiteralInteger", f"{id_}-lower").set("value", "0")


def _association(model: ET.Element, id_: str, name: str, child: str, parent: str) -> None:
    made = _element(model, "packagedElement", "Association", id_, name)
    made.set("memberEnd", f"{id_}-child {id_}-parent")
    for end, type_ in (("child", child), ("parent", parent)):
        owned = _element(made, "ownedEnd", "Property", f"{id_}-{end}")
        owned.set("type", type_)
        owned.set("association", id_)


def _comment(owner: ET.Element, id_: str, text: str) -> None:
    if text:
        comment = _element(owner, "ownedComment", "Comment", f"{id_}-comment")
        comment.set("annotatedElement", id_)
        ET.SubElement(comment, "body").text = "".join(sign for sign in text if sign >= " " or sign in "\n\t")


def _element(parent: ET.Element, tag: str, kind: str, id_: str, name: str = "") -> ET.Element:
    made = ET.SubElement(parent, tag, {f"{{{_XMI}}}type": f"uml:{kind}", f"{{{_XMI}}}id": id_})
    if name:
        made.set("name", name)
    return made
