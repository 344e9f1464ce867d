"""Joins several ranked lists into one."""

from __future__ import annotations

import math
from collections.abc import Sequence

from ..indexing import Hit

BLENDS = ("ranks", "scores")
SCALINGS = ("min-max", "z-score")
CONSTANT = 60


def by_ranks(lists: Sequence[Sequence[Hit]], weights: Sequence[float] = (), constant: int = CONSTANT) -> list[Hit]:
    """Reciprocal rank fusion: the sum over lists of weight ÷ (constant + rank); without weights each is 1.

    Cormack, Clarke and Büttcher (2009), Reciprocal rank fusion outperforms Condorcet and individual rank
    learning methods; constant 60 as there. Equal sums stand in order of position.
    """
    total: dict[int, float] = {}
    for ranked, weight in zip(lists, weights or [1.0] * len(lists)):
        for rank, (place, _) in enumerate(ranked, start=1):
            total[place] = total.get(place, 0.0) + weight / (constant + rank)
    return _ordered(total)


def by_scores(lists: Sequence[Sequence[Hit]], weights: Sequence[float] = (), scaling: str = "min-max") -> list[Hit]:
    """The sum over lists of weight × scaled score; a place that a list does not have counts there as its least.

    "min-max" scales a list's least score to 0 and its greatest to 1; "z-score" takes its mean off and divides by its
    standard deviation.
    """
    total: dict[int, float] = {place: 0.0 for ranked in lists for place, _ in ranked}
    for ranked, weight in zip(lists, weights or [1.0] * len(lists)):
        if not ranked:
            continue
        scaled = dict(zip((place for place, _ in ranked), _scaled([score for _, score in ranked], scaling)))
        least = min(scaled.values()) if scaling == "z-score" else 0.0
        for place in total:
            total[place] += weight * scaled.get(place, least)
    return _ordered(total)


def _scaled(scores: Sequence[float], scaling: str) -> list[float]:
    if scaling == "z-score":
        mean = sum(scores) / len(scores)
        spread = math.sqrt(sum((score - mean) ** 2 for score in scores) / len(scores))
        return [(score - mean) / spread if spread > 0 else 0.0 for score in scores]
    low, high = min(scores), max(scores)
    return [(score - low) / (high - low) if high > low else 1.0 for score in scores]


def blend(
    lists: Sequence[Sequence[Hit]], how: str, weights: Sequence[float] = (), scaling: str = "min-max"
) -> list[Hit]:
    """`by_ranks` or `by_scores`; a single list keeps its own scores."""
    if len(lists) == 1:
        return list(lists[0])
    return by_ranks(lists, weights) if how == "ranks" else by_scores(lists, weights, scaling)


def _ordered(total: dict[int, float]) -> list[Hit]:
    return sorted(((place, round(score, 9)) for place, score in total.items()), key=lambda hit: (-hit[1], hit[0]))
