"""Primary keys that are not declared: which columns of a table would be its key, and how likely each choice is."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Mapping

import msgspec

from indexa.core.infer.data import DataSaid
from indexa.core.infer.matching import MEASURES, Matcher, stem_of
from indexa.core.infer.names import ALWAYS_KEY_WORDS, KEY_WORDS, SchemaNames, TableNames, spells
from indexa.core.infer.surroundings import Surroundings
from indexa.core.infer.weights import PRIMARY, PRIMARY_ALONE
from indexa.core.model import Column, Table

_NUMBERS_ITSELF = re.compile(
    r"nextval\(|auto_?increment|identity|gen_id|next value|uuid\w*\(|uuid_generate|newid\(|newsequentialid\(|sys_guid\(|"
    r"randomblob\(|gen_ulid|generate_ulid|nanoid\(|unique_rowid\(",
    re.I,
)
_SERIAL = re.compile(r"serial|identity|autoinc", re.I)
_NOT_A_KEY = re.compile(r"text\b|clob|blob|bytea|json|xml|double|float|real|bool|image|long|bit\(1\)", re.I)
_FRACTION = re.compile(r"decimal|numeric|money|number\(\d+,\s*[1-9]|float|real|double", re.I)
_FLAG = re.compile(r"enum\('(?:y|n|yes|no)'|bool|tinyint\(1\)|char\(1\)|bit", re.I)
_FLAGS = frozenset("is has can allow enable disable use".split())
_LONG = re.compile(r"\((\d+)")
_TIME = re.compile(r"date|time", re.I)
_BY_TURN = frozenset(
    "line seq sequence position pos idx index order ord version revision rev ver lang language locale date day year month "
    "period level type kind key name option attr attribute param parameter setting property tag item slot start".split()
)
"""Last words of what tells the rows apart that belong to one row of another table."""
_NAMED_VALUES = frozenset(
    "key name option attr attribute param parameter setting property tag field meta variable".split()
)
_RANDOM = frozenset("uuid guid".split())
_KEPT_OF_ROWS = frozenset("created updated modified changed deleted inserted creation modification".split())
"""Words of columns that say when and by whom a row was written."""
_NUMBERS = frozenset("no num nr nbr number".split())
_MEASURED = MEASURES - {"date", "time", "name", "position", "year", "month", "day", "version", "level"}
_MOST_COMPOSITE = 6
_MANY = 5
_LIKELY = 0.6
_FIRST_SPEAKS = {"speaks of another", "the first speaks of another"}
_SURE_SIGNS = {"id", "id of table", "numbers itself"}


class KeyChoice(msgspec.Struct):
    """One choice of columns for a table's primary key, with what speaks for it."""

    columns: tuple[str, ...]
    features: dict[str, float]
    confidence: float = 0.0


def numbers_itself(column: Column) -> bool:
    """Say whether the database gives out the column's values: numbers, or identifiers that nothing else has."""
    return bool(
        column.identity or _SERIAL.search(column.type) or (column.default and _NUMBERS_ITSELF.search(column.default))
    )


def all_choices(
    names: SchemaNames, matcher: Matcher, data: DataSaid | None = None, tell: Callable[[int, int], None] | None = None
) -> list[list[KeyChoice]]:
    """Return for each table the choices for its primary key, the likeliest first; their confidences leave room for none.

    Weighed twice: each table by itself, then with what the likely keys of the schema have in common.
    """
    found = []
    around = Surroundings(names, matcher)
    for number in range(len(names.tables)):
        if tell is not None and number % 200 == 0:
            tell(number, len(names.tables))
        found.append(choices_alone(names, around, number, data))
    firsts = [one[0] for one in found if one and one[0].confidence >= _LIKELY]
    habit = _habit(firsts)
    habit_of_speaking = _habit([one for one in firsts if one.features.keys() & _FIRST_SPEAKS])
    for made in found:
        for choice in made:
            choice.features["alone likely"] = (
                math.log(max(choice.confidence, 1e-4) / max(1e-4, 1 - choice.confidence)) / 3
            )
            if len(choice.columns) > 1 or "position 1" in choice.features:
                kind = "composite" if len(choice.columns) > 1 else "first"
                choice.features[f"habit, {kind}"] = habit
                if choice.features.keys() & _FIRST_SPEAKS:
                    choice.features[f"habit of what refers, {kind}"] = habit_of_speaking
        _weigh(made, PRIMARY)
    return found


def _habit(firsts: list[KeyChoice]) -> float:
    """Return how usual keys of one column are among likely ones, against those of several; from -1 to 1."""
    several = sum(len(one.columns) > 1 for one in firsts)
    odds = math.log((len(firsts) - several + 1) / (several + 1))
    return max(-1.0, min(1.0, odds / 3))


def choices_alone(
    names: SchemaNames, around: Surroundings, number: int, data: DataSaid | None = None
) -> list[KeyChoice]:
    """Return the choices for the primary key of a table, weighed by itself."""
    named = names.tables[number]
    table = named.table
    referring = around.speaking[number]
    own = {column.name: speaks_of_itself(names, named, column.name) for column in table.columns}
    long = frozenset(column.name for column in table.columns if _long(column.type, names))
    found: dict[tuple[str, ...], dict[str, float]] = {}
    for column in table.columns:
        features = _single(named, column, table, own[column.name], referring)
        if features is not None:
            if column.name in long:
                features["a long text"] = 1.0
            if any(referring.values()) and _has_its_value_beside(named, column.name):
                features["has its value beside"] = 1.0
            found[column.name,] = features
    made_of_others = {column.name for column in table.columns[:2] if _made_of_others(named, column.name)}
    for columns in _composites(named, referring):
        found.setdefault(columns, _composite(named, columns, referring, long))
    for columns, one in found.items():
        if len(columns) == 1:
            if columns[0] in made_of_others:
                one["made of the names beside it"] = 1.0
            continue
        _tell_own(one, named, columns, own)
        if not made_of_others.isdisjoint(columns):
            one["holds what is made of the names beside"] = 1.0
    for columns, words in _declared_unique(table):
        features = found.setdefault(
            columns, _composite(named, columns, referring, long) if len(columns) > 1 else {"single": 1.0}
        )
        features[words] = 1.0
    _tell_from_others(found, named, around, number)
    _tell_from_indexes(found, table)
    numbered = {column.name for column in table.columns if numbers_itself(column)}
    sure = {columns[0] for columns, one in found.items() if len(columns) == 1 and _SURE_SIGNS & one.keys()}
    for columns, one in found.items():
        if sure and sure.isdisjoint(columns):
            one["beside a sure one"] = 1.0
        elif len(columns) > 1 and not numbered.isdisjoint(columns):
            one["holds what numbers itself"] = 1.0
    if data is not None:
        for columns, one in found.items():
            said = data.unique.get((table.schema, table.name, columns))
            if said is not None:
                one["data unique" if said else "data not unique"] = 1.0
    made = [KeyChoice(columns, features) for columns, features in found.items()]
    _weigh(made, PRIMARY_ALONE)
    return made


def _tell_own(features: dict[str, float], named: TableNames, columns: tuple[str, ...], own: dict[str, str]) -> None:
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
        elif place == 0:
            features[f"begins with the id of its {own[name]}"] = 1.0
        else:
            features[f"ends with the id of its {own[name]}"] = 1.0


def _made_of_others(named: TableNames, column: str) -> bool:
    """Say whether a column's name is those of two other columns in one: link_trigger_id beside link_id and trigger_id."""
    whole = "".join(stem_of(named.columns[column]).words)
    stems = (stem_of(words) for name, words in named.columns.items() if name != column)
    others = {"".join(stem.words) for stem in stems if stem.key_words}
    return any(whole[:cut] in others and whole[cut:] in others for cut in range(2, len(whole) - 1))


def _tell_from_others(
    found: dict[tuple[str, ...], dict[str, float]], named: TableNames, around: Surroundings, number: int
) -> None:
    """Add what other tables tell: whether they speak of this one, and whether they have columns of the same names."""
    spoken_of = min(around.spoken_of[number], _MANY) / _MANY
    for columns, features in found.items():
        several = len(columns) > 1
        if spoken_of:
            features["others speak of it, composite" if several else "others speak of it"] = 0.5 + spoken_of / 2
        if several:
            continue
        held, leads = around.elsewhere(named, columns[0])
        if held:
            features["found elsewhere"] = min(held, _MANY) / _MANY
            if leads:
                features["first elsewhere"] = min(leads, _MANY) / _MANY
            elif named.table.columns[0].name == columns[0]:
                features["first only here"] = 1.0


def _tell_from_indexes(found: dict[tuple[str, ...], dict[str, float]], table: Table) -> None:
    """Add what plain indexes tell: what begins a key needs no index of its own."""
    begun = {index.parts[0].column for index in table.indexes if not index.unique and index.parts}
    begun -= {columns[0] for columns, features in found.items() if len(columns) == 1 and _SURE_SIGNS & features.keys()}
    if not begun:
        return
    for columns, features in found.items():
        several = ", composite" if len(columns) > 1 else ""
        if columns[0] in begun:
            features[f"an index begins the same{several}"] = 1.0


def _weigh(made: list[KeyChoice], weights: Mapping[str, float]) -> None:
    """Set the confidences of choices and put the likeliest first."""
    scores = [sum(weights.get(name, 0.0) * value for name, value in one.features.items()) for one in made]
    top = max([0.0, *scores])
    total = math.exp(-top) + sum(math.exp(score - top) for score in scores)
    for choice, score in zip(made, scores, strict=True):
        choice.confidence = math.exp(score - top) / total
    made.sort(key=lambda one: -one.confidence)


def _declared_unique(table: Table) -> list[tuple[tuple[str, ...], str]]:
    found = [(key.columns, "unique key") for key in table.unique]
    for index in table.indexes:
        columns = tuple(part.column for part in index.parts)
        if index.unique and index.predicate is None and all(columns):
            found.append((columns, "unique index"))
    nullable = {column.name for column in table.columns if column.nullable}
    known = {column.name for column in table.columns} - nullable
    return [(columns, how) for columns, how in found if columns and known.issuperset(columns)]


def _single(
    named: TableNames, column: Column, table: Table, own: str, referring: dict[str, bool]
) -> dict[str, float] | None:
    """Return what speaks for one column as the key; None where it can't be one."""
    if _NOT_A_KEY.match(column.type) and not numbers_itself(column) and column.position > 1:
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
        others = sum(other.position > column.position and not other.nullable for other in table.columns[:4])
        features["others not empty follow"] = others / 3
        if not any(
            not other.nullable and other is not column and _by_turn(named.columns[other.name])
            for other in table.columns[:6]
        ):
            features["nothing counts beside it"] = 1.0
    features[f"position {min(column.position, 3)}"] = 1.0
    if words[-1] in _MEASURED or _FRACTION.match(column.type):
        features["measures"] = 1.0
    if column.nullable:
        features["may be empty"] = 1.0
    elif sum(not other.nullable for other in table.columns) == 1:
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
    if len(joined) > 2 and any(
        len(words) > 1 and spells(joined, words) for words in (named.words, (*named.marks, *named.words))
    ):
        return "whole"
    return ""


def _by_turn(words: tuple[str, ...]) -> bool:
    """Say whether a column tells apart rows that belong together: line number, language, date."""
    if words[-1] in _NUMBERS:
        return len(words) == 1 or words[-2] in _BY_TURN
    if len(words) > 1 and words[-1] in ALWAYS_KEY_WORDS:
        return words[-2] in _BY_TURN
    return words[-1] in _BY_TURN


def _is_flag(named: TableNames, column: Column) -> bool:
    """Say whether a column holds yes or no."""
    return named.columns[column.name][0] in _FLAGS or bool(_FLAG.match(column.type))


def _fits_too(named: TableNames, place: int, referring: dict[str, bool]) -> bool:
    """Say whether the column at a place looks like a part of a key as well."""
    if place >= len(named.table.columns):
        return False
    column = named.table.columns[place]
    words = named.columns[column.name]
    if column.nullable or words[-1] in _MEASURED:
        return False
    return referring[column.name] or _by_turn(words) or bool(stem_of(words).key_words)


def _has_its_value_beside(named: TableNames, column: str) -> bool:
    """Say whether a column is the key of what another one holds the value of, so many times for each row of another table."""
    return named.columns[column][-1] in _NAMED_VALUES and any(
        words[-1] in ("value", "val") for words in named.columns.values()
    )


def _long(type_name: str, names: SchemaNames) -> bool:
    """Say whether values are texts of hundreds of letters, or of any length where other texts have one."""
    length = _LONG.search(type_name)
    if length:
        return int(length[1]) > 255
    return bool(_NOT_A_KEY.match(type_name)) and (names.texts_have_lengths or not type_name.lower().startswith("text"))


def _composites(named: TableNames, referring: dict[str, bool]) -> list[tuple[str, ...]]:
    """Return the rows of columns that could be a key together: from the first on, and all that refer to other tables."""
    table = named.table
    able = [
        column
        for column in table.columns
        if not _NOT_A_KEY.match(column.type) or column.type.lower().startswith("text")
    ]
    firsts: list[str] = []
    found: list[tuple[str, ...]] = []
    for column in table.columns[:_MOST_COMPOSITE]:
        if column.nullable and table.columns[0].nullable is False:
            break
        if numbers_itself(column) or (len(firsts) > 1 and _is_flag(named, column)):
            break
        firsts.append(column.name)
        if len(firsts) > 1:
            found.append(tuple(firsts))
    needed = [column.name for column in table.columns[:_MOST_COMPOSITE] if not column.nullable]
    if needed:
        found += [(needed[0], other) for other in needed[2:]]
    both = tuple(column.name for column in able if referring[column.name])
    if 2 <= len(both) <= _MOST_COMPOSITE:
        found.append(both)
        for column in able:
            if column.name not in both and not column.nullable and _by_turn(named.columns[column.name]):
                in_order = tuple(one.name for one in able if one.name in both or one is column)
                found.append(in_order)
    counting = [c.name for c in able if not c.nullable and c.name not in both and _by_turn(named.columns[c.name])]
    if both and len(counting) > 1 and len(both) + len(counting) <= _MOST_COMPOSITE:
        found.append(tuple(one.name for one in able if one.name in both[:1] or one.name in counting))
        found.append(tuple(one.name for one in able if one.name in both or one.name in counting))
    if len(both) == 1:
        for column in able:
            if column.name not in both and not column.nullable and _by_turn(named.columns[column.name]):
                found.append(tuple(one.name for one in able if one.name in both or one is column))
    return list(dict.fromkeys(found))


def _composite(
    named: TableNames, columns: tuple[str, ...], referring: dict[str, bool], long: frozenset[str]
) -> dict[str, float]:
    table = named.table
    by_name = {column.name: column for column in table.columns}
    count = len(columns)
    refer = sum(referring[name] for name in columns)
    turn = sum(not referring[name] and _by_turn(named.columns[name]) for name in columns)
    features = {"composite": 1.0, f"of {min(count, 4)}": 1.0}
    if referring[columns[0]]:
        features["the first speaks of another"] = 1.0
    features["share referring"] = refer / count
    if refer == count:
        features["all refer"] = 1.0
    elif refer + turn == count and refer:
        features["refer and count"] = 1.0
    plain = [name for name in columns if not referring[name] and not _by_turn(named.columns[name])]
    features["plain parts"] = len(plain) / count
    measured = sum(named.columns[name][-1] in _MEASURED or bool(_FRACTION.match(by_name[name].type)) for name in plain)
    features["measuring parts"] = float(measured)
    features["flags"] = float(sum(_is_flag(named, by_name[name]) for name in plain))
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
    if any(by_name[name].nullable for name in columns):
        features["may be empty, composite"] = 1.0
    elif all(
        column.nullable or column.default is not None or _is_flag(named, column)
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
    if any(by_name[name].default is not None for name in columns):
        features["has a default, composite"] = 1.0
    first = named.columns[columns[0]]
    if first == ("id",) or KEY_WORDS.issuperset(first):
        features["begins with id"] = 1.0
    return features
