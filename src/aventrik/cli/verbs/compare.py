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
    parser.add_argument("--pairs", action="store_true", help="also every run against every other, corrected together")
    parser.add_argument("--measures", metavar="A,B,…", help="the columns of the table")
    parser.add_argument(
        "--spread",
        metavar="NAME",
        help="how this measure is spread in each run, and the questions that two runs differ on",
    )


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Compares and shows."""
    from ...engine.comparing import chosen_runs, compare
    from ...engine.decided import rejected_since
    from ...engine.likeness import doubts_of
    from ...engine.opened import Opened
    from ...engine.spreading import spread_of
    from ..comparison import show
    from ..spread_views import show_spread

    opened = Opened(Path(options.workspace))
    chosen = chosen_runs(opened.store, options.runs)
    measures = options.measures.split(",") if options.measures else None
    settings = opened.workspace.settings
    reviews = opened.workspace.reviews
    measure = options.spread or options.measure
    result = compare(opened.store, settings, chosen, options.baseline, measure, measures, options.pairs, reviews)
    if options.spread:
        spread = spread_of(result, options.spread)
        screen.result(spread.as_json(result))
        show_spread(result, spread, screen)
        return 0
    screen.result(result.as_json())
    show(result, screen)
    for testset in dict.fromkeys(run.testset for run in result.runs):
        one = next(run for run in result.runs if run.testset == testset)
        reason = doubts_of(opened, one)
        if reason:
            screen.warn(f"{testset}: {reason}")
        if gone := rejected_since(opened, one):
            screen.warn(
                f"{testset}: people have rejected {len(gone)} of these questions since ({', '.join(gone[:5])}); run again to "
                "leave them out"
            )
    return 0
