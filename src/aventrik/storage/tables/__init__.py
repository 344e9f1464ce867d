"""The parts of a store that are tables, over any database that speaks the SQL written here: SQLite or PostgreSQL."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import AbstractContextManager
from functools import lru_cache
from typing import Any, Protocol, TypeVar

from .schema import TABLES

Result = TypeVar("Result")


class Database(Protocol):
    """What the tables need. Statements have ? for a value, and `IN (?)` for many in `rows_of`."""

    row: str  # the column of `results` that grows with every row
    for_update: str  # what locks the rows that a query finds until its transaction ends
    read_only: bool

    def execute(self, statement: str, values: Sequence[Any] = ()) -> int:
        """One statement; returns how many rows it changed."""
        ...

    def many(self, statement: str, rows: Iterable[Sequence[Any]]) -> None:
        """One statement for each row, all or none."""
        ...

    def rows(self, statement: str, values: Sequence[Any] = ()) -> list[tuple[Any, ...]]:
        """All rows of a query."""
        ...

    def rows_of(self, statement: str, keys: Sequence[Any]) -> Iterator[tuple[Any, ...]]:
        """The rows of a query with `IN (?)` for many values."""
        ...

    def each(self, statement: str) -> Iterator[tuple[Any, ...]]:
        """The rows of a query one by one, for many that need not be in memory together."""
        ...

    def transaction(self) -> AbstractContextManager[None]:
        """All that is done inside stands together or not at all; may be nested."""
        ...

    def whole(self, work: Callable[[], Result]) -> Result:
        """Does work in one transaction; from its start again where the connection broke in the middle."""
        ...

    def now(self) -> float:
        """Seconds since 1970 by the clock that all who use the store share."""
        ...

    def session(self) -> str:
        """What tells this process from all others that use the store, for as long as it lives."""
        ...

    def alive(self, sessions: set[str]) -> set[str]:
        """Those of the sessions whose process still lives, or may live."""
        ...


@lru_cache(maxsize=64)
def put(table: str, columns: str, replace: bool = True) -> str:
    """The statement that puts a row into a table: in place of one of the same name, or not at all where there is one."""
    key, _ = TABLES[table]
    names = columns.split(", ")
    others = [name for name in names if name not in key.split(", ")]
    sets = ", ".join(f"{name} = excluded.{name}" for name in others)
    then = f"UPDATE SET {sets}" if replace and sets else "NOTHING"
    marks = ", ".join("?" * len(names))
    return f"INSERT INTO {table} ({columns}) VALUES ({marks}) ON CONFLICT ({key}) DO {then}"
