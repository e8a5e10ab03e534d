"""Which tables a column's name may speak of, and how it does so."""

from __future__ import annotations

import msgspec

from indexa.core.infer.names import ALWAYS_KEY_WORDS, KEY_WORDS, SchemaNames, Words

PERSON_ROLES = frozenset(
    "creator created modifier modified updater updated editor edited author owner assignee assigned approver approved "
    "manager reviewer submitter submitted requester requestor sender recipient deleted locked closed opened entered changed "
    "uploader uploaded reporter poster posted starter signed checked verified responsible contact operator admin administrator "
    "buyer seller salesperson agent supervisor member participant lead inviter invited rep mgr representative head "
    "report clerk teller driver doctor physician teacher instructor engineer technician".split()
)
"""Roles that a person has towards what a row stands for."""
PERSONS = frozenset(
    "user usr person people employee emp account member staff login contact operator worker personnel customer principal entity "
    "actor profile admin editor".split()
)
"""What tables of people are called."""
SELF_ROLES = frozenset(
    "parent root previous prev next master super superior child ancestor original origin predecessor successor replaced "
    "replaces replacement copied duplicate duplicated superseded head top leader boss manager supervisor base linked merged "
    "container up above sibling derived sub main source template alias reply translation mgr report clone cloned "
    "split supersedes superseding inverse replying twin backside".split()
)
"""Roles that a row of the same table has."""
MEASURES = frozenset(
    "count total sum amount amt qty quantity date time at pending size length width height weight rate price cost percent "
    "pct avg average min max name title desc description label text note comment url path file ip email phone level score "
    "rank position flag year month day version value lat lon enabled active visible format interval limit age".split()
)
"""Last words of what measures or describes, and so refers to nothing."""
_ENDS = (
    {"from", "to"}, {"src", "dst"}, {"src", "dest"}, {"source", "target"}, {"source", "destination"}, {"parent", "child"},
    {"origin", "destination"}, {"input", "output"}, {"left", "right"}, {"start", "end"}, {"ancestor", "descendant"},
    {"predecessor", "successor"}, {"subject", "object"}, {"first", "second"}, {"upper", "lower"}, {"a", "b"}, {"1", "2"},
)  # fmt: skip
"""Roles of the two rows of one table that a row of another one joins."""
_JOINING = frozenset(
    "link edge relation relationship rel connection dependency association assoc hierarchy tree path structure map mapping "
    "parent child arc".split()
)
"""Last words of tables whose rows join two rows of another table."""
_JOINED = ("node", "vertex", "entity")
_LEADING = frozenset("fk id pk ref cod cd kod idt".split())
_BEFORE_A_ROLE = frozenset("id uuid guid".split())
_ROLES_BEHIND = frozenset("source target from to parent child left right old new first last a b 1 2 3 up down".split())
_MOST_TABLES = 40


class Match(msgspec.Struct, frozen=True, gc=False):
    """One way in which a column's words name a table.

    how: "name" (all of the table's words), "ending" or "beginning" (a part of them), "person", "self". `extra` are words of
    the column that the table does not have, before (`role`) or behind it; `missing` words of the table that the column
    does not have. `sure` is 1 where no short form had to be read.
    """

    table: int
    how: str
    sure: float
    extra: int = 0
    behind: int = 0
    missing: int = 0
    role: Words = ()


class Stem(msgspec.Struct, frozen=True, gc=False):
    """A column's words without those that only say that it identifies something."""

    words: Words
    key_words: Words
    leading: bool


def stem_of(words: Words) -> Stem:
    """Take key words off a column's words, at the end or else at the beginning, but never all that tells what it is about.

    A role may stand behind: trigger_id_up is read as up_trigger_id.
    """
    for at in range(len(words) - 2, 0, -1):
        if words[at] in _BEFORE_A_ROLE and words[-1] not in KEY_WORDS and len(words) - at <= 3:
            return Stem((*words[at + 1 :], *words[:at]), (words[at],), False)
    start, end = 0, len(words)
    if end > 1 and words[0] in _LEADING and words[-1] not in ALWAYS_KEY_WORDS:
        start = 1
    while end > start and words[end - 1] in KEY_WORDS and len(words) - end < 2:
        about = end - 1 > start or words[end - 1] in ALWAYS_KEY_WORDS or (not start and end == len(words))
        if not about:
            break
        end -= 1
    if start == end and words and words[-1] not in ALWAYS_KEY_WORDS and len(words) > 1:
        end = len(words) - 1 if words[0] not in ALWAYS_KEY_WORDS else len(words)
    return Stem(words[start:end], words[end:] or words[:start], start > 0)


class Matcher:
    """Finds the tables that columns may speak of; each stem is worked out once."""

    def __init__(self, names: SchemaNames) -> None:
        self._names = names
        self._memo: dict[Words, tuple[Match, ...]] = {}
        self._persons = [
            number for number, one in enumerate(names.tables) if one.words[-1] in PERSONS or one.words[0] in PERSONS
        ]
        self._persons.sort(
            key=lambda number: (
                sum(word in PERSONS for word in names.tables[number].words) != 1,
                len(names.tables[number].words),
                names.tables[number].words[-1] not in PERSONS,
                not {"user", "usr"} & set(names.tables[number].words),
                number,
            )
        )

    def words(self, table: int) -> Words:
        """Return the words of a table's name."""
        return self._names.tables[table].words

    def matches(self, stem: Words) -> tuple[Match, ...]:
        """Return the tables that a stem may speak of, each once, in the best way."""
        found = self._memo.get(stem)
        if found is None:
            best: dict[int, Match] = {}
            for match in self._find(stem):
                known = best.get(match.table)
                if known is None or _rank(match) < _rank(known):
                    best[match.table] = match
            found = self._memo[stem] = tuple(sorted(best.values(), key=_rank))
        return found

    def _find(self, stem: Words) -> list[Match]:
        names, size, found = self._names, len(stem), []
        for start in range(size):
            tail, role = stem[start:], stem[:start]
            for joined, sure in names.readings(tail):
                for number in names.by_words.get(joined, ())[:_MOST_TABLES]:
                    found.append(Match(number, "name", sure, start, role=role))
                if len(names.by_ending.get(joined, ())) <= _MOST_TABLES:
                    for number in names.by_ending.get(joined, ()):
                        missing = len(names.tables[number].words) - len(tail)
                        found.append(Match(number, "ending", sure, start, missing=max(1, missing), role=role))
                if start == 0 and len(names.by_beginning.get(joined, ())) <= 12:
                    for number in names.by_beginning.get(joined, ()):
                        missing = len(names.tables[number].words) - len(tail)
                        found.append(Match(number, "beginning", sure, missing=max(1, missing)))
            if start == size - 1 and tail[0] not in names.by_words:
                for number, sure in names.spelled_by(tail[0]):
                    found.append(Match(number, "name", sure, start, role=role))
        for end in range(1, size):
            for joined, sure in names.readings(stem[:end]):
                for number in names.by_words.get(joined, ())[:_MOST_TABLES]:
                    if _ROLES_BEHIND.issuperset(stem[end:]):
                        found.append(Match(number, "name", sure, size - end, role=stem[end:]))
                    else:
                        found.append(Match(number, "name", sure, behind=size - end))
        return found

    def continuing(self, number: int, stem: Words) -> list[Match]:
        """Return the tables whose name is a table's own with the stem behind it: order_status for `status` of order."""
        if "".join(stem) not in self._names.by_ending:
            return []
        own = self._names.tables[number].words
        found = []
        for start in range(len(own)):
            for table in self._names.by_words.get("".join((*own[start:], *stem)), ()):
                if table != number:
                    found.append(Match(table, "ending", 1.0, missing=len(own) - start))
        return found

    def other_end(self, role: str) -> set[str]:
        """Return the roles that the other end may have where one end has this one."""
        return set().union(*(ends - {role} for ends in _ENDS if role in ends))

    def joined_by(self, number: int) -> list[int]:
        """Return the tables whose rows a table joins, by its name: page of page_links, graph_node of graph_edge."""
        own = self._names.tables[number].words
        if not own or own[-1] not in _JOINING:
            return []
        rest = own[:-1]
        while rest and rest[-1] in _JOINING:
            rest = rest[:-1]
        called = [rest, *((*rest, word) for word in _JOINED), *((word,) for word in _JOINED)]
        found = [table for words in called if words for table in self._names.by_words.get("".join(words), ())]
        return [table for table in dict.fromkeys(found) if table != number][:2]

    def persons(self, words: Words) -> list[Match]:
        """Return the tables of people where the words name a role that a person has."""
        roles = tuple(word for word in words if word in PERSON_ROLES or word == "by")
        if not roles and words[-1] == "uid" and len(words) > 1:
            roles = words[:-1]
        if not roles:
            return []
        return [Match(number, "person", 1.0, role=roles) for number in self._persons[:3]]


def _rank(match: Match) -> tuple[float, ...]:
    order = {"name": 0, "ending": 1, "beginning": 2}
    return (order.get(match.how, 3), match.extra + 2 * match.behind + match.missing, -match.sure)
