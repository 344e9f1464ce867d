"""Runs in the store: what made each, and what each question of it came to."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from datetime import UTC, datetime
from typing import Any

from ...core.keys import content_key
from ..packing import compressed, decompressed, loads, packed, unpacked
from ..protocols import Run, RunQuestion
from . import Database, put

_KNOWN = "SELECT digest FROM questions WHERE digest IN (?)"
_COLUMNS = "id, name, testset, made, questions, started, finished, costs, label, note"


class TabledRuns:
    """A `RunStore` in a database."""

    def __init__(self, database: Database) -> None:
        self._db = database
        self._digests: dict[int, tuple[dict[str, Any], str]] = {}

    def begin(self, identity: str, name: str, testset: str, made: dict[str, Any], questions: int) -> int:
        """The number of the run with that identity: the one that stands, or a new one."""
        found = self._db.rows("SELECT id FROM runs WHERE identity = ?", (identity,))
        if not found:  # two that begin it at the same time come to one
            self._db.execute(
                "INSERT INTO runs (identity, name, testset, made, questions, started) VALUES (?, ?, ?, ?, ?, ?) "
                "ON CONFLICT (identity) DO NOTHING",
                (identity, name, testset, packed(made), questions, self._now()),
            )
            found = self._db.rows("SELECT id FROM runs WHERE identity = ?", (identity,))
        return int(found[0][0])

    def finish(self, number: int, questions: Sequence[RunQuestion], costs: Mapping[str, Any]) -> None:
        """Gives a run its questions and their results, in place of any it had, and adds what that cost.

        `costs` holds numbers under names, and mappings of such; the time it was first finished stays.
        """

        def all_of_it() -> None:
            self._keep(number, questions, costs)
            self._db.execute("UPDATE runs SET finished = ? WHERE id = ? AND finished = ''", (self._now(), number))

        self._db.whole(all_of_it)

    def keep(self, number: int, questions: Sequence[RunQuestion], costs: Mapping[str, Any]) -> None:
        """The same of a run that stops before it is finished, with the questions that it came to."""
        self._db.whole(lambda: self._keep(number, questions, costs))

    def _keep(self, number: int, questions: Sequence[RunQuestion], costs: Mapping[str, Any]) -> None:
        bodies = {question.id: self._digest(question.body) for question in questions}
        # The run's row first, and locked: two that finish it at the same time do so one after the other.
        [(before,)] = self._db.rows(f"SELECT costs FROM runs WHERE id = ?{self._db.for_update}", (number,))
        known = {row[0] for row in self._db.rows_of(_KNOWN, list(bodies.values()))}
        self._db.many(
            put("questions", "digest, body", replace=False),
            sorted({bodies[q.id]: packed(q.body) for q in questions if bodies[q.id] not in known}.items()),
        )
        self._db.execute("DELETE FROM run_questions WHERE run = ?", (number,))
        self._db.many(
            "INSERT INTO run_questions (run, place, id, key, question, results) VALUES (?, ?, ?, ?, ?, ?)",
            [(number, place, q.id, q.key, bodies[q.id], json.dumps(q.results)) for place, q in enumerate(questions)],
        )
        total = json.dumps(_added(loads(before), costs))
        self._db.execute("UPDATE runs SET costs = ? WHERE id = ?", (total, number))
        self._db.execute("DELETE FROM sheets WHERE run = ?", (number,))

    def _now(self) -> str:
        return datetime.fromtimestamp(self._db.now(), UTC).strftime("%Y-%m-%d %H:%M:%S")

    def _digest(self, body: dict[str, Any]) -> str:
        """The key of a question's body; that of the same one is not worked out again."""
        held = self._digests.get(id(body))
        if held is None or held[0] is not body:
            held = self._digests[id(body)] = (body, content_key(body))
        return held[1]

    def finished(self, identity: str) -> int:
        """The number of a finished run with that identity; 0 when there is none."""
        found = self._db.rows("SELECT id FROM runs WHERE identity = ? AND finished <> ''", (identity,))
        return int(found[0][0]) if found else 0

    def all(self) -> list[Run]:
        """All runs, oldest first."""
        tags: dict[int, list[str]] = {}
        for number, tag in self._db.rows("SELECT run, tag FROM tags ORDER BY run, tag"):
            tags.setdefault(number, []).append(tag)
        rows = self._db.rows(f"SELECT {_COLUMNS} FROM runs ORDER BY id")
        return [_run(row, tuple(tags.get(row[0], ()))) for row in rows]

    def questions(self, number: int) -> list[RunQuestion]:
        """The questions of a run, in its order."""
        rows = self._db.rows(
            "SELECT r.id, r.key, q.body, r.results FROM run_questions r JOIN questions q ON q.digest = r.question "
            "WHERE r.run = ? ORDER BY r.place",
            (number,),
        )
        return [RunQuestion(name, key, unpacked(body), loads(results)) for name, key, body, results in rows]

    def results(self, number: int) -> dict[str, dict[str, str]]:
        """For each question id of a run, in its order, the result id of each stage."""
        rows = self._db.rows("SELECT id, results FROM run_questions WHERE run = ? ORDER BY place", (number,))
        return {name: loads(results) for name, results in rows}

    def sheets(self, numbers: Sequence[int]) -> dict[int, bytes]:
        """What was kept by `keep_sheet` of those runs that have it."""
        rows = self._db.rows_of("SELECT run, body FROM sheets WHERE run IN (?)", list(numbers))
        return {number: decompressed(body) for number, body in rows}

    def keep_sheet(self, number: int, body: bytes) -> None:
        """Keeps what the questions of a run came to in one piece, until that changes."""
        self._db.execute(put("sheets", "run, body"), (number, compressed(body)))

    def whole(self, number: int) -> bool:
        """Whether all results that a run refers to still stand."""
        wanted = {each for row in self.results(number).values() for each in row.values()}
        found = {row[0] for row in self._db.rows_of("SELECT id FROM results WHERE id IN (?)", sorted(wanted))}
        return wanted <= found

    def set(self, number: int, label: str | None = None, note: str | None = None) -> None:
        """Labels a run or notes something on it."""
        if label is not None:
            self._db.execute("UPDATE runs SET label = ? WHERE id = ?", (label, number))
        if note is not None:
            self._db.execute("UPDATE runs SET note = ? WHERE id = ?", (note, number))

    def tag(self, number: int, add: Sequence[str] = (), remove: Sequence[str] = ()) -> None:
        """Gives a run tags, and takes tags from it; one that it has, or lacks, stays as it is."""
        with self._db.transaction():
            self._db.many(put("tags", "run, tag", replace=False), [(number, tag) for tag in add])
            self._db.many("DELETE FROM tags WHERE run = ? AND tag = ?", [(number, tag) for tag in remove])

    def remove(self, number: int) -> None:
        """Removes a run; what was computed for it stays for others."""
        self._db.execute("DELETE FROM runs WHERE id = ?", (number,))


def _run(row: Sequence[Any], tags: tuple[str, ...]) -> Run:
    number, name, testset, made, questions, started, finished, costs, label, note = row
    return Run(
        id=number,
        name=name,
        testset=testset,
        made=unpacked(made),
        questions=questions,
        started=started,
        finished=finished,
        costs=loads(costs),
        label=label,
        note=note,
        tags=tags,
    )


def _added(old: dict[str, Any], more: Mapping[str, Any]) -> dict[str, Any]:
    """Costs added up: sums of numbers, part by part. What is a state and no sum stands under "state"."""
    total = dict(old)
    for name, value in more.items():
        if name == "state":
            total[name] = {**total.get(name, {}), **value}
        elif isinstance(value, Mapping):
            total[name] = _added(total.get(name, {}), value)
        else:
            total[name] = total.get(name, 0) + value
    return total
