"""Signs in words: what the margin says beside a proposal."""

from __future__ import annotations

_HOLDS = 0.5
"""Signs that are shares are told from here on."""
_OF_ROWS, _TELLS = {"data unique", "fewer columns are unique in the data"}, 0.01
"""Signs that hold by how many rows there were: they are told however few."""
_WORDS: dict[str, dict[str, str]] = {
    "key": {
        "numbers itself": "the database numbers it",
        "id": "it is called as keys are",
        "id of table": "it is named after its table",
        "code of table": "it is a code named after its table",
        "id of table's ending": "it is named after the end of its table's name",
        "id of table's beginning": "it is named after the beginning of its table's name",
        "key word, another name": "its name ends as those of keys do",
        "table's own name, whole": "it has its table's name",
        "key word alone": "its name only says that it identifies",
        "position 1": "it comes first",
        "made of the names beside it": "its name is made of those of other columns, as that of a row that joins them",
        "others speak of it": "other tables speak of this one",
        "alone not empty": "no other column must be filled",
        "unique index": "a unique index has just these columns",
        "unique key": "a unique key has just these columns",
        "all refer": "each of its columns speaks of another table",
        "refer and count": "it refers to another table and counts within",
        "all columns": "the table has no other columns",
        "nearly all columns": "the table has hardly any other column",
        "just those not empty": "just these must be filled",
        "from the first on": "they come first",
        "data unique": "no sampled row holds them twice",
        "data not unique": "sampled rows hold a value twice",
        "fewer columns are unique in the data": "but fewer of them hold no sampled row twice",
        "with a span's beginning": "one of them says when a state begins",
        "with a number within": "one of them numbers what belongs to a row",
        "found elsewhere together": "other tables have them together",
        "with the edition of a copy": "the table keeps several editions of a row of another one",
        "may be empty": "but it may be empty",
    },
    "reference": {
        "key's name, of its table": "it has that key's name, which tells the table",
        "key's name": "it has that key's name",
        "its values are made there": "the database numbers that key",
        "key's name, which says nothing": "it has that key's name",
        "no other key has this name": "no other table's key is called so",
        "role and key's name": "it ends with the name of that key",
        "name whole": "its name is that table's with a key word",
        "name whole without key word": "its name is that table's",
        "name role": "its name is a role and that table's, with a key word",
        "name role without key word": "its name is a role and that table's",
        "name behind": "its name begins with that table's",
        "name behind without key word": "its name begins with that table's",
        "known role": "the role is one that rows have",
        "ending, rest in own name": "together with its own table's name it is that table's",
        "ending, rest in own name without key word": "together with its own table's name it is that table's",
        "ending, rest a module": "it is that table's name without the module's",
        "ending, rest a module without key word": "it is that table's name without the module's",
        "ending": "it is the end of that table's name",
        "beginning": "it is the beginning of that table's name",
        "person's role": "it names what a person did or is",
        "named with what its columns share": "with what all columns of its table begin with, its name is that table's",
        "named after a small table": "that table is small, as those of codes are",
        "that key refers on": "but that key refers on to another table itself",
        "a rival's key refers there": "another table's key of this name refers there",
        "others refer there": "other columns refer there",
        "goes on from that table's name": "its own table's name goes on from that table's",
        "no other table ends so": "no other table's name ends so",
        "in its own schema": "that table is in its own schema",
        "its role is that schema's name": "its role is that schema's name",
        "self role": "it names a role that a row of the same table has",
        "short form": "a short form was read in full",
        "same type": "the types are the same",
        "other length": "but the lengths differ",
        "other type": "but the types differ",
        "another kind of type": "but only one of them is a text",
        "indexed": "it is indexed",
        "joined": "views or routines join the two",
        "comment refers": "its comment says so",
        "comment names": "its comment names that table",
        "declared elsewhere": "columns of this name refer there in declared keys",
        "habit of ending": "declared keys end like it",
        "data included": "all sampled values stand there",
        "numbers included": "all sampled numbers stand there",
        "data included, rows alone": "all sampled values stand there",
        "numbers included, rows alone": "all sampled numbers stand there",
        "the highest number there": "and reach as far as those there",
        "numbers there have gaps": "hardly by chance, as many numbers between are missing there",
        "data in the narrower": "they stand in this narrower table too",
        "told by rows alone": "nothing in its name says so",
        "data nearly included": "nearly all sampled values stand there",
        "data not included": "but sampled values do not stand there",
        "key unsure": "",
        "unique key": "that key is a unique one",
        "the key itself": "it is the whole key of its table",
    },
    "composite": {
        "any": "the table holds all columns of that key",
        "one part names the table": "one of them has that table's name",
        "all with one role": "the same role comes before each",
        "name goes on from the other's": "its name goes on from that table's",
        "table's name before": "with that table's name before them",
        "name holds the other's": "its name goes on from that table's",
        "names share words": "the tables' names share words",
        "in the key": "they are part of its own key",
        "the key itself": "they are its own key",
        "side by side": "they stand side by side",
        "indexed": "they are indexed together",
        "joined": "views or routines join the two",
        "other type": "but types differ",
        "data included": "all sampled rows stand there",
        "data not included": "but sampled rows do not stand there",
    },
}


def words_for(features: dict[str, float], kind: str, role: str = "") -> tuple[str, ...]:
    """Return the signs that hold, in words, in a fixed order; `role` is what the name says the row is."""
    text = [
        words
        for sign, words in _WORDS[kind].items()
        if words and features.get(sign, 0.0) >= (_TELLS if sign in _OF_ROWS else _HOLDS)
    ]
    if role:
        text.append(f"role: {role}")
    return tuple(text)
