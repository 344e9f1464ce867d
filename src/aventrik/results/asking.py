"""One question through one configuration, now, with the time that each stage took. Nothing of it is kept as a run."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from ..core.testsets import Question
from ..execution.index_recall import recall
from ..execution.open_workspace import OpenWorkspace
from ..execution.passing import Passing
from ..execution.passing import PosedQuestions as Posed
from ..models.calls import COUNTED
from ..pipeline.registry import chain
from ..pipeline.stage import QUESTION, needed
from ..workspace.configuration import Configuration
from .explaining import Explanation, lists_of, shown

ASKED = "asked"
_UNSCORED = ("retrieval scores", "answer scores", "losses", "gains")


@dataclass(frozen=True)
class AskedNow:
    """What came of it: every stage as in a run, but for scores; wall seconds a stage; how many of how many documents
    the filter let pass; the recall of an approximate index (None when search is exact); the tokens of a model's calls."""

    explanation: Explanation
    seconds: dict[str, float]
    passed: int
    documents: int
    recall: float | None
    models: dict[str, float]


def ask(
    opened: OpenWorkspace, configuration: Configuration, text: str, until: str = "", before: Sequence[str] = ()
) -> AskedNow:
    """Takes a question, with those that were asked before it, through all stages. Chunks, indexes and model calls come from
    the store where they are there; their making, when they are not, is the stage "indexes"."""
    nodes = chain(opened.resolve(configuration), until)
    nodes = {name: node for name, node in nodes.items() if node.stage.name not in _UNSCORED}
    place = opened.place(configuration, nodes=nodes)
    question = Question(ASKED, text, by="person", kind="unanswerable", before=tuple(before))
    spent = opened.models.spent()
    so_far = {name: getattr(spent, name) for name in COUNTED}
    seconds: dict[str, float] = {}
    began = time.perf_counter()
    for node in needed(nodes, QUESTION):
        place.wide(node)
        if "embedder" in node.models:  # what a model loads at its first use is not the stage's time
            place.bench.models.get(node.models["embedder"]).embed([text], place.wide(node)["fitted"] or {}, "query")
    seconds["indexes"] = time.perf_counter() - began
    passing = Passing(place, Posed([question], opened.standing), fresh=opened.fresh)
    for node in needed(nodes, QUESTION):
        began = time.perf_counter()
        passing.stage(node, passing.underway)
        seconds[node.name] = time.perf_counter() - began
    found: dict[str, Any] = {node.name: passing.records(node.name)[0] for node in needed(nodes, QUESTION)}
    after = opened.models.spent()
    used = {name: getattr(after, name) - so_far[name] for name in ("calls", "tokens_in", "tokens_out", "money")}
    explanation = Explanation(
        configuration, question, found, [], shown(place, found, question), lists=lists_of(place, found, question)
    )
    passed = len(place.snapshot) if place.condition is None else len(place.condition)
    return AskedNow(explanation, seconds, passed, len(place.snapshot), recall(place), used)
