"""PostgreSQL's types, sorted into the families that people filter by."""

_FAMILIES = {
    "number": "smallint integer bigint numeric decimal real double precision money oid",
    "text": 'character varying|character|text|"char"|name|citext|bpchar|varchar|char',
    "date and time": "date|time|timestamp|timestamptz|timetz|interval",
    "yes or no": "boolean",
    "binary": "bytea|bit|bit varying",
    "document": "json|jsonb|xml|hstore|tsvector|tsquery|ltree",
    "identifier": "uuid",
    "network": "inet|cidr|macaddr|macaddr8",
    "place": "point|line|lseg|box|path|polygon|circle|geometry|geography",
    "range": "int4range|int8range|numrange|tsrange|tstzrange|daterange",
}
_BY_NAME = {
    name: family
    for family, names in _FAMILIES.items()
    for name in (names.split("|") if "|" in names else names.replace("double precision", "double").split())
}


def family(type_name: str) -> str:
    """Return the family of an exact type as the catalog words it; "other" for a database's own types."""
    if type_name.endswith("[]"):
        return "list"
    base = type_name.split("(", 1)[0].strip()
    found = _BY_NAME.get(base)
    if found is None:
        words = base.split(" ")
        found = _BY_NAME.get(" ".join(words[:2])) or _BY_NAME.get(words[0])
    return found or "other"
