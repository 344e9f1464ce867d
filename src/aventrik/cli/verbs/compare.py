"""`aventrik compare`: runs side by side."""

from __future__ import annotations

import argparse
from pathlib import Path

from ..screen import Screen

HELP = (
    "Runs side by side: measures with 95 % intervals, which differences from the baseline are real, what each "
    "setting contributed, and where the evidence was lost."
)


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument(
        "runs", metavar="RUN", nargs="*", help="runs by number, label or name (default: the latest of each)"
    )
    parser.add_argument(
        "--baseline", metavar="RUN", help="the run that the others are held against (default: the first)"
    )
    parser.add_argument("--measure", metavar="NAME", help="the measure for differences (default: hit@5)")
    parser.add_argument("--measures", metavar="A,B,…", help="the columns of the table")


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Compares and shows."""
    from ...engine.comparing import chosen_runs
    from ...workspace.runs import Runs
    from ...workspace.workspace import Workspace
    from ..comparison import compared, show

    workspace = Workspace.around(Path(options.workspace))
    runs = Runs(workspace.store)
    chosen = chosen_runs(runs, options.runs)
    measures = options.measures.split(",") if options.measures else None
    result = compared(workspace, chosen, options.baseline, options.measure, measures)
    screen.result(result.as_json())
    show(result, screen)
    return 0
