"""Backups, which are SQLite files; and what a store's file itself can have."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path
from typing import Any

from ...core.errors import BadInput
from ..tables import Database as Any_
from ..tables import copying
from ..tables.schema import FORMAT
from .database import EmbeddedDatabase, database_errors

_RESTORABLE = (3, 4, 5, 6, FORMAT)  # formats in which the tables of a backup are the same
_ROWS = 1000  # rows taken in at a time


def back_up(database: Any_, path: Path) -> dict[str, int]:
    """A new SQLite file with the runs, the results, questions, corpora and contents that they rest on, and all calls."""
    if path.exists():
        raise BadInput(f"{path}: exists already; name a new file")
    draft = path.with_name(f".{path.name}.part")
    draft.unlink(missing_ok=True)
    try:
        with database_errors(path):
            other = EmbeddedDatabase(draft.parent, draft.name)
        try:
            counts = copying.back_up(database, other)
            other.fold()
        finally:
            other.close()
        with database_errors(path):
            draft.rename(path)
    finally:
        for left in (draft, *draft.parent.glob(f"{draft.name}-*")):
            left.unlink(missing_ok=True)
    return counts


def restore(database: Any_, path: Path) -> dict[str, int]:
    """Takes in what is not here yet: runs by their identity, under numbers of their own here, and calls by their key."""
    if not path.is_file():
        raise BadInput(f"{path}: no such file")
    with database_errors(path), closing(sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True)) as other:
        found = int(other.execute("PRAGMA user_version").fetchone()[0])
        tables = {row[0] for row in other.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
        if found not in _RESTORABLE or not {"runs", "calls", "run_questions", "results", "contents"} <= tables:
            raise BadInput(f"{path}: is not a backup that this version can restore (format {found}, wanted {FORMAT})")

        def rows(table: str, columns: str) -> Iterator[list[tuple[Any, ...]]]:
            cursor = other.execute(f"SELECT {columns} FROM {table}")
            while some := cursor.fetchmany(_ROWS):
                yield some

        return copying.restore(database, rows, tables)
