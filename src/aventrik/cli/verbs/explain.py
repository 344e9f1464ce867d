"""`aventrik explain`: one question of a run, stage by stage."""

from __future__ import annotations

import argparse

from ..opening import open_corpus
from ..screen import Screen

HELP = "One question of a run: queries, candidates, reranking, context, answer, verdicts, and where each need was lost."


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument("run", metavar="RUN", help="a run by number, label or name")
    parser.add_argument("question", metavar="QUESTION", nargs="?", help="a question's id (default: the run's worst)")
    parser.add_argument("--top", metavar="N", type=int, default=10, help="candidates to show (default 10)")
    parser.add_argument(
        "--measure", metavar="NAME", default="hit@5", help="by which the worst is chosen (default hit@5)"
    )


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Finds the question and shows what happened to it."""
    from ...core.comparing import worst_question
    from ...core.errors import BadInput
    from ...engine.comparing import side_of
    from ...engine.explaining import explain
    from ...engine.resources import Resources
    from ...workspace.runs import Runs
    from ...workspace.testsets import load_testset, located
    from ..explanation import as_json, show

    workspace = open_corpus(options)
    found = Runs(workspace.store).find(options.run)
    chosen = options.question or worst_question(side_of(workspace.store, found), options.measure)
    if chosen is None:
        raise BadInput(f"run {found.id} has no question with a score for '{options.measure}'; name a question")
    path = workspace.testset_path(found.testset)
    question = next((q for q in load_testset(path) if q.id == chosen), None)
    if question is None:
        raise BadInput(f"{path}: no question has the id '{chosen}'")
    names = set(workspace.corpus.names(left_out=True))
    [question], _ = located([question], lambda doc: workspace.corpus.document(doc).text if doc in names else None)
    explanation = explain(Resources(workspace), found, question)
    screen.result(as_json(explanation))
    show(explanation, screen, options.top)
    return 0
