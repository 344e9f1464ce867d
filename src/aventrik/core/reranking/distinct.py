"""Drops items that repeat what stands before them, or puts the list in an order in which little is repeated."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from . import Item, Refined, StepMeans
from .likeness import passages


def apply(
    questions: Sequence[str],
    items: Sequence[Sequence[Item]],
    means: StepMeans,
    way: str,
    above: float,
    balance: float,
    keep: int,
) -> list[Refined]:
    """The first `keep` items of each question, those behind dropped. Likeness is the cosine of two texts, by the step's
    embedding model or else by their terms.

    "likeness" drops an item whose likeness to one before it is greater than `above`. "marginal" orders by maximal
    marginal relevance (Carbonell and Goldstein, 1998): next comes the item with the greatest
    balance · relevance − (1 − balance) · greatest likeness to those before it, where relevance is the score of the step
    before, scaled to 0 … 1 in its list. It drops none of the first `keep`.
    """
    rows = [row[:keep] for row in items]
    return [
        [row[place] for place in (_different(near, above) if way == "likeness" else _marginal(row, near, balance))]
        for row, near in zip(rows, ([vectors @ vectors.T for vectors in passages(rows, means)]))
    ]


def _different(near: npt.NDArray, above: float) -> list[int]:
    kept: list[int] = []
    for place in range(len(near)):
        if not kept or float(near[place, kept].max()) <= above + 1e-6:
            kept.append(place)
    return kept


def _marginal(row: Sequence[Item], near: npt.NDArray, balance: float) -> list[int]:
    if not row:
        return []
    scores = np.array([item.score for item in row])
    low, high = scores.min(), scores.max()
    relevance = (scores - low) / (high - low) if high > low else np.ones(len(row))
    left = list(range(len(row)))
    kept: list[int] = []
    repeated = np.zeros(len(row))
    while left:
        worth = balance * relevance[left] - (1 - balance) * repeated[left]
        place = left[int(np.argmax(np.round(worth, 9)))]
        left.remove(place)
        kept.append(place)
        repeated = np.maximum(repeated, near[place]) if len(kept) > 1 else near[place].copy()
    return kept
