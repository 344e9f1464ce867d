"""Runs as `runs` lists them: when, of what, and what they came to."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from rich.text import Text

from ...api.records import state_of
from ...report.figures import number
from ..screen import Screen, shortened

if TYPE_CHECKING:
    from ...api import RunList
    from ...api.records import Run

_NAME = 60  # characters of a name


def listed_json(found: RunList) -> list[dict[str, Any]]:
    """The documented shape of `runs --json`."""
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
            "documents": {"version": found.versions[each.id], "count": each.made.get("documents")},
            "mean": {"measure": found.measure, "value": found.means.get(each.id)},
            "started": each.started,
            "finished": each.finished,
            "costs": each.costs,
            "made": each.made,
        }
        for each in found.runs
    ]


def show_listed(found: RunList, screen: Screen) -> None:
    """Prints a line a run, and below it its label, tags and note."""
    runs, versions = found.runs, found.versions
    if not runs:
        screen.say("no runs; 'aventrik run' makes one" if not found.every else "no run is meant by that")
        return
    served = any(each.costs.get("models", {}).get("calls") for each in runs)
    several = any(versions[each.id] > 1 for each in runs)
    head = [
        "run",
        "configuration",
        "test set",
        "asked",
        *(["documents"] if several else []),
        "finished",
        found.measure,
        "sec",
    ]
    rows = [
        [
            str(each.id), _named(each), each.testset, str(each.questions),
            *([f"{each.made.get('documents', '–')} v{versions[each.id]}"] if several else []), _when(each),
            number(found.means[each.id]) if each.id in found.means else "–", f"{sum(each.costs.get('seconds', {}).values()):.1f}",
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
    if found.less_is_better:
        screen.say(f"less is better: {found.measure}", style="dim")


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
