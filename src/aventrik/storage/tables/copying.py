"""Rows from one database into another: whole stores, backups, and what comes back from them."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import Any

from ...core.errors import BadInput
from ...core.keys import content_key
from ..packing import loads
from ..protocols import Progress, nothing
from . import Database, put
from .schema import TABLES
from .upkeep import referred, whole_rows

_PASSING = ("under_way", "buckets")  # what is of use to those who work with the store now
_BACKED_UP = ("corpora", "contents", "results", "questions", "calls")
_RUN = "identity, name, testset, made, questions, started, finished, costs, label, note"


def move(
    source: Database,
    target: Database,
    progress: Progress = nothing,
    tables: Sequence[str] = (),
    backwards: bool = False,
) -> dict[str, int]:
    """Copies all that stands in one database, or some `tables` of it, into another that is empty, or that an interrupted
    copying has filled in part; runs keep their numbers. `backwards` puts rows in in reverse order, all at once. Returns the
    rows of each table, which have been counted in both.

    Raises `BadInput` where the target has something of its own.
    """
    if _own(source, target):
        raise BadInput(
            "there is another store at that address already; name another database, or set [store] schema to one of its own"
        )
    made = {}
    for table, (_, columns) in TABLES.items():
        if table in _PASSING or (tables and table not in tables):
            continue
        [(total,)] = source.rows(f"SELECT count(*) FROM {table}")
        done = 0
        groups: Iterable[list[tuple[Any, ...]]] = whole_rows(source, table, columns)
        if backwards:
            groups = [some[::-1] for some in reversed(list(groups))]
        for some in groups:
            target.many(put(table, columns, replace=False), some)
            done += len(some)
            progress(table, done, int(total))
        [(there,)] = target.rows(f"SELECT count(*) FROM {table}")
        if int(there) != int(total):
            raise BadInput(f"{table}: {there:,} rows came of {total:,}; another process changes one of the stores")
        made[table] = int(there)
    return made


def _own(source: Database, target: Database) -> bool:
    """Whether a target holds what the source does not."""
    for table in ("runs", "contents", "calls"):
        name = "identity" if table == "runs" else TABLES[table][0]
        rows = target.rows(f"SELECT {name} FROM {table} LIMIT 1000")
        keys = [row[0] for row in rows]
        known = {row[0] for row in source.rows_of(f"SELECT {name} FROM {table} WHERE {name} IN (?)", keys)}
        if set(keys) - known:
            return True
    return False


def back_up(source: Database, target: Database) -> dict[str, int]:
    """The runs, the results, questions, corpora and contents that they rest on, and all calls."""
    wanted = referred(source)
    kept: dict[str, Callable[[tuple[Any, ...]], bool]] = {"results": lambda row: row[0] in wanted}

    def work() -> None:
        for table in (*_BACKED_UP, "runs", "run_questions", "tags"):
            keep = kept.get(table, lambda row: True)
            columns = TABLES[table][1]
            for some in whole_rows(source, table, columns):
                target.many(put(table, columns), [row for row in some if keep(row)])

    target.whole(work)
    return {table: int(target.rows(f"SELECT count(*) FROM {table}")[0][0]) for table in ("runs", "results", "calls")}


Rows = Callable[[str, str], Iterator[list[tuple[Any, ...]]]]  # a table and columns → its rows, some at a time


def restore(target: Database, rows: Rows, tables: set[str]) -> dict[str, int]:
    """Takes in what is not here yet: runs under numbers of their own here, calls by their key, results by what they are.

    A result that has the id of another one here gets an id of its own, which the runs of the backup refer to from then on:
    nothing of theirs is mixed with what stands here. A run with the identity of one here stands beside it, unless both
    came to the same.
    """

    def work() -> dict[str, int]:
        counts = {}
        others: dict[str, str] = {}  # ids of results that are other ones here, and the ids that they get
        for table in _BACKED_UP:
            columns = TABLES[table][1]
            before = _count(target, table)
            for some in rows(table, columns):
                if table == "results":
                    others.update(_taken_otherwise(target, some))
                    some = [(others.get(row[0], row[0]), *row[1:]) for row in some]
                target.many(put(table, columns, replace=False), some)
            counts[table] = _count(target, table) - before
        came = _came_to(rows, others)
        numbers: dict[int, int] = {}
        for some in rows("runs", f"id, {_RUN}"):
            for number, *values in some:
                values[0] = _beside(target, values[0], came.get(number, ""))
                if not values[0]:
                    continue
                marks = ", ".join("?" * len(values))
                [(own,)] = target.rows(f"INSERT INTO runs ({_RUN}) VALUES ({marks}) RETURNING id", values)
                numbers[number] = own
        for table in ("run_questions", *(["tags"] if "tags" in tables else [])):
            columns = TABLES[table][1]
            for some in rows(table, columns):
                mine = [(numbers[row[0]], *row[1:]) for row in some if row[0] in numbers]
                if table == "run_questions" and others:
                    mine = [(*row[:-1], _renamed(row[-1], others)) for row in mine]
                target.many(put(table, columns), mine)
        return counts | {"runs": len(numbers)}

    counts = target.whole(work)
    return {name: counts[name] for name in ("runs", "results", "calls")}


def _taken_otherwise(target: Database, some: Sequence[tuple[Any, ...]]) -> dict[str, str]:
    """Of results of a backup those whose id has another value here, or may get one: where a key was made anew, the next time
    here has the id of the next time there."""
    ids = [row[0] for row in some]
    here = dict(target.rows_of("SELECT id, digest FROM results WHERE id IN (?)", ids))
    return {
        name: own
        for name, _, digest, *_ in some
        if (own := f"{name} {digest[:16]}") and (here.get(name, digest) != digest or ("." in name and name not in here))
    }


def _renamed(results: str, others: Mapping[str, str]) -> str:
    return json.dumps({node: others.get(name, name) for node, name in loads(results).items()})


def _came_to(rows: Rows, others: Mapping[str, str]) -> dict[int, str]:
    """What each run of a backup came to, in one mark."""
    parts: dict[int, list[Any]] = {}
    for some in rows("run_questions", "run, key, results"):
        for run, key, results in some:
            parts.setdefault(int(run), []).append([key, sorted(loads(_renamed(results, others)).items())])
    return {run: content_key(sorted(each)) for run, each in parts.items()}


def _beside(target: Database, identity: str, came: str) -> str:
    """The identity under which a run is taken in; "" where the same stands here."""
    found = target.rows("SELECT id FROM runs WHERE identity = ?", (identity,))
    if not found:
        return identity
    own = target.rows("SELECT key, results FROM run_questions WHERE run = ?", (found[0][0],))
    if content_key(sorted([key, sorted(loads(results).items())] for key, results in own)) == came:
        return ""
    other = f"{identity} {came[:16]}"
    return "" if target.rows("SELECT 1 FROM runs WHERE identity = ?", (other,)) else other


def _count(database: Database, table: str) -> int:
    return int(database.rows(f"SELECT count(*) FROM {table}")[0][0])
