"""Conditions on the metadata of documents, in a small part of SQL's search condition.

    area = 'Moss Cut' and issued >= '2031-04-01' and not (kind in ('works', 'event') or author_role is null)

As in SQL a comparison with a missing value is neither true nor false, and only what is true passes. A field that
holds a list is compared by each of its entries, any one of which will do. `like` takes % and _ and does not tell
capitals from small letters. Texts stand in single quotes, fields with odd names in double ones; dates are texts
like '2031-04-01'.
"""

from __future__ import annotations

import difflib
import math
import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from ..errors import BadInput

Value = str | float | bool

_LEX = re.compile(
    r"""\s*(?:(?P<text>'(?:[^']|'')*')|(?P<quoted>"(?:[^"]|"")+")|(?P<number>[-+]?\d+(?:\.\d+)?(?![\w.]))|"""
    r"""(?P<word>[^\W\d][\w.\-]*)|(?P<sign><>|!=|<=|>=|=|<|>|\(|\)|,))"""
)
_KEYWORDS = frozenset("and or not in like is null true false between".split())
_COMPARE: dict[str, Callable[[Any, Any], bool]] = {
    "=": lambda a, b: a == b,
    "<>": lambda a, b: a != b,
    "<": lambda a, b: a < b,
    "<=": lambda a, b: a <= b,
    ">": lambda a, b: a > b,
    ">=": lambda a, b: a >= b,
}


@dataclass(frozen=True)
class ValueTest:
    """One field held against values: `operator` is one of =, <>, <, <=, >, >=, in, like, null.

    `column` is where the field stands in the condition, from 1.
    """

    field: str
    operator: str
    values: tuple[Value, ...]
    column: int


@dataclass(frozen=True)
class JoinedConditions:
    """Conditions joined by "and", "or", or one under "not"."""

    how: str
    parts: tuple[Condition, ...]


Condition = ValueTest | JoinedConditions


@dataclass(frozen=True)
class _FilterToken:
    kind: str
    text: str
    column: int


@lru_cache(maxsize=64)
def parse(condition: str) -> Condition:
    """The condition of a text; raises `BadInput` that names the column (from 1) at which it can't be understood."""
    return _FilterParser(condition).whole()


_LONGEST = 10_000  # characters of a condition
_DEEPEST = 50  # brackets and "not" within each other


class _FilterParser:
    def __init__(self, condition: str) -> None:
        if len(condition) > _LONGEST:
            raise BadInput(f"where: a condition may have {_LONGEST:,} characters, not {len(condition):,}")
        self._condition = condition
        self._tokens = list(self._lexed())
        self._place = 0
        self._deep = 0

    def _lexed(self) -> Iterable[_FilterToken]:
        place = 0
        while self._condition[place:].strip():
            found = _LEX.match(self._condition, place)
            if found is None or found.lastgroup is None:
                at = place + len(self._condition[place:]) - len(self._condition[place:].lstrip())
                rest = self._condition[at : at + 12]
                hint = "; a text must end with a quote" if rest[0] in "'\"" else ""
                raise self._wrong(at + 1, f"can't be understood from {rest!r} on{hint}")
            kind, text = found.lastgroup, found[found.lastgroup]
            if kind == "word" and text.lower() in _KEYWORDS:
                kind, text = "keyword", text.lower()
            elif kind in ("text", "quoted"):
                text = text[1:-1].replace(text[0] * 2, text[0])
            yield _FilterToken(kind, text, found.start(found.lastgroup) + 1)
            place = found.end()
        yield _FilterToken("end", "the end", len(self._condition) + 1)

    def _wrong(self, column: int, reason: str) -> BadInput:
        shown = self._condition if len(self._condition) <= 200 else self._condition[:199] + "…"
        return BadInput(f"where, column {column}: {reason}, in: {shown}")

    @property
    def _now(self) -> _FilterToken:
        return self._tokens[self._place]

    def _take(self, *texts: str) -> _FilterToken | None:
        """The next token, if it is a keyword or sign that is one of the texts."""
        token = self._now
        if token.kind in ("keyword", "sign") and token.text in texts:
            self._place += 1
            return token
        return None

    def _need(self, *texts: str) -> _FilterToken:
        token = self._take(*texts)
        if token is None:
            wanted = " or ".join(texts)
            raise self._wrong(self._now.column, f"here should stand {wanted}, not {self._now.text}")
        return token

    def whole(self) -> Condition:
        found = self._any()
        if self._now.kind != "end":
            raise self._wrong(self._now.column, f"here should stand and, or, or the end, not {self._now.text}")
        return found

    def _any(self) -> Condition:
        parts = [self._all()]
        while self._take("or"):
            parts.append(self._all())
        return parts[0] if len(parts) == 1 else JoinedConditions("or", tuple(parts))

    def _all(self) -> Condition:
        parts = [self._one()]
        while self._take("and"):
            parts.append(self._one())
        return parts[0] if len(parts) == 1 else JoinedConditions("and", tuple(parts))

    def _one(self) -> Condition:
        column = self._now.column
        self._deep += 1
        if self._deep > _DEEPEST:
            raise self._wrong(column, f"nested more than {_DEEPEST} deep")
        try:
            if self._take("not"):
                return JoinedConditions("not", (self._one(),))
            if self._take("("):
                found = self._any()
                self._need(")")
                return found
            return self._test()
        finally:
            self._deep -= 1

    def _test(self) -> Condition:
        field = self._now
        if field.kind not in ("word", "quoted"):
            hint = "; a field stands without quotes" if field.kind == "text" else ""
            raise self._wrong(field.column, f"here should stand a field, not {field.text}{hint}")
        self._place += 1
        if self._take("is"):
            negated = self._take("not") is not None
            self._need("null")
            found: Condition = ValueTest(field.text, "null", (), field.column)
            return JoinedConditions("not", (found,)) if negated else found
        negated = self._take("not") is not None
        operators = ("in", "like", "between") if negated else ("in", "like", "between", *_COMPARE, "!=")
        operator = self._need(*operators).text.replace("!=", "<>")
        if operator == "in":
            self._need("(")
            values = [self._value()]
            while self._take(","):
                values.append(self._value())
            self._need(")")
            found = ValueTest(field.text, "in", tuple(values), field.column)
        elif operator == "between":
            low = self._value()
            self._need("and")
            pair = (
                ValueTest(field.text, ">=", (low,), field.column),
                ValueTest(field.text, "<=", (self._value(),), field.column),
            )
            found = JoinedConditions("and", pair)
        else:
            column = self._now.column
            value = self._value()
            if operator == "like" and not isinstance(value, str):
                raise self._wrong(column, f"like needs a text in single quotes, not {value:g}")
            found = ValueTest(field.text, operator, (value,), field.column)
        return JoinedConditions("not", (found,)) if negated else found

    def _value(self) -> Value:
        token = self._now
        self._place += 1
        if token.kind == "text":
            return token.text
        if token.kind == "number":
            if not math.isfinite(float(token.text)):
                raise self._wrong(token.column, "a number has too many digits")
            return float(token.text)
        if token.kind == "keyword" and token.text in ("true", "false"):
            return token.text == "true"
        hint = f"; a text stands in single quotes: '{token.text}'" if token.kind in ("word", "quoted") else ""
        raise self._wrong(token.column, f"here should stand a value, not {token.text}{hint}")


def check(condition: str, rows: Iterable[Mapping[str, Any]]) -> None:
    """Raises `BadInput` for a field that no row has, naming the nearest that one has, and for a value of another type
    than any that the field holds."""
    kinds: dict[str, set[str]] = {}
    for row in rows:
        for name, value in row.items():
            kinds.setdefault(name, set()).update(_kind(entry) for entry in _entries(value))
    for test in _tests(parse(condition)):
        where = f"where, column {test.column}"
        if test.field not in kinds:
            near = difflib.get_close_matches(test.field, kinds, n=1, cutoff=0.5)
            hint = f"did you mean {near[0]}?" if near else f"there are: {', '.join(sorted(kinds)) or 'none'}"
            raise BadInput(f"{where}: no document has a field {test.field}; {hint}")
        for value in test.values:
            if kinds[test.field] and _kind(value) not in kinds[test.field]:
                shown = f"'{value}'" if isinstance(value, str) else f"{value:g}"
                held = " and ".join(sorted(kinds[test.field]))
                raise BadInput(f"{where}: {test.field} holds {held}, and {shown} is none of these")


def _tests(condition: Condition) -> Iterable[ValueTest]:
    if isinstance(condition, ValueTest):
        yield condition
    else:
        for part in condition.parts:
            yield from _tests(part)


def _entries(value: Any) -> list[Any]:
    return [each for each in (value if isinstance(value, (list, tuple)) else [value]) if each is not None]


def _kind(value: Any) -> str:
    if isinstance(value, bool):
        return "true or false"
    return "numbers" if isinstance(value, (int, float)) else "texts"


def passes(condition: Condition, row: Mapping[str, Any]) -> bool:
    """Whether a document's metadata meets a condition."""
    return _truth(condition, row) is True


def _truth(condition: Condition, row: Mapping[str, Any]) -> bool | None:
    """True, False, or None where a missing value leaves it open."""
    if isinstance(condition, ValueTest):
        return _test(condition, row.get(condition.field))
    found = [_truth(part, row) for part in condition.parts]
    if condition.how == "not":
        return None if found[0] is None else not found[0]
    decided = condition.how == "or"
    if decided in found:
        return decided
    return None if None in found else not decided


def _test(test: ValueTest, value: Any) -> bool | None:
    entries = _entries(value)
    if test.operator == "null":
        return not entries
    if not entries:
        return None
    if test.operator == "<>":  # of a list: none of its entries is the value
        return all(entry != test.values[0] for entry in entries)
    return any(_holds(test, entry) for entry in entries)


def _holds(test: ValueTest, entry: Any) -> bool:
    if test.operator == "in":
        return any(_kind(entry) == _kind(value) and entry == value for value in test.values)
    value = test.values[0]
    if _kind(entry) != _kind(value):
        return False
    if test.operator == "like":
        return _pattern(str(value)).fullmatch(str(entry)) is not None
    return _COMPARE[test.operator](entry, value)


@lru_cache(maxsize=256)
def _pattern(like: str) -> re.Pattern[str]:
    """As a pattern that looks at each character of a text a few times at most: what stands between two % is taken
    where it first comes, and never looked for again (an atomic group)."""
    first, *parts = ("".join("." if mark == "_" else re.escape(mark) for mark in part) for part in like.split("%"))
    body = first + "".join(f"(?>.*?{part})" for part in parts[:-1] if part) + (f".*{parts[-1]}" if parts else "")
    return re.compile(body, re.IGNORECASE | re.DOTALL)
