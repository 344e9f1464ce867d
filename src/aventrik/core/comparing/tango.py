"""The score interval of the difference of paired shares (Tango, 1998)."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from scipy import special

from .intervals import LEVEL, Values

_HALVINGS = 40


def tango_interval(better: float, worse: float, n: float, level: float = LEVEL) -> tuple[float, float]:
    """Score interval of the difference of paired proportions (Tango, 1998): all δ at which the score statistic
    (better − worse − nδ) ÷ √(n(2q + δ(1 − δ))) lies between ±z, q the maximum-likelihood share that is worse at δ."""
    low, high = tango_intervals(np.array([better]), np.array([worse]), np.array([n]), level)
    return float(low[0]), float(high[0])


def tango_intervals(
    better: Values, worse: Values, n: Values, level: float = LEVEL, z: float | None = None
) -> tuple[Values, Values]:
    """The same of many pairs at once; `z` is that of the level, if it is not given."""
    z = float(special.ndtri((1 + level) / 2)) if z is None else z

    def score(delta: Values) -> Values:
        a, b = 2 * n, -better - worse + (2 * n - better + worse) * delta
        c = -worse * delta * (1 - delta)
        q = (np.sqrt(np.maximum(0.0, b * b - 4 * a * c)) - b) / (2 * a)
        variance = n * (2 * q + delta * (1 - delta))
        gap = better - worse - n * delta
        none = np.where(gap == 0, 0.0, np.copysign(np.inf, gap))
        return np.asarray(
            np.where(variance > 1e-12, gap / np.sqrt(np.maximum(variance, 1e-12)), none), dtype=np.float64
        )

    mean = (better - worse) / n
    edge = np.full(len(n), 1 - 1e-9)
    low = np.where(score(-edge) < z, -1.0, _roots(lambda d: score(d) - z, -edge, mean))
    high = np.where(score(edge) > -z, 1.0, _roots(lambda d: score(d) + z, mean, edge))
    return low, high


def _roots(function: Callable[[Values], Values], low: Values, high: Values) -> Values:
    """Where falling functions are 0 between two places, by halving."""
    for _ in range(_HALVINGS):
        middle = (low + high) / 2
        above = function(middle) > 0
        low, high = np.where(above, middle, low), np.where(above, high, middle)
    return (low + high) / 2
