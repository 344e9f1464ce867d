"""Runs as the sides of a comparison, and which runs are meant by what a user names."""

from __future__ import annotations

import fnmatch
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from ..core.comparing.sides import Side
from ..core.errors import BadInput
from ..core.measures import Measure
from ..storage.protocols import Run, Store
from ..workspace.configuration import Configuration
from .opened import find_run, unknown_run
from .run_sheets import run_sheets
from .used import used_settings


@dataclass(frozen=True)
class Found:
    """A run as a side, the id that it gives each question key, the keys of questions that failed, and of each question a
    mark: the same in two runs where all scores came of the same results."""

    side: Side
    ids: dict[str, str]
    failed: frozenset[str]
    marks: dict[str, str]


def check_known(run: Run) -> None:
    """Raises `BadInput` for a run that a newer version of the program made."""
    if run.newer:
        raise BadInput(f"run {run.id} ({run.name}) was made by a newer Aventrik; upgrade, or run it again")


def side_of(store: Store, run: Run) -> Found:
    """A finished run as a side of a comparison; raises `BadInput` as `sides_of` does."""
    return sides_of(store, [run])[0]


def sides_of(store: Store, runs: Sequence[Run]) -> list[Found]:
    """Finished runs as sides of a comparison; raises `BadInput` for one that is not finished, or whose results are
    gone."""
    for run in runs:
        if not run.finished:
            verb = "score" if run.made.get("outside") else "run"
            raise BadInput(f"run {run.id} ({run.name}) is not finished; 'aventrik {verb}' goes on with it")
        check_known(run)
    found = []
    for run, sheet in zip(runs, run_sheets(store, runs)):
        side = Side(run.name, settings_of(run), sheet.scores, sheet.lost, sheet.clusters, own_of(run))
        found.append(Found(side, sheet.ids, sheet.failed, sheet.marks))
    return found


def settings_of(run: Run) -> dict[str, Any]:
    """The settings of a run by dotted name; none for one that was brought."""
    return {} if run.made.get("outside") else used_settings(Configuration.kept(run.made["configuration"]))


def own_of(run: Run) -> dict[str, Measure]:
    """The measures of a run's own criteria."""
    return own_measures((each["name"], each["less_is_better"]) for each in run.made.get("criteria", ()))


def own_measures(criteria: Iterable[tuple[str, bool]]) -> dict[str, Measure]:
    """The measures that criteria are, by their names, and whether less of each is better."""
    return {name: Measure(name, less, "score", "answer") for name, less in criteria}


@dataclass(frozen=True)
class Chosen:
    """The runs that a user means, and those of them that are left out because they are not finished; `stopped` of these
    were stopped by a race."""

    runs: list[Run]
    unfinished: list[Run]

    @property
    def stopped(self) -> list[Run]:
        """The runs that a race stopped."""
        return [run for run in self.unfinished if run.stopped]


def chosen_runs(store: Store, references: Sequence[str], finished: bool = True) -> Chosen:
    """The runs that are named, in order and each once: by number, by label or tag (all that have it), by name (the latest of that
    name), or several by the name of a sweep or with a pattern such as 'wide/*both*' (the latest of each name on the
    newest one's test set and documents). With none named the latest finished one of each name on the latest run's test
    set.

    Raises `BadInput` for what fits no run, and unless `finished` is False where none of those that fit is finished.
    """
    runs = store.runs.all()
    if not references:
        ended = [run for run in runs if run.finished]
        if not ended:
            raise BadInput("there is no finished run yet; 'aventrik run' makes one")
        found = _latest(ended)
        return Chosen(found, _stopped(runs, found))
    chosen: dict[int, Run] = {}
    unfinished: dict[int, Run] = {}
    for reference in references:
        meant = _meant(runs, reference)
        several = len(meant) > 1
        for run in meant:
            (unfinished if several and not run.finished else chosen)[run.id] = run
    if finished and not chosen:
        raise BadInput(f"none of the {len(unfinished)} runs of '{references[0]}' is finished; 'aventrik run' goes on")
    return Chosen(list(chosen.values()), list(unfinished.values()))


def _meant(runs: Sequence[Run], reference: str) -> list[Run]:
    """The runs that one reference means."""
    if numbered := [run for run in runs if str(run.id) == reference]:
        return numbered
    if labelled := [run for run in runs if run.label and run.label == reference]:
        return labelled
    if tagged := [run for run in runs if reference in run.tags]:
        return tagged
    if any(run.name == reference for run in runs):
        return [find_run(list(runs), reference)]
    pattern = reference if any(mark in reference for mark in "*?") else None
    swept = [
        run for run in runs
        if (fnmatch.fnmatchcase(run.name, pattern) if pattern else run.name.startswith(f"{reference}/"))
    ]  # fmt: skip
    if swept:
        finished = [run for run in swept if run.finished]
        found = _latest(finished) if finished else []
        newest = found[-1] if found else swept[-1]
        others = [run for run in swept if not run.finished and run.testset == newest.testset]
        return [*found, *(run for run in others if run.name not in {each.name for each in found})]
    raise unknown_run(list(runs), reference)


def _latest(finished: Sequence[Run]) -> list[Run]:
    """The latest run of each name on the newest one's test set and documents."""
    newest = max(finished, key=lambda run: (run.finished, run.id))
    latest: dict[str, Run] = {}
    for run in finished:
        alike = run.made.get("format") == newest.made.get("format")
        if run.testset == newest.testset and run.corpus == newest.corpus and alike:
            latest[run.name] = run
    return sorted(latest.values(), key=lambda run: run.id)


@dataclass(frozen=True)
class RunFilter:
    """Which of some runs are wanted: of test sets and configurations by patterns, with a label or
    all of some tags, finished or not or stopped early, made since a day (as "2031-05-01"), and of these the last so many."""

    testset: str = ""
    configuration: str = ""
    label: str = ""
    tags: tuple[str, ...] = ()
    state: str = ""
    since: str = ""
    last: int = 0

    def of(self, runs: Sequence[Run]) -> list[Run]:
        """Those that are wanted, in their order."""
        found = [run for run in runs if self._fits(run)]
        return found[-self.last :] if self.last else found

    def _fits(self, run: Run) -> bool:
        named = ((self.testset, run.testset), (self.configuration, run.name), (self.label, run.label))
        return (
            all(not pattern or fnmatch.fnmatchcase(value, pattern) for pattern, value in named)
            and set(self.tags) <= set(run.tags)
            and self.state in ("", state_of(run))
            and run.started[:10] >= self.since
        )


def state_of(run: Run) -> str:
    """Whether a run is "finished", was "stopped" early, or is "unfinished"."""
    return "finished" if run.finished else "stopped" if run.stopped else "unfinished"


def corpus_versions(runs: Sequence[Run]) -> dict[int, int]:
    """For each run, by number, which version of the documents it was made on: 1 for the first of those that runs on its test
    set were made on (a test set hides what it was drafted from, so that each has documents of its own)."""
    seen: dict[str, dict[str, int]] = {}
    found = {}
    for run in runs:
        versions = seen.setdefault(run.testset, {})
        found[run.id] = versions.setdefault(run.corpus, len(versions) + 1)
    return found


def _stopped(runs: Sequence[Run], found: Sequence[Run]) -> list[Run]:
    """The runs that a race with some of those found stopped."""
    races = {race for run in found if (race := run.costs.get("state", {}).get("race"))}
    names = {run.name for run in found}
    return [run for run in runs if run.stopped and run.stopped.get("race") in races and run.name not in names]
