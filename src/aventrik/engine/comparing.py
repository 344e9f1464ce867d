"""Gathers what `core.comparing` needs of stored runs."""

from __future__ import annotations

from typing import Any

from ..core.comparing import Side
from ..core.errors import BadInput
from ..workspace.configuration import Configuration
from ..workspace.runs import Run, Runs
from ..workspace.store import Store


def side_of(store: Store, run: Run) -> Side:
    """A finished run as a side of a comparison; raises `BadInput` for one that is not finished."""
    scores: dict[str, dict[str, float]] = {}
    lost: dict[str, list[str]] = {}
    for name, keys in Runs(store).keys(run.id).items():
        try:
            found = store.result(keys["scores"])
        except KeyError:
            raise BadInput(f"run {run.id} ({run.name}) is not finished; 'aventrik run' goes on with it") from None
        scores[name] = found["scores"]
        lost[name] = found["lost"]
    order = [name for name in run.questions if name in scores]
    return Side(run.name, settings_of(run.configuration), {q: scores[q] for q in order}, {q: lost[q] for q in order})


def failures_of(store: Store, run: Run) -> dict[str, str]:
    """Questions of a run whose answer or judgement failed, with the reason."""
    found: dict[str, str] = {}
    for name, keys in Runs(store).keys(run.id).items():
        failure = store.result(keys["scores"])["failure"]
        if failure:
            found[name] = failure
    return found


def settings_of(configuration: Configuration) -> dict[str, Any]:
    """Every setting by its dotted name, but for name and note."""
    flat: dict[str, Any] = {}
    for table, value in configuration.model_dump(exclude={"name", "note"}).items():
        if isinstance(value, dict):
            flat.update({f"{table}.{key}": inner for key, inner in value.items()})
        else:
            flat[table] = value
    return flat


def chosen_runs(runs: Runs, references: list[str]) -> list[Run]:
    """The named runs, or with none named the latest finished one of each name on the latest run's test set."""
    if references:
        return [runs.find(reference) for reference in references]
    finished = [run for run in runs.all() if run.finished]
    if not finished:
        raise BadInput("there is no finished run yet; 'aventrik run' makes one")
    newest = max(finished, key=lambda run: (run.finished, run.id))
    latest: dict[str, Run] = {}
    for run in finished:
        if run.testset == newest.testset and run.corpus == newest.corpus:
            latest[run.name] = run
    return sorted(latest.values(), key=lambda run: run.id)
