"""Where the needs of a run were lost, and which question it did worst on."""

from __future__ import annotations

from collections import Counter

from ..measures.loss import STAGES
from .sides import Side, less_is_better

_ORDER = list(STAGES)


def losses(side: Side) -> dict[str, int]:
    """How many needs of all questions were lost at each stage, in order, zeros too."""
    counts = Counter(stage for stages in side.lost.values() for stage in stages)
    return {stage: counts.get(stage, 0) for stage in _ORDER}


def worst_question(side: Side, name: str) -> str | None:
    """The key of the question that scores worst on a measure; of several the one whose evidence was lost first, and of
    these the first."""
    have = [key for key, scores in side.scores.items() if name in scores]
    if not have:
        return None
    sign = -1 if less_is_better(name, side.own) else 1

    def badness(key: str) -> tuple[float, int]:
        stage = min((_ORDER.index(stage) for stage in side.lost.get(key, ())), default=len(_ORDER))
        return (sign * side.scores[key][name], stage)

    return min(have, key=badness)
