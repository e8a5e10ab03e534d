"""Sheets of code lists: a row a code; a row without a key is a new code, of a list that is there or that it makes."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Collection, Iterator, Sequence

from indexa.areas.models import Area, Person
from indexa.changes.recording import Recorder
from indexa.core.dictionary.round_trip import NEW, CellChange, SheetField, SheetRow
from indexa.core.glossary.codes import Code, as_text
from indexa.dictionary.models import SheetCell
from indexa.glossary import services as glossary
from indexa.glossary.models import CodeList
from indexa.store.errors import EditError

FIXED: dict[str, int] = {}
_FIELDS = {"list": ("Code list", 28), "code": ("Code", 14), "meaning": ("Meaning", 50), "retired": ("Retired", 10)}


def fields_of(area: Area) -> list[SheetField]:
    """Return the columns of a sheet of codes."""
    return [
        SheetField(name, title, width, ("yes", "no") if name == "retired" else ())
        for name, (title, width) in _FIELDS.items()
    ]


def _key(made: CodeList, code: str) -> str:
    return f"k{made.pk}.{hashlib.sha256(code.encode()).hexdigest()[:10]}"


def rows_of(area: Area, keys: Collection[str] | None) -> Iterator[SheetRow]:
    """Yield the codes of all lists in their order, those of some keys or all."""
    wanted = None if keys is None else set(keys)
    for made in CodeList.objects.filter(area=area):
        for one in made.as_core:
            key = _key(made, one.code)
            if wanted is None or key in wanted:
                values = {"list": made.name, "code": one.code, "meaning": one.meaning, "retired": _yes(one.retired)}
                yield SheetRow(key, (), values)


def _yes(said: bool) -> str:
    return "yes" if said else "no"


def label_of(row: SheetRow) -> str:
    """Return list and code."""
    return f"{row.values['list']}: {row.values['code']}"


def problem_of(area: Area, person: Person | None) -> Callable[[CellChange], str]:
    """Return what says why a cell can't be taken."""

    def problem(one: CellChange) -> str:
        if one.field == "list" and not one.key.startswith(NEW):
            return "A code stays in its list. Write a new row in the other list, and retire this one."
        if one.field == "code" and not one.written:
            return "A code can't be empty. Retire it instead."
        if one.field == "retired" and one.written.lower() not in ("yes", "no", ""):
            return f"“{one.written[:20]}” is neither yes nor no."
        return ""

    return problem


def apply(changes: Recorder, area: Area, cells: Sequence[SheetCell]) -> None:
    """Write codes, and new lists. Raises EditError that names the line of a new row without a list or code, or of a code twice."""
    by_key: dict[str, dict[str, SheetCell]] = {}
    for cell in cells:
        by_key.setdefault(cell.key, {})[cell.field] = cell
    lists = {made.name.casefold(): made for made in CodeList.objects.select_for_update().filter(area=area)}
    codes = {name: made.as_core for name, made in lists.items()}
    names = {name: made.name for name, made in lists.items()}
    touched: set[str] = set()
    for name, made in lists.items():
        now = [(_key(made, one.code), one) for one in codes[name]]
        codes[name] = [_changed(one, by_key[key]) if key in by_key else one for key, one in now]
        touched |= {name} if any(key in by_key for key, _ in now) else set()
    for key, fields in by_key.items():
        if not key.startswith(NEW):
            continue
        line = next(iter(fields.values())).line
        if "list" not in fields or "code" not in fields:
            raise EditError(
                f"Line {line}: a new row needs the name of its list and a code. Keep the row out, or fill it."
            )
        title = " ".join(fields["list"].written.split())
        name = title.casefold()
        names.setdefault(name, title)
        codes.setdefault(name, []).append(_changed(Code(""), fields))
        touched.add(name)
    for name in sorted(touched):
        there = lists.get(name)
        given = {"name": names[name], "meaning": there.meaning if there else "", "codes": as_text(codes[name])}
        try:
            glossary.save_into(changes, area=area, kind=CodeList, item=there, given=given)
        except EditError as error:
            raise EditError(f"{names[name]}: {error}") from error


def _changed(code: Code, fields: dict[str, SheetCell]) -> Code:
    def written(name: str, otherwise: str) -> str:
        return fields[name].written if name in fields else otherwise

    retired = written("retired", _yes(code.retired)).lower() == "yes"
    return Code(written("code", code.code), written("meaning", code.meaning), retired)
