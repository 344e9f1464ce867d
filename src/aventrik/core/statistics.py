"""How far a number can be trusted: intervals, paired differences, corrections for many comparisons, power."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy import special

RESAMPLES = 10_000
LEVEL = 0.95
_BLOCK = 2_000_000  # resampled values held at a time


@dataclass(frozen=True)
class Interval:
    """A mean over `n` questions and its interval; `low` and `high` equal `mean` when all values are equal."""

    mean: float
    low: float
    high: float
    n: int
    method: str


@dataclass(frozen=True)
class Difference:
    """Mean of the paired differences (other minus baseline) with interval and p-value.

    `smallest` is the least true difference that as many questions, spread like these, would show in 80 of 100
    such test sets at the 5 % level; NaN with fewer than two questions.
    """

    mean: float
    low: float
    high: float
    p: float
    n: int
    test: str
    smallest: float


def interval(values: Sequence[float], seed: int = 0, level: float = LEVEL) -> Interval:
    """The interval of a mean: exact Clopper-Pearson for fewer than 30 values of 0 and 1, else BCa bootstrap.

    `values`: at least one finite number.
    """
    data = _checked(values)
    if len(data) < 30 and set(data.tolist()) <= {0.0, 1.0}:
        low, high = clopper_pearson(int(data.sum()), len(data), level)
        return Interval(float(data.mean()), low, high, len(data), "Clopper-Pearson")
    low, high = bca(data, seed, level)
    return Interval(float(data.mean()), low, high, len(data), "BCa bootstrap")


def clopper_pearson(successes: int, n: int, level: float = LEVEL) -> tuple[float, float]:
    """Exact interval of a proportion (Clopper and Pearson, 1934)."""
    tail = (1 - level) / 2
    low = 0.0 if successes == 0 else float(special.betaincinv(successes, n - successes + 1, tail))
    high = 1.0 if successes == n else float(special.betaincinv(successes + 1, n - successes, 1 - tail))
    return low, high


def bca(values: npt.NDArray[np.float64], seed: int = 0, level: float = LEVEL) -> tuple[float, float]:
    """Bias-corrected and accelerated bootstrap interval of the mean (Efron, 1987), 10,000 resamples."""
    mean = float(values.mean())
    if len(values) < 2 or np.ptp(values) == 0:
        return mean, mean
    means = _resampled_means(values, seed)
    below = (np.sum(means < mean) + np.sum(means <= mean)) / (2 * len(means))
    bias = special.ndtri(np.clip(below, 1 / (2 * len(means)), 1 - 1 / (2 * len(means))))
    jackknife = (values.sum() - values) / (len(values) - 1)
    centred = jackknife.mean() - jackknife
    acceleration = np.sum(centred**3) / (6 * np.sum(centred**2) ** 1.5)
    tails = special.ndtri(np.array([(1 - level) / 2, (1 + level) / 2]))
    shifted = bias + (bias + tails) / (1 - acceleration * (bias + tails))
    low, high = np.quantile(means, special.ndtr(shifted))
    return float(low), float(high)


def _resampled_means(values: npt.NDArray[np.float64], seed: int) -> npt.NDArray[np.float64]:
    draw = np.random.default_rng(seed)
    n = len(values)
    rows = max(1, _BLOCK // n)
    blocks = [
        values[draw.integers(0, n, size=(min(rows, RESAMPLES - done), n))].mean(axis=1)
        for done in range(0, RESAMPLES, rows)
    ]
    return np.concatenate(blocks)


def paired_difference(other: Sequence[float], baseline: Sequence[float], seed: int = 0) -> Difference:
    """The difference of two runs on the same questions, in the same order.

    Test: McNemar's exact test when all values are 0 or 1; else the sign-flip randomisation test, exact for at
    most 16 questions, otherwise over 10,000 flips.
    """
    ours, theirs = _checked(other), _checked(baseline)
    if len(ours) != len(theirs):
        raise ValueError(f"paired values must be as many: {len(ours)} and {len(theirs)}")
    gaps = ours - theirs
    low, high = bca(gaps, seed)
    if set(ours.tolist()) | set(theirs.tolist()) <= {0.0, 1.0}:
        p, test = mcnemar(int((gaps > 0).sum()), int((gaps < 0).sum())), "McNemar"
    else:
        p, test = sign_flip(gaps, seed), "sign flip"
    return Difference(float(gaps.mean()), low, high, p, len(gaps), test, smallest_difference(gaps))


def mcnemar(better: int, worse: int) -> float:
    """Two-sided exact p-value (McNemar, 1947) from the questions on which the two runs differ."""
    if better + worse == 0:
        return 1.0
    return min(1.0, 2 * float(special.bdtr(min(better, worse), better + worse, 0.5)))


def sign_flip(gaps: npt.NDArray[np.float64], seed: int = 0) -> float:
    """Two-sided p-value of a mean difference of 0, by flipping the signs of the differences (Fisher, 1935)."""
    observed = abs(gaps.sum())
    moved = gaps[gaps != 0]
    if not len(moved):
        return 1.0
    slack = 1e-12 * max(1.0, observed)
    if len(moved) <= 16:
        signs = 1 - 2 * ((np.arange(2 ** len(moved))[:, None] >> np.arange(len(moved))) & 1)
        return float(np.mean(np.abs(signs @ moved) >= observed - slack))
    draw = np.random.default_rng(seed)
    rows = max(1, _BLOCK // len(moved))
    reached = 0
    for done in range(0, RESAMPLES, rows):
        signs = draw.integers(0, 2, size=(min(rows, RESAMPLES - done), len(moved))) * 2 - 1
        reached += int(np.sum(np.abs(signs @ moved) >= observed - slack))
    return (reached + 1) / (RESAMPLES + 1)


def holm(p_values: Sequence[float]) -> list[float]:
    """p-values corrected for being looked at together (Holm, 1979), in the given order."""
    order = sorted(range(len(p_values)), key=lambda place: p_values[place])
    corrected = [1.0] * len(p_values)
    highest = 0.0
    for step, place in enumerate(order):
        highest = max(highest, min(1.0, (len(p_values) - step) * p_values[place]))
        corrected[place] = highest
    return corrected


def smallest_difference(gaps: npt.NDArray[np.float64], power: float = 0.8, level: float = LEVEL) -> float:
    """(z of the level + z of the power) · standard error of the mean difference; NaN for fewer than two."""
    if len(gaps) < 2:
        return float("nan")
    z = special.ndtri((1 + level) / 2) + special.ndtri(power)
    return float(z * gaps.std(ddof=1) / np.sqrt(len(gaps)))


def _checked(values: Sequence[float]) -> npt.NDArray[np.float64]:
    data = np.asarray(values, dtype=np.float64)
    if data.ndim != 1 or not len(data) or not np.isfinite(data).all():
        raise ValueError("expected at least one finite value")
    return data
