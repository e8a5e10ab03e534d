"""All names of a model, each once: looked through, written for every place at once, out to a spreadsheet and back in."""

from __future__ import annotations

import csv
import io
from collections.abc import Collection, Iterable, Iterator
from pathlib import Path

import msgspec
from django.db import connection, transaction

from indexa.adapters.errors import SourceError
from indexa.adapters.kit_files import fault_of, file_rows
from indexa.adapters.spreadsheets import Row
from indexa.areas.models import Area, Person
from indexa.changes.models import ChangeSet
from indexa.core.errors import CoreError
from indexa.core.naming.expanding import Part
from indexa.core.render import lists
from indexa.core.render.lists import Heading
from indexa.jobs.progress import Silent
from indexa.modeling import editing
from indexa.naming.passes.models import LockedName, NamingPass
from indexa.naming.passes.services import discard_open_passes
from indexa.naming.passes.to_business import COLUMNS
from indexa.store.bulk import copy_rows
from indexa.store.errors import EditError
from indexa.store.models import StoredModel

HEADINGS = (
    Heading("Kind", 9), Heading("Name", 34, machine=True), Heading("Places", 8), Heading("Business name", 40), Heading("Other business names", 50),
    Heading("Exported name", 40),
)  # fmt: skip
MOST_ROWS = 200_000
_MOST_OTHERS = 5
_CONFLICT = "a decision"
"""What a name waits for that was changed in the model since its sheet was exported."""

_PLACES = """
select 'table' as target, t.name, coalesce(t.entity_id, t.id) as object_id, coalesce(nullif(t.business_name, ''), e.business_name, '') as shown,
       case when t.schema = '' then t.name else t.schema || '.' || t.name end as place, t.id as item
from model_table t left join model_table e on e.id = t.entity_id where t.model_id = %(model)s and t.removed_at is null
union all
select 'column', d.name, coalesce(d.attribute_id, d.id), d.business_name,
       case when d.schema = '' then d.table_name else d.schema || '.' || d.table_name end || '.' || d.name, d.id
from described_column d where d.model_id = %(model)s
"""


class SheetName(msgspec.Struct, frozen=True):
    """A business name as a sheet has it, and as it was when the sheet was exported; None where the sheet does not say."""

    text: str
    exported: str | None = None

    @property
    def is_edited(self) -> bool:
        """Whether a person wrote it into the sheet."""
        return self.text != self.exported


class SheetReview(msgspec.Struct, frozen=True):
    """What became of a sheet: the pass to look through, conflicts in it, and names that the model does not have."""

    naming_pass: NamingPass | None
    conflicts: int
    unmatched: list[str]


class NameRow(msgspec.Struct):
    """One name of a kind: in how many places it stands, and the business names it has there, the commonest first."""

    target: str
    name: str
    count: int
    business_names: list[str]
    unnamed: int


def find(model: StoredModel, text: str = "", target: str = "", which: str = "") -> list[NameRow]:
    """Return the names of a model in one query, those that stand in most places first."""
    having = {"missing": "having bool_or(shown = '')", "differing": "having count(distinct nullif(shown, '')) > 1"}.get(
        which, ""
    )
    with connection.cursor() as cursor:
        cursor.execute(
            f"select target, name, sum(n)::int, coalesce(array_agg(shown order by n desc) filter (where shown <> ''), '{{}}'), "  # noqa: S608
            "coalesce(sum(n) filter (where shown = ''), 0)::int from (select target, name, shown, count(*) as n "
            f"from ({_PLACES}) places where (%(target)s = '' or target = %(target)s) and (name ilike %(like)s or shown ilike %(like)s) "
            f"group by target, name, shown) found group by target, name {having} order by sum(n) desc, name, target limit {MOST_ROWS}",
            {
                "model": model.pk,
                "target": target,
                "like": "%" + text.replace("\\", "\\\\").replace("%", r"\%").replace("_", r"\_") + "%",
            },
        )
        return [NameRow(*row) for row in cursor.fetchall()]


def write(
    *, area: Area, person: Person, model: StoredModel, target: str, name: str, business_name: str
) -> ChangeSet | None:
    """Write a business name in every place of the model where a name stands; None where nothing changes. Raises EditError."""
    business_name = " ".join(business_name.replace("\x00", "").split())
    if not business_name or len(business_name) > editing.LIMITS["business_name"]:
        raise EditError(f"Say a name of up to {editing.LIMITS['business_name']} letters.")
    values = [(target, object_id, shown, business_name) for _, object_id, shown, _ in _places(model, {(target, name)})]
    why = f"Every {target} called {name}"
    with transaction.atomic():
        return editing.write_many(
            area=area, person=person, model_id=model.pk, why=why, field="business_name", values=values
        )


def _places(model: StoredModel, names: Collection[tuple[str, str]]) -> list[tuple[tuple[str, str], int, str, str]]:
    """Return (target, name), id, business name and full name of all places where one of the names stands, locked ones left out."""
    locked = set(LockedName.objects.filter(direction="business").values_list("target", "object_id"))
    with connection.cursor() as cursor:
        cursor.execute(f"select target, name, object_id, shown, place from ({_PLACES}) p where name = any(%(names)s) order by place", {  # noqa: S608
            "model": model.pk, "names": sorted({name for _, name in names}),
        })  # fmt: skip
        return [
            ((target, name), object_id, shown, place)
            for target, name, object_id, shown, place in cursor.fetchall()
            if (target, name) in names and (target, object_id) not in locked
        ]


# out to a spreadsheet, and back ------------------------------------------------------------------------------------------


def _cells(row: NameRow) -> list[str | int]:
    first, *others = row.business_names or [""]
    return [row.target, row.name, row.count, first, "; ".join(others[:_MOST_OTHERS]), first]


def as_csv(rows: Iterable[NameRow]) -> bytes:
    """One name a row, in which business names can be written and handed in again."""
    return lists.as_csv(HEADINGS, map(_cells, rows))


def as_xlsx(rows: Iterable[NameRow]) -> bytes:
    """One name a row, in which business names can be written and handed in again."""
    return lists.as_xlsx("Names", HEADINGS, map(_cells, rows))


def _rows_of_sheet(text: str) -> Iterator[Row]:
    lines = text.split("\n", 1)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=max(",;\t|", key=lines[0].count))
    try:
        for cells in reader:
            yield reader.line_num, cells
    except csv.Error as error:
        raise CoreError(f"line {reader.line_num} can't be read: {error}") from None


def read_sheet(name: str, path: Path) -> dict[tuple[str, str], SheetName]:
    """Return the business names of a sheet by kind and name. Raises SourceError that says what is wrong with it.

    Empty cells say nothing. An apostrophe that keeps a text from being a formula is taken off.
    """
    hint = "Import the spreadsheet as it was exported, with the business names filled in."
    text: dict[tuple[str, str], SheetName] = {}
    try:
        rows = iter(file_rows(name, path, _rows_of_sheet, "Split the list."))
        heads = [cell.strip().lower() for cell in next(rows, (0, []))[1]]
        if not {"kind", "name", "business name"} <= set(heads):
            raise SourceError("no-names", f"{name}: the columns Kind, Name and Business name are not all there.", hint)
        kind_at, name_at, business_at = heads.index("kind"), heads.index("name"), heads.index("business name")
        exported_at = heads.index("exported name") if "exported name" in heads else None
        for number, cells in rows:
            if len(text) > MOST_ROWS:
                raise SourceError("too-many", f"{name}: more than {MOST_ROWS:,} rows.", hint)
            padded = [cell.removeprefix("'") for cell in cells] + [""] * len(heads)
            kind, machine, business = padded[kind_at].strip(), padded[name_at], " ".join(padded[business_at].split())
            if not business:
                continue
            if kind not in ("table", "column"):
                raise SourceError(
                    "no-names", f"{name}, line {number}: “{kind[:40]}” is neither table nor column.", hint
                )
            if len(business) > editing.LIMITS["business_name"]:
                raise SourceError("too-long", f"{name}, line {number}: the business name is too long.", hint)
            exported = None if exported_at is None else " ".join(padded[exported_at].split())
            text[kind, machine] = SheetName(business, exported)
    except CoreError as error:
        raise SourceError("no-names", fault_of(name, error), hint) from error
    return text


@transaction.atomic
def review(*, model: StoredModel, person: Person, sheet: dict[tuple[str, str], SheetName]) -> SheetReview:
    """Make a pass of what people wrote into a sheet, to be looked through and applied.

    Three-way, where the sheet says what was exported: what nobody wrote into the sheet changes nothing, and a name that
    somebody changed in the model since is a conflict, which stays open until a person writes the name.
    """
    edited = {key: name for key, name in sheet.items() if name.is_edited}
    places = _places(model, edited.keys())
    unmatched = sorted({name for _, name in edited} - {key[1] for key, *_ in places})
    rows, conflicts = [], 0
    for key, object_id, shown, place in places:
        name = edited[key]
        if name.text == shown:
            continue
        is_conflict = name.exported is not None and shown not in (name.exported, "")
        conflicts += is_conflict
        note = f"Exported as “{name.exported or 'no name'}”, changed to “{shown}” since." if is_conflict else ""
        parts = msgspec.json.encode([Part(key[1], name.text, as_written=True)]).decode()
        rows.append((key, object_id, place, shown, name.text, parts, note))
    if not rows:
        return SheetReview(None, 0, unmatched)
    discard_open_passes(model, NamingPass.Direction.BUSINESS)
    made = NamingPass.objects.create(model=model, kinds=["tables", "columns"], only_missing=False, made_by=person)
    copy_rows(
        "naming_pass_name",
        COLUMNS,
        (
            (made.pk, key[0], object_id, place, key[1], shown, text, parts, [_CONFLICT] if note else [], [], [],
             [note] if note else [], 1.0, True, False)
            for key, object_id, place, shown, text, parts, note in rows
        ),
        Silent(),
        "Storing names",
        len(rows),
    )  # fmt: skip
    return SheetReview(made, conflicts, unmatched)
