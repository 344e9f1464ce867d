"""What a run keeps of its questions, as records."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from pydantic import TypeAdapter

from ..core.criteria import Criterion
from ..core.errors import BadInput
from ..pipeline.codec import decode
from ..pipeline.registry import record_of
from ..storage.protocols import Run, RunQuestion, Store


def records_of(
    store: Store, run: int, nodes: Sequence[str] = (), rows: Sequence[RunQuestion] | None = None
) -> list[dict[str, Any]]:
    """For each question of a run, in its order (its `rows`, where they are read already), the records of some nodes (of all
    where none is named) by name, those that it has; raises `BadInput` where a result is gone."""
    if rows is None:
        rows = store.runs.questions(run)
    wanted = [
        {name: found for name, found in row.results.items() if not nodes or name in nodes} for row in rows
    ]  # fmt: skip
    values = store.results.values(list(dict.fromkeys(each for row in wanted for each in row.values())))
    made: dict[str, Any] = {}
    found = []
    for row in wanted:
        records = {}
        for name, each in row.items():
            if each not in values:
                raise BadInput(f"run {run}: the store no longer has a result of '{name}'; run it again")
            if each not in made:
                record = record_of(name)
                assert record is not None
                made[each] = decode(record, values[each])
            records[name] = made[each]
        found.append(records)
    return found


def records_at(store: Store, run: int, row: RunQuestion, nodes: Sequence[str]) -> dict[str, Any]:
    """The records of some nodes of one question of a run by name, those that it has; raises `BadInput` where a result is
    gone."""
    wanted = {name: row.results[name] for name in nodes if name in row.results}
    values = store.results.values(list(wanted.values()))
    found = {}
    for name, each in wanted.items():
        record = record_of(name)
        if each not in values or record is None:
            raise BadInput(f"run {run}: the store no longer has a result of '{name}'; run it again")
        found[name] = decode(record, values[each])
    return found


def criteria_of(run: Run) -> tuple[Criterion, ...]:
    """The criteria that a run was judged by, as they were then."""
    return tuple(TypeAdapter(Criterion).validate_python(each) for each in run.made.get("criteria", ()))
