"""Which of many runs may be the best one."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from .draws import Draws
from .intervals import summed
from .leaning import leaning

ALPHA = 0.05
FLIPS = 2000
_MANY = 60  # runs from which on, where not all have the same questions, each is held against the best of them alone
_FIRST = 40
_STEPS = 200  # of the fit
_FLIPPED = 200  # flips worked on at a time
_ROUNDED = 1e-5  # relative error of single precision, within which values count as equal

Values = npt.NDArray[np.float64]


def may_be_best(
    values: Values,
    units: npt.NDArray[np.int64] | None = None,
    seed: int = 0,
    flips: int = FLIPS,
    effect: float = 1.0,
    freedom: float = np.inf,
) -> Values:
    """For each run the p-value of the hypothesis that it is the best one or as good, against all others at once: the greatest
    paired difference of another one ÷ its root sum of squares, held against the same of flipped signs of whole draws (`units`).
    The best one has a p-value below α with a chance of at most α, so that those at α or above hold it with 1 − α (multiple
    comparisons with the best: Hsu, 1981, by flips).

    `values` has shape (runs, questions), more is better, NaN for what a run does not have: two runs are held against each other
    on the questions of both. `effect` and `freedom`: how much questions of a document lean on each other (see `leaning`).
    """
    if len(values) < 2:
        return np.ones(len(values))
    signs = _signs(values.shape[1] if units is None else int(units.max()) + 1, seed, flips)
    wide = np.ones(flips)
    if np.isfinite(freedom):
        wide = np.sqrt(freedom / np.random.default_rng([seed, 3]).chisquare(freedom, flips))
    if np.isfinite(values).all():
        reached = _of_all(values if units is None else summed(values, units), signs, wide, np.sqrt(effect))
    else:
        reached = _pair_by_pair(values, units, signs, wide, np.sqrt(effect))
    return np.asarray((0.5 + reached) / (1 + flips), dtype=np.float64)


def standing(values: Values, draws: Draws, seed: int = 0, flips: int = FLIPS) -> Values:
    """The same with what the draws say of documents: how much questions of one lean on each other in the differences of all."""
    leans = leaning(values[1:] - values[:1], draws, values)
    effect = float(leans.effect.mean()) if len(leans.effect) else 1.0
    return may_be_best(values, draws.units, seed, flips, effect, float(leans.freedom.min(initial=np.inf)))


def _of_all(totals: Values, signs: Values, wide: Values, root: float) -> Values:
    means = totals.sum(axis=1)
    flipped = np.ascontiguousarray((signs @ totals.T).T * wide, dtype=np.float32)
    scale = _distances(totals, totals**2)
    behind, inverse = _behind(means, scale) / root, _inverse(scale)
    reached = np.zeros(len(totals))
    for start in range(0, flipped.shape[1], _FLIPPED):
        some = np.ascontiguousarray(flipped[:, start : start + _FLIPPED])
        gaps = np.empty_like(some)
        for place in range(len(totals)):
            np.subtract(some, some[place], out=gaps)
            np.multiply(gaps, inverse[:, place, None], out=gaps)
            reached[place] += _reached(gaps.max(axis=0), behind[place])
    return reached


def _pair_by_pair(
    values: Values, units: npt.NDArray[np.int64] | None, signs: Values, wide: Values, root: float
) -> Values:
    there = np.isfinite(values)
    counts = np.maximum(there.sum(axis=1), 1)
    means = np.where(there, values, 0.0).sum(axis=1) / counts
    against = np.arange(len(values)) if len(values) <= _MANY else np.argsort(-means, kind="stable")[:_FIRST]
    reached = np.zeros(len(values))
    small = signs.astype(np.float32)
    for place in range(len(values)):
        gaps = np.where(there[against] & there[place], values[against] - values[place], 0.0)
        totals = gaps if units is None else summed(gaps, units)
        squares = np.sum(totals**2, axis=1)
        some = squares > 1e-18
        if not some.any():
            reached[place] = len(signs)
            continue
        scaled = totals[some] / np.sqrt(squares[some])[:, None]
        seen = max(0.0, float(scaled.sum(axis=1).max())) / root
        greatest = np.maximum((small @ scaled.T.astype(np.float32)).max(axis=1), 0.0) * wide
        reached[place] = _reached(greatest, seen)
    return reached


def _reached(greatest: npt.NDArray, seen: float) -> float:
    """How often what was seen is reached, exactly counting half; that nothing is better is reached always."""
    slack = seen * _ROUNDED + 1e-9
    if seen <= slack:
        return float(len(greatest))
    return float(np.sum(greatest > seen + slack) + 0.5 * np.sum(np.abs(greatest - seen) <= slack))


def _signs(count: int, seed: int, flips: int = FLIPS) -> Values:
    bits = np.random.default_rng(seed).integers(0, 2, size=(flips, count), dtype=np.int8)
    return np.asarray(1.0 - 2.0 * bits, dtype=np.float64)


def _distances(totals: Values, squares: Values) -> Values:
    """Roots of the sums of squared differences between each two runs, shape (n, n); 0 for equal ones."""
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


def _inverse(scale: Values) -> npt.NDArray[np.float32]:
    return np.where(scale > 0, 1 / np.where(scale > 0, scale, 1.0), 0.0).astype(np.float32)


def adjusted_means(values: Values) -> Values:
    """Each run's mean over all questions that some run has, where not all have the same: fitted by least squares as a figure of
    the run and one of the question, so that whoever answered the easy ones alone is no better for it. Their own means where none
    is absent. `values` of shape (runs, questions), NaN for what is absent; a run needs one value."""
    there = np.isfinite(values)
    kept = np.where(there, values, 0.0)
    runs = kept.sum(axis=1) / np.maximum(there.sum(axis=1), 1)
    if there.all():
        return np.asarray(runs, dtype=np.float64)
    asked = there.any(axis=0)
    kept, there = kept[:, asked], there[:, asked]
    questions = np.zeros(kept.shape[1])
    for _ in range(_STEPS):
        questions = np.where(there, kept - runs[:, None], 0.0).sum(axis=0) / there.sum(axis=0)
        moved = np.where(there, kept - questions, 0.0).sum(axis=1) / np.maximum(there.sum(axis=1), 1)
        done = float(np.abs(moved - runs).max(initial=0.0)) < 1e-10
        runs = moved
        if done:
            break
    return np.asarray(runs + questions.mean(), dtype=np.float64)
