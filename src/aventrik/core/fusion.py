"""Joins several ranked lists into one."""

from __future__ import annotations

from collections.abc import Sequence

from .indexing import Hit

CONSTANT = 60


def by_ranks(lists: Sequence[Sequence[Hit]], constant: int = CONSTANT) -> list[Hit]:
    """Reciprocal rank fusion: the sum over lists of 1 ÷ (constant + rank).

    Cormack, Clarke and Büttcher (2009), Reciprocal rank fusion outperforms Condorcet and individual rank
    learning methods; constant 60 as there. Equal sums stand in order of position.
    """
    total: dict[int, float] = {}
    for ranked in lists:
        for rank, (place, _) in enumerate(ranked, start=1):
            total[place] = total.get(place, 0.0) + 1.0 / (constant + rank)
    return _ordered(total)


def by_scores(lists: Sequence[Sequence[Hit]]) -> list[Hit]:
    """The sum over lists of scores scaled to 0…1 (least and greatest of each list); absent counts 0."""
    total: dict[int, float] = {}
    for ranked in lists:
        if not ranked:
            continue
        low = min(score for _, score in ranked)
        high = max(score for _, score in ranked)
        for place, score in ranked:
            share = (score - low) / (high - low) if high > low else 1.0
            total[place] = total.get(place, 0.0) + share
    return _ordered(total)


def blend(lists: Sequence[Sequence[Hit]], how: str) -> list[Hit]:
    """`by_ranks` or `by_scores`; a single list keeps its own scores."""
    if len(lists) == 1:
        return list(lists[0])
    return by_ranks(lists) if how == "ranks" else by_scores(lists)


def _ordered(total: dict[int, float]) -> list[Hit]:
    return sorted(((place, round(score, 9)) for place, score in total.items()), key=lambda hit: (-hit[1], hit[0]))
