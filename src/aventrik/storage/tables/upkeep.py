"""What is done with the tables as a whole: counting, looking for damage, dropping what nothing refers to."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator
from typing import Any

from ...core.errors import BadInput, Damaged
from ...core.keys import content_key
from ..packing import decompressed, loads, unpacked
from ..protocols import Progress, nothing
from . import Database

COUNTED = ("documents", "contents", "results", "calls", "runs")

_TOLD = 1000  # rows between notes of how far checking is

# Of each table with values that are packed: what names a row, and these columns.
_PACKED = {
    "contents": ("key", ("text", "parts")),
    "corpora": ("key", ("documents",)),
    "results": ("id", ("value",)),
    "calls": ("key", ("request", "reply")),
    "questions": ("digest", ("body",)),
    "runs": ("id", ("made",)),
}


def counts(database: Database) -> dict[str, int]:
    """Rows of the main tables."""
    return {table: int(database.rows(f"SELECT count(*) FROM {table}")[0][0]) for table in COUNTED}


def damaged(database: Database, where: str, progress: Progress = nothing) -> list[str]:
    """The rows whose values can't be unpacked, or are not what their key says."""
    found = []
    for table, (name, columns) in _PACKED.items():
        total = int(database.rows(f"SELECT count(*) FROM {table}")[0][0])
        for done, row in enumerate(database.each(f"SELECT {name}, {', '.join(columns)} FROM {table}")):
            if not done % _TOLD:
                progress(f"checking {table}", done, total)
            for column, value in zip(columns, row[1:]):
                try:
                    unpacked(value)
                except Damaged:
                    found.append(f"{where}: {table}, {name} {row[0]}: {column}")
    return found + [f"{where}: {line}" for line in _other_than_named(database, progress)]


def _other_than_named(database: Database, progress: Progress) -> Iterator[str]:
    """Rows whose value is sound, but not the one that their key or digest was made of."""
    checks: tuple[tuple[str, str, str, Callable[[bytes], set[str]]], ...] = (
        # A result that was taken over from format 2 is named by its value, not by its bytes.
        ("results", "id", "digest, value", lambda value: {_digest(value), content_key(unpacked(value))}),
        ("questions", "digest", "digest, body", lambda value: {content_key(unpacked(value))}),
    )
    for table, name, columns, key_of in checks:
        total = int(database.rows(f"SELECT count(*) FROM {table}")[0][0])
        rows = database.each(f"SELECT {name}, {columns} FROM {table}")
        for done, (row, key, value) in enumerate(rows):
            if not done % _TOLD:
                progress(f"checking keys of {table}", done, total)
            try:
                if key not in key_of(value):
                    yield f"{table}, {name} {row}: is not what its key says"
            except (Damaged, TypeError):  # told already
                continue
    gone = database.rows(
        "SELECT DISTINCT q.question FROM run_questions q WHERE NOT EXISTS "
        "(SELECT 1 FROM questions WHERE digest = q.question)"
    )
    for (digest,) in gone:
        yield f"questions, digest {digest}: is missing, and a run refers to it"


def _digest(value: bytes) -> str:
    return hashlib.sha256(decompressed(value)).hexdigest()[:40]


def referred(database: Database) -> set[str]:
    """The ids of all results that runs refer to."""
    found: set[str] = set()
    for (results,) in database.each("SELECT DISTINCT results FROM run_questions"):
        found.update(loads(results).values())
    return found


def corpora_of_runs(database: Database) -> set[str]:
    """The keys of the corpora that runs were made on."""
    return {str(unpacked(row[0]).get("corpus", "")) for row in database.rows("SELECT made FROM runs")}


def clean(database: Database, others: set[str]) -> dict[str, int]:
    """Drops results that no run refers to, and contents of neither a document nor a corpus of a run.

    Raises `BadInput` while others work with the store: what they have made stands in no run yet.
    """
    if others:
        raise BadInput(f"{len(others)} other processes work with the store; clean it when they are done")

    def work() -> dict[str, int]:
        database.execute("CREATE TEMP TABLE wanted (id TEXT PRIMARY KEY)")
        put = "INSERT INTO wanted VALUES (?) ON CONFLICT DO NOTHING"
        database.many(put, [(each,) for each in sorted(referred(database))])
        dropped = database.execute(f"DELETE FROM results WHERE NOT EXISTS ({_named('results.id')})")
        database.execute("DELETE FROM wanted")
        used = corpora_of_runs(database)
        for key, documents in database.rows("SELECT key, documents FROM corpora"):
            if key in used:
                database.many(put, [(pair[1],) for pair in unpacked(documents)])
            else:
                database.execute("DELETE FROM corpora WHERE key = ?", (key,))
        gone = database.execute(
            "DELETE FROM contents WHERE NOT EXISTS (SELECT 1 FROM documents WHERE key = contents.key) "
            f"AND NOT EXISTS ({_named('contents.key')})"
        )
        database.execute("DROP TABLE wanted")
        database.execute(
            "DELETE FROM questions WHERE NOT EXISTS (SELECT 1 FROM run_questions WHERE question = questions.digest)"
        )
        database.execute("DELETE FROM collections")
        return {"results": dropped, "contents": gone}

    return database.whole(work)


def _named(column: str) -> str:
    return f"SELECT 1 FROM wanted WHERE wanted.id = {column}"


def whole_rows(database: Database, table: str, columns: str) -> Iterator[list[tuple[Any, ...]]]:
    """All rows of a table, some at a time."""
    some: list[tuple[Any, ...]] = []
    for row in database.each(f"SELECT {columns} FROM {table}"):
        some.append(tuple(row))
        if len(some) == 1000:
            yield some
            some = []
    if some:
        yield some
