"""`aventrik run`: applies configurations to a test set."""

from __future__ import annotations

import argparse
import math
import re
import sys
from typing import TYPE_CHECKING

from ..arguments import given_path, share, workers_option
from ..opening import open_testset, open_workspace
from ..screen import Screen

if TYPE_CHECKING:
    from collections.abc import Sequence

    from ...api.records import OpenWorkspace, Planned, Question

HELP = (
    "Applies configurations to a test set. What was computed before, by any configuration, is not computed again; "
    "an interrupted run goes on where it stopped."
)
_UNITS = {"": 1, "s": 1, "m": 60, "h": 3600}


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument(
        "configurations", metavar="CONFIG", nargs="*", help="configuration files (default: all in configs/)"
    )
    parser.add_argument("--testset", metavar="NAME", help="the test set (default: the only one there is)")
    parser.add_argument(
        "--until", choices=("served", "context", "answer", "verdicts"), default="",
        help="stop after this stage: 'served' measures retrieval alone and asks no answering model",
    )  # fmt: skip
    parser.add_argument("--plan", action="store_true", help="say what would be computed and asked, and compute nothing")
    parser.add_argument(
        "--race", action="store_true",
        help="ask in blocks, and stop early what is clearly worse than the best of these configurations",
    )  # fmt: skip
    parser.add_argument("--measure", metavar="NAME", help="what a race is decided by (default: hit@5)")
    parser.add_argument(
        "--indifference", type=share, default=0.0, metavar="X",
        help="with --race: end it once no configuration left can be better than the first one by more than X (0 to 1)",
    )  # fmt: skip
    parser.add_argument("--budget", metavar="MONEY", type=_money, help="stop cleanly when so much was spent on models")
    parser.add_argument(
        "--budget-time", metavar="TIME", type=_time, help="stop cleanly after so long: 90 (seconds), 10m, 2h"
    )
    parser.add_argument("--label", metavar="TEXT", help="label these runs, to compare them by it over time")
    parser.add_argument(
        "--baseline-file", metavar="FILE", type=given_path,
        help="write what 'aventrik gate' needs of this run to a file for version control",
    )  # fmt: skip
    parser.add_argument("--judge", metavar="A,B,…", help="who judges (default: the role judge of aventrik.toml)")
    workers_option(parser)
    parser.add_argument("--fresh", action="store_true", help="ask models anew, whatever the call store has")
    parser.add_argument("--retry-failed", action="store_true", help="make calls that failed before once more")


def _money(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        value = math.nan
    if not math.isfinite(value) or value < 0:
        raise argparse.ArgumentTypeError(f"must be an amount of money, 0 or more, not '{text}'")
    return value


def _time(text: str) -> float:
    found = re.fullmatch(r"(\d+(?:\.\d+)?)\s*([smh]?)", text.strip().lower())
    value = float(found[1]) * _UNITS[found[2]] if found else 0.0
    if not 0 < value <= 10**8:
        raise argparse.ArgumentTypeError(f"must be a time greater than 0 such as 90, 10m or 2h, not '{text}'")
    return value


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Runs every configuration and says what was new."""
    from ... import api
    from ...core.errors import BadInput
    from ..views.runs import outcome_json, race_json, show_judging, show_outcomes, show_race

    if options.indifference and not options.race:
        raise BadInput("--indifference is for --race: when the race may end")
    if options.measure and not options.race:
        raise BadInput("--measure is for --race; 'aventrik compare --measure' decides by another one")
    if options.baseline_file and (options.plan or options.race):
        raise BadInput("--baseline-file keeps what a run came to: not with --plan or --race")
    opened = open_workspace(options, screen, fresh=options.fresh)
    api.check_documents(opened)
    judges = options.judge.split(",") if options.judge else ()
    api.check_run(opened, options.configurations, judges=judges, on=options.on, baseline_file=options.baseline_file)
    testset = options.testset or api.only_testset(opened)
    questions = open_testset(opened, testset, screen)
    with screen.progress() as meter:
        if options.plan:
            rows = api.plan(
                opened, options.configurations, testset, questions=questions, until=options.until, progress=meter
            )
            return _plan(opened, rows, screen)
    if options.budget is None and not _allowed(opened, options, testset, questions, screen):
        return 1
    with screen.progress() as meter:
        made = api.run(
            opened, options.configurations, testset, questions=questions, until=options.until, race=options.race,
            measure=options.measure or "hit@5", indifference=options.indifference, budget=options.budget,
            budget_seconds=options.budget_time,
            label=options.label or "", judges=judges, baseline_file=options.baseline_file,
            retry_failed=options.retry_failed, on=options.on, progress=meter,
        )  # fmt: skip
    if made.raced:
        screen.result(race_json(made.raced, made.questions))
        show_race(made.raced, made.questions, screen)
    else:
        screen.result([outcome_json(each, made.questions) for each in made.outcomes])
    if made.outcomes or not made.ended:
        show_outcomes(made.outcomes, made.questions, made.testset if made.raced else testset, screen)
    if made.ended:
        screen.warn(
            f"stopped: {made.ended}; {len(made.outcomes)} of {made.wanted} runs are finished, all that was computed is kept, and "
            "the same command goes on"
        )
        return 1
    if made.baseline:
        screen.say(f"baseline: {made.baseline} questions → {options.baseline_file}")
    if made.changed:
        screen.warn(
            "the documents changed while this went on; these runs are of the documents as they were when it began: run "
            "again for how they are now"
        )
    if made.note:
        screen.warn(made.note)
    screen.say("next: aventrik compare")
    return show_judging(made.outcomes, screen)


def _allowed(
    opened: OpenWorkspace, options: argparse.Namespace, testset: str, questions: list[Question], screen: Screen
) -> bool:
    """Whether what this may cost is within `limits.money`, or a person says that it may be more."""
    from ... import api
    from ...core.errors import BadInput

    limit = api.money_limit(opened)
    if limit is None:
        return True
    rows = api.plan(opened, options.configurations, testset, questions=questions, until=options.until)
    money = sum(row.money for row in rows)
    if money <= limit:
        return True
    told = f"this may cost up to {money:.4f}, more than limits.money ({limit:g})"
    if screen.as_json or not (sys.stdin and sys.stdin.isatty() and screen.err.is_terminal):
        raise BadInput(f"{told}; --plan says what for, --budget {math.ceil(money * 100) / 100:g} allows it")
    screen.warn(told)
    screen.err.print("go on? [y/N] ", end="", markup=False)
    if sys.stdin.readline().strip().lower() in ("y", "yes"):
        return True
    screen.say("nothing was run")
    return False


def _plan(opened: OpenWorkspace, rows: Sequence[Planned], screen: Screen) -> int:
    """What a run would compute, stage by stage."""
    from ... import api
    from ..views.runs import show_plan

    screen.result([row.as_json() for row in rows])
    show_plan(rows, screen)
    limit = api.money_limit(opened)
    if limit is not None and sum(row.money for row in rows) > limit:
        screen.warn(f"this is more than limits.money ({limit:g}): the run will ask, or takes --budget MONEY")
    return 0
