"""`aventrik run`: applies configurations to a test set."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from ..opening import only_testset, open_corpus, open_testset
from ..screen import Screen

if TYPE_CHECKING:
    from ...engine.runner import Outcome

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
    parser.add_argument("--fresh", action="store_true", help="ask models anew, whatever the call store has")
    parser.add_argument("--retry-failed", action="store_true", help="make calls that failed before once more")


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Runs every configuration and says what was new."""
    from ...engine.runner import Runner
    from ...workspace.calls import KeptCalls

    workspace = open_corpus(options)
    configurations = workspace.configurations(options.configurations)
    testset = options.testset or only_testset(workspace)
    questions = open_testset(workspace, testset, screen)
    if options.retry_failed:
        KeptCalls(workspace.store).forget_failed()
    with screen.progress() as meter:
        runner = Runner(workspace, meter, fresh=options.fresh, retry_failed=options.retry_failed)
        outcomes = [runner.run(each, workspace.testset_path(testset).stem, questions) for each in configurations]
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
        screen.warn(f"{note} ({count:,} times)")


def _new(computed: dict[str, int], questions: int) -> str:
    """Corpus stages by name, question stages by how many were new."""
    from ...engine.stages import CORPUS_STAGES

    if not computed:
        return "none"
    whole: list[str] = [stage for stage in CORPUS_STAGES if stage in computed]
    others = {stage: count for stage, count in computed.items() if stage not in whole}
    told = [*whole]
    if others:
        first = next(iter(others))
        told.append(f"{first}…scores" if len(others) > 1 else first)
    return ", ".join(told)
