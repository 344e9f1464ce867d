"""Intervals of a mean over questions, chosen by the kind of the measure, never by the values seen."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt
from scipy import special

from .draws import EACH, Draws
from .leaning import USUAL_OF_MEANS, leaning

RESAMPLES = 10_000
LEVEL = 0.95
FEW = 40  # below so many questions an interval of a share is exact
_RARE = 5  # and below so many successes or failures
_PRIOR = 3.0  # questions that count as spread as widely as a mean allows, against too little spread seen
_BLOCK = 2_000_000  # resampled values held at a time
_HELD = 5_000  # draws of up to so many questions are held (50 MB each at the most)
_ROWS = 128  # rows resampled at a time

Values = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Interval:
    """A mean over `n` questions about `documents` documents (0 where these are fixed), and its 95 % interval."""

    mean: float
    low: float
    high: float
    n: int
    method: str
    documents: int = 0


def interval(
    values: Sequence[float],
    kind: str = "score",
    documents: Sequence[str] | None = None,
    seed: int = 0,
    level: float = LEVEL,
) -> Interval:
    """The interval of a mean; `kind` is share, score, count or cost (see `measures`).

    Share (each value 0 or 1): Wilson (1927), or Clopper and Pearson (1934) below 40 questions, or 5 successes or
    failures. Score (0 to 1): the hull of the BCa bootstrap (Efron, 1987) and of the exact interval of a share with as
    many questions as the spread of the values is worth, which holds where they lie near 0 or 1. Count, cost: BCa. Where
    all values are equal there is no spread to go by: a share or score then has the interval of a share.

    With `documents`, a name for each value, documents are drawn too: the variance is greater by how much values of one lean on
    each other (see `leaning`). Raises ValueError for no value, one that is not finite, or one that the kind can't have.
    """
    data = checked(values, kind)
    draws = EACH if documents is None else Draws(documents=grouped(documents))
    [found] = intervals(data[None, :], kind, draws, seed, level)
    assert found is not None
    return found


def intervals(
    values: Values,
    kind: str = "score",
    draws: Draws = EACH,
    seed: int = 0,
    level: float = LEVEL,
) -> list[Interval | None]:
    """The same of each row of values of shape (rows, questions), NaN for what is absent; None for a row without any. Of
    questions that are one draw (`draws.units`) the bootstrap draws all, and a share counts with n ÷ design effect (Kish, 1965).
    Where documents are drawn, the normal quantile gives way to that of Student's t."""
    there = np.isfinite(values)
    bootstrap = kind != "share"
    leans = leaning(values, draws, usual=USUAL_OF_MEANS)
    levels = [wider(level, freedom) for freedom in leans.freedom.tolist()]
    ends = np.zeros((2, len(values)))
    if bootstrap and len(values):
        for each in set(levels):
            rows = np.flatnonzero(np.array(levels) == each)
            ends[:, rows] = bca_rows(values[rows], draws.units, seed, each)
    found: list[Interval | None] = []
    for row, here in enumerate(there):
        data = values[row][here]
        if not len(data):
            found.append(None)
            continue
        own = draws.of(here)
        found.append(_interval(data, kind, own, ends[:, row], float(leans.effect[row]), levels[row]))
    return found


def wider(level: float, freedom: float) -> float:
    """The level whose normal quantile is Student's t at a level."""
    if math.isinf(freedom):
        return level
    return round(2 * float(special.ndtr(special.stdtrit(freedom, (1 + level) / 2))) - 1, 4)


def _interval(data: Values, kind: str, own: Draws, ends: Values, effect: float, level: float) -> Interval:
    n, mean, count = len(data), float(data.mean()), own.document_count
    if np.ptp(data) == 0:
        if kind in ("share", "score"):
            return Interval(mean, *share_interval(mean * n / effect, n / effect, level), n, "share", count)
        return Interval(mean, mean, mean, n, "no spread", count)
    if kind == "share":
        worth = n / (design_effect(data, own.units) * effect)
        low, high = share_interval(mean * worth, worth, level)
        return Interval(mean, low, high, n, "Wilson" if _wilson(mean * worth, worth) else "Clopper-Pearson", count)
    low, high = (mean + (float(end) - mean) * math.sqrt(effect) for end in ends)
    if kind == "score":
        worth = n / (spread_effect(data) * design_effect(data, own.units) * effect)
        tail_low, tail_high = clopper_pearson(mean * worth, worth, level)
        low, high = max(0.0, min(low, tail_low)), min(1.0, max(high, tail_high))
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
    n, count = len(values), len(np.unique(groups))
    alone = float(values.var(ddof=1)) / n if n > 1 else 0.0
    if alone == 0 or count < 2:
        return 1.0
    totals = np.bincount(groups, values - values.mean())
    between = count / (count - 1) * float(np.sum(totals**2)) / n**2
    return max(1.0, between / alone)


def bca(
    values: Values, groups: npt.NDArray[np.int64] | None = None, seed: int = 0, level: float = LEVEL
) -> tuple[float, float]:
    """Bias-corrected and accelerated bootstrap interval of the mean (Efron, 1987), 10,000 resamples of values or of
    whole clusters; both ends are the mean where all values are equal."""
    low, high = bca_rows(values[None, :], groups, seed, level)
    return float(low[0]), float(high[0])


def bca_rows(
    values: Values, groups: npt.NDArray[np.int64] | None = None, seed: int = 0, level: float = LEVEL
) -> tuple[Values, Values]:
    """The same of each row of values of shape (rows, questions), NaN for what is absent: arrays of low and high ends. All
    rows are resampled alike."""
    there = np.isfinite(values)
    whole = bool(there.all())
    kept = values if whole else np.where(there, values, 0.0)
    totals = kept if groups is None else summed(kept, groups)
    if whole:
        sizes = np.ones(values.shape[1]) if groups is None else np.bincount(groups).astype(np.float64)
    else:
        sizes = there.astype(np.float64) if groups is None else summed(there.astype(np.float64), groups)
    counts = np.maximum(sizes.sum(axis=-1), 1.0)
    means = totals.sum(axis=1) / counts
    low, high = means.copy(), means.copy()
    spread = np.array([np.ptp(row[here]) > 0 if here.any() else False for row, here in zip(values, there)])
    drawn = (sizes > 0).sum(axis=-1) >= 2
    rows = np.flatnonzero(spread & drawn)
    for first in range(0, len(rows), _ROWS):
        some = rows[first : first + _ROWS]
        low[some], high[some] = _bca(totals[some], sizes if whole else sizes[some], means[some], seed, level)
    return low, high


def _bca(totals: Values, sizes: Values, means: Values, seed: int, level: float) -> tuple[Values, Values]:
    drawn = _resampled_means(totals, sizes, means, seed)  # (rows, resamples)
    below = (np.sum(drawn < means[:, None] - 1e-12, axis=1) + np.sum(drawn <= means[:, None] + 1e-12, axis=1)) / (
        2 * RESAMPLES
    )
    bias = special.ndtri(np.clip(below, 1 / (2 * RESAMPLES), 1 - 1 / (2 * RESAMPLES)))
    with np.errstate(invalid="ignore", divide="ignore"):
        jackknife = (totals.sum(axis=1, keepdims=True) - totals) / (sizes.sum(axis=-1, keepdims=True) - sizes)
    there = np.broadcast_to(sizes > 0, totals.shape)
    centred = np.where(there, np.mean(jackknife, axis=1, where=there, keepdims=True) - jackknife, 0.0)
    squares = np.sum(centred**2, axis=1)
    cubes = np.sum(centred**3, axis=1)
    acceleration = np.where(squares > 0, cubes / (6 * np.where(squares > 0, squares, 1.0) ** 1.5), 0.0)
    tails = special.ndtri(np.array([(1 - level) / 2, (1 + level) / 2]))
    moved = bias[:, None] + tails
    shifted = special.ndtr(bias[:, None] + moved / (1 - acceleration[:, None] * moved))
    found = np.array([_quantiles(row, at) for row, at in zip(drawn, shifted)])
    return found[:, 0], found[:, 1]


def _quantiles(values: Values, at: Values) -> Values:
    """Quantiles as NumPy's default gives them, without sorting all."""
    places = at * (len(values) - 1)
    lower = np.floor(places).astype(np.int64)
    upper = np.minimum(lower + 1, len(values) - 1)
    part = np.partition(values, np.unique(np.concatenate([lower, upper])))
    return np.asarray(part[lower] + (places - lower) * (part[upper] - part[lower]), dtype=np.float64)


def _resampled_means(totals: Values, sizes: Values, means: Values, seed: int) -> Values:
    """Means of shape (rows, 10,000) of resamples of clusters with the given totals and sizes; the mean itself where a
    resample has no value."""
    found = np.empty((len(totals), RESAMPLES))
    done = 0
    for counts in draws(totals.shape[1], seed, max(1, _BLOCK // max(totals.shape))):
        sums, drawn = totals @ counts.T, sizes @ counts.T
        ends = done, done + len(counts)
        found[:, ends[0] : ends[1]] = np.where(drawn > 0, sums / np.where(drawn > 0, drawn, 1.0), means[:, None])
        done = ends[1]
    return found


def draws(count: int, seed: int, rows: int) -> Iterator[Values]:
    """How often each of `count` things is drawn in each of 10,000 resamples of as many, `rows` resamples at a time: the
    same for whatever is resampled."""
    if count <= _HELD:
        every = _held_draws(count, seed)
        for first in range(0, RESAMPLES, rows):
            yield every[first : first + rows].astype(np.float64)
        return
    draw = np.random.default_rng(seed)
    rows = max(1, min(rows, _BLOCK // count))
    for first in range(0, RESAMPLES, rows):
        yield _counted(draw, min(rows, RESAMPLES - first), count).astype(np.float64)


@lru_cache(maxsize=4)
def _held_draws(count: int, seed: int) -> npt.NDArray[np.uint8]:
    draw = np.random.default_rng(seed)
    rows = max(1, _BLOCK // count)
    parts = [_counted(draw, min(rows, RESAMPLES - first), count) for first in range(0, RESAMPLES, rows)]
    return np.concatenate(parts).astype(np.uint8)


def _counted(draw: np.random.Generator, rows: int, count: int) -> npt.NDArray[np.int64]:
    picked = draw.integers(0, count, size=(rows, count))
    places = (picked + np.arange(rows)[:, None] * count).ravel()
    return np.asarray(np.bincount(places, minlength=rows * count).reshape(rows, count), dtype=np.int64)


def summed(values: Values, groups: npt.NDArray[np.int64]) -> Values:
    """Sums over groups of the last axis: shape (rows, questions) to (rows, groups)."""
    order = np.argsort(groups, kind="stable")
    starts = np.searchsorted(groups[order], np.arange(int(groups.max()) + 1))
    found: Values = np.add.reduceat(values[:, order], starts, axis=1)
    return found


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
