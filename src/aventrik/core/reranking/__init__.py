"""Steps on a list of candidates, one after another. A step is one module and one line in `STEPS`."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from importlib import import_module
from typing import Any, Protocol

from ..tasks import LanguageModel

# step: its settings with their defaults; a text setting names a model
STEPS: dict[str, dict[str, Any]] = {
    "closeness": {"weight": 0.5},
    "relevance": {"model": "offline", "keep": 10},
    "cross-encoder": {"model": "", "keep": 20},
}


@dataclass(frozen=True)
class Item:
    """A candidate as a step sees it: `score` is that of the step before."""

    chunk: int
    score: float
    text: str
    source: str


Rarity = Callable[[str], float]
Refined = list[tuple[int, float]]


class Reranker(Protocol):
    """A model that scores passages against a question."""

    def score(self, pairs: Sequence[tuple[str, Sequence[str]]]) -> list[list[float]]:
        """For each (question, passages) a score a passage, higher is better."""
        ...


@dataclass(frozen=True)
class Means:
    """What steps may use: how rare a term is in the corpus, and models by name.

    Into `failures` a step writes, by place of the question, why it could not look at a candidate.
    """

    rarity: Rarity
    language: Callable[[str], LanguageModel]
    reranker: Callable[[str], Reranker]
    failures: dict[int, str] = field(default_factory=dict)


def settings_of(step: Mapping[str, Any]) -> dict[str, Any]:
    """A step's settings, defaults filled in."""
    return {**STEPS[step["step"]], **{key: value for key, value in step.items() if key != "step"}}


def refine(
    questions: Sequence[str], items: Sequence[Sequence[Item]], steps: Sequence[Mapping[str, Any]], means: Means
) -> list[list[Refined]]:
    """For each question what each step leaves, best first, as (chunk, score); the last is the refined list."""
    left = [list(row) for row in items]
    stages: list[list[Refined]] = [[] for _ in questions]
    for step in steps:
        module: Any = import_module(f"{__name__}.{step['step'].replace('-', '_')}")
        ranked: list[Refined] = module.apply(questions, left, means, **settings_of(step))
        for place, row in enumerate(ranked):
            stages[place].append(row)
            by_chunk = {item.chunk: item for item in left[place]}
            left[place] = [replace(by_chunk[chunk], score=score) for chunk, score in row]
    return stages
