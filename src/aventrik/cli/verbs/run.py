"""`aventrik run`: applies configurations to a test set."""

from __future__ import annotations

import argparse

from ..opening import only_testset, open_corpus, open_testset
from ..screen import Screen

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


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Runs every configuration and says what was new."""
    from ...engine.runner import Runner

    workspace = open_corpus(options)
    configurations = workspace.configurations(options.configurations)
    testset = options.testset or only_testset(workspace)
    questions = open_testset(workspace, testset, screen)
    with screen.progress() as meter:
        runner = Runner(workspace, meter)
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
    screen.say("next: aventrik compare")
    return 0


def _new(computed: dict[str, int], questions: int) -> str:
    """Corpus stages by name, question stages by how many were new."""
    if not computed:
        return "none"
    whole: list[str] = [stage for stage in ("chunks", "keyword", "fitted", "vectors") if stage in computed]
    others = {stage: count for stage, count in computed.items() if stage not in whole}
    told = [*whole]
    if others:
        first = next(iter(others))
        told.append(f"{first}…scores" if len(others) > 1 else first)
    return ", ".join(told)
