"""`aventrik run`: applies configurations to a test set."""

from __future__ import annotations

import argparse
import math
import re
import sys
from typing import TYPE_CHECKING

from ..arguments import given_path, workers_option
from ..opening import only_testset, open_corpus, open_testset
from ..screen import Screen

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

    from ...core.testsets import Question
    from ...engine.opened import Opened
    from ...engine.runs import Outcome, Runner
    from ...workspace.configuration import Configuration
    from ...workspace.workspace import Workspace

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
    from ...core.errors import BadInput
    from ...engine.budget import Budget, BudgetSpent
    from ...engine.hiring import engine_of, workers
    from ...engine.runs import Runner
    from ..run_views import outcome_json, show_outcomes

    if options.measure and not options.race:
        raise BadInput("--measure is for --race; 'aventrik compare --measure' decides by another one")
    opened = open_corpus(options, fresh=options.fresh)
    workspace = opened.workspace
    engine_of(workspace.settings.engine, options.on)
    if options.judge:
        opened.judge_by(options.judge.split(","))
    configurations = workspace.configurations(options.configurations)
    kept_measures = _baseline_measures(options, workspace, len(configurations)) if options.baseline_file else []
    if options.race and len(configurations) < 2:
        raise BadInput("--race needs at least two configurations")
    testset = options.testset or only_testset(workspace)
    questions = open_testset(opened, testset, screen)
    name = workspace.testset_path(testset).stem
    with screen.progress() as meter:
        opened.progress = meter
        if options.plan:
            return _plan(opened, configurations, questions, options.until, screen)
    if options.budget is None and not _allowed(opened, configurations, questions, options.until, screen):
        return 1
    opened.bench.budget = Budget(
        options.budget, options.budget_time, lambda: opened.models.spent().money, workspace.settings.models
    )
    runner = Runner(opened, retry_failed=options.retry_failed)
    outcomes: list[Outcome] = []
    with screen.progress() as meter:
        opened.progress = meter
        try:
            with workers(opened, options.on, screen.warn):
                if options.race:
                    return _race(options, runner, configurations, name, questions, screen)
                for each in configurations:
                    outcomes.append(runner.run(each, name, questions, options.until))
        except BudgetSpent as spent:
            return _ended(spent, options, opened, outcomes, len(configurations), len(questions), testset, screen)
    _label(opened, outcomes, options.label)
    screen.result([outcome_json(each, len(questions)) for each in outcomes])
    show_outcomes(outcomes, len(questions), testset, screen)
    if options.baseline_file:
        _keep_baseline(opened, outcomes[0].run, options.baseline_file, kept_measures, screen)
    _changed(opened, screen)
    _warn_of_languages(opened, configurations, options.until, screen)
    screen.say("next: aventrik compare")
    return 0


def _warn_of_languages(opened: Opened, configurations: Sequence[Configuration], until: str, screen: Screen) -> None:
    """Says so where built-in rules that know English alone answer or judge on documents in other languages."""
    from ...engine.tongues import only_english
    from ...workspace.configuration import NO_MODEL

    if until in ("served", "context"):
        return
    roles = opened.workspace.settings.roles
    models = [each.answering.model or roles.answerer for each in configurations]
    if all(name == NO_MODEL for name in models):
        return
    judges = opened.judges or roles.judges
    parts = ["answers"] if "offline" in models else []
    parts.extend(["judges"] if "offline" in judges and until != "answer" else [])
    if parts and (told := only_english(opened, f"the built-in model {' and '.join(parts)}")):
        screen.warn(told)


def _baseline_measures(options: argparse.Namespace, workspace: Workspace, count: int) -> list[str]:
    """The measures that a baseline file must hold for the workspace's gate; refuses, before anything runs, what can't be
    one."""
    from ...core.errors import BadInput
    from ...workspace.gates import load_gate

    if options.plan or options.race:
        raise BadInput("--baseline-file keeps what a run came to: not with --plan or --race")
    if count != 1:
        raise BadInput(f"--baseline-file is of one configuration; these are {count}: name one")
    if options.baseline_file.is_dir():
        raise BadInput(f"{options.baseline_file}: is a folder")
    limits = workspace.folder / "gate.toml"
    return load_gate(limits).measures if limits.is_file() else []


def _keep_baseline(opened: Opened, number: int, path: Path, measures: Sequence[str], screen: Screen) -> None:
    from ...engine.baselines import baseline_of
    from ...workspace.baselines import write_baseline

    kept = baseline_of(opened.store, opened.run(str(number)), measures)
    write_baseline(path, kept)
    screen.say(f"baseline: {len(kept.questions)} questions → {path}")


def _label(opened: Opened, outcomes: Sequence[Outcome], label: str | None) -> None:
    for each in outcomes if label else ():
        opened.store.runs.set(each.run, label=label)


def _changed(opened: Opened, screen: Screen) -> None:
    if opened.changed():
        screen.warn(
            "the documents changed while this went on; these runs are of the documents as they were when it began: run "
            "again for how they are now"
        )


def _race(
    options: argparse.Namespace,
    runner: Runner,
    configurations: list[Configuration],
    name: str,
    questions: list[Question],
    screen: Screen,
) -> int:
    """Runs configurations against each other."""
    from ...engine.racing import race
    from ..run_views import race_json, show_outcomes, show_race

    raced = race(runner, configurations, name, questions, options.until, options.measure or "hit@5")
    _label(runner.opened, raced.outcomes, options.label)
    screen.result(race_json(raced, len(questions)))
    show_race(raced, len(questions), screen)
    show_outcomes(raced.outcomes, len(questions), name, screen)
    _changed(runner.opened, screen)
    screen.say("next: aventrik compare")
    return 0


def _ended(
    spent: Exception,
    options: argparse.Namespace,
    opened: Opened,
    outcomes: list[Outcome],
    wanted: int,
    questions: int,
    testset: str,
    screen: Screen,
) -> int:
    """What was done before the budget was spent."""
    from ..run_views import outcome_json, show_outcomes

    _label(opened, outcomes, options.label)
    screen.result([outcome_json(each, questions) for each in outcomes])
    if outcomes:
        show_outcomes(outcomes, questions, testset, screen)
    screen.warn(
        f"stopped: {spent}; {len(outcomes)} of {wanted} runs are finished, all that was computed is kept, and the same command "
        "goes on"
    )
    return 1


def _allowed(
    opened: Opened, configurations: list[Configuration], questions: list[Question], until: str, screen: Screen
) -> bool:
    """Whether what this may cost is within `limits.money`, or a person says that it may be more."""
    from ...core.errors import BadInput
    from ...engine.planning import Planner

    limit = opened.workspace.settings.limits.money
    if limit is None or not any(each.price_in or each.price_out for each in opened.workspace.settings.models.values()):
        return True
    planner = Planner(opened, questions, until)
    money = sum(planner.plan(each).money for each in configurations)
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


def _plan(
    opened: Opened, configurations: list[Configuration], questions: list[Question], until: str, screen: Screen
) -> int:
    """What a run would compute, stage by stage."""
    from ...engine.planning import Planner
    from ..run_views import show_plan

    planner = Planner(opened, questions, until)
    rows = []
    for number, each in enumerate(configurations):
        rows.append(planner.plan(each))
        opened.progress("planning", number + 1, len(configurations))
    screen.result([row.as_json() for row in rows])
    show_plan(rows, screen)
    limit = opened.workspace.settings.limits.money
    money = sum(row.money for row in rows)
    if limit is not None and money > limit:
        screen.warn(f"this is more than limits.money ({limit:g}): the run will ask, or takes --budget MONEY")
    return 0
