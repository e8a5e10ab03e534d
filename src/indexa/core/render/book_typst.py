"""An edition as a Typst document, from which a tagged PDF is set: cover, contents with page numbers, running heads, tables that break well."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from itertools import groupby

from indexa.core.diagram.parts import Drawing
from indexa.core.edition.book import Book, Page
from indexa.core.edition.coverage import aspects_of
from indexa.core.edition.facts import Difference
from indexa.core.edition.parts import EnclosedScript, Logo
from indexa.core.render.prose import Block, Run, blocks_of
from indexa.core.type_families import shorten

_BREAK = "#pagebreak(weak: true)\n"
_QUIET = 'text(size: 8.5pt, fill: rgb("#4d5a61"))'
_MOST_VOLUMES = 30
"""Volumes that the cover has room for."""
_SMALLER, _WIDE, _TALL = 0.55, 490.0, 640.0
"""Points of paper for a px of a diagram, and the room for one on a page, in points."""
_MOST_ASPECTS = 5
"""Aspects whose coverage has a place on the width of a page."""
_TITLE, _TEXT, _MONO = "Source Serif", "Atkinson Next", "Atkinson Mono"
_HEAD = """
#set document(title: {title}, author: {author}, date: datetime(year: {year}, month: {month}, day: {day}))
#set text(font: ({text}, "Atkinson Next Ext"), size: 9.5pt, lang: "en", hyphenate: false)
#set par(leading: 0.6em, spacing: 0.8em)
#show raw: set text(font: ({mono}, "Atkinson Mono Ext"), size: 9pt)
#show heading: set text(font: ({serif}, "Source Serif Ext"), weight: 600)
#show heading.where(level: 1): it => {{ set text(size: 20pt); block(above: 28pt, below: 12pt, sticky: true, it) }}
#show heading.where(level: 2): it => {{ set text(size: 15pt); block(above: 20pt, below: 8pt, it) }}
#show heading.where(level: 3): it => {{ set text(size: 12pt); block(above: 18pt, below: 6pt, sticky: true, it) }}
#show link: set text(fill: rgb("#1b5e63"))
#set table(stroke: (x, y) => (bottom: 0.5pt + rgb("#ddd5c3")), inset: (x: 4pt, y: 3.5pt), align: left + top)
#show table.cell.where(y: 0): set text(weight: 600, size: 8pt, fill: rgb("#4d5a61"))
#set page(
  paper: "{paper}", margin: (x: 18mm, top: 22mm, bottom: 20mm),
  header: context if counter(page).get().first() > 1 {{
    set text(size: 8pt, fill: rgb("#4d5a61"))
    let heads = query(heading.where(level: 1)).filter(one => one.location().page() <= here().page())
    [{running} #h(1fr) #if heads.len() > 0 {{ heads.last().body }}]
  }},
  footer: context {{
    set text(size: 8pt, fill: rgb("#4d5a61"))
    [{imprint} #h(1fr) #counter(page).display("1 of 1", both: true){foot}]
  }},
)
"""


def document(book: Book, changes: Sequence[Difference]) -> Iterator[str]:
    """Yield the document in pieces.

    The files it asks for are its diagrams, drawing-1.svg, drawing-2.svg, in the order of the book's plates; around-1.svg and so on
    for the tables that have surroundings, by the place of their pages; and the logo, under its own name.
    """
    imprint = book.imprint
    day = max((one.at for one in imprint.signatures), default=imprint.made_at)
    named = f"{imprint.edition}, {imprint.date}" + (f", {imprint.signed}" if imprint.signed else "")
    named += f", {book.volume.lower()}" if book.volume else ""
    yield _HEAD.format(
        title=_string(imprint.title), author=_string(imprint.made_by), year=day.year, month=day.month, day=day.day, text=_string(_TEXT),
        mono=_string(_MONO), serif=_string(_TITLE), paper=book.paper, running=_escaped(imprint.title), imprint=_escaped(named),
        foot=f" \\ {_escaped(book.foot)}" if book.foot else "",
    )  # fmt: skip
    yield from _cover(book)
    yield '#outline(title: "Contents", depth: 3, indent: 1em)\n' + _BREAK
    for section in book.sections:
        yield f"= {_escaped(section.title)}\n" + "".join(_blocks(section.text))
    if book.coverage:
        yield from _coverage(book)
    if changes:
        yield from _changes(changes)
    for script in book.scripts:
        yield from _script(script)
    numbers = {page.path: number for number, page in enumerate(book.pages, 1)} if book.contents.surroundings else {}
    for model in book.models:
        pages = book.pages_of(model)
        plates = [(number, plate) for number, plate in enumerate(book.plates, 1) if plate.model == model.name]
        if not pages and not plates:
            continue
        yield f"{_BREAK}= {_escaped(model.name)}\n"
        if plates:
            yield "== Diagrams\n"
        for number, plate in plates:
            yield _figure(f"drawing-{number}.svg", plate.drawing, plate.title)
        for schema, own in groupby(pages, key=lambda page: page.table.schema):
            yield f"== {_escaped(schema or 'Tables')}\n"
            for page in own:
                yield from _table(page)
                yield from _surroundings(page, numbers.get(page.path, 0))
    if book.terms or book.rules:
        yield from _glossary(book)
    if book.lists:
        yield from _codes(book)
    if book.findings:
        yield from _findings(book)


def _cover(book: Book) -> Iterator[str]:
    imprint = book.imprint
    if book.logo is not None:
        yield f"#place(top + left, image({_string(book.logo.file_name)}, {_fitted(book.logo)}, alt: {_string(f'Logo of {imprint.area}')}))\n"
    yield f"#v(50mm)\n#text(size: 30pt, font: {_string(_TITLE)}, weight: 600)[{_escaped(imprint.title)}]\n\n"
    yield f"#text(size: 13pt)[{_escaped(imprint.area)} #sym.dot.c {_escaped(imprint.edition)} #sym.dot.c {_escaped(imprint.date)}]\n#v(8mm)\n"
    yield f"#text(size: 13pt)[{_escaped(book.volume)}]\n\n" if book.volume else ""
    yield "".join(_blocks(imprint.note))
    yield "".join(f"- {_escaped(line)}\n" for line in book.volumes[:_MOST_VOLUMES])
    yield "#v(1fr)\n#set text(size: 9pt)\n"
    rows = [("For", book.audience)] if book.audience else []
    rows += [("Prepared by", imprint.made_by)]
    rows += [("Signed off by", f"{one.person}, {one.at:%-d %B %Y, %H:%M} UTC") for one in imprint.signatures]
    rows += [("Content, SHA-256", imprint.digest)] if imprint.digest else []
    cells = "".join(f"[{_escaped(name)}], [{_escaped(value)}], " for name, value in rows)
    yield f"#grid(columns: (32mm, 1fr), row-gutter: 4pt, {cells})\n#set text(size: 9.5pt)\n#pagebreak()\n"


def _fitted(logo: Logo) -> str:
    """Return the side of a logo that limits it within 60 mm by 24 mm."""
    return "height: 24mm" if logo.width * 24 <= logo.height * 60 else "width: 60mm"


def _surroundings(page: Page, number: int) -> Iterator[str]:
    drawing = page.surroundings()
    if drawing is not None:
        yield _figure(f"around-{number}.svg", drawing, drawing.title)


def _figure(file: str, drawing: Drawing, title: str) -> str:
    """Return a diagram with its caption: in the size of print where it fits, else as large as a page holds."""
    width = min(drawing.width * _SMALLER, _WIDE, drawing.width / max(1, drawing.height) * _TALL)
    return f'#figure(image("{file}", width: {width:.0f}pt, alt: {_string(title)}), caption: [{_escaped(title)}])\n'


def _table(page: Page) -> Iterator[str]:
    table = page.table
    words = f" #h(6pt) #text(weight: 400)[{_escaped(table.business_name)}]" if table.business_name else ""
    yield f"=== {_raw(table.full_name)}{words}\n"
    told = "".join(_blocks(table.definition)) or (f"_{_escaped(table.comment)}_" if table.comment else "")
    if told:
        yield f"#block(sticky: true)[{told}]\n"
    facts = "; ".join(f"{name}: {value}" for name, value in page.said.get("", {}).items())
    if facts:
        yield f"#block(sticky: true, {_QUIET}[{_escaped(facts)}])\n"
    yield "#table(columns: (7mm, 11mm, 42mm, 32mm, 1fr), table.header([\\#], [Key], [Column], [Type], [Definition]),\n"
    for column in table.columns:
        name = _raw(column.name) + (f" \\ {_escaped(column.business_name)}" if column.business_name else "")
        told = "".join(_blocks(column.definition)).strip() or (
            f"_{_escaped(column.comment)}_" if column.comment else ""
        )
        carried = [f"{label}: {value}" for label, value in page.carried.get(column.name, {}).items()]
        carried += [
            f"{label}: {value}"
            for label, value in page.said.get(column.name, {}).items()
            if value != page.said.get("", {}).get(label)
        ]
        more = f' \\ #text(size: 8pt, fill: rgb("#4d5a61"))[{_escaped("; ".join(carried))}]' if carried else ""
        null = " \\ #text(size: 8pt)[may be empty]" if column.nullable else ""
        keys = " ".join(page.roles.get(column.name, ()))
        yield f"[{column.position}], [{keys}], [{name}], [{_raw(shorten(column.type))}{null}], [{told}{more}],\n"
    yield ")\n"
    if page.refers:
        yield "#text(weight: 600)[References]\n\n"
        for key, means, _ in page.refers:
            target = f"{key.ref_schema}.{key.ref_table}" if key.ref_schema else key.ref_table
            declared = "asserted by a person" if key.asserted else "declared in the database"
            kind = "identifying" if means.identifying else "non-identifying"
            yield f"- {_raw(', '.join(key.columns))} #sym.arrow.r {_raw(target)}: {kind}, {declared}\n"
        yield "\n"


def _coverage(book: Book) -> Iterator[str]:
    aspects = aspects_of(book.coverage)[:_MOST_ASPECTS]
    heads = ["Schema", "Tables", "Columns", "Described", *aspects]
    yield "= How far it is described\n"
    yield f"#table(columns: (1fr, {', '.join(['auto'] * (len(heads) - 1))}), table.header({', '.join(f'[{_escaped(one)}]' for one in heads)}),\n"
    for one in book.coverage:
        place = (f"{_escaped(one.model)} " if len(book.models) > 1 else "") + _raw(one.schema or "(no schema)")
        counts = [one.columns_described, *(one.said.get(aspect, 0) for aspect in aspects)]
        shares = ", ".join(f"[{one.percent(count)} %]" for count in counts)
        yield f"[{place}], [{one.tables:,}], [{one.columns:,}], {shares},\n"
    yield ")\n"


def _script(script: EnclosedScript) -> Iterator[str]:
    yield f"{_BREAK}= Change script: {_escaped(script.title)}\n"
    facts = [
        f"{script.platform}, {len(script.steps)} steps",
        *([f"signed off {script.signed}"] if script.signed else []),
    ]
    yield f"{_escaped('; '.join(facts))}\n\n#{_QUIET}[SHA-256 {script.checksum}]\n== Rehearsal\n"
    for line in script.rehearsal or ("Not rehearsed.",):
        yield f"- {_escaped(line)}\n"
    yield "== Steps\n"
    for place, step in enumerate(script.steps, 1):
        yield f'#block(sticky: true)[{place}. {_escaped(step.what)} #text(fill: rgb("#4d5a61"))[({_escaped(step.risk)})]]\n'
        if step.check:
            yield f"#block(sticky: true)[Rows in the way, 0 when there are none: {_raw(step.check)}]\n"
        if step.fill:
            yield f"#block(sticky: true)[To be filled in first where the table has rows: {_raw(step.fill)}]\n"
        yield f'#block(fill: rgb("#f4f1ea"), inset: 6pt, width: 100%, raw({_string(step.text, keep_lines=True)}, block: true))\n'
    if script.left:
        yield "== Left as it is\n"
    for line in script.left:
        yield f"- {_escaped(line)}\n"


def _glossary(book: Book) -> Iterator[str]:
    yield f"{_BREAK}= Glossary\n"
    for term in book.terms:
        yield f"== {_escaped(term.name)}\n" + "".join(_blocks(term.definition))
        also = [f"also {', '.join(term.synonyms)}"] if term.synonyms else []
        also += [f"broader: {term.broader}"] if term.broader else []
        also += [f"owner: {term.owner}"] if term.owner else []
        if also:
            yield f"#{_QUIET}[{_escaped('; '.join(also))}]\n\n"
    if book.rules:
        yield "= Business rules\n"
    for rule in book.rules:
        yield f"== {_escaped(rule.name)}\n" + "".join(_blocks(rule.definition))
        if rule.reason:
            yield f"Why: {_escaped(rule.reason)}\n\n"


def _codes(book: Book) -> Iterator[str]:
    yield f"{_BREAK}= Code lists\n"
    for one in book.lists:
        yield f"== {_escaped(one.name)}\n" + "".join(_blocks(one.meaning))
        yield "#table(columns: (30mm, 1fr), table.header([Code], [Meaning]),\n"
        for code in one.codes:
            yield f"[{_raw(code.code)}], [{_escaped(code.meaning)}{' (retired)' if code.retired else ''}],\n"
        yield ")\n"


def _findings(book: Book) -> Iterator[str]:
    yield f"{_BREAK}= Naming findings\n"
    yield "#table(columns: (1fr, 24mm, 1.2fr, 1fr), table.header([Name], [Rule], [Why], [Should be]),\n"
    for one in book.findings:
        yield f"[{_raw(one.place)}], [{_escaped(one.rule)}], [{''.join(_blocks(one.why)).strip()}], [{_raw(one.should)}],\n"
    yield ")\n"


def _changes(changes: Sequence[Difference]) -> Iterator[str]:
    yield "= What changed\n"
    for label, group in groupby(changes, key=lambda one: one.label):
        yield f"== {_escaped(label)}\n#table(columns: (16mm, 1fr, 26mm, 1fr, 1fr), table.header([What], [Name], [Field], [Before], [Now]),\n"
        for one in group:
            for place, field in enumerate(one.fields or (None,)):
                first = (
                    (one.kind, _raw(one.name) if one.is_of_machine else _escaped(one.name)) if place == 0 else ("", "")
                )
                told = (field.field, field.before, field.after) if field else ("", "", "")
                yield f"[{first[0]}], [{first[1]}], " + ", ".join(f"[{_escaped(text)}]" for text in told) + ",\n"
        yield ")\n"


def _blocks(text: str) -> Iterator[str]:
    for block in blocks_of(text):
        yield _block(block)


def _block(block: Block) -> str:
    inner = "".join(_run(run) for run in block.runs)
    if block.kind == "item":
        return f"{'  ' * (block.level - 1)}- {inner}\n"
    if block.kind == "head":
        return f"#text(weight: 600)[{inner}]\n\n"
    if block.kind == "quote":
        return f"#quote(block: true)[{inner}]\n\n"
    return f"{inner}\n\n"


def _run(run: Run) -> str:
    if run.text == "\n":
        return " \\\n"
    made = _raw(run.text) if run.code else _escaped(run.text)
    if run.bold:
        made = f"#strong[{made}]"
    if run.italic:
        made = f"#emph[{made}]"
    # A link to a page of the edition leads nowhere in a document.
    return f"#link({_string(run.link)})[{made}]" if ":" in run.link else made


def _string(text: str, *, keep_lines: bool = False) -> str:
    quoted = text.replace("\\", "\\\\").replace('"', '\\"')
    return '"' + quoted.replace("\n", "\\n" if keep_lines else " ") + '"'


def _raw(text: str) -> str:
    """Return a machine name, which may break after a dot or underline."""
    return f"#raw({_string(text)})" if text else ""


_MARKS = str.maketrans({sign: f"\\{sign}" for sign in "\\#*_[]$@<>`~'\"/-+="})


def _escaped(text: str) -> str:
    return " \\ ".join(line.translate(_MARKS) for line in text.split("\n"))


def pieces(book: Book, changes: Iterable[Difference]) -> str:
    """Return the whole document."""
    return "".join(document(book, list(changes)))
