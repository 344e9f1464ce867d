"""How the scores of a run are spread over its questions, and which questions two runs differ on."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from .sides import Side, kind_of, less_is_better, shared_keys

BINS = 10


@dataclass(frozen=True)
class Spread:
    """How many of `n` questions score in each of ten equal parts from `low` to `high`, the last one with its upper end;
    and the scores' least, quartiles and greatest."""

    n: int
    low: float
    high: float
    counts: tuple[int, ...]
    quantiles: tuple[float, float, float, float, float]
    mean: float


@dataclass(frozen=True)
class MovedQuestion:
    """A question that two runs score otherwise: by its key, the score in the first and in the second, and whether the
    second is the better one."""

    key: str
    first: float
    second: float
    better: bool


def spreads(sides: Sequence[Side], name: str) -> list[Spread | None]:
    """The spread of a measure in each run, over the same parts in all: of 0 to 1 for a share or score, of what is there
    for others; None for a run without it."""
    values = [[scores[name] for scores in side.scores.values() if name in scores] for side in sides]
    every = [value for row in values for value in row]
    if not every:
        return [None] * len(sides)
    bounded = all(kind_of(name, side.own) in ("share", "score") for side in sides)
    low, high = (0.0, 1.0) if bounded else (min(every), max(every))
    return [_spread(row, low, high if high > low else low + 1) if row else None for row in values]


def _spread(values: Sequence[float], low: float, high: float) -> Spread:
    data = np.asarray(values, dtype=np.float64)
    places = np.clip(((data - low) / (high - low) * BINS + 1e-9).astype(int), 0, BINS - 1)
    counts = np.bincount(places, minlength=BINS)
    least, lower, middle, upper, most = (float(each) for each in np.quantile(data, [0, 0.25, 0.5, 0.75, 1]))
    return Spread(
        len(data), low, high, tuple(int(each) for each in counts), (least, lower, middle, upper, most),
        float(data.mean()),
    )  # fmt: skip


def moved(first: Side, second: Side, name: str) -> list[MovedQuestion]:
    """The questions that both runs have and score otherwise: what became worse first, by how much."""
    sign = -1 if less_is_better(name, first.own) else 1
    found = [
        MovedQuestion(key, one, other, sign * (other - one) > 0)
        for key in shared_keys(first, second, name)
        if abs((one := first.scores[key][name]) - (other := second.scores[key][name])) > 1e-9
    ]
    return sorted(found, key=lambda each: sign * (each.second - each.first))
