"""One question through one configuration, now, with the time that each stage took. Nothing of it is kept as a run."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from ..core.questions import Question
from ..workspace.configuration import Configuration
from .explaining import Explanation, chunks_shown
from .question_stages import QuestionStages, Results
from .runner import Runner

ASKED = "asked"


@dataclass(frozen=True)
class Asked:
    """What came of it: every stage as in a run, but for scores; wall seconds a stage; how many of how many documents
    the filter let pass; the recall of an approximate index (None when search is exact); the tokens of a model's calls."""

    explanation: Explanation
    seconds: dict[str, float]
    passed: int
    documents: int
    recall: float | None
    models: dict[str, float]


def ask(runner: Runner, configuration: Configuration, text: str) -> Asked:
    """Takes a question through all stages. Chunks, indexes and model calls come from the store where they are there;
    their making, when they are not, is the stage "indexes"."""
    resources = runner.resources
    question = Question(ASKED, text, by="person", kind="unanswerable")
    stages = QuestionStages(resources, runner.models, configuration, runner.judging)
    seconds: dict[str, float] = {}
    found: dict[str, Any] = {}
    before = runner.models.spent()

    def timed(stage: str, make: Callable[..., Results], *inputs: Results) -> Results:
        began = time.perf_counter()
        made = make([question], *inputs)
        seconds[stage] = time.perf_counter() - began
        [found[stage]] = made
        return made

    began = time.perf_counter()
    _, names = resources.allowed(configuration.search.where)
    indexes = resources.indexes(configuration)
    if indexes.nearest is not None:
        resources.embed_queries(configuration, [[text]])  # what a model loads at its first use is not the stage's time
    resources.served(configuration)
    seconds["indexes"] = time.perf_counter() - began
    queries = timed("queries", stages.queries)
    candidates = timed("candidates", stages.candidates, queries)
    refined = timed("refined", stages.refined, candidates)
    context = timed("context", stages.context, refined)
    answers = timed("answer", stages.answers, context)
    timed("verdicts", stages.verdicts, context, answers)
    after = runner.models.spent()
    spent = {
        name: getattr(after, name) - getattr(before, name) for name in ("calls", "tokens_in", "tokens_out", "money")
    }
    chunks = chunks_shown(resources, stages.table, stages.units, found["candidates"], question)
    explanation = Explanation(configuration, question, found, [], chunks)
    documents = len(resources.documents)
    recall = resources.recall(configuration)
    return Asked(explanation, seconds, documents if names is None else len(names), documents, recall, spent)
