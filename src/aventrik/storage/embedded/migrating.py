"""Old stores brought to the present format. Documents, calls and runs are kept; what can be computed again is not.

A run of an old store can be listed and compared with its like; its questions carry no key of their own yet, so they
are told apart by id and wording, and are never paired with those of a new run.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from ...core.keys import content_key
from ..packing import compressed, packed, unpacked
from ..tables.mending import drop_filtered_away
from ..tables.schema import FORMAT, MIGRATIONS, SCHEMA

if TYPE_CHECKING:
    from .database import EmbeddedDatabase

OLD = "old"  # leads the question keys of runs that formats 1 and 2 held


def migrate(database: EmbeddedDatabase, found: int) -> None:
    """Brings a store of an older format to the present one, inside the caller's transaction."""
    if found >= 3:
        for before in range(found, FORMAT):
            for statement in MIGRATIONS[before]:
                database.execute(statement)
        drop_filtered_away(database)
        return
    for table in ("files", "documents", "results", "calls", "runs", "run_questions"):
        database.execute(f"ALTER TABLE {table} RENAME TO old_{table}")
    database.execute("DROP INDEX IF EXISTS documents_by_file")
    for statement in SCHEMA:
        database.execute(statement)
    if found == 2:  # what format 1 keeps of files does not tell how they were read: they are read again once
        database.execute("INSERT INTO files SELECT path, name, size, mtime, key, reading FROM old_files")
    for name, file, key, title, meta, chars, text, parts, report in database.rows(
        "SELECT name, file, key, title, meta, chars, text, parts, report FROM old_documents"
    ):
        database.execute(
            "INSERT INTO documents VALUES (?, ?, ?, ?, ?, ?, ?)", (name, file, key, title, meta, chars, report)
        )
        database.execute("INSERT OR IGNORE INTO contents VALUES (?, ?, ?, ?)", (key, title, text, parts))
    database.execute("INSERT INTO calls SELECT * FROM old_calls")
    for row in database.rows(
        "SELECT id, key, name, testset, configuration, questions, corpus, started, finished, costs, label, note, prompts "
        "FROM old_runs"
    ):
        _run(database, row)
    database.execute(
        "CREATE TABLE before (kind TEXT NOT NULL, document TEXT NOT NULL, value TEXT NOT NULL)"
    )  # decisions and metadata, which now stand in files of the workspace: it takes them out when it is opened
    database.execute("INSERT INTO before SELECT 'left out', name, left_out FROM old_documents WHERE left_out <> ''")
    database.execute("INSERT INTO before SELECT 'metadata', name, sidecar FROM old_documents WHERE sidecar <> '{}'")
    for table in ("run_questions", "runs", "calls", "results", "documents", "files"):
        database.execute(f"DROP TABLE old_{table}")


def _run(database: EmbeddedDatabase, row: tuple[Any, ...]) -> None:
    number, key, name, testset, configuration, order, corpus, started, finished, costs, label, note, prompts = row
    spent = json.loads(costs)
    recall = spent.pop("recall", {})
    if recall:
        spent["state"] = {"recall": recall.get("of the ten nearest")}
    made = {
        "format": 0, "configuration": json.loads(configuration), "corpus": corpus, "prompts": json.loads(prompts),
    }  # fmt: skip
    ids = json.loads(order)
    database.execute(
        "INSERT INTO runs (id, identity, name, testset, made, questions, started, finished, costs, label, note) "
        "VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (
            number,
            f"{OLD} {key}",
            name,
            testset,
            packed(made),
            len(ids),
            started,
            finished,
            json.dumps(spent),
            label,
            note,
        ),
    )
    kept = {question: json.loads(keys) for question, keys in database.rows(
        "SELECT question, keys FROM old_run_questions WHERE run = ?", (number,)
    )}  # fmt: skip
    for place, question in enumerate(name for name in ids if name in kept):
        keys = kept[question]
        body = {"id": question, "question": keys.get("question", ""), "kind": keys.get("kind", "")}
        digest = content_key(body)
        database.execute("INSERT OR IGNORE INTO questions VALUES (?, ?)", (digest, packed(body)))
        results = dict(_results(database, keys))
        database.execute(
            "INSERT INTO run_questions VALUES (?, ?, ?, ?, ?, ?)",
            (number, place, question, f"{OLD} {digest}", digest, json.dumps(results)),
        )


def _results(database: EmbeddedDatabase, keys: dict[str, str]) -> Iterator[tuple[str, str]]:
    """The scores and losses of a question, as records of today's form under ids of their own."""
    found = database.rows("SELECT value FROM old_results WHERE key = ?", (keys.get("scores", ""),))
    if not found:
        return
    old = unpacked(found[0][0])
    for stage, value in (
        ("retrieval scores", {"values": old["scores"]}),
        ("losses", {"lost": old["lost"]}),
    ):
        body = json.dumps(value, ensure_ascii=False).encode("utf-8", "surrogatepass")
        name = content_key(OLD, stage, keys["scores"])
        database.execute(
            "INSERT OR IGNORE INTO results VALUES (?, ?, ?, ?, ?, 0, 0, 0, 0, 0)",
            (name, stage, content_key(value), compressed(body), bool(old.get("failure"))),
        )
        yield stage, name
