"""Runs in the store: one configuration applied to one test set."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from ..core.errors import BadInput
from .configuration import Configuration
from .store import Store
from .toml import nearest


@dataclass(frozen=True)
class Run:
    """A run as it is listed; `costs` holds seconds and counts of computed results by stage."""

    id: int
    name: str
    testset: str
    configuration: Configuration
    questions: tuple[str, ...]
    corpus: str
    started: str
    finished: str
    costs: dict[str, Any]
    label: str
    note: str


_COLUMNS = "id, name, testset, configuration, questions, corpus, started, finished, costs, label, note"


def _run(row: Sequence[Any]) -> Run:
    number, name, testset, configuration, questions, corpus, started, finished, costs, label, note = row
    return Run(
        number,
        name,
        testset,
        Configuration.model_validate(json.loads(configuration), strict=False),
        tuple(json.loads(questions)),
        corpus,
        started,
        finished,
        json.loads(costs),
        label,
        note,
    )


class Runs:
    """Begins, finishes, finds, labels and removes runs."""

    def __init__(self, store: Store) -> None:
        self.store = store

    def begin(
        self, key: str, configuration: Configuration, testset: str, questions: dict[str, dict[str, Any]], corpus: str
    ) -> int:
        """The id of the run with that key: the one that stands, or a new one.

        `questions` gives for each question id the content keys of its stages and the question as it was asked.
        """
        with self.store.transaction():
            found = self.store.rows("SELECT id FROM runs WHERE key = ?", (key,))
            if found:
                self.store.execute(
                    "UPDATE runs SET name = ?, testset = ? WHERE id = ?", (configuration.name, testset, found[0][0])
                )
                return int(found[0][0])
            cursor = self.store.execute(
                "INSERT INTO runs (key, name, testset, configuration, questions, corpus, started) VALUES (?,?,?,?,?,?,?)",
                (
                    key,
                    configuration.name,
                    testset,
                    configuration.model_dump_json(),
                    json.dumps(list(questions)),
                    corpus,
                    _now(),
                ),
            )
            number = int(cursor.lastrowid or 0)
            for name, keys in questions.items():
                self.store.execute(
                    "INSERT INTO run_questions (run, question, keys) VALUES (?, ?, ?)", (number, name, json.dumps(keys))
                )
            return number

    def finish(self, number: int, costs: dict[str, Any], prompts: dict[str, str]) -> None:
        """Marks a run as finished (its first time stays), adds what it cost, and keeps the wording of its prompts."""
        with self.store.transaction():
            old = json.loads(self.store.rows("SELECT costs FROM runs WHERE id = ?", (number,))[0][0])
            for kind, amounts in costs.items():
                kept = old.setdefault(kind, {})
                for name, amount in amounts.items():
                    kept[name] = kept.get(name, 0) + amount
            self.store.execute("UPDATE runs SET costs = ? WHERE id = ?", (json.dumps(old), number))
            if prompts:
                self.store.execute("UPDATE runs SET prompts = ? WHERE id = ?", (json.dumps(prompts), number))
            self.store.execute("UPDATE runs SET finished = ? WHERE id = ? AND finished = ''", (_now(), number))

    def all(self) -> list[Run]:
        """All runs, oldest first."""
        return [_run(row) for row in self.store.rows(f"SELECT {_COLUMNS} FROM runs ORDER BY id")]

    def find(self, reference: str) -> Run:
        """A run by number, label or name (of several with that name the latest); raises `BadInput`."""
        runs = self.all()
        for run in reversed(runs):
            if reference in (str(run.id), run.label, run.name):
                return run
        if not runs:
            raise BadInput("there is no run yet; 'aventrik run' makes one")
        raise BadInput(
            f"no run is numbered, labelled or named '{reference}'{nearest(reference, [r.name for r in runs])}"
        )

    def keys(self, number: int) -> dict[str, dict[str, Any]]:
        """For each question id of a run: the content keys of its stages, and the question."""
        rows = self.store.rows("SELECT question, keys FROM run_questions WHERE run = ?", (number,))
        return {name: json.loads(keys) for name, keys in rows}

    def prompts(self, number: int) -> dict[str, str]:
        """The wording of each prompt that a run used, by task; empty for the built-in model."""
        return dict(json.loads(self.store.rows("SELECT prompts FROM runs WHERE id = ?", (number,))[0][0]))

    def set(self, number: int, label: str | None = None, note: str | None = None) -> None:
        """Labels a run or notes something on it."""
        if label is not None:
            self.store.execute("UPDATE runs SET label = ? WHERE id = ?", (label, number))
        if note is not None:
            self.store.execute("UPDATE runs SET note = ? WHERE id = ?", (note, number))

    def remove(self, number: int) -> None:
        """Removes a run; what was computed for it stays for others."""
        self.store.execute("DELETE FROM runs WHERE id = ?", (number,))


def _now() -> str:
    return datetime.now(UTC).strftime("%Y-%m-%d %H:%M:%S")
