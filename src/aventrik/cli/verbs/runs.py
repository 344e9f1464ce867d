"""`aventrik runs`: lists runs; labels, notes, removes them."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from rich.text import Text

from ..screen import Screen, shortened

if TYPE_CHECKING:
    from ...storage.protocols import Run

HELP = "Lists runs; with a run named, labels it, notes something on it, or removes it."


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument("runs", metavar="RUN", nargs="*", help="runs by number, label or name")
    parser.add_argument(
        "--label",
        metavar="TEXT",
        help="give the named runs a label: compare takes all that have it, other verbs the latest",
    )
    parser.add_argument("--note", metavar="TEXT", help="note something on the named run")
    parser.add_argument("--remove", action="store_true", help="remove the named runs; computed results stay for others")


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Changes what was asked for, then lists."""
    from ...core.errors import BadInput
    from ...engine.opened import Opened

    opened = Opened(Path(options.workspace))
    runs = opened.store.runs
    chosen = [opened.run(reference) for reference in options.runs]
    if options.note is not None and len(chosen) != 1:
        raise BadInput("--note needs exactly one run")
    if options.label is not None and not chosen:
        raise BadInput("--label needs the runs to label")
    if options.remove and not chosen:
        raise BadInput("--remove needs the runs to remove")
    for each in chosen:
        if options.remove:
            runs.remove(each.id)
        else:
            runs.set(each.id, options.label, options.note)
    listed = [each for each in runs.all() if not chosen or options.remove or each.id in {c.id for c in chosen}]
    screen.result(
        [
            {
                "run": each.id,
                "name": each.name,
                "label": each.label,
                "testset": each.testset,
                "note": each.note,
                "questions": each.questions,
                "started": each.started,
                "finished": each.finished,
                "costs": each.costs,
                "made": each.made,
            }
            for each in listed
        ]
    )
    if not listed:
        screen.say("no runs; 'aventrik run' makes one")
        return 0
    served = any(each.costs.get("models", {}).get("calls") for each in listed)
    screen.table(
        ["run", "configuration", "test set", "questions", "finished", "seconds", *(_SPENT if served else ())],
        [
            [
                str(each.id),
                _named(each),
                each.testset,
                str(each.questions),
                each.finished[5:16] or _unfinished(each),
                f"{sum(each.costs.get('seconds', {}).values()):.1f}",
                *(_spent(each.costs.get("models", {})) if served else ()),
            ]
            for each in listed
        ],
        right=(0, 3, 5, 6, 7, 8),
    )
    return 0


_NAME = 100  # characters of a name
_SPENT = ("calls", "tokens", "money")


def _unfinished(run: Run) -> str:
    stopped = run.stopped
    return f"stopped after {stopped['after']}" if stopped else "not finished"


def _named(run: Run) -> Text:
    """The configuration's name, and below it the run's label and note."""
    told = " – ".join(text for text in (run.label, run.note) if text)
    name = shortened(run.name, _NAME)
    return Text(name).append(f"\n{told}", style="dim") if told else Text(name)


def _spent(models: dict[str, float]) -> list[str]:
    """Calls, tokens and money as they are shown; a dash where no server was asked."""
    if not models.get("calls"):
        return ["–", "–", "–"]
    tokens = models["tokens_in"] + models["tokens_out"]
    return [f"{models['calls']:,.0f}", f"{tokens:,.0f}", f"{models['money']:.4f}"]
