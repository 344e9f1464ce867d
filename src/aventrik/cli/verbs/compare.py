"""`aventrik compare`: runs side by side."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from ..arguments import given_path
from ..opening import open_workspace
from ..screen import Screen

if TYPE_CHECKING:
    from ...api.records import Comparison, NamedRuns, OpenWorkspace

PANELS = ("overview", "intervals", "cost", "settings", "lost", "spread", "time")
_STOOD_IN = 3  # runs that stand in for newer ones that are named

HELP = (
    "Runs side by side, the decision first: which is best, whether that is real, what it costs; then means with 95 % intervals, "
    "what each setting brought, and where the evidence was lost."
)


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument(
        "runs",
        metavar="RUN",
        nargs="*",
        help="runs by number, label or name, a sweep by its name, several by a pattern such as 'wide/*both*' (default: the "
        "latest of each)",
    )
    parser.add_argument(
        "--baseline", metavar="RUN", help="the run that the others are held against (default: the first)"
    )
    parser.add_argument("--measure", metavar="NAME", help="the measure that decides (default: hit@5)")
    parser.add_argument("--measures", metavar="A,B,…", help="the columns of the table")
    parser.add_argument("--all", action="store_true", help="all runs and differences, however many there are")
    parser.add_argument("--pairs", action="store_true", help="also every run against every other, corrected together")
    parser.add_argument(
        "--by",
        metavar="A[,B]",
        help="two settings crossed (chunking.size,search.method), or the best run and the baseline by what questions are "
        "(kind, style, difficulty, tag, document, writer, topic), or a setting by that",
    )
    parser.add_argument(
        "--groups", action="store_true", help="the best run and the baseline in every group of questions"
    )
    parser.add_argument("--flips", action="store_true", help="the questions that flipped between these two")
    parser.add_argument(
        "--rewrites", action="store_true",
        help="what each rewriting of these runs did: drift, and the needs that its lists brought or pushed out",
    )  # fmt: skip
    parser.add_argument(
        "--steps", action="store_true",
        help="what each reranking step of these runs left: tokens beside needs met, and the time it took",
    )  # fmt: skip
    parser.add_argument(
        "--picture", metavar="FILE", type=given_path, help="draw the comparison to a file, .png or .svg (1280 x 800)"
    )
    parser.add_argument(
        "--draw", choices=PANELS, help="what is drawn: all in one (default), or one panel on the whole of the picture"
    )
    parser.add_argument(
        "--spread",
        metavar="NAME",
        help="how this measure is spread in each run, and the questions that two runs differ on",
    )


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Compares and shows."""
    from ... import api
    from ...api.records import comparison_json, crossed_json
    from ...core.errors import BadInput
    from ...report.pictures import check_picture
    from ..compare_views.comparison import show
    from ..compare_views.spread import show_spread
    from ..compare_views.what_mattered import show_crossed
    from ..compare_views.where_differs import show_flips, show_groups

    if options.draw and not options.picture:
        raise BadInput("--draw says what --picture draws: name a file, --picture FILE")
    if options.picture:
        check_picture(options.picture)
    opened = open_workspace(options, screen)
    if options.rewrites or options.steps:
        _chains(opened, options, screen)
        return 0
    chosen = api.named_runs(opened, options.runs)
    result = api.compare(
        opened, chosen, baseline=options.baseline, measure=options.spread or options.measure,
        measures=options.measures.split(",") if options.measures else None, pairs=options.pairs,
        every=options.all or screen.as_json,
    )  # fmt: skip
    if options.spread:
        spread = api.spread(result, options.spread)
        screen.result(spread.as_json(result))
        show_spread(result, spread, screen, options.all)
        return 0
    _left_out(chosen, screen)
    if options.picture:
        _draw(opened, result, options, screen)
        return 0
    if options.by:
        made, facet = api.cross(opened, result, options.by.split(","))
        screen.result(crossed_json(made) if made else comparison_json(result))
        if made:
            show_crossed(result, made, screen)
        else:
            show_groups(result, screen, facet)
        return 0
    screen.result(comparison_json(result))
    if options.groups or options.flips:
        if options.groups:
            show_groups(result, screen)
        if options.flips:
            show_flips(result, screen, every=True)
        return 0
    show(result, screen, options.all)
    for told in api.doubts(opened, result):
        screen.warn(told)
    return 0


def _chains(opened: OpenWorkspace, options: argparse.Namespace, screen: Screen) -> None:
    """What rewritings and steps did in each run."""
    from dataclasses import asdict

    from ... import api
    from ..explain_views.chains import show_rewrite_sums, show_step_sums

    found = api.chains(opened, options.runs)
    rows = []
    for each in found:
        row = {"run": each.run.id, "name": each.run.name, "questions": each.questions, "needs": each.needs}
        if options.rewrites:
            row["rewrites"] = [asdict(one) for one in each.rewrites]
        if options.steps:
            row["steps"] = [asdict(one) for one in each.steps]
        rows.append(row)
    screen.result({"runs": rows})
    if options.rewrites:
        show_rewrite_sums(found, screen)
    if options.steps:
        show_step_sums(found, screen)


def _draw(opened: OpenWorkspace, result: Comparison, options: argparse.Namespace, screen: Screen) -> None:
    """Draws what was asked for."""
    from ... import api
    from ...report.comparison import write_comparison
    from ...report.run_names import by_weight

    panel = options.draw or ("settings" if options.by else "overview")
    names = options.by.split(",") if options.by else by_weight(result)[:2]
    crossed = api.cross(opened, result, names)[0] if panel == "settings" and len(names) > 1 else None
    write_comparison(options.picture, result, panel, crossed)
    screen.result({"picture": str(options.picture), "draw": panel, "runs": [run.id for run in result.runs]})
    screen.say(f"drawn: {options.picture}")


def _left_out(chosen: NamedRuns, screen: Screen) -> None:
    """Runs of a sweep that have not come to an end."""
    if chosen.stopped:
        some = [run.id for run in chosen.stopped]
        screen.say(
            f"{len(some)} runs were stopped early by a race, being clearly worse than the best: {_listed(some)}",
            style="dim",
        )
    for newer, older in chosen.stood_in_for[:_STOOD_IN]:
        screen.warn(
            f"run {newer.id} ({newer.name}) is newer and not finished: run {older.id} of that name is shown, whose settings and "
            "models may be others; 'aventrik run' goes on"
        )
    shown = {newer.id for newer, _ in chosen.stood_in_for}
    others = [run.id for run in chosen.unfinished if not run.stopped and run.id not in shown]
    if others:
        screen.warn(
            f"{len(others)} runs are not finished and left out: {_listed(others)}; 'aventrik run' goes on with them"
        )


def _listed(numbers: list[int]) -> str:
    return ", ".join(map(str, numbers[:8])) + (f" and {len(numbers) - 8} more" if len(numbers) > 8 else "")
