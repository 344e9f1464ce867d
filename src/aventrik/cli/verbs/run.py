"""`aventrik run`: applies configurations to a test set."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from ..opening import only_testset, open_corpus, open_testset
from ..screen import Screen

if TYPE_CHECKING:
    from ...core.testsets import Question
    from ...engine.opened import Opened
    from ...engine.runs import Outcome
    from ...workspace.configuration import Configuration

HELP = (
    "Applies configurations to a test set. What was computed before, by any configuration, is not computed again; "
    "an interrupted run goes on where it stopped."
)


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
    parser.add_argument("--judge", metavar="A,B,…", help="who judges (default: the role judge of aventrik.toml)")
    parser.add_argument("--fresh", action="store_true", help="ask models anew, whatever the call store has")
    parser.add_argument("--retry-failed", action="store_true", help="make calls that failed before once more")


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Runs every configuration and says what was new."""
    from ...engine.runs import Runner

    opened = open_corpus(options, fresh=options.fresh)
    workspace = opened.workspace
    if options.judge:
        opened.judge_by(options.judge.split(","))
    configurations = workspace.configurations(options.configurations)
    testset = options.testset or only_testset(workspace)
    questions = open_testset(opened, testset, screen)
    name = workspace.testset_path(testset).stem
    with screen.progress() as meter:
        opened.progress = meter
        if options.plan:
            return _plan(opened, configurations, questions, options.until, screen)
        runner = Runner(opened, retry_failed=options.retry_failed)
        outcomes = [runner.run(each, name, questions, options.until) for each in configurations]
    screen.result(
        [
            {
                "run": each.run,
                "name": each.configuration.name,
                "questions": len(questions),
                "results": each.results,
                "computed": each.computed,
                "seconds": each.seconds,
                "models": each.models,
                "recall": each.recall,
            }
            for each in outcomes
        ]
    )
    new = sum(each.new for each in outcomes)
    total = sum(each.results for each in outcomes)
    if not new:
        screen.say(f"nothing to compute: {len(outcomes)} runs on {len(questions)} questions stand as they were")
    else:
        screen.table(
            ["run", "configuration", "new results", "seconds"],
            [
                [
                    str(each.run),
                    each.configuration.name,
                    _new(each.computed, len(questions)),
                    f"{sum(each.seconds.values()):.1f}",
                ]
                for each in outcomes
            ],
            right=(0, 3),
        )
        asked = f"{len(outcomes)} runs on {len(questions)} questions of '{testset}'"
        screen.say(f"{asked}: {new:,} results computed, {max(0, total - new):,} taken from the store")
    for each in outcomes:
        if each.recall is not None:
            way = each.configuration.search.nearest
            screen.say(
                f"{each.configuration.name}: the approximate index ({way}) finds {each.recall:.1%} of the ten nearest"
            )
    _cost(screen, outcomes)
    if opened.changed():
        screen.warn(
            "the documents changed while this went on; these runs are of the documents as they were when it began: run "
            "again for how they are now"
        )
    screen.say("next: aventrik compare")
    return 0


def _cost(screen: Screen, outcomes: list[Outcome]) -> None:
    """What was asked of model servers, and what went wrong with it."""
    total = {name: sum(each.models.get(name, 0) for each in outcomes) for name in outcomes[0].models}
    if total.get("calls") or total.get("kept"):
        screen.say(
            f"models: {total['calls']:,.0f} calls made, {total['kept']:,.0f} from the call store, "
            f"{total['tokens_in']:,.0f} tokens in, {total['tokens_out']:,.0f} out, {total['money']:.4f} in money"
        )
    if total.get("failed"):
        screen.warn(
            f"{total['failed']:,.0f} calls failed and are recorded as failed, with what came; --retry-failed makes them again"
        )
    for note, count in outcomes[-1].notes.items():
        screen.warn(f"{note} ({count:,} times)" if count > 1 else note)


def _plan(
    opened: Opened, configurations: list[Configuration], questions: list[Question], until: str, screen: Screen
) -> int:
    """What a run would compute, stage by stage."""
    from ...engine.planning import plan

    rows = [plan(opened, each, questions, until) for each in configurations]
    screen.result([row.as_json() for row in rows])
    screen.table(
        [
            "configuration",
            "to make of the documents",
            "results there",
            "to compute",
            "calls at the most",
            "tokens",
            "money",
        ],
        [
            [
                row.name,
                ", ".join(row.corpus) or "nothing",
                f"{row.known:,}",
                f"{row.missing:,}" + (" or fewer" if row.open else ""),
                f"{row.calls:,}",
                f"{row.tokens:,}",
                f"{row.money:.4f}",
            ]
            for row in rows
        ],
        right=(2, 3, 4, 5, 6),
    )
    screen.say(
        "what depends on a result that is not there yet can't be known before; configurations may share results",
        style="dim",
    )
    return 0


def _new(computed: dict[str, int], questions: int) -> str:
    """Stages of the corpus by name, stages of the questions from the first to the last."""
    from ...engine.graph import STAGES
    from ...engine.stage import QUESTION

    if not computed:
        return "none"
    told = [name for name in computed if name in STAGES and STAGES[name].scope != QUESTION]
    others = [name for name in computed if name not in told]
    if others:
        told.append(f"{others[0]}…{others[-1]}" if len(others) > 1 else others[0])
    return ", ".join(told)
