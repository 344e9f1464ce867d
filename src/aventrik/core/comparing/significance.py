"""Tests of a paired difference, and the correction for looking at many."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
from scipy import special

FLIPS = 10_000  # at first
MOST_FLIPS = 1_000_000
EXACT = 16  # as many signs are flipped in every way
_BLOCK = 1 << 22  # flipped signs held at a time
_SETTLED = 2_000  # flips as extreme as what was seen from which on the p-value is known to 2 %
_SURE = 3.3  # standard errors between a p-value and a limit at which it counts as settled

Values = npt.NDArray[np.float64]


def mcnemar(better: int, worse: int) -> float:
    """Two-sided exact p-value (McNemar, 1947) from the questions on which the two runs differ."""
    if better + worse == 0:
        return 1.0
    return min(1.0, 2 * float(special.bdtr(min(better, worse), better + worse, 0.5)))


def skewness_corrected(sums: npt.NDArray, cubes: npt.NDArray, squares: float, n: int) -> Values:
    """Student's t of the mean corrected for skewness by Hall's transformation (1992), for many samples of n at once that
    share the sum of their squares: t + g·t² ÷ (3√n) + g²·t³ ÷ (27n) + g ÷ (6√n), g = third central moment ÷ s³. It rises
    with t whatever g is.

    `sums` and `cubes` are the sums of the values and of their cubes.
    """
    mean = sums / n
    variance = (squares - n * mean**2) / (n - 1)
    flat = variance <= 1e-15 * squares  # all values equal: no doubt about the sign of the mean
    spread = np.sqrt(np.where(flat, 1.0, variance))
    t = np.sqrt(n) * mean / spread
    third = cubes / n - 3 * mean * squares / n + 2 * mean**3
    g = third / spread**3
    found: Values = t + g * (1 + 2 * t**2) / (6 * np.sqrt(n)) + g**2 * t**3 / (27 * n)
    found[flat] = np.copysign(np.inf, mean[flat])
    return found


def sign_flip(gaps: Values, seed: int = 0, together: int = 1, level: float = 0.05) -> float:
    """Two-sided p-value of a mean difference of 0, by flipping the signs of the differences (Fisher, 1935).

    The statistic is corrected for skewness: with the mean alone, which is Student's t in another form, skewed
    differences of mean 0 are called real far too often. Exact when 16 or fewer differ; else over 10,000 flips, and on
    to 1,000,000 until the p-value lies clear of `level`, or of `level` ÷ `together`, for `together` comparisons that are
    corrected for, or is known to 2 %.
    """
    moved = gaps[gaps != 0]
    if not len(moved) or len(gaps) < 2:  # of one draw nothing can be told by chance
        return 1.0
    n, squares, cubes = len(gaps), float(np.sum(moved**2)), moved**3
    observed = abs(float(skewness_corrected(moved.sum(keepdims=True), cubes.sum(keepdims=True), squares, n)[0]))
    slack = 1e-9 * max(1.0, observed if np.isfinite(observed) else 1.0)
    pair = np.stack([moved, cubes], axis=1)

    def reached(signs: npt.NDArray) -> int:
        sums = signs @ pair
        return int(np.sum(np.abs(skewness_corrected(sums[:, 0], sums[:, 1], squares, n)) >= observed - slack))

    if len(moved) <= EXACT:
        signs = 1.0 - 2.0 * ((np.arange(2 ** len(moved))[:, None] >> np.arange(len(moved))) & 1)
        return reached(signs) / len(signs)
    draw = np.random.default_rng(seed)
    rows = max(1, _BLOCK // len(moved))
    done = extreme = 0
    goal = FLIPS
    while True:
        while done < goal:
            count = min(rows, goal - done)
            extreme += reached(1.0 - 2.0 * draw.integers(0, 2, size=(count, len(moved)), dtype=np.int8))
            done += count
        p = (extreme + 1) / (done + 1)
        error = _SURE * np.sqrt(p * (1 - p) / done)
        if done >= MOST_FLIPS or extreme >= _SETTLED or p - error > level or p + error < level / together:
            return p
        goal = min(MOST_FLIPS, 4 * done)


def holm(p_values: Sequence[float]) -> list[float]:
    """p-values corrected for being looked at together (Holm, 1979), in the given order."""
    order = sorted(range(len(p_values)), key=lambda place: p_values[place])
    corrected = [1.0] * len(p_values)
    highest = 0.0
    for step, place in enumerate(order):
        highest = max(highest, min(1.0, (len(p_values) - step) * p_values[place]))
        corrected[place] = highest
    return corrected
