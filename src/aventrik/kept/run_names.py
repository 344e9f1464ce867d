"""Which runs a user means: the one place where a number, label, tag, name or pattern becomes runs."""

from __future__ import annotations

import difflib
import fnmatch
from collections.abc import Sequence
from dataclasses import dataclass

from ..core.errors import BadInput
from ..storage.protocols import Run, Store


@dataclass(frozen=True)
class NamedRuns:
    """The runs that a user means, and those of them that are left out because they are not finished; `stopped` of these
    were stopped by a race."""

    runs: list[Run]
    unfinished: list[Run]

    @property
    def stood_in_for(self) -> list[tuple[Run, Run]]:
        """The newer runs that have not come to an end, each with the older one of its name that is shown in its place."""
        ended = {run.name: run for run in self.runs}
        return [
            (run, ended[run.name])
            for run in self.unfinished
            if run.name in ended and not run.stopped and ended[run.name].id < run.id
        ]

    @property
    def stopped(self) -> list[Run]:
        """The runs that a race stopped."""
        return [run for run in self.unfinished if run.stopped]


def meant(runs: Sequence[Run], reference: str) -> list[Run]:
    """The runs that one reference means, the oldest first; none where it fits no run.

    A number comes first, then a label, then a tag (all runs that have it), then a name (the latest run of that name), and
    last the name of a sweep or a pattern such as 'wide/*both*' (the latest run of each name on the newest one's test set
    and documents). Whatever verb asks, the answer is the same.
    """
    if numbered := [run for run in runs if str(run.id) == reference]:
        return numbered
    if labelled := [run for run in runs if run.label and run.label == reference]:
        return labelled
    if tagged := [run for run in runs if reference in run.tags]:
        return tagged
    if named := [run for run in runs if run.name == reference]:
        return named[-1:]
    pattern = reference if any(mark in reference for mark in "*?") else None
    swept = [
        run for run in runs
        if (fnmatch.fnmatchcase(run.name, pattern) if pattern else run.name.startswith(f"{reference}/"))
    ]  # fmt: skip
    if not swept:
        return []
    finished = [run for run in swept if run.finished]
    found = _latest(finished) if finished else []
    newest = found[-1] if found else swept[-1]
    return [*found, *_behind(swept, found, newest.testset)]


def _behind(runs: Sequence[Run], found: Sequence[Run], testset: str) -> list[Run]:
    """The runs on a test set that have not come to an end, and that are newer than the finished one of their name."""
    ended = {run.name: run.id for run in found}
    return [
        run for run in runs
        if not run.finished and run.testset == testset and run.id > ended.get(run.name, 0)
    ]  # fmt: skip


def run_named(store: Store, reference: str, beside: Run | None = None) -> Run:
    """The one run that is meant (see `meant`), of several with a label or tag the latest; raises `BadInput` where it fits
    none, or several of a sweep.

    `beside`: the run that it is to be held against; of a name, label or tag then another one is meant, where there is one on
    the same test set the latest of these.
    """
    runs = store.runs.all()
    if beside is not None:
        runs = [run for run in runs if run.id != beside.id]
        alike = [run for run in runs if run.testset == beside.testset]
        numbered = any(str(run.id) == reference for run in runs)
        runs = alike if not numbered and meant(alike, reference) else runs
    found = meant(runs, reference)
    if not found:
        raise unknown_run(runs, reference)
    if len({run.name for run in found}) > 1 and not any(reference in (run.label, *run.tags) for run in found):
        raise BadInput(
            f"'{shown(reference)}' means {len(found)} runs, and this takes one: name it by its number, such as {found[-1].id}"
        )
    return found[-1]


def runs_named(store: Store, references: Sequence[str], finished: bool = True) -> NamedRuns:
    """The runs that are named (see `meant`), in order and each once. With none named the latest finished one of each name on
    the latest run's test set.

    Raises `BadInput` for what fits no run, and unless `finished` is False where none of those that fit is finished.
    """
    runs = store.runs.all()
    if not references:
        ended = [run for run in runs if run.finished]
        if not ended:
            raise BadInput("there is no finished run yet; 'aventrik run' makes one")
        found = _latest(ended)
        known = {run.name for run in found}
        newer = [run for run in _behind(runs, found, found[-1].testset) if run.name in known and not run.stopped]
        return NamedRuns(found, [*_stopped(runs, found), *newer])
    chosen: dict[int, Run] = {}
    unfinished: dict[int, Run] = {}
    for reference in references:
        some = meant(runs, reference)
        if not some:
            raise unknown_run(runs, reference)
        several = len(some) > 1
        for run in some:
            (unfinished if several and not run.finished else chosen)[run.id] = run
    if finished and not chosen:
        raise BadInput(f"none of the {len(unfinished)} runs of '{references[0]}' is finished; 'aventrik run' goes on")
    return NamedRuns(list(chosen.values()), list(unfinished.values()))


def latest_run(runs: Sequence[Run]) -> Run:
    """The run that was made last; raises `BadInput` where there is none."""
    if not runs:
        raise BadInput("there is no run yet; 'aventrik run' makes one")
    return runs[-1]


def unknown_run(runs: Sequence[Run], reference: str) -> BadInput:
    """What is said of a name that no run has: the five nearest."""
    if not runs:
        return BadInput("there is no run yet; 'aventrik run' makes one")
    names = list(dict.fromkeys([*(run.name for run in reversed(runs)), *(run.label for run in runs if run.label)]))
    names += list(dict.fromkeys(name.partition("/")[0] for name in names if "/" in name))
    near = [shown(name) for name in difflib.get_close_matches(reference, names, n=5, cutoff=0.4)]
    told = f"; the nearest: {', '.join(near)}" if near else "; 'aventrik runs' lists them"
    return BadInput(f"no run is numbered, labelled or named '{shown(reference)}'{told}")


def shown(name: str) -> str:
    """A name for a message, cut where it is very long."""
    return name if len(name) <= 60 else f"{name[:59]}…"


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
