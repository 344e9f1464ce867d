"""The smallest true difference that a set of questions would show, by the test that decides."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

import numpy as np
import numpy.typing as npt
from scipy import stats

from .significance import mcnemar, skewness_corrected

POWER = 0.8
_SAMPLES = 500
_FLIPPED = 24  # samples whose signs are flipped, to see what the statistic must reach
_FLIPS = 200  # times each
_STEPS = 24  # halvings
_SEED = 11

Values = npt.NDArray[np.float64]


def smallest_for_shares(n: int, differing: int, level: float = 0.05, power: float = POWER) -> float | None:
    """The least true difference of two shares that McNemar's exact test shows at `level` in `power` of all samples of
    n questions, of which the share `differing` ÷ n has another outcome in the two runs; None where even a difference on
    all questions would not be shown.

    Exactly: differing questions are binomial, and those among them that are better likewise.
    """
    rate = max(differing, 1) / n

    def shown(delta: float) -> float:
        moved = max(rate, delta)
        counts = np.arange(n + 1)
        weights = stats.binom.pmf(counts, n, moved)
        better = (1 + delta / moved) / 2
        total = 0.0
        for count, weight in zip(counts.tolist(), weights.tolist()):
            if weight > 1e-9:
                worse = _most_worse(count, level)
                if worse >= 0:
                    total += weight * float(stats.binom.cdf(worse, count, 1 - better))
        return total

    return _least(shown, power)


@lru_cache(maxsize=1 << 14)
def _most_worse(count: int, level: float) -> int:
    """The greatest number of worse questions among `count` differing ones at which the better run is shown; −1: none."""
    worse = int(stats.binom.ppf(level / 2, count, 0.5)) + 1
    while worse >= 0 and mcnemar(count - worse, worse) >= level:
        worse -= 1
    return worse if worse < count - worse else -1


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
    samples = centred[draw.integers(0, n, size=(_SAMPLES, n))]
    scale = float(np.abs(gaps).max() + centred.std())
    limits = _limits(samples, level, draw)

    def shown(delta: float) -> float:
        moved = samples + delta * scale
        return float(np.mean(_statistic(moved) >= limits))

    found = _least(shown, power)
    return None if found is None else found * scale


def _statistic(samples: Values) -> Values:
    squares = np.sum(samples**2, axis=1)
    scaled = samples / np.sqrt(np.where(squares > 0, squares, 1.0))[:, None]
    found = skewness_corrected(scaled.sum(axis=1), (scaled**3).sum(axis=1), 1.0, samples.shape[1])
    return np.where(squares > 0, found, 0.0)


def _limits(samples: Values, level: float, draw: np.random.Generator) -> float:
    """What the statistic must reach: the quantile of its size over flips of centred samples."""
    n = samples.shape[1]
    few = samples[:_FLIPPED]
    sizes = []
    for row in few:
        signs = 1.0 - 2.0 * draw.integers(0, 2, size=(_FLIPS, n))
        sizes.append(np.abs(_statistic(signs * row)))
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
