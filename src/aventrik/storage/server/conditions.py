"""Conditions on documents as SQL. Every value is a bound parameter; a name of a column is quoted."""

from __future__ import annotations

from typing import Any

from psycopg import sql

from ...core.searching.filters import Condition, ValueTest

Said = tuple[sql.Composable, list[Any]]

_ENTRIES = (
    "SELECT e FROM jsonb_array_elements(CASE jsonb_typeof(meta -> %s) WHEN 'array' THEN meta -> %s "
    "ELSE jsonb_build_array(meta -> %s) END) AS e WHERE jsonb_typeof(e) <> 'null'"
)


def of_metadata(condition: Condition) -> Said:
    """A condition on a column `meta` (jsonb) that holds the fields of a document, with the meaning that
    `core.searching.filters.passes` gives it: of a list each entry counts, and a missing value leaves it open.

    `like` is PostgreSQL's `ILIKE`: which letters beyond ASCII are the same as capitals depends on the database's locale.
    """
    if isinstance(condition, ValueTest):
        return _test(condition)
    return _joined([of_metadata(part) for part in condition.parts], condition.how)


def of_columns(condition: Condition, columns: set[str] | None = None) -> Said:
    """A condition on the columns of a table of the user's own, compared as PostgreSQL compares them."""
    if not isinstance(condition, ValueTest):
        return _joined([of_columns(part) for part in condition.parts], condition.how)
    column = sql.Identifier(condition.field)
    if condition.operator == "null":
        return sql.SQL("{} IS NULL").format(column), []
    if condition.operator == "in":
        marks = sql.SQL(", ").join([sql.Placeholder()] * len(condition.values))
        return sql.SQL("{} IN ({})").format(column, marks), [_plain(value) for value in condition.values]
    if condition.operator == "like":
        return sql.SQL("{} ILIKE %s ESCAPE ''").format(column), [condition.values[0]]
    compared = sql.SQL("{} " + condition.operator + " %s").format(column)  # one of six operators of our own
    return compared, [_plain(condition.values[0])]


def _joined(parts: list[Said], how: str) -> Said:
    values = [value for _, given in parts for value in given]
    if how == "not":
        return sql.SQL("(NOT {})").format(parts[0][0]), values
    joined = sql.SQL(f" {how.upper()} ").join([said for said, _ in parts])
    return sql.SQL("({})").format(joined), values


def _plain(value: Any) -> Any:
    """A whole number as one: a column of whole numbers is then compared by its own index."""
    return int(value) if isinstance(value, float) and value.is_integer() and abs(value) < 2**53 else value


def _test(test: ValueTest) -> Said:
    entries = [test.field] * 3
    if test.operator == "null":
        return sql.SQL(f"(NOT EXISTS ({_ENTRIES}))"), entries
    holds, values = _holds(test)
    exists = "NOT EXISTS" if test.operator == "<>" else "EXISTS"
    said = f"(CASE WHEN EXISTS ({_ENTRIES}) THEN {exists} ({_ENTRIES} AND {holds}) END)"
    return sql.SQL(said), [*entries, *entries, *values]


def _holds(test: ValueTest) -> tuple[str, list[Any]]:
    """What an entry must be."""
    value = test.values[0]
    if test.operator == "in":
        marks = ", ".join(["to_jsonb(%s::" + _type(each) + ")" for each in test.values])
        return f"e IN ({marks})", list(test.values)
    if test.operator in ("=", "<>"):
        return f"e = to_jsonb(%s::{_type(value)})", [value]
    if test.operator == "like":
        return "jsonb_typeof(e) = 'string' AND (e #>> '{}') ILIKE %s ESCAPE ''", [value]
    kind = {"text": "string", "numeric": "number", "boolean": "boolean"}[_type(value)]
    order = ' COLLATE "C"' if kind == "string" else ""
    cast = f"CASE WHEN jsonb_typeof(e) = '{kind}' THEN (e #>> '{{}}')::{_type(value)} END"
    return f"({cast}){order} {test.operator} %s::{_type(value)}", [value]


def _type(value: Any) -> str:
    return "boolean" if isinstance(value, bool) else "text" if isinstance(value, str) else "numeric"
