"""Intervals of a mean over questions, chosen by the kind of the measure, never by the values seen."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt
from scipy import special

RESAMPLES = 10_000
LEVEL = 0.95
FEW = 40  # below so many questions an interval of a share is exact
_RARE = 5  # and below so many successes or failures
_PRIOR = 3.0  # questions that count as spread as widely as a mean allows, against too little spread seen
_BLOCK = 2_000_000  # resampled values held at a time
_HELD = 400  # draws of up to so many questions are held (32 MB each)

Values = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Interval:
    """A mean over `n` questions of `clusters` documents (0 where each question counts by itself), and its interval."""

    mean: float
    low: float
    high: float
    n: int
    method: str
    clusters: int = 0


def interval(
    values: Sequence[float],
    kind: str = "score",
    clusters: Sequence[str] | None = None,
    seed: int = 0,
    level: float = LEVEL,
) -> Interval:
    """The interval of a mean; `kind` is share, score, count or cost (see `measures`).

    Share (each value 0 or 1): Wilson (1927), or Clopper and Pearson (1934) below 40 questions, or 5 successes or
    failures. Score (0 to 1): the hull of the BCa bootstrap (Efron, 1987) and of the exact interval of a share with as
    many questions as the spread of the values is worth, which holds where they lie near 0 or 1. Count, cost: BCa. Where
    all values are equal there is no spread to go by: a share or score then has the interval of a share.

    With `clusters`, a name for each value, values of the same cluster lean on each other: the bootstrap draws clusters,
    and a share counts with n ÷ design effect (Kish, 1965). Raises ValueError for no value, one that is not finite, or
    one that the kind can't have.
    """
    data = checked(values, kind)
    n, mean = len(data), float(data.mean())
    groups = None if clusters is None else grouped(clusters)
    count = 0 if groups is None else int(groups.max()) + 1
    if np.ptp(data) == 0:
        if kind in ("share", "score"):
            return Interval(mean, *share_interval(mean * n, n, level), n, "share", count)
        return Interval(mean, mean, mean, n, "no spread", count)
    if kind == "share":
        worth = n / design_effect(data, groups)
        low, high = share_interval(mean * worth, worth, level)
        return Interval(mean, low, high, n, "Wilson" if _wilson(mean * worth, worth) else "Clopper-Pearson", count)
    low, high = bca(data, groups, seed, level)
    if kind == "score":
        worth = n / (spread_effect(data) * design_effect(data, groups))
        tail_low, tail_high = clopper_pearson(mean * worth, worth, level)
        low, high = min(low, tail_low), max(high, tail_high)
    return Interval(mean, low, high, n, "BCa bootstrap", count)


def share_interval(successes: float, n: float, level: float = LEVEL) -> tuple[float, float]:
    """Wilson's interval, or Clopper-Pearson's for few questions, successes or failures."""
    return wilson(successes, n, level) if _wilson(successes, n) else clopper_pearson(successes, n, level)


def _wilson(successes: float, n: float) -> bool:
    return n >= FEW and min(successes, n - successes) >= _RARE


def wilson(successes: float, n: float, level: float = LEVEL) -> tuple[float, float]:
    """Score interval of a proportion (Wilson, 1927)."""
    z = float(special.ndtri((1 + level) / 2))
    share = successes / n
    centre = (share + z * z / (2 * n)) / (1 + z * z / n)
    half = z * math.sqrt(share * (1 - share) / n + z * z / (4 * n * n)) / (1 + z * z / n)
    return max(0.0, centre - half), min(1.0, centre + half)


def clopper_pearson(successes: float, n: float, level: float = LEVEL) -> tuple[float, float]:
    """Exact interval of a proportion (Clopper and Pearson, 1934); fractions are taken as they are."""
    tail = (1 - level) / 2
    low = 0.0 if successes <= 0 else float(special.betaincinv(successes, n - successes + 1, tail))
    high = 1.0 if successes >= n else float(special.betaincinv(successes + 1, n - successes, 1 - tail))
    return low, high


def spread_effect(values: Values) -> float:
    """Variance of values in 0…1 ÷ the greatest that their mean allows, m(1 − m), at most 1. Three more questions count
    as spread that widely: a small sample may show too little of the spread there is."""
    mean, n = float(values.mean()), len(values)
    most = mean * (1 - mean)
    return min(1.0, (float(np.sum((values - mean) ** 2)) + _PRIOR * most) / ((n - 1 + _PRIOR) * most))


def design_effect(values: Values, groups: npt.NDArray[np.int64] | None) -> float:
    """How much the variance of the mean grows because values of a cluster lean on each other (Kish, 1965): between
    clusters ÷ as if each were drawn by itself; at least 1, and at most n ÷ clusters times the largest share."""
    if groups is None:
        return 1.0
    n, count = len(values), int(groups.max()) + 1
    alone = float(values.var(ddof=1)) / n if n > 1 else 0.0
    if alone == 0 or count < 2:
        return 1.0
    totals = np.bincount(groups, values - values.mean(), minlength=count)
    between = count / (count - 1) * float(np.sum(totals**2)) / n**2
    return max(1.0, between / alone)


def bca(
    values: Values, groups: npt.NDArray[np.int64] | None = None, seed: int = 0, level: float = LEVEL
) -> tuple[float, float]:
    """Bias-corrected and accelerated bootstrap interval of the mean (Efron, 1987), 10,000 resamples of values or of
    whole clusters; both ends are the mean where all values are equal."""
    mean = float(values.mean())
    if len(values) < 2 or np.ptp(values) == 0:
        return mean, mean
    totals, sizes = (
        (values, np.ones(len(values))) if groups is None else (np.bincount(groups, values), np.bincount(groups))
    )
    if len(totals) < 2:
        return mean, mean
    means = _resampled_means(totals, sizes, seed)
    below = (np.sum(means < mean - 1e-12) + np.sum(means <= mean + 1e-12)) / (2 * len(means))
    bias = special.ndtri(np.clip(below, 1 / (2 * len(means)), 1 - 1 / (2 * len(means))))
    jackknife = (totals.sum() - totals) / (sizes.sum() - sizes)
    centred = jackknife.mean() - jackknife
    squares = float(np.sum(centred**2))
    acceleration = np.sum(centred**3) / (6 * squares**1.5) if squares > 0 else 0.0
    tails = special.ndtri(np.array([(1 - level) / 2, (1 + level) / 2]))
    shifted = bias + (bias + tails) / (1 - acceleration * (bias + tails))
    low, high = np.quantile(means, special.ndtr(shifted))
    return float(low), float(high)


def _resampled_means(totals: npt.NDArray, sizes: npt.NDArray, seed: int) -> Values:
    """Means of 10,000 resamples of clusters with the given totals and sizes."""
    n = len(totals)
    if n <= _HELD:
        drawn = _draws(n, seed)
        found: Values = (drawn @ totals) / (drawn @ sizes)
        return found
    draw = np.random.default_rng(seed)
    rows = max(1, _BLOCK // n)
    blocks = []
    for done in range(0, RESAMPLES, rows):
        picked = draw.integers(0, n, size=(min(rows, RESAMPLES - done), n))
        blocks.append(totals[picked].sum(axis=1) / sizes[picked].sum(axis=1))
    return np.concatenate(blocks)


@lru_cache(maxsize=4)
def _draws(n: int, seed: int) -> Values:
    """How often each of n is drawn in each of 10,000 resamples, shape (10,000, n): the same for many measures and runs."""
    picked = np.random.default_rng(seed).integers(0, n, size=(RESAMPLES, n))
    places = (picked + np.arange(RESAMPLES)[:, None] * n).ravel()
    return np.bincount(places, minlength=RESAMPLES * n).reshape(RESAMPLES, n).astype(np.float64)


def grouped(clusters: Sequence[str]) -> npt.NDArray[np.int64]:
    """Cluster names as numbers from 0, in order of appearance."""
    numbers: dict[str, int] = {}
    return np.array([numbers.setdefault(name, len(numbers)) for name in clusters], dtype=np.int64)


def checked(values: Sequence[float], kind: str = "") -> Values:
    """Values as an array; raises ValueError for none, one that is not finite, or one that the kind can't have."""
    data = np.asarray(values, dtype=np.float64)
    if data.ndim != 1 or not len(data) or not np.isfinite(data).all():
        raise ValueError("expected at least one finite value")
    if kind == "share" and not np.isin(data, (0.0, 1.0)).all():
        raise ValueError("a share is 0 or 1 for each question")
    if kind == "score" and (data.min() < -1e-9 or data.max() > 1 + 1e-9):
        raise ValueError("a score lies from 0 to 1")
    return data
