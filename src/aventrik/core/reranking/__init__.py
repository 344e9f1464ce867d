"""Steps on a list of candidates, one after another. A step is one module and one line in `STEPS`."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from importlib import import_module
from typing import Any

from ..protocols import LanguageModel, Reranker


@dataclass(frozen=True)
class Step:
    """What a step is: its settings with their defaults, the kind of model that its setting `model` names, the task it
    gives to a language model, and whether it asks how rare a term is."""

    settings: Mapping[str, Any]
    model: str = ""  # "", language, reranking
    task: str = ""
    rarity: bool = False


STEPS: dict[str, Step] = {
    "closeness": Step({"weight": 0.5}, rarity=True),
    "relevance": Step({"model": "offline", "keep": 10}, "language", "relevance"),
    "cross-encoder": Step({"model": "", "keep": 20}, "reranking"),
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


@dataclass(frozen=True)
class Means:
    """What a step may use, each None where its entry in `STEPS` does not ask for it: how rare a term is in the corpus,
    and its model.

    Into `failures` a step writes, by place of the question, why it could not look at a candidate.
    """

    rarity: Rarity | None = None
    language: LanguageModel | None = None
    reranker: Reranker | None = None
    failures: dict[int, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Ranked:
    """What a step leaves of a question's list, best first, as (chunk, score)."""

    items: tuple[tuple[int, float], ...] = ()
    failure: str = ""


def settings_of(step: Mapping[str, Any]) -> dict[str, Any]:
    """A step's settings but for its model, defaults filled in."""
    known = STEPS[step["step"]].settings
    return {key: step.get(key, default) for key, default in known.items() if key != "model"}


def apply(
    name: str,
    questions: Sequence[str],
    items: Sequence[Sequence[Item]],
    settings: Mapping[str, Any],
    means: Means,
) -> list[Ranked]:
    """What one step leaves of each question's candidates."""
    module: Any = import_module(f"{__name__}.{name.replace('-', '_')}")
    ranked: list[Refined] = module.apply(questions, items, means, **settings)
    return [Ranked(tuple(row), means.failures.get(place, "")) for place, row in enumerate(ranked)]
