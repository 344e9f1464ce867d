"""`aventrik explain`: one question of a run, stage by stage."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from ..arguments import whole
from ..screen import Screen

if TYPE_CHECKING:
    from ...engine.explaining import Explanation
    from ...engine.opened import Opened
    from ...engine.recalling import Recalled
    from ...storage.protocols import Run

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
    from pathlib import Path

    from ...core.errors import BadInput
    from ...engine.explaining import explain
    from ...engine.opened import Opened
    from ..call_views import show_calls
    from ..explanation import as_json, show
    from ..side_by_side import both_as_json, show_both

    opened = Opened(Path(options.workspace))
    opened.tell = screen.warn
    first, second, chosen = _meant(opened, options.names)
    if second is not None:
        chosen = chosen or _most_worse(opened, first, second, options.measure)
        one, other = (explain(opened.store, opened.bench, each, chosen) for each in (first, second))
        screen.result(both_as_json(one, other))
        show_both(one, other, screen)
        return 0
    if chosen is None:
        chosen = _worst(opened, first, options.measure)
    if chosen is None:
        raise BadInput(f"run {first.id} has no question with a score for '{options.measure}'; name a question")
    explanation = explain(opened.store, opened.bench, first, chosen)
    calls = _calls(opened, first, explanation) if options.calls else []
    screen.result(as_json(explanation) | ({"calls": [_call_json(each) for each in calls]} if options.calls else {}))
    show(explanation, screen, options.top, options.steps)
    if options.calls:
        show_calls(calls, screen)
    return 0


def _meant(opened: Opened, names: list[str]) -> tuple[Run, Run | None, str | None]:
    """Run, second run if one is named, question if one is named: the second of two names is a question where the run has
    one of that id."""
    from ...core.errors import BadInput

    first = opened.run(names[0])
    if len(names) > 3:
        raise BadInput("name one run or two, and at most one question")
    if len(names) == 3:
        return first, opened.run(names[1]), names[2]
    if len(names) == 1:
        return first, None, None
    if names[1] in opened.store.runs.results(first.id):
        return first, None, names[1]
    known = {str(key) for each in opened.store.runs.all() for key in (each.id, each.label, each.name) if key}
    if names[1] in known:
        return first, opened.run(names[1]), None
    return first, None, names[1]


def _worst(opened: Opened, run: Run, measure: str) -> str | None:
    from ...core.comparing.account import worst_question
    from ...engine.run_sides import side_of

    found = side_of(opened.store, run)
    key = worst_question(found.side, measure)
    return None if key is None else found.ids[key]


def _most_worse(opened: Opened, first: Run, second: Run, measure: str) -> str:
    from ...core.comparing.spread import moved
    from ...core.errors import BadInput
    from ...engine.run_sides import sides_of

    one, other = sides_of(opened.store, [first, second])
    changes = moved(one.side, other.side, measure)
    if not changes:
        raise BadInput(
            f"the runs {first.id} and {second.id} score every question that both have alike by '{measure}'; name a "
            "question, or another --measure"
        )
    return one.ids[changes[0].key]


def _calls(opened: Opened, run: Run, explanation: Explanation) -> list[Recalled]:
    """The calls behind a question."""
    from ...engine.recalling import calls_of

    return calls_of(opened.store, opened.bench, run, explanation)


def _call_json(each: Recalled) -> dict[str, Any]:
    from dataclasses import asdict

    return {
        "stage": each.stage, "model": each.model, "task": each.task,
        "call": None if each.call is None else asdict(each.call),
    }  # fmt: skip
