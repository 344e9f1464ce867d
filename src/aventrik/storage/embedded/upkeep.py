"""What is done with a store as a whole: telling what it holds, backing up, restoring, cleaning."""

from __future__ import annotations

import shutil
import sqlite3
from pathlib import Path

from ...core.errors import BadInput, Damaged
from ..protocols import Contents
from .database import Database, loads, told, unpacked
from .schema import FORMAT, SCHEMA

_TABLES = ("documents", "contents", "results", "calls", "runs")
# What stands in a backup: runs with all they rest on, and calls. In this order, for what refers to what.
_RESTORABLE = (3, 4, FORMAT)  # formats in which these tables are the same
_BACKED_UP = ("corpora", "contents", "results", "questions", "calls")


def holds(database: Database, arrays: Path) -> Contents:
    """Rows of the main tables, and bytes on the disk."""
    counts = {table: int(database.rows(f"SELECT count(*) FROM {table}")[0][0]) for table in _TABLES}
    folders = [path for path in arrays.iterdir() if path.is_dir()] if arrays.is_dir() else []
    counts["arrays"] = sum(not path.name.startswith(".") for path in folders)
    sizes = {"store.db": sum(path.stat().st_size for path in database.path.parent.glob("store.db*"))}
    sizes["arrays"] = sum(file.stat().st_size for folder in folders for file in folder.glob("*") if file.is_file())
    return Contents(counts, sizes)


def back_up(database: Database, path: Path) -> dict[str, int]:
    """A new SQLite file with the runs, the results, questions, corpora and contents that they rest on, and all calls."""
    if path.exists():
        raise BadInput(f"{path}: exists already; name a new file")
    draft = path.with_name(f".{path.name}.part")
    draft.unlink(missing_ok=True)
    with told(path):
        other = sqlite3.connect(draft)
        try:
            for statement in SCHEMA:
                other.execute(statement)
            other.execute(f"PRAGMA user_version = {FORMAT}")
            other.commit()
        finally:
            other.close()
    try:
        database.execute("ATTACH DATABASE ? AS other", (str(draft),))
        try:
            with database.transaction():
                counts = _copy_out(database)
        finally:
            database.execute("DETACH DATABASE other")
        with told(path):
            draft.rename(path)
    finally:
        draft.unlink(missing_ok=True)
    return counts


def _copy_out(database: Database) -> dict[str, int]:
    database.execute("CREATE TEMP TABLE wanted (id TEXT PRIMARY KEY)")
    database.many("INSERT OR IGNORE INTO wanted VALUES (?)", ((found,) for found in _referred(database)))
    for table, where in (
        ("runs", ""),
        ("run_questions", ""),
        ("tags", ""),
        ("questions", "WHERE digest IN (SELECT question FROM main.run_questions)"),
        ("results", "WHERE id IN (SELECT id FROM wanted)"),
        ("corpora", ""),
        ("contents", ""),
        ("calls", ""),
    ):
        database.execute(f"INSERT INTO other.{table} SELECT * FROM main.{table} {where}")
    database.execute("DROP TABLE wanted")
    return {
        table: int(database.rows(f"SELECT count(*) FROM other.{table}")[0][0]) for table in ("runs", "results", "calls")
    }


def _referred(database: Database) -> set[str]:
    """The ids of all results that runs refer to."""
    found: set[str] = set()
    for (results,) in database.each("SELECT DISTINCT results FROM run_questions"):
        found.update(loads(results).values())
    return found


def restore(database: Database, path: Path) -> dict[str, int]:
    """Takes in what is not here yet: runs by their identity, under numbers of their own here, and calls by their key."""
    if not path.is_file():
        raise BadInput(f"{path}: no such file")
    with told(path):
        other = sqlite3.connect(f"file:{path}?mode=ro", uri=True)
        try:
            found = int(other.execute("PRAGMA user_version").fetchone()[0])
            tables = {row[0] for row in other.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
        finally:
            other.close()
    if found not in _RESTORABLE or not {"runs", "calls", *_BACKED_UP} <= tables:
        raise BadInput(f"{path}: is not a backup that this version can restore (format {found}, wanted {FORMAT})")
    database.execute("ATTACH DATABASE ? AS other", (str(path),))
    try:
        with database.transaction():
            counts = {}
            for table in _BACKED_UP:
                counts[table] = database.execute(
                    f"INSERT OR IGNORE INTO main.{table} SELECT * FROM other.{table}"
                ).rowcount
            columns = "identity, name, testset, made, questions, started, finished, costs, label, note"
            counts["runs"] = 0
            for number, identity in database.rows("SELECT id, identity FROM other.runs ORDER BY id"):
                if database.rows("SELECT 1 FROM main.runs WHERE identity = ?", (identity,)):
                    continue
                own = database.execute(
                    f"INSERT INTO main.runs ({columns}) SELECT {columns} FROM other.runs WHERE id = ?", (number,)
                ).lastrowid
                database.execute(
                    "INSERT INTO main.run_questions SELECT ?, place, id, key, question, results FROM other.run_questions "
                    "WHERE run = ?",
                    (own, number),
                )
                if "tags" in tables:
                    database.execute("INSERT INTO main.tags SELECT ?, tag FROM other.tags WHERE run = ?", (own, number))
                counts["runs"] += 1
    finally:
        database.execute("DETACH DATABASE other")
    return {name: counts[name] for name in ("runs", "results", "calls")}


# Of each table with values that are packed: what names a row, and these columns.
_PACKED = {
    "contents": ("key", ("text", "parts")),
    "corpora": ("key", ("documents",)),
    "results": ("id", ("value",)),
    "calls": ("key", ("request", "reply")),
    "questions": ("digest", ("body",)),
    "runs": ("id", ("made",)),
}


def damaged(database: Database) -> list[str]:
    """What SQLite finds wrong with the file, and the rows whose values can't be unpacked."""
    found = [f"{database.path}: {row[0]}" for row in database.rows("PRAGMA integrity_check") if row[0] != "ok"]
    for table, (name, columns) in _PACKED.items():
        for row in database.each(f"SELECT {name}, {', '.join(columns)} FROM {table}"):
            for column, value in zip(columns, row[1:]):
                try:
                    unpacked(value)
                except Damaged:
                    found.append(f"{database.path}: {table}, {name} {row[0]}: {column}")
    return found


def clean(database: Database, arrays: Path) -> dict[str, int]:
    """Drops results that no run refers to, contents of neither a document nor a corpus of a run, and all arrays."""
    with database.transaction():
        database.execute("CREATE TEMP TABLE wanted (id TEXT PRIMARY KEY)")
        database.many("INSERT OR IGNORE INTO wanted VALUES (?)", ((found,) for found in _referred(database)))
        dropped = database.execute("DELETE FROM results WHERE id NOT IN (SELECT id FROM wanted)").rowcount
        database.execute("DELETE FROM wanted")
        _drop_corpora(database)
        gone = database.execute(
            "DELETE FROM contents WHERE key NOT IN (SELECT key FROM documents) AND key NOT IN (SELECT id FROM wanted)"
        ).rowcount
        database.execute("DROP TABLE wanted")
        database.execute("DELETE FROM questions WHERE digest NOT IN (SELECT question FROM run_questions)")
        database.execute("DELETE FROM collections")
    folders = [path for path in arrays.iterdir() if path.is_dir()] if arrays.is_dir() else []
    for folder in folders:
        shutil.rmtree(folder, ignore_errors=True)
    database.execute("VACUUM")
    return {"results": dropped, "contents": gone, "arrays": len(folders)}


def _drop_corpora(database: Database) -> None:
    """Drops the corpora of no run, and notes in `wanted` the contents of the others."""
    used = {str(unpacked(row[0]).get("corpus", "")) for row in database.rows("SELECT made FROM runs")}
    for key, documents in database.rows("SELECT key, documents FROM corpora"):
        if key in used:
            database.many("INSERT OR IGNORE INTO wanted VALUES (?)", ((pair[1],) for pair in unpacked(documents)))
        else:
            database.execute("DELETE FROM corpora WHERE key = ?", (key,))
