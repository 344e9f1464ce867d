"""`aventrik explain`: one question of a run, stage by stage."""

from __future__ import annotations

import argparse

from ..arguments import whole
from ..screen import Screen

HELP = "One question of a run: queries, candidates, reranking, context, answer, verdicts, and where each need was lost."


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument("run", metavar="RUN", help="a run by number, label or name")
    parser.add_argument("question", metavar="QUESTION", nargs="?", help="a question's id (default: the run's worst)")
    parser.add_argument("--top", metavar="N", type=whole(1), default=10, help="candidates to show (default 10)")
    parser.add_argument(
        "--measure", metavar="NAME", default="hit@5", help="by which the worst is chosen (default hit@5)"
    )


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Finds the question and shows what happened to it."""
    from pathlib import Path

    from ...core.comparing.account import worst_question
    from ...core.errors import BadInput
    from ...engine.comparing import side_of
    from ...engine.explaining import explain
    from ...engine.opened import Opened
    from ..explanation import as_json, show

    opened = Opened(Path(options.workspace))
    found = opened.run(options.run)
    chosen = options.question
    if chosen is None:
        side = side_of(opened.store, found)
        key = worst_question(side.side, options.measure)
        if key is None:
            raise BadInput(f"run {found.id} has no question with a score for '{options.measure}'; name a question")
        chosen = side.ids[key]
    explanation = explain(opened.store, opened.bench, found, chosen)
    screen.result(as_json(explanation))
    show(explanation, screen, options.top)
    return 0
