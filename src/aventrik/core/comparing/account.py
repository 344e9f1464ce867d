"""Where the needs of a run were lost, and which question it did worst on."""

from __future__ import annotations

from collections import Counter

from ..measures.loss import STAGES, stage_of, step_of
from .sides import Side, less_is_better

_ORDER = list(STAGES)


def losses(side: Side) -> dict[str, int]:
    """How many needs of all questions were lost at each stage, in order, zeros too."""
    counts = Counter(stage_of(lost) for row in side.lost.values() for lost in row)
    return {stage: counts.get(stage, 0) for stage in _ORDER}


def losses_by_step(side: Side) -> dict[str, int]:
    """How many needs of all questions each reranking step has dropped, by its name; steps that dropped none are not
    there."""
    return dict(sorted(Counter(step for row in side.lost.values() for lost in row if (step := step_of(lost))).items()))


def worst_question(side: Side, name: str) -> str | None:
    """The key of the question that scores worst on a measure; of several the one whose evidence was lost first, and of
    these the first."""
    have = [key for key, scores in side.scores.items() if name in scores]
    if not have:
        return None
    sign = -1 if less_is_better(name, side.own) else 1

    def badness(key: str) -> tuple[float, int]:
        stage = min((_ORDER.index(stage_of(lost)) for lost in side.lost.get(key, ())), default=len(_ORDER))
        return (sign * side.scores[key][name], stage)

    return min(have, key=badness)
