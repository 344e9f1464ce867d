"""Finished runs as the sides of a comparison."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from ..core.comparing.sheet import Sheet
from ..core.comparing.sides import Side
from ..core.errors import BadInput
from ..core.measures import Measure, measure
from ..storage.protocols import Run, Store
from ..workspace.configuration import Configuration
from ..workspace.testsets import question_from
from .provenance import is_of_list
from .sheets import COSTS, Flawed, run_sheets


@dataclass(frozen=True)
class RunSide:
    """A run as a side, the id that it gives each question key, what its questions rest on (`failed` and `cut`, see
    `RunSheet`), and of each question a mark: the same in two runs where all scores came of the same results."""

    side: Side
    ids: dict[str, str]
    failed: Flawed
    cut: Flawed
    marks: dict[str, str]


def by_search(store: Store, runs: Sequence[Run], sides: Sequence[RunSide]) -> list[RunSide]:
    """The sides with their questions under the key of what is searched for: so runs can be compared between which reference
    answers were changed. A question whose answer was changed keeps the measures of its list alone, and what it cost."""
    common = set(sides[0].ids).intersection(*(found.ids for found in sides))
    made = []
    for run, found in zip(runs, sides):
        keys = {row.key: question_from(row.body).search_key for row in store.runs.questions(run.id)}
        side = found.side
        sheet = side.sheet
        same = np.array([key in common for key in sheet.keys_in_order], dtype=bool)
        columns = {
            name: column if is_of_list(name) or name in COSTS else np.where(same, column, np.nan)
            for name, column in sheet.columns.items()
        }
        made.append(
            RunSide(
                replace(
                    side,
                    scores=Sheet(tuple(keys[key] for key in sheet.keys_in_order), columns),
                    lost={keys[key]: lost for key, lost in side.lost.items()},
                    asked={keys[key]: each for key, each in side.asked.items()},
                ),
                {keys[key]: name for key, name in found.ids.items()},
                {stage: frozenset(keys[key] for key in some) for stage, some in found.failed.items()},
                {stage: frozenset(keys[key] for key in some) for stage, some in found.cut.items()},
                {keys[key]: mark for key, mark in found.marks.items()},
            )
        )
    return made


def check_known(run: Run) -> None:
    """Raises `BadInput` for a run that a newer version of the program made."""
    if run.newer:
        raise BadInput(f"run {run.id} ({run.name}) was made by a newer Aventrik; upgrade, or run it again")


def side_of(store: Store, run: Run) -> RunSide:
    """A finished run as a side of a comparison; raises `BadInput` as `sides_of` does."""
    return sides_of(store, [run])[0]


def sides_of(store: Store, runs: Sequence[Run]) -> list[RunSide]:
    """Finished runs as sides of a comparison; raises `BadInput` for one that is not finished, or whose results are
    gone."""
    for run in runs:
        if not run.finished:
            verb = "score" if run.made.get("outside") else "run"
            raise BadInput(f"run {run.id} ({run.name}) is not finished; 'aventrik {verb}' goes on with it")
        check_known(run)
    found = []
    for run, sheet in zip(runs, run_sheets(store, runs)):
        side = Side(run.name, settings_of(run), sheet.scores, sheet.lost, sheet.asked, own_of(run))
        found.append(RunSide(side, sheet.ids, sheet.failed, sheet.cut, sheet.marks))
    return found


def settings_of(run: Run) -> dict[str, Any]:
    """The settings of a run by dotted name; none for one that was brought."""
    return {} if run.made.get("outside") else Configuration.kept(run.made["configuration"]).used_settings()


def own_of(run: Run) -> dict[str, Measure]:
    """The measures of a run's own criteria."""
    return own_measures((each["name"], each["less_is_better"]) for each in run.made.get("criteria", ()))


def own_measures(criteria: Iterable[tuple[str, bool]]) -> dict[str, Measure]:
    """The measures that criteria are, by their names, and whether less of each is better."""
    return {name: Measure(name, less, "score", "answer") for name, less in criteria}


def less_is_better_in(runs: Sequence[Run], name: str) -> bool:
    """Whether less of a measure is better: one of ours, or of the criteria of some runs; False for one that nobody knows."""
    own = {each: found for run in runs for each, found in own_of(run).items()}
    found = measure(name, own)
    return bool(found and found.less_is_better)
