"""`aventrik explain`: one question of a run, stage by stage."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from ..arguments import whole
from ..opening import open_workspace
from ..screen import Screen

if TYPE_CHECKING:
    from ...api.records import Recalled

HELP = (
    "One question of a run: queries, candidates, reranking, context, answer, verdicts, and where each need was lost; or "
    "two runs of it side by side, with what differs marked."
)


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument(
        "names", metavar="RUN", nargs="+",
        help="a run by number, label or name; a second one, to set both side by side; last a question's id (default: the "
        "run's worst, or the one on which the second run is most worse)",
    )  # fmt: skip
    parser.add_argument(
        "--calls", action="store_true",
        help="also every call of a model server behind the question: the prompt as sent, the raw reply, time, tokens, money",
    )  # fmt: skip
    parser.add_argument(
        "--steps", action="store_true",
        help="also the list that search found and that behind each reranking step, with what was dropped and cut away",
    )  # fmt: skip
    parser.add_argument("--top", metavar="N", type=whole(1), default=10, help="candidates to show (default 10)")
    parser.add_argument(
        "--measure", metavar="NAME", default="hit@5", help="by which the worst is chosen (default hit@5)"
    )


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Finds the question and shows what happened to it."""
    from ... import api
    from ..explain_views.calls import show_calls
    from ..explain_views.explanation import as_json, show
    from ..explain_views.two_runs import both_as_json, show_both

    opened = open_workspace(options, screen)
    meant = api.meant_by(opened, options.names)
    if meant.second is not None:
        one, other = api.explain_two(opened, meant.first, meant.second, meant.question, measure=options.measure)
        screen.result(both_as_json(one, other))
        show_both(one, other, screen)
        return 0
    explanation = api.explain(opened, meant.first, meant.question, measure=options.measure)
    calls = api.model_calls(opened, explanation) if options.calls else []
    screen.result(as_json(explanation) | ({"calls": [_call_json(each) for each in calls]} if options.calls else {}))
    show(explanation, screen, options.top, options.steps)
    if options.calls:
        show_calls(calls, screen)
    return 0


def _call_json(each: Recalled) -> dict[str, Any]:
    from dataclasses import asdict

    return {
        "stage": each.stage, "model": each.model, "task": each.task,
        "call": None if each.call is None else asdict(each.call),
    }  # fmt: skip
