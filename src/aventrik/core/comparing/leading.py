"""Which of many configurations are best, how sure that is, and how much of the winner's mean is luck of being chosen."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from .intervals import LEVEL, RESAMPLES, draws, summed

ALPHA = 0.05
FLIPS = 2000  # signs flipped at once for the model confidence set
_BLOCK = 4_000_000  # values held at a time
_TIE = 1e-9
_MANY = 200  # configurations from which on half as many will do
_FLIPPED = 200  # flips worked on at a time
_ROUNDED = 1e-5  # relative error of single precision, within which values count as equal

Values = npt.NDArray[np.float64]


@dataclass(frozen=True)
class CorrectedWinner:
    """The mean of the one that was chosen for being best, and what is left of it without the luck of being chosen, with
    its interval; `taken` is the difference, 0 or more."""

    mean: float
    corrected: float
    low: float
    high: float

    @property
    def taken(self) -> float:
        """How much of the mean is luck."""
        return abs(self.mean - self.corrected)


def totals_of(values: Values, groups: npt.NDArray[np.int64] | None) -> tuple[Values, Values]:
    """Sums of shape (configurations, draws) and the number of questions of each draw: a draw is a question, or with
    `groups` a document."""
    if groups is None:
        return values, np.ones(values.shape[1])
    return summed(values, groups), np.bincount(groups).astype(np.float64)


def model_confidence_set(
    values: Values, groups: npt.NDArray[np.int64] | None = None, seed: int = 0, level: float = ALPHA
) -> Values:
    """For each configuration the p-value of the hypothesis that none is better (Hansen, Lunde and Nason, 2011): those at
    `level` or above are the group that can't be told from the best, which holds all that are truly best with 1 − level.

    `values` has shape (configurations, questions), more is better, nothing is NaN. The statistic is the range form, the
    greatest of the paired differences ÷ their root sum of squares; its distribution where all are equal comes of
    flipping the signs of whole questions (or documents, by `groups`), which for two configurations is the sign-flip
    test. All that are worse than another one by the limit are taken out at a step, and what is left is tested again.
    """
    count = len(values)
    p = np.ones(count)
    if count < 2:
        return p
    totals, _ = totals_of(values, groups)
    means = totals.sum(axis=1)
    signs = _signs(totals.shape[1], seed, FLIPS if count <= _MANY else FLIPS // 2)
    flipped = signs @ totals.T  # (flips, configurations)
    squares = totals**2
    left = np.arange(count)
    reached = 0.0
    while len(left) > 1:
        scale = _distances(totals[left], squares[left])
        behind = _behind(means[left], scale)
        greatest = np.sort(_greatest(flipped[:, left], scale))
        # (1 + how many reach it) ÷ (1 + flips), of each one's distance from the one that beats it most
        found = (1 + len(greatest) - np.searchsorted(greatest, behind * (1 - _ROUNDED) - 1e-9)) / (1 + len(greatest))
        out = found < level
        if not out.any():
            p[left] = np.maximum(reached, found)
            break
        p[left[out]] = np.maximum(reached, found[out])
        reached = max(reached, float(found[out].max()))
        left = left[~out]
    return p


def may_be_best(
    values: Values, groups: npt.NDArray[np.int64] | None = None, seed: int = 0, flips: int = FLIPS
) -> Values:
    """For each configuration the p-value of the hypothesis that it is the best one or as good, against all others at
    once: the greatest paired difference of another one ÷ its root sum of squares, held against the same of flipped
    signs. The best one has a p-value below α with a chance of at most α. Shapes as in `model_confidence_set`."""
    count = len(values)
    if count < 2:
        return np.ones(count)
    totals, _ = totals_of(values, groups)
    means = totals.sum(axis=1)
    signs = _signs(totals.shape[1], seed, flips)
    flipped = np.ascontiguousarray((signs @ totals.T).T, dtype=np.float32)
    scale = _distances(totals, totals**2)
    behind, inverse = _behind(means, scale), _inverse(scale)
    reached = np.zeros(count)
    for start in range(0, flips, _FLIPPED):
        some = np.ascontiguousarray(flipped[:, start : start + _FLIPPED])
        gaps = np.empty_like(some)
        for place in range(count):
            np.subtract(some, some[place], out=gaps)
            np.multiply(gaps, inverse[:, place, None], out=gaps)
            reached[place] += np.sum(gaps.max(axis=0) >= behind[place] * (1 - _ROUNDED) - 1e-9)
    return np.asarray((1 + reached) / (1 + flips), dtype=np.float64)


def _signs(count: int, seed: int, flips: int = FLIPS) -> Values:
    bits = np.random.default_rng(seed).integers(0, 2, size=(flips, count), dtype=np.int8)
    return np.asarray(1.0 - 2.0 * bits, dtype=np.float64)


def _distances(totals: Values, squares: Values) -> Values:
    """Roots of the sums of squared differences between each two configurations, shape (n, n); 0 for equal ones."""
    sums = squares.sum(axis=1)
    found = sums[:, None] + sums[None, :] - 2 * (totals @ totals.T)
    limit = 1e-10 * np.maximum(sums[:, None], sums[None, :])
    return np.asarray(np.sqrt(np.where(found > limit, found, 0.0)), dtype=np.float64)


def _behind(means: Values, scale: Values) -> Values:
    """How far each is behind the one that beats it most, 0 for the best."""
    gaps = means[None, :] - means[:, None]
    return np.asarray(
        np.max(np.where(scale > 0, gaps / np.where(scale > 0, scale, 1.0), 0.0), axis=1), dtype=np.float64
    )


def _greatest(flipped: Values, scale: Values) -> Values:
    """The greatest statistic over all pairs, for each flip."""
    inverse = _inverse(scale)
    found = np.zeros(len(flipped), dtype=np.float32)
    for start in range(0, len(flipped), _FLIPPED):
        some = np.ascontiguousarray(flipped[start : start + _FLIPPED].T, dtype=np.float32)
        gaps = np.empty_like(some)
        best = found[start : start + _FLIPPED]
        for place in range(len(some) - 1):
            part = gaps[place + 1 :]
            np.subtract(some[place + 1 :], some[place], out=part)
            part *= inverse[place + 1 :, place, None]
            np.maximum(best, part.max(axis=0), out=best)
            np.maximum(best, -part.min(axis=0), out=best)
    return found.astype(np.float64)


def _inverse(scale: Values) -> npt.NDArray[np.float32]:
    found: npt.NDArray[np.float32] = np.where(scale > 0, 1 / np.where(scale > 0, scale, 1.0), 0.0).astype(np.float32)
    return found


def chances(values: Values, groups: npt.NDArray[np.int64] | None = None, seed: int = 0) -> Values:
    """The share of 10,000 resamples of the questions (or documents) in which each configuration has the best mean; those
    with equal means share a resample. Shapes as in `model_confidence_set`."""
    won = np.zeros(len(values))
    for means, _ in _resampled(values, groups, seed):
        best = means >= means.max(axis=1, keepdims=True) - _TIE
        won += (best / best.sum(axis=1, keepdims=True)).sum(axis=0)
    return np.asarray(won / RESAMPLES, dtype=np.float64)


def corrected_mean(
    values: Values, groups: npt.NDArray[np.int64] | None = None, seed: int = 0, level: float = LEVEL
) -> CorrectedWinner:
    """The best one's mean corrected for its having been chosen (Tsamardinos, Greasidou and Borboudakis, 2018): for each
    resample the one that is best in it is scored on the questions that were not drawn; the mean of that, and its
    percentiles. Shapes as in `model_confidence_set`. With one configuration nothing is taken off.
    """
    means = values.mean(axis=1)
    mean = float(means.max())
    found = []
    for inside, outside in _resampled(values, groups, seed):
        best = inside >= inside.max(axis=1, keepdims=True) - _TIE
        found.append((np.where(best, outside, 0.0)).sum(axis=1) / best.sum(axis=1))
    scores = np.concatenate(found)
    scores = scores[np.isfinite(scores)]
    if not len(scores) or np.ptp(values) == 0:
        return CorrectedWinner(mean, mean, mean, mean)
    low, high = np.quantile(scores, [(1 - level) / 2, (1 + level) / 2])
    corrected = min(mean, float(scores.mean())) if len(np.unique(values, axis=0)) > 1 else mean
    return CorrectedWinner(mean, corrected, float(low), float(high))


def _resampled(values: Values, groups: npt.NDArray[np.int64] | None, seed: int) -> Iterator[tuple[Values, Values]]:
    """Means of shape (resamples, configurations) over what was drawn and over what was not, a block at a time; NaN where
    everything was drawn."""
    totals, sizes = totals_of(values, groups)
    rows = max(1, _BLOCK // max(totals.shape))
    for counts in draws(len(sizes), seed, rows):
        undrawn = (counts == 0).astype(np.float64)
        with np.errstate(invalid="ignore", divide="ignore"):
            outside = (undrawn @ totals.T) / (undrawn @ sizes)[:, None]
        yield (counts @ totals.T) / (counts @ sizes)[:, None], outside
