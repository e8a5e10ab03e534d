"""Expressions of SQL, generated: conditions over the columns a (text), b, k (integer) and c (decimal) of a table t."""

from __future__ import annotations

from hypothesis import strategies as st

TABLE = "create table t (a varchar(9), b int, c decimal(9,2), k int"
_TEXTS = st.sampled_from(["'x'", "'y'", "'it''s'", "''", "'5'", "'%x'"])
_NUMBERS = st.integers(-9, 9).map(str) | st.sampled_from(["1.5", "0.25"])
_COMPARED = st.sampled_from(["=", "<>", "<", "<=", ">", ">="])


def _numbers(deep: int) -> st.SearchStrategy[str]:
    plain = st.sampled_from(["b", "k", "c"]) | _NUMBERS
    if not deep:
        return plain
    inner = _numbers(deep - 1)
    return st.one_of(
        plain,
        st.tuples(inner, st.sampled_from("+-*"), inner).map(lambda one: f"({one[0]} {one[1]} {one[2]})"),
        inner.map(lambda one: f"-({one})"),
        inner.map(lambda one: f"abs({one})"),
        st.tuples(inner, inner).map(lambda one: f"coalesce({one[0]}, {one[1]})"),
    )


def _texts() -> st.SearchStrategy[str]:
    return st.one_of(st.just("a"), _TEXTS, st.sampled_from(["lower(a)", "upper(a)", "coalesce(a, 'y')"]))


def conditions(deep: int = 2) -> st.SearchStrategy[str]:
    """Conditions that nest up to so deep."""
    numbers, columns = _numbers(1), st.sampled_from(["b", "k", "c"])
    plain = st.one_of(
        st.tuples(columns, _COMPARED, numbers).map(" ".join),
        st.tuples(numbers, _COMPARED, columns).map(" ".join),
        st.tuples(_texts(), _COMPARED, _texts()).map(" ".join),
        st.tuples(columns, st.sampled_from(["", "not "]), _NUMBERS, _NUMBERS).map(
            lambda one: f"{one[0]} {one[1]}between {one[2]} and {one[3]}"
        ),
        st.tuples(st.just("a"), st.sampled_from(["in", "not in"]), st.lists(_TEXTS, min_size=1, max_size=3)).map(
            lambda one: f"{one[0]} {one[1]} ({', '.join(one[2])})"
        ),
        st.tuples(columns, st.sampled_from(["in", "not in"]), st.lists(_NUMBERS, min_size=1, max_size=3)).map(
            lambda one: f"{one[0]} {one[1]} ({', '.join(one[2])})"
        ),
        st.tuples(st.sampled_from(["a", "b", "c"]), st.sampled_from(["is null", "is not null"])).map(" ".join),
        st.tuples(st.just("a"), st.sampled_from(["like", "not like"]), _TEXTS).map(" ".join),
    )
    if not deep:
        return plain
    inner = conditions(deep - 1)
    return st.one_of(
        plain,
        st.tuples(inner, st.sampled_from(["and", "or"]), inner).map(lambda one: f"({one[0]}) {one[1]} {one[2]}"),
        st.tuples(inner, st.sampled_from(["and", "or"]), inner, st.sampled_from(["and", "or"]), inner).map(" ".join),
        inner.map(lambda one: f"not ({one})"),
        st.tuples(inner, inner, inner).map(lambda one: f"case when {one[0]} then {one[1]} else {one[2]} end"),
    )
