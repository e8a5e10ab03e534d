"""An edition as a Word document: real styles, contents field, captions, repeated table heads; rows are written as XML, which is fast."""

from __future__ import annotations

import io
from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import groupby
from typing import Any
from xml.sax.saxutils import escape

from docx import Document
from docx.enum.text import WD_BREAK
from docx.oxml import OxmlElement, parse_xml
from docx.oxml.ns import nsdecls, qn
from docx.shared import Mm, Pt, RGBColor

from indexa.core.diagram.parts import Drawing
from indexa.core.edition.book import Book, Page
from indexa.core.edition.coverage import aspects_of
from indexa.core.edition.facts import Difference
from indexa.core.edition.parts import EnclosedScript
from indexa.core.render.prose import blocks_of
from indexa.core.type_families import shorten

_ROWS = 200
"""Rows after which a table ends and another begins: office programs take long over larger ones."""
_SMALLER, _WIDE, _TALL = 0.19, 174.0, 215.0
"""Millimetres of paper for a px of a diagram, and the room for one on a page, in mm."""
_MOST_ASPECTS = 4
"""Aspects whose coverage has a place on the width of a page."""
_INK, _QUIET, _ACCENT = RGBColor(0x1D, 0x2A, 0x30), RGBColor(0x4D, 0x5A, 0x61), RGBColor(0x1B, 0x5E, 0x63)
_STYLES = {
    "Title": (28, "Georgia"),
    "Heading 1": (20, "Georgia"),
    "Heading 2": (15, "Georgia"),
    "Heading 3": (12, "Georgia"),
}
_PAPERS = {"a4": (210, 297), "us-letter": (215.9, 279.4)}
"""Width and height in mm."""
_W = nsdecls("w")
_CONTROL = dict.fromkeys(range(32)) | {9: " ", 10: "\n", 13: None}


def write(
    book: Book,
    changes: Sequence[Difference],
    drawings: Sequence[bytes] = (),
    around: Mapping[str, tuple[bytes, Drawing]] | None = None,
) -> bytes:
    """Return the document.

    `drawings` are the book's plates as PNG, in their order; `around` the surroundings of tables, by the path of their page.
    """
    document = Document()
    _set_up(document, book)
    _cover(document, book, changes)
    for section in book.sections:
        document.add_heading(_plain(section.title), 1)
        _text(document, section.text)
    _coverage(document, book)
    if changes:
        document.add_heading("What changed", 1)
        for label, group in groupby(changes, key=lambda one: one.label):
            document.add_heading(label, 2)
            _grid(
                document,
                ("What", "Name", "Field", "Before", "Now"),
                (20, 46, 24, 42, 42),
                _change_rows(group),
                machine=(1,),
            )
    for script in book.scripts:
        _script(document, script)
    figure = 0
    for model in book.models:
        pages = book.pages_of(model)
        if not pages and not any(plate.model == model.name for plate in book.plates):
            continue
        document.add_heading(model.name, 1)
        for plate, drawing in zip(book.plates, drawings, strict=False):
            if plate.model == model.name:
                figure += 1
                _picture(document, drawing, plate.drawing, figure, plate.title)
        for schema, own in groupby(pages, key=lambda page: page.table.schema):
            document.add_heading(schema or "Tables", 2)
            for page in own:
                _table(document, page)
                if around and page.path in around:
                    figure += 1
                    picture, beside = around[page.path]
                    _picture(document, picture, beside, figure, beside.title)
    _glossary(document, book)
    if book.findings:
        document.add_heading("Naming findings", 1)
        rows = ((one.place, one.rule, _words(one.why), one.should) for one in book.findings)
        _grid(document, ("Name", "Rule", "Why", "Should be"), (50, 24, 60, 40), rows, machine=(0, 3))
    stream = io.BytesIO()
    document.save(stream)
    return stream.getvalue()


def _set_up(document: Any, book: Book) -> None:
    section = document.sections[0]
    section.page_width, section.page_height = map(Mm, _PAPERS[book.paper])
    section.left_margin = section.right_margin = Mm(18)
    section.top_margin = section.bottom_margin = Mm(20)
    normal = document.styles["Normal"]
    normal.font.name, normal.font.size, normal.font.color.rgb = "Calibri", Pt(10), _INK
    normal.paragraph_format.space_after = Pt(5)
    for name, (size, face) in _STYLES.items():
        style = document.styles[name]
        style.font.name, style.font.size, style.font.color.rgb = face, Pt(size), _INK
        fonts = style.element.rPr.rFonts
        for sign in ("asciiTheme", "hAnsiTheme", "eastAsiaTheme", "cstheme"):
            fonts.attrib.pop(qn(f"w:{sign}"), None)
    document.styles["Caption"].font.color.rgb = _QUIET
    imprint = book.imprint
    core = document.core_properties
    core.title, core.author, core.comments = (
        _plain(imprint.title),
        _plain(imprint.made_by),
        f"{imprint.edition}, {imprint.date}",
    )
    core.subject = _plain(imprint.area)
    named = f"{imprint.edition}, {imprint.date}" + (f", {imprint.signed}" if imprint.signed else "")
    named += f", {book.volume.lower()}" if book.volume else ""
    section.different_first_page_header_footer = True
    section.header.paragraphs[0].text = _plain(imprint.title)
    foot = section.footer.paragraphs[0]
    foot.text = f"{_plain(named)}\tpage "
    _field(foot, "PAGE", "1")
    if book.foot:
        section.footer.add_paragraph(_plain(book.foot))
    for paragraph in (section.header.paragraphs[0], *section.footer.paragraphs):
        for run in paragraph.runs:
            run.font.size, run.font.color.rgb = Pt(8), _QUIET
    settings = document.settings.element
    update = OxmlElement("w:updateFields")
    update.set(qn("w:val"), "true")
    settings.append(update)


def _cover(document: Any, book: Book, changes: Sequence[Difference]) -> None:
    imprint = book.imprint
    first = document.add_paragraph()
    first.paragraph_format.space_after = Pt(110)
    if book.logo is not None:
        by_height = book.logo.width * 24 <= book.logo.height * 60
        size = {"height": Mm(24)} if by_height else {"width": Mm(60)}
        shape = first.add_run().add_picture(io.BytesIO(book.logo.content), **size)
        shape._inline.docPr.set("descr", _plain(f"Logo of {imprint.area}"))
    document.add_paragraph(_plain(imprint.title), style="Title")
    document.add_paragraph(_plain(f"{imprint.area} · {imprint.edition} · {imprint.date}"))
    if book.volume:
        document.add_paragraph(book.volume)
    _text(document, imprint.note)
    for line in book.volumes:
        document.add_paragraph(_plain(line), style="List Bullet")
    rows = [("For", book.audience)] if book.audience else []
    rows += [("Prepared by", imprint.made_by)]
    rows += [("Signed off by", f"{one.person}, {one.at:%-d %B %Y, %H:%M} UTC") for one in imprint.signatures]
    rows += [("Content, SHA-256", imprint.digest)] if imprint.digest else []
    for name, value in rows:
        paragraph = document.add_paragraph()
        paragraph.add_run(f"{name}: ").font.color.rgb = _QUIET
        paragraph.add_run(_plain(value))
    document.add_paragraph().add_run().add_break(WD_BREAK.PAGE)
    document.add_paragraph("Contents", style="Title")
    _contents(document, book, changes)


def _contents(document: Any, book: Book, changes: Sequence[Difference]) -> None:
    """Write the contents as a field that holds all headings of models until it is updated, with page numbers then."""
    lines = [(1, section.title) for section in book.sections] + (
        [(1, "How far it is described")] if book.coverage else []
    )
    lines += [(1, "What changed")] if changes else []
    lines += [(1, f"Change script: {script.title}") for script in book.scripts]
    for model in book.models:
        pages = book.pages_of(model)
        lines += [(1, model.name)] if pages else []
        for schema, own in groupby(pages, key=lambda page: page.table.schema):
            lines.append((2, schema or "Tables"))
            lines += [(3, f"{page.table.full_name}  {page.table.business_name}".strip()) for page in own]
    last = (
        ("Glossary", book.terms),
        ("Business rules", book.rules),
        ("Code lists", book.lists),
        ("Naming findings", book.findings),
    )
    lines += [(1, name) for name, there in last if there]
    for place, (level, text) in enumerate(lines or [(1, "")]):
        paragraph = document.add_paragraph()
        paragraph.paragraph_format.left_indent = Mm(6 * (level - 1))
        if place == 0:
            _marks(paragraph, "begin", 'TOC \\o "1-3" \\h \\z \\u', "separate")
        paragraph.add_run(_plain(text))
        if place >= len(lines) - 1:
            _marks(paragraph, "end")


def _marks(paragraph: Any, *marks: str) -> None:
    """Write the marks of a field ("begin", "separate", "end"), and what it is to show."""
    for mark in marks:
        if mark in ("begin", "separate", "end"):
            made = OxmlElement("w:fldChar")
            made.set(qn("w:fldCharType"), mark)
        else:
            made = OxmlElement("w:instrText")
            made.set(qn("xml:space"), "preserve")
            made.text = mark
        paragraph.add_run()._r.append(made)


def _field(paragraph: Any, instruction: str, shown: str) -> None:
    _marks(paragraph, "begin", instruction, "separate")
    paragraph.add_run(shown)
    _marks(paragraph, "end")


def _picture(document: Any, picture: bytes, drawing: Drawing, number: int, title: str) -> None:
    """Put in a diagram with its caption: in the size of print where it fits, else as large as a page holds."""
    paragraph = document.add_paragraph()
    paragraph.paragraph_format.keep_with_next = True
    width = min(drawing.width * _SMALLER, _WIDE, drawing.width / max(1, drawing.height) * _TALL)
    shape = paragraph.add_run().add_picture(io.BytesIO(picture), width=Mm(width))
    shape._inline.docPr.set("descr", _plain(f"Diagram: {title}"))
    caption = document.add_paragraph(style="Caption")
    caption.add_run("Figure ")
    _field(caption, "SEQ Figure \\* ARABIC", str(number))
    caption.add_run(f": {_plain(title)}")


def _table(document: Any, page: Page) -> None:
    table = page.table
    heading = document.add_heading(level=3)
    heading.add_run(_plain(table.full_name)).font.name = "Consolas"
    if table.business_name:
        heading.add_run(f"  {_plain(table.business_name)}")
    if table.definition:
        _text(document, table.definition, with_next=True)
    elif table.comment:
        told = document.add_paragraph()
        told.add_run(_plain(table.comment)).italic = True
        told.paragraph_format.keep_with_next = True
    facts = "; ".join(f"{name}: {value}" for name, value in page.said.get("", {}).items())
    if facts:
        told = document.add_paragraph()
        told.add_run(_plain(facts)).font.color.rgb = _QUIET
        told.paragraph_format.keep_with_next = True
    _grid(
        document, ("#", "Key", "Column", "Type", "Definition"), (8, 12, 46, 34, 74), _column_rows(page), machine=(2, 3)
    )
    for key, means, _ in page.refers:
        target = f"{key.ref_schema}.{key.ref_table}" if key.ref_schema else key.ref_table
        kind = "identifying" if means.identifying else "non-identifying"
        declared = "asserted by a person" if key.asserted else "declared in the database"
        text = f"{', '.join(key.columns)} → {target}: {kind}, {declared}"
        document.add_paragraph(_plain(text), style="List Bullet")


def _column_rows(page: Page) -> Iterator[tuple[str, ...]]:
    own = page.said.get("", {})
    for column in page.table.columns:
        name = column.name + (f"\n{column.business_name}" if column.business_name else "")
        carried = [f"{label}: {value}" for label, value in page.carried.get(column.name, {}).items()]
        carried += [
            f"{label}: {value}" for label, value in page.said.get(column.name, {}).items() if value != own.get(label)
        ]
        told = [_words(column.definition) or column.comment, "; ".join(carried)]
        null = "\nmay be empty" if column.nullable else ""
        yield (
            str(column.position), " ".join(page.roles.get(column.name, ())), name, f"{shorten(column.type)}{null}",
            "\n".join(text for text in told if text),
        )  # fmt: skip


def _change_rows(changes: Iterable[Difference]) -> Iterator[tuple[str, ...]]:
    for one in changes:
        for place, field in enumerate(one.fields or (None,)):
            first = (one.kind, one.name) if place == 0 else ("", "")
            yield (*first, *((field.field, field.before, field.after) if field else ("", "", "")))


def _coverage(document: Any, book: Book) -> None:
    if not book.coverage:
        return
    document.add_heading("How far it is described", 1)
    aspects = aspects_of(book.coverage)[:_MOST_ASPECTS]
    heads = ("Schema", "Tables", "Columns", "Described", *aspects)
    share = min(24, 146 // (len(heads) - 1))
    wide = 174 - share * (len(heads) - 1)
    rows = (
        (
            f"{one.model} {one.schema}".strip() if len(book.models) > 1 else one.schema or "(no schema)",
            f"{one.tables:,}",
            f"{one.columns:,}",
            *(
                f"{one.percent(count)} %"
                for count in (one.columns_described, *(one.said.get(aspect, 0) for aspect in aspects))
            ),
        )
        for one in book.coverage
    )
    _grid(document, heads, (wide, *([share] * (len(heads) - 1))), rows, machine=(0,))


def _script(document: Any, script: EnclosedScript) -> None:
    document.add_heading(f"Change script: {_plain(script.title)}", 1)
    facts = [
        f"{script.platform}, {len(script.steps)} steps",
        *([f"signed off {script.signed}"] if script.signed else []),
    ]
    document.add_paragraph(_plain("; ".join(facts)))
    document.add_paragraph(f"SHA-256 {script.checksum}").runs[0].font.color.rgb = _QUIET
    document.add_heading("Rehearsal", 2)
    for line in script.rehearsal or ("Not rehearsed.",):
        document.add_paragraph(_plain(line), style="List Bullet")
    document.add_heading("Steps", 2)
    for place, step in enumerate(script.steps, 1):
        told = document.add_paragraph(_plain(f"{place}. {step.what} ({step.risk})"))
        told.paragraph_format.keep_with_next = True
        for label, text in (
            ("Rows in the way, 0 when there are none", step.check),
            ("To be filled in first where the table has rows", step.fill),
        ):
            if text:
                document.add_paragraph(_plain(f"{label}: {text}"))
        code = document.add_paragraph().add_run(_plain(step.text))
        code.font.name, code.font.size = "Consolas", Pt(9)
    if script.left:
        document.add_heading("Left as it is", 2)
    for line in script.left:
        document.add_paragraph(_plain(line), style="List Bullet")


def _glossary(document: Any, book: Book) -> None:
    if book.terms:
        document.add_heading("Glossary", 1)
    for term in book.terms:
        document.add_heading(_plain(term.name), 2)
        _text(document, term.definition)
        also = [f"also {', '.join(term.synonyms)}"] if term.synonyms else []
        also += [f"broader: {term.broader}"] if term.broader else []
        also += [f"owner: {term.owner}"] if term.owner else []
        if also:
            document.add_paragraph().add_run(_plain("; ".join(also))).font.color.rgb = _QUIET
    if book.rules:
        document.add_heading("Business rules", 1)
    for rule in book.rules:
        document.add_heading(_plain(rule.name), 2)
        _text(document, rule.definition)
        if rule.reason:
            document.add_paragraph(_plain(f"Why: {rule.reason}"))
    if book.lists:
        document.add_heading("Code lists", 1)
    for one in book.lists:
        document.add_heading(_plain(one.name), 2)
        _text(document, one.meaning)
        rows = ((code.code, code.meaning + (" (retired)" if code.retired else "")) for code in one.codes)
        _grid(document, ("Code", "Meaning"), (40, 134), rows, machine=(0,))


def _text(document: Any, text: str, *, with_next: bool = False) -> None:
    for block in blocks_of(text):
        style = {"item": "List Bullet", "quote": "Intense Quote"}.get(block.kind)
        paragraph = document.add_paragraph(style=style)
        paragraph.paragraph_format.keep_with_next = with_next or None
        for piece in block.runs:
            if piece.text == "\n":
                paragraph.add_run().add_break()
                continue
            run = paragraph.add_run(
                _plain(piece.text) + (f" ({piece.link})" if ":" in piece.link and piece.link != piece.text else "")
            )
            run.bold, run.italic = piece.bold or block.kind == "head" or None, piece.italic or None
            if piece.code:
                run.font.name = "Consolas"


def _words(text: str) -> str:
    """Return a text in Markdown as plain lines."""
    return "\n".join(
        ("• " if block.kind == "item" else "") + "".join(run.text for run in block.runs) for block in blocks_of(text)
    )


def _grid(
    document: Any,
    heads: Sequence[str],
    widths: Sequence[int],
    rows: Iterable[Sequence[str]],
    machine: Sequence[int] = (),
) -> None:
    """Write a table, in several where it is long; each repeats its heads on every page."""
    waiting: list[str] = []
    for row in rows:
        waiting.append(_row(row, widths, machine))
        if len(waiting) == _ROWS:
            _put(document, heads, widths, waiting)
            waiting = []
    if waiting:
        _put(document, heads, widths, waiting)


def _put(document: Any, heads: Sequence[str], widths: Sequence[int], rows: Sequence[str]) -> None:
    grid = "".join(f'<w:gridCol w:w="{round(width * 56.7)}"/>' for width in widths)
    border = "".join(
        f'<w:{side} w:val="{"single" if side in ("bottom", "insideH") else "nil"}" w:sz="4" w:color="DDD5C3"/>'
        for side in ("top", "left", "bottom", "right", "insideH", "insideV")
    )
    head = _row(heads, widths, (), is_head=True)
    xml = (
        f'<w:tbl {_W}><w:tblPr><w:tblW w:w="{round(sum(widths) * 56.7)}" w:type="dxa"/><w:tblBorders>{border}</w:tblBorders>'
        f'<w:tblLayout w:type="fixed"/><w:tblLook w:firstRow="1"/></w:tblPr><w:tblGrid>{grid}</w:tblGrid>{head}{"".join(rows)}</w:tbl>'
    )
    document.element.body.insert_element_before(parse_xml(xml), "w:sectPr")
    document.add_paragraph()


def _row(cells: Sequence[str], widths: Sequence[int], machine: Sequence[int], *, is_head: bool = False) -> str:
    look = "<w:tblHeader/>" if is_head else ""
    made = "".join(
        f'<w:tc><w:tcPr><w:tcW w:w="{round(width * 56.7)}" w:type="dxa"/></w:tcPr>{_cell(text, place in machine, is_head)}</w:tc>'
        for place, (text, width) in enumerate(zip(cells, widths, strict=True))
    )
    return f"<w:tr><w:trPr><w:cantSplit/>{look}</w:trPr>{made}</w:tr>"


def _cell(text: str, machine: bool, is_head: bool) -> str:
    face = '<w:rFonts w:ascii="Consolas" w:hAnsi="Consolas" w:cs="Consolas"/>' if machine else ""
    look = '<w:b/><w:color w:val="4D5A61"/>' if is_head else ""
    paragraphs = []
    for place, line in enumerate(_plain(text).split("\n")):
        own = face if place == 0 or not machine else ""
        runs = (
            f'<w:r><w:rPr>{own}{look}<w:sz w:val="18"/></w:rPr><w:t xml:space="preserve">{escape(line)}</w:t></w:r>'
            if line
            else ""
        )
        paragraphs.append(f'<w:p><w:pPr><w:spacing w:before="20" w:after="20"/></w:pPr>{runs}</w:p>')
    return "".join(paragraphs)


def _plain(text: str) -> str:
    """Return a text without signs that no document can hold."""
    return text.translate(_CONTROL)
