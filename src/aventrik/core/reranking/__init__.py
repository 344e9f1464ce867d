"""Steps on a list of candidates, one after another. A step is one module and one line in `STEPS`."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from importlib import import_module
from typing import Any

# step: its settings with their defaults
STEPS: dict[str, dict[str, Any]] = {
    "closeness": {"weight": 0.5},
}


@dataclass(frozen=True)
class Item:
    """A candidate as a step sees it: `score` is that of the step before; `rarity` weighs a term in the corpus."""

    chunk: int
    score: float
    text: str
    source: str


Rarity = Callable[[str], float]
Refined = list[tuple[int, float]]


def refine(question: str, items: Sequence[Item], steps: Sequence[Mapping[str, Any]], rarity: Rarity) -> list[Refined]:
    """What each step leaves, best first, as (chunk, score); the last entry is the refined list."""
    left = list(items)
    by_chunk = {item.chunk: item for item in items}
    stages: list[Refined] = []
    for step in steps:
        settings = {**STEPS[step["step"]], **{key: value for key, value in step.items() if key != "step"}}
        apply: Callable[..., Refined] = import_module(f"{__name__}.{step['step']}").apply
        ranked = apply(question, left, rarity, **settings)
        stages.append(ranked)
        left = [Item(chunk, score, by_chunk[chunk].text, by_chunk[chunk].source) for chunk, score in ranked]
    return stages
