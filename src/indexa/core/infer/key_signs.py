"""What speaks for a choice of columns as a table's primary key: signs by name, each with how much it holds."""

from __future__ import annotations

import math
import re

from indexa.core.infer.data import DataSaid
from indexa.core.infer.matching import MEASURES, stem_of
from indexa.core.infer.names import ALWAYS_KEY_WORDS, KEY_WORDS, SchemaNames, TableNames
from indexa.core.infer.surroundings import Surroundings
from indexa.core.model import Column, Table

Found = dict[tuple[str, ...], dict[str, float]]
"""Choices of columns, with the signs that hold of each."""
_NUMBERS_ITSELF = re.compile(
    r"nextval\(|auto_?increment|identity|gen_id|next value|uuid\w*\(|uuid_generate|newid\(|newsequentialid\(|sys_guid\(|"
    r"randomblob\(|gen_ulid|generate_ulid|nanoid\(|unique_rowid\(",
    re.I,
)
_SERIAL = re.compile(r"serial|identity|autoinc", re.I)
NOT_A_KEY = re.compile(r"text\b|clob|blob|bytea|json|xml|double|float|real|bool|image|long|bit\(1\)", re.I)
_FRACTION = re.compile(r"decimal|numeric|money|number\(\d+,\s*[1-9]|float|real|double", re.I)
_FLAG = re.compile(r"enum\('(?:y|n|yes|no)'|bool|tinyint\(1\)|char\(1\)|bit", re.I)
_FLAGS = frozenset("is has can allow enable disable use".split())
_LONG = re.compile(r"\((\d+)")
_TIME = re.compile(r"date|time", re.I)
_BY_TURN = frozenset(
    "line ln seq sequence position pos idx index order ord version revision rev ver lang language locale date day year month "
    "period level type kind key k name option attr attribute param parameter setting property tag item slot start clock ns "
    "rank".split()
)
"""Last words of what tells the rows apart that belong to one row of another table."""
_NAMED_VALUES = frozenset(
    "key k name option attr attribute param parameter setting property tag field meta variable".split()
)
_VALUES = frozenset("value val v".split())
_RANDOM = frozenset("uuid guid".split())
_KEPT_OF_ROWS = frozenset("created updated modified changed deleted inserted creation modification".split())
"""Words of columns that say when and by whom a row was written."""
_NUMBERS = frozenset("no num nr nbr number".split())
_MEASURED = MEASURES - {"date", "time", "name", "position", "year", "month", "day", "version", "level"}
_LINES = frozenset("line ln seq sequence".split())
"""Words of columns that number what belongs to one row: line_no, operation_sequence."""
_SPAN = {
    "from": ("to", "thru", "until"),
    "start": ("end", "stop"),
    "begin": ("end",),
    "effective": ("expiry", "expiration", "end"),
}
"""Words of when a state begins, and those of when it ends."""
_MANY = 5
_ENOUGH_ROWS = 1_000
SURE_SIGNS = {"id", "id of table", "numbers itself"}
"""Signs of a key that hardly mislead."""


def measures(named: TableNames, column: Column) -> bool:
    """Say whether a column holds how much or how many there is of something."""
    return named.columns[column.name][-1] in _MEASURED or bool(_FRACTION.match(column.type))


def numbers_itself(column: Column) -> bool:
    """Say whether the database gives out the column's values: numbers, or identifiers that nothing else has."""
    return bool(
        column.identity or _SERIAL.search(column.type) or (column.default and _NUMBERS_ITSELF.search(column.default))
    )


def single(
    named: TableNames, column: Column, table: Table, own: str, referring: dict[str, bool]
) -> dict[str, float] | None:
    """Return what speaks for one column as the key; None where it can't be one."""
    if NOT_A_KEY.match(column.type) and not numbers_itself(column) and column.position > 1:
        return None
    words = named.columns[column.name]
    stem = stem_of(words)
    keyed = bool(stem.key_words)
    numbered = numbers_itself(column)
    if not (keyed or numbered or column.position <= 2 or own):
        return None
    features = {"single": 1.0}
    if numbered:
        features["numbers itself"] = 1.0
    if words[0] in _RANDOM and len(words) == 1 and column.position > 1:
        features["uuid behind"] = 1.0
    elif words in (("id",), ("uuid",), ("guid",), ("oid",), ("uid",), ("rowid",), ("pk",)):
        features["id"] = 1.0
    elif keyed and own == "whole":
        identifies = stem.key_words[-1] in ("id", "uuid", "pk", "key", "sk", "oid", "no", "num", "number")
        features["id of table" if identifies else "code of table"] = 1.0
    elif keyed and own:
        features[f"id of table's {own}"] = 1.0
    elif own:
        features[f"table's own name, {own}"] = 1.0
    elif keyed and not stem.words:
        features["key word alone"] = 1.0
    elif keyed:
        features["key word, another name"] = 1.0
    elif words == ("name",):
        features["name"] = 1.0
    if referring[column.name] and own != "whole":
        features["speaks of another"] = 1.0
        if column.position == 1 and _fits_too(named, 1, referring):
            features["the next fits too, single"] = 1.0
        others = sum(other.position > column.position and other.name in named.needed for other in table.columns[:4])
        features["others not empty follow"] = others / 3
        if not any(
            other.name in named.needed and other is not column and counts_within(named.columns[other.name])
            for other in table.columns[:6]
        ):
            features["nothing counts beside it"] = 1.0
    features[f"position {min(column.position, 3)}"] = 1.0
    if measures(named, column):
        features["measures"] = 1.0
    if column.name not in named.needed:
        features["may be empty"] = 1.0
    elif len(named.needed) == 1:
        features["alone not empty"] = 1.0
    if _TIME.match(column.type):
        features["a time"] = 1.0
    if column.default is not None and not numbered:
        features["has a default"] = 1.0
    return features


def speaks_of_itself(names: SchemaNames, named: TableNames, column: str) -> str:
    """Return how much of its table's name a column has: "whole" (or the beginnings of its words in
    order), "ending", "beginning", or ""."""
    words = named.columns[column]
    stem = stem_of(words).words
    if not stem:
        return ""
    joined = "".join(stem)
    for alias in named.aliases:
        if any(joined_reading == "".join(alias) for joined_reading, _ in names.readings(stem)) or joined == "".join(
            alias
        ):
            return "whole"
    for alias in named.aliases:
        if stem == alias[-len(stem) :]:
            return "ending"
        if stem == alias[: len(stem)]:
            return "beginning"
    if (len(joined) > 2 or joined + "id" == column.lower()) and names.has_initials(named, stem):
        return "whole"
    return ""


def begins_span(named: TableNames, column: Column) -> str:
    """Return the column that says when a state ends whose beginning this one says; "" for none."""
    words = named.columns[column.name]
    at = next((place for place, word in enumerate(words) if word in _SPAN), None)
    if at is None or column.name not in named.needed or not _TIME.search(column.type):
        return ""
    ends = {(*words[:at], end, *words[at + 1 :]) for end in _SPAN[words[at]]}
    return next((name for name, other in named.columns.items() if other in ends), "")


def numbers_lines(words: tuple[str, ...]) -> bool:
    """Say whether a column numbers what belongs to one row of another table."""
    return not _LINES.isdisjoint(words)


def tell_of_spans_and_lines(found: Found, named: TableNames, referring: dict[str, bool]) -> None:
    """Add whether a choice has when a state begins, where the table keeps states, and a number within, where it has one."""
    columns = named.table.columns
    spans = {column.name: end for column in columns if (end := begins_span(named, column))}
    lines = {one.name for one in columns[1:] if one.name in named.needed and numbers_lines(named.columns[one.name])}
    for choice, features in found.items():
        if spans:
            begun = not spans.keys().isdisjoint(choice)
            features["with a span's beginning" if begun else "leaves a span's beginning"] = 1.0
            if not set(spans.values()).isdisjoint(choice):
                features["with a span's end"] = 1.0
        if lines:
            numbered = not lines.isdisjoint(choice)
            features["with a number within" if numbered else "leaves a number within"] = 1.0
            if numbered and sum(referring[name] for name in choice) > 1:
                features["two references and a number within"] = 1.0


def counts_within(words: tuple[str, ...]) -> bool:
    """Say whether a column tells apart rows that belong together: line number, language, date."""
    if words[-1] in _NUMBERS:
        return len(words) == 1 or words[-2] in _BY_TURN
    if len(words) > 1 and words[-1] in ALWAYS_KEY_WORDS:
        return words[-2] in _BY_TURN
    return words[-1] in _BY_TURN


def is_flag(named: TableNames, column: Column) -> bool:
    """Say whether a column holds yes or no."""
    return named.columns[column.name][0] in _FLAGS or bool(_FLAG.match(column.type))


def _fits_too(named: TableNames, place: int, referring: dict[str, bool]) -> bool:
    """Say whether the column at a place looks like a part of a key as well."""
    if place >= len(named.table.columns):
        return False
    column = named.table.columns[place]
    words = named.columns[column.name]
    if column.name not in named.needed or words[-1] in _MEASURED:
        return False
    return referring[column.name] or counts_within(words) or bool(stem_of(words).key_words)


def has_its_value_beside(named: TableNames, column: str) -> bool:
    """Say whether a column is the key of what another one holds the value of, so many times for each row of another table."""
    return named.columns[column][-1] in _NAMED_VALUES and any(words[-1] in _VALUES for words in named.columns.values())


def is_long(type_name: str, names: SchemaNames) -> bool:
    """Say whether values are texts of hundreds of letters, or of any length where other texts have one."""
    length = _LONG.search(type_name)
    if length:
        return int(length[1]) > 255
    return bool(NOT_A_KEY.match(type_name)) and (names.texts_have_lengths or not type_name.lower().startswith("text"))


def composite(
    named: TableNames, columns: tuple[str, ...], referring: dict[str, bool], long: frozenset[str]
) -> dict[str, float]:
    table = named.table
    by_name = {column.name: column for column in table.columns}
    count = len(columns)
    refer = sum(referring[name] for name in columns)
    turn = sum(not referring[name] and counts_within(named.columns[name]) for name in columns)
    features = {"composite": 1.0, f"of {min(count, 4)}": 1.0}
    if referring[columns[0]]:
        features["the first speaks of another"] = 1.0
    features["share referring"] = refer / count
    if refer == count:
        features["all refer"] = 1.0
    elif refer + turn == count and refer:
        features["refer and count"] = 1.0
    plain = [name for name in columns if not referring[name] and not counts_within(named.columns[name])]
    features["plain parts"] = len(plain) / count
    measured = sum(named.columns[name][-1] in _MEASURED or bool(_FRACTION.match(by_name[name].type)) for name in plain)
    features["measuring parts"] = float(measured)
    features["flags"] = float(sum(is_flag(named, by_name[name]) for name in plain))
    features["long texts"] = float(sum(name in long for name in plain))
    keyed = sum(bool(stem_of(named.columns[name]).key_words) for name in plain)
    features["identifying plain parts"] = keyed / count
    stems = [stem for name in columns if (stem := stem_of(named.columns[name]).words)]
    if len(set(stems)) < len(stems):
        features["two parts of one name"] = 1.0
    if refer < sum(referring.values()):
        features["others refer too"] = 1.0
    if refer == 0:
        features["none refers"] = 1.0
    kept = sum(
        column.name in columns or _KEPT_OF_ROWS.isdisjoint(named.columns[column.name]) for column in table.columns
    )
    if count == kept:
        features["all columns"] = 1.0
    elif kept - count <= 2:
        features["nearly all columns"] = 1.0
    if not named.needed.issuperset(columns):
        features["may be empty, composite"] = 1.0
    elif all(
        column.name not in named.needed or column.default is not None or is_flag(named, column)
        for column in table.columns
        if column.name not in columns
    ):
        features["just those not empty"] = 1.0
    if columns == tuple(column.name for column in table.columns[:count]):
        features["from the first on"] = 1.0
        if _fits_too(named, count, referring):
            features["the next fits too"] = 1.0
    if any(_TIME.match(by_name[name].type) for name in columns):
        features["with a time"] = 1.0
    given = [by_name[name].default is not None for name in columns]
    if given[0]:
        features["begins with a default"] = 1.0
    elif any(given):
        features["a default behind one without"] = 1.0
    if named.columns[columns[-1]][-1] in _VALUES:
        features["ends with a value"] = 1.0
    elif any(named.columns[column.name][-1] in _VALUES for column in table.columns if column.name not in columns):
        features["leaves a value"] = 1.0
    first = named.columns[columns[0]]
    if first == ("id",) or KEY_WORDS.issuperset(first):
        features["begins with id"] = 1.0
    return features


def tell_own(
    features: dict[str, float], named: TableNames, columns: tuple[str, ...], own: dict[str, str], edition: str
) -> None:
    """Add how the columns of a composite key speak of their own table and of each other."""
    if "all refer" in features:
        named_there = sum(bool(own[name]) for name in columns)
        how = "each" if named_there == len(columns) else "none" if not named_there else "some"
        features[f"all refer, {how} in its table's name"] = 1.0
    for place, name in enumerate(columns):
        if not own[name]:
            continue
        keyed = bool(stem_of(named.columns[name]).key_words)
        if not keyed:
            features["a part is its table's own name"] = 1.0
        elif place == 0 and edition in columns:
            features["begins with its own id, in a copy"] = 1.0
        elif place == 0:
            features[f"begins with the id of its {own[name]}"] = 1.0
        else:
            features[f"ends with the id of its {own[name]}"] = 1.0


def is_made_of_others(named: TableNames, column: str) -> bool:
    """Say whether a column's name is those of two other columns in one: link_trigger_id beside link_id and trigger_id."""
    whole = "".join(stem_of(named.columns[column]).words)
    stems = (stem_of(words) for name, words in named.columns.items() if name != column)
    others = {"".join(stem.words) for stem in stems if stem.key_words}
    return any(whole[:cut] in others and whole[cut:] in others for cut in range(2, len(whole) - 1))


def tell_from_others(found: Found, named: TableNames, around: Surroundings, number: int) -> None:
    """Add what other tables tell: whether they speak of this one, and whether they have columns of the same names."""
    spoken_of = min(around.spoken_of[number], _MANY) / _MANY
    for columns, features in found.items():
        several = len(columns) > 1
        if spoken_of:
            features["others speak of it, composite" if several else "others speak of it"] = 0.5 + spoken_of / 2
        if several:
            _tell_of_sets(features, named, around, number, columns)
            continue
        held, leads = around.elsewhere(named, columns[0])
        if held:
            features["found elsewhere"] = min(held, _MANY) / _MANY
            if leads:
                features["first elsewhere"] = min(leads, _MANY) / _MANY
            elif named.table.columns[0].name == columns[0]:
                features["first only here"] = 1.0


def _tell_of_sets(
    features: dict[str, float], named: TableNames, around: Surroundings, number: int, columns: tuple[str, ...]
) -> None:
    """Add which other tables have the columns of a composite key too."""
    holding = around.holding(number, columns)
    if holding > 0:
        features["found elsewhere together"] = min(holding, _MANY) / _MANY
        place = 1 + max(at for at, column in enumerate(named.table.columns) if column.name in columns)
        following = named.table.columns[place] if place < len(named.table.columns) else None
        if (
            following is not None
            and following.name in named.needed
            and not _TIME.search(following.type)
            and named.columns[following.name][-1] not in MEASURES | _VALUES
            and around.holding(number, (*columns, following.name)) >= holding
        ):
            features["the next is found with them too"] = 1.0
    known = sum(around.known_there(number, columns[0], column) for column in columns[1:])
    if known:
        features["parts follow from the first"] = known / (len(columns) - 1)


def tell_from_copies(found: Found, edition: str) -> None:
    """Add whether a choice has the column that tells the editions of a row apart, in a table that keeps them."""
    if edition:
        for columns, features in found.items():
            with_it = len(columns) > 1 and edition in columns
            features["with the edition of a copy" if with_it else "without the edition of a copy"] = 1.0


def tell_from_rows(found: Found, table: Table, data: DataSaid) -> None:
    """Add what rows say: a key holds no row twice, and no fewer of its columns would do."""
    answers = {columns: data.unique.get((table.schema, table.name, columns)) for columns in found}
    singles = {
        (column.name,): data.unique.get((table.schema, table.name, (column.name,)), 0) for column in table.columns
    }
    enough = {columns: rows for columns, rows in (singles | answers).items() if rows}
    for columns, features in found.items():
        rows = answers[columns]
        fewer = max((count for one, count in enough.items() if set(one) < set(columns)), default=0)
        if rows == 0:
            features["data not unique"] = 1.0
        elif fewer:
            features["fewer columns are unique in the data"] = _told_by(fewer)
        elif rows:
            features["data unique"] = _told_by(rows)


def _told_by(rows: int) -> float:
    """Return how much rows tell that hold no value twice: few may do so by chance."""
    return min(1.0, math.log(max(1, rows)) / math.log(_ENOUGH_ROWS))


def tell_from_indexes(found: Found, table: Table) -> None:
    """Add what plain indexes tell: what begins a key needs no index of its own."""
    begun = {index.parts[0].column for index in table.indexes if not index.unique and index.parts}
    begun -= {columns[0] for columns, features in found.items() if len(columns) == 1 and SURE_SIGNS & features.keys()}
    if not begun:
        return
    for columns, features in found.items():
        several = ", composite" if len(columns) > 1 else ""
        if columns[0] in begun:
            features[f"an index begins the same{several}"] = 1.0
