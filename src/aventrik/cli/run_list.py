"""Runs as `runs` lists them: when, of what, and what they came to."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from rich.text import Text

from ..core.errors import BadInput
from ..core.measures import measure as measure_named
from ..engine.run_sides import corpus_versions, own_of, state_of
from ..report.figures import number
from ..storage.protocols import Run, Store
from ..workspace.toml import nearest
from .screen import Screen, shortened

_NAME = 60  # characters of a name


@dataclass(frozen=True)
class Means:
    """The measure that is listed, and the mean of each run that has it, by number."""

    measure: str
    of: Mapping[int, float]


def means_of(store: Store, runs: Sequence[Run], measure: str | None) -> Means:
    """The means of a measure, or of hit@5; raises `BadInput` for one that is named and none of the runs has."""
    from ..engine.run_sheets import run_sheets

    finished = [run for run in runs if run.finished and not run.newer]
    found: dict[int, float] = {}
    known: dict[str, None] = {}
    for run in finished:
        try:
            [sheet] = run_sheets(store, [run])
        except BadInput:  # its results are gone
            continue
        known.update(dict.fromkeys(sheet.scores.columns))
        if (mean := sheet.scores.mean(measure or "hit@5")) is not None:
            found[run.id] = mean
    if measure and not found:
        raise BadInput(f"none of these runs has a measure '{measure}'{nearest(measure, list(known))}")
    return Means(measure or "hit@5", found)


def listed_json(runs: Sequence[Run], every: Sequence[Run], means: Means) -> list[dict[str, Any]]:
    """The documented shape of `runs --json`."""
    versions = corpus_versions(every)
    return [
        {
            "run": each.id,
            "name": each.name,
            "label": each.label,
            "tags": list(each.tags),
            "testset": each.testset,
            "note": each.note,
            "state": state_of(each),
            "questions": each.questions,
            "documents": {"version": versions[each.id], "count": each.made.get("documents")},
            "mean": {"measure": means.measure, "value": means.of.get(each.id)},
            "started": each.started,
            "finished": each.finished,
            "costs": each.costs,
            "made": each.made,
        }
        for each in runs
    ]


def show_listed(runs: Sequence[Run], every: Sequence[Run], means: Means, screen: Screen) -> None:
    """Prints a line a run, and below it its label, tags and note."""
    if not runs:
        screen.say("no runs; 'aventrik run' makes one" if not every else "no run is meant by that")
        return
    versions = corpus_versions(every)
    served = any(each.costs.get("models", {}).get("calls") for each in runs)
    several = any(versions[each.id] > 1 for each in runs)
    head = [
        "run",
        "configuration",
        "test set",
        "asked",
        *(["documents"] if several else []),
        "finished",
        means.measure,
        "sec",
    ]
    rows = [
        [
            str(each.id), _named(each), each.testset, str(each.questions),
            *([f"{each.made.get('documents', '–')} v{versions[each.id]}"] if several else []), _when(each),
            number(means.of[each.id]) if each.id in means.of else "–", f"{sum(each.costs.get('seconds', {}).values()):.1f}",
            *(_spent(each.costs.get("models", {})) if served else ()),
        ]
        for each in runs
    ]  # fmt: skip
    head += ["calls", "money"] if served else []
    right = [0, 3, *range(len(head) - (4 if served else 2), len(head))]
    screen.table(head, rows, right=right, whole=(0, *range(3, len(head))))
    if several:
        screen.say(
            "documents: how many took part, and in which version of those of the test set's runs; compare says what changed",
            style="dim",
        )
    own = {name: each for run in runs for name, each in own_of(run).items()}
    if (found := measure_named(means.measure, own)) and found.less_is_better:
        screen.say(f"less is better: {means.measure}", style="dim")


def _when(run: Run) -> str:
    if run.finished:
        return run.finished[5:16]
    return f"stopped after {run.stopped['after']}" if run.stopped else "not finished"


def _named(run: Run) -> Text:
    """The configuration's name, and below it the run's label, tags and note."""
    parts = [run.label, *(f"#{tag}" for tag in run.tags), run.note]
    told = "  ".join(part for part in parts if part)
    name = shortened(run.name, _NAME)
    return Text(name).append(f"\n{told}", style="dim") if told else Text(name)


def _spent(models: Mapping[str, float]) -> list[str]:
    """Calls and money as they are shown; a dash where no server was asked."""
    return [f"{models['calls']:,.0f}", f"{models['money']:.4f}"] if models.get("calls") else ["–", "–"]
