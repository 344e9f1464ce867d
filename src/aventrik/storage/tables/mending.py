"""What an earlier version kept wrongly, taken out when its store is brought to the present format."""

from __future__ import annotations

from typing import Any

from ..packing import decompressed, loads, unpacked
from . import Database

_BEFORE = ("rewrite", "alone", "queries", "query vectors")  # what a filter has no part in
_HITS = ("keyword hits", "vector hits")


def drop_filtered_away(database: Database) -> list[int]:
    """Drops what was made of lists that a worker left empty because it did not know what the filter lets pass; returns the
    runs that had such, which have to be run again. (Up to format 6 a worker took a filter that it did not know for one
    that lets nothing pass.)"""
    found = []
    for number, made in database.rows("SELECT id, made FROM runs"):
        kept = unpacked(made)
        where = ((kept.get("configuration") or {}).get("search") or {}).get("where")
        if not where or not kept.get("passed"):
            continue
        rows = [loads(row[0]) for row in database.rows("SELECT results FROM run_questions WHERE run = ?", (number,))]
        if rows and _left_empty(database, rows):
            gone = {name for row in rows for node, name in row.items() if not node.startswith(_BEFORE)}
            database.many("DELETE FROM results WHERE id = ?", [(name,) for name in sorted(gone)])
            database.execute("DELETE FROM sheets WHERE run = ?", (number,))
            found.append(int(number))
    return found


def _left_empty(database: Database, rows: list[dict[str, str]]) -> bool:
    """Whether a stage of search has no hit for any question."""
    for stage in _HITS:
        ids = sorted({row[stage] for row in rows if stage in row})
        values = list(database.rows_of("SELECT id, value FROM results WHERE id IN (?)", ids)) if ids else []
        if values and not any(_hits(value) for _, value in values):
            return True
    return False


def _hits(value: Any) -> bool:
    return any(loads(decompressed(value))["lists"])
