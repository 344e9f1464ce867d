"""The smallest true difference that a set of questions would show, by the test that decides."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

import numpy as np
import numpy.typing as npt
from scipy import special

from .significance import mcnemar, skewness_corrected

POWER = 0.8
_SAMPLES = 500
_FLIPPED = 24  # samples whose signs are flipped, to see what the statistic must reach
_FLIPS = 200  # times each
_STEPS = 24  # halvings
_SEED = 11

Values = npt.NDArray[np.float64]


@lru_cache(maxsize=1 << 12)
def smallest_for_shares(n: int, differing: int, level: float = 0.05, power: float = POWER) -> float | None:
    """The least true difference of two shares that McNemar's exact test shows at `level` in `power` of all samples of
    n questions, of which the share `differing` ÷ n has another outcome in the two runs; None where even a difference on
    all questions would not be shown.

    Exactly: differing questions are binomial, and those among them that are better likewise.
    """
    rate = max(differing, 1) / n
    most = _most_worse(n, level)

    def shown(delta: float) -> float:
        moved = max(rate, delta)
        low = max(0, int(special.bdtrik(1e-10, n, moved)) - 2) if moved < 1 else n
        high = min(n, int(special.bdtrik(1 - 1e-10, n, moved)) + 2) if moved < 1 else n
        counts = np.arange(low, high + 1)
        weights = np.diff(special.bdtr(counts, n, moved), prepend=special.bdtr(low - 1, n, moved) if low else 0.0)
        worse = most[counts]
        can = worse >= 0
        chance = (1 - delta / moved) / 2
        return float(np.sum(weights[can] * special.bdtr(worse[can], counts[can], chance)))

    return _least(shown, power)


@lru_cache(maxsize=64)
def _most_worse(n: int, level: float) -> npt.NDArray[np.int64]:
    """For each number of differing questions up to n the greatest number of worse ones among them at which the better run
    is shown; −1 where none is."""
    counts = np.arange(n + 1)
    found = np.full(n + 1, -1, dtype=np.int64)
    worse = 0
    for count in counts.tolist():  # it rises with the count, by 1 at the most
        while 2 * (worse + 1) < count and mcnemar(count - worse - 1, worse + 1) < level:
            worse += 1
        if 2 * worse < count and mcnemar(count - worse, worse) < level:
            found[count] = worse
    return found


def smallest_for_scores(gaps: Values, level: float = 0.05, power: float = POWER) -> float | None:
    """The same for the sign-flip test, by simulation: samples are drawn from the differences seen (of documents, where
    these are clusters), moved by a true difference, and tested. None with so few that no sample could show anything.
    """
    n = len(gaps)
    if n < 2 or 2 / 2.0 ** min(n, 60) >= level:
        return None
    centred = gaps - gaps.mean()
    if not centred.any():
        return None
    draw = np.random.default_rng(_SEED)
    scale = float(np.abs(gaps).max() + centred.std())
    samples = centred[draw.integers(0, n, size=(_SAMPLES, n))] / scale
    limit = _limit(samples, level, draw)
    sums, squares, cubes = (np.sum(each, axis=1) for each in (samples, samples * samples, samples * samples * samples))

    def shown(delta: float) -> float:
        # The sums of powers of the samples moved by delta, from those of the samples.
        moved = squares + 2 * delta * sums + n * delta**2
        third = cubes + 3 * delta * squares + 3 * delta**2 * sums + n * delta**3
        return float(np.mean(_statistic(sums + n * delta, moved, third, n) >= limit))

    found = _least(shown, power)
    return None if found is None else found * scale


def _statistic(sums: Values, squares: Values, cubes: Values, n: int) -> Values:
    root = np.sqrt(np.where(squares > 0, squares, 1.0))
    return np.where(squares > 0, skewness_corrected(sums / root, cubes / (root * root * root), 1.0, n), 0.0)


def _limit(samples: Values, level: float, draw: np.random.Generator) -> float:
    """What the statistic must reach: the quantile of its size over flips of centred samples."""
    n = samples.shape[1]
    sizes = []
    for row in samples[:_FLIPPED]:
        signs = 1.0 - 2.0 * draw.integers(0, 2, size=(_FLIPS, n))
        squares = np.full(_FLIPS, row @ row)
        sizes.append(np.abs(_statistic(signs @ row, squares, signs @ (row * row * row), n)))
    return float(np.quantile(np.concatenate(sizes), 1 - level))


def _least(shown: Callable[[float], float], power: float) -> float | None:
    """The least value in 0…1 at which a rising chance reaches `power`, by halving; None where 1 does not."""
    if shown(1.0) < power:
        return None
    low, high = 0.0, 1.0
    for _ in range(_STEPS):
        middle = (low + high) / 2
        low, high = (low, middle) if shown(middle) >= power else (middle, high)
        if high - low < 1e-3:
            break
    return high
