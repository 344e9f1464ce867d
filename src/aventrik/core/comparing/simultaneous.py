"""Many differences at once: verdicts and intervals that hold for all of them together, and agree with each other.

The signs of whole draws are flipped, the same for all differences (Fisher, 1935); of each flip the greatest statistic is taken,
and step by step that of the differences that are left (step-down maximum: Westfall and Young, 1993; Romano and Wolf, 2005). What is
reached exactly counts half (mid-p: Lancaster, 1961). A difference is real where its p-value is below the level.
An interval has the statistic's inverse at the 95 % quantile of the greatest one, so that it leaves 0 out where the first step
does; where only a later step shows the difference, its end stands at 0 (Guilbaud, 2008; Strassburger and Bretz, 2008).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt
from scipy import special

from .intervals import LEVEL, Values, design_effect, summed
from .leaning import Leaning, no_leaning
from .tango import tango_intervals

ALPHA = 0.05
FLIPS = 10_000
_EXACT = 13  # as many draws are flipped in every way
_MANY = 60  # differences from which on fewer flips will do
_BLOCK = 1 << 22  # statistics held at a time
_ROUNDED = 1e-5  # relative error of single precision, within which values count as equal
_FLAT = {4: 1e-6, 8: 1e-15}  # variance ÷ sum of squares that is none, by the bytes of a number
_TINY = 1e-12
_PSEUDO = 1.0  # questions better, and worse, that an interval of scores counts in, against rare ones not seen


@dataclass(frozen=True, eq=False)
class Together:
    """Of several differences the p-value of each, corrected for all (`p`) and by itself (`alone`), and the ends of intervals
    that hold for all with 95 %; `reach`: what a statistic has to exceed for its difference to be shown at the first step."""

    p: Values
    alone: Values
    low: Values
    high: Values
    reach: float


def together(
    gaps: Values,
    kind: str,
    units: npt.NDArray[np.int64] | None = None,
    leans: Leaning | None = None,
    seed: int = 0,
    level: float = LEVEL,
) -> Together:
    """Tests of the mean of each row of gaps, shape (rows, questions), NaN for what is absent; `units` are the draws.

    The statistic of shares is the sum of the differences ÷ the root of their sum of squares (McNemar's), with Tango's interval
    (1998); of all else Student's t corrected for skewness by Hall's transformation (1992), with its inverse. Both are divided by
    the root of how much questions of a document lean on each other, and the flips by that of χ² ÷ its degrees of freedom.
    """
    count = len(gaps)
    leans = leans or no_leaning(count)
    there = np.isfinite(gaps)
    kept = np.where(there, gaps, 0.0)
    sums = kept.copy() if units is None else summed(kept, units)
    sizes = there.astype(np.float64) if units is None else summed(there.astype(np.float64), units)
    n = np.maximum((sizes > 0).sum(axis=1), 1).astype(np.float64)
    questions = np.maximum(there.sum(axis=1), 1).astype(np.float64)
    sums[np.abs(sums) < _TINY] = 0.0  # differences within a draw that cancel
    moved = sums.any(axis=1)
    p, alone = np.ones(count), np.ones(count)
    low, high = np.zeros(count), np.zeros(count)
    reach = _normal(level)
    rows = np.flatnonzero(moved & (n > 1))  # of one draw nothing can be told by chance
    if len(rows):
        statistic = _Statistic(sums[rows], n[rows], kind, leans.effect[rows])
        tested = _tested(statistic, leans.freedom[rows], seed, level)
        p[rows], alone[rows] = tested.p, tested.alone
        reach = tested.reach
    means = kept.sum(axis=1) / questions
    if kind == "share":
        worth = np.array(
            [design_effect(row[here], None if units is None else units[here]) for row, here in zip(gaps, there)]
        )
        worth = questions / (worth * leans.effect)
        better, worse = ((sign * kept > 0).sum(axis=1) / questions * worth for sign in (1, -1))
        low, high = tango_intervals(better, worse, worth, z=reach)
    else:
        if kind == "score":  # where no question differs, as a share would
            none = np.zeros(count)
            low, high = tango_intervals(none, none, n / leans.effect, z=reach)
        alone_of_all = moved & (n <= 1)
        low[alone_of_all], high[alone_of_all] = (-1.0, 1.0) if kind == "score" else (0.0, 0.0)
        low[rows], high[rows] = _skewed(
            sums[rows], sizes[rows], means[rows], n[rows], reach * np.sqrt(leans.effect[rows])
        )
        if kind == "score":
            low, high = np.maximum(low, -1.0), np.minimum(high, 1.0)
    shown = p < 1 - level
    above, below = shown & (means > 0), shown & (means < 0)
    low = np.where(above, np.maximum(low, 0.0), np.where(below, low, np.minimum(low, 0.0)))
    high = np.where(below, np.minimum(high, 0.0), np.where(above, high, np.maximum(high, 0.0)))
    return Together(p, alone, low, high, reach)


@dataclass(frozen=True)
class _Tested:
    p: Values
    alone: Values
    reach: float


class _Statistic:
    """The statistic of rows of sums over draws, for signs flipped."""

    def __init__(self, sums: Values, n: Values, kind: str, effect: Values) -> None:
        scale = np.abs(sums).max(axis=1, keepdims=True)
        self.rows = sums / scale
        self.n, self.share = n, kind == "share"
        self.root = np.sqrt(effect)
        self.squares = np.sum(self.rows**2, axis=1)
        self.cubes = self.rows**3

    def seen(self) -> Values:
        """What it came to."""
        return self._of(self.rows.sum(axis=1), self.cubes.sum(axis=1)) / self.root

    def flipped(self, signs: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
        """Its size for each flip, shape (flips, rows)."""
        sums = signs @ self.rows.T.astype(np.float32)
        cubes = np.zeros(1, dtype=np.float32) if self.share else signs @ self.cubes.T.astype(np.float32)
        found: npt.NDArray[np.float32] = np.abs(self._of(sums, cubes)).astype(np.float32)
        return found

    def _of(self, sums: npt.NDArray, cubes: npt.NDArray) -> npt.NDArray:
        kind = sums.dtype
        if self.share:
            return np.asarray(sums / np.sqrt(self.squares).astype(kind))
        squares, n = self.squares.astype(kind), self.n.astype(kind)
        return np.clip(skewness_corrected(sums, cubes, squares, n), -1e6, 1e6)


def skewness_corrected(sums: npt.NDArray, cubes: npt.NDArray, squares: npt.ArrayLike, n: npt.ArrayLike) -> npt.NDArray:
    """Student's t of the mean corrected for skewness by Hall's transformation (1992), for many samples of n at once:
    t + g·t² ÷ (3√n) + g²·t³ ÷ (27n) + g ÷ (6√n), g = third central moment ÷ s³. It rises with t whatever g is.

    `sums`, `squares` and `cubes` are the sums of the values, of their squares and of their cubes.
    """
    n, squares = np.asarray(n, dtype=sums.dtype), np.asarray(squares, dtype=sums.dtype)
    mean = sums / n
    variance = (squares - n * mean * mean) / (n - 1)
    flat = variance <= _FLAT[sums.dtype.itemsize] * squares  # all values equal: no doubt about the sign of the mean
    spread = np.sqrt(np.where(flat, 1.0, variance)).astype(sums.dtype)
    root = np.sqrt(n)
    t = root * mean / spread
    third = cubes / n - 3 * mean * squares / n + 2 * mean * mean * mean
    g = third / (spread * spread * spread)
    found = t + g * (1 + 2 * t * t) / (6 * root) + g * g * t * t * t / (27 * n)
    return np.where(flat, np.copysign(np.inf, mean), found)


def _tested(statistic: _Statistic, freedom: Values, seed: int, level: float) -> _Tested:
    seen = np.abs(statistic.seen())
    order = np.argsort(-seen, kind="stable")
    limits = seen[order]
    slack = _ROUNDED * np.maximum(1.0, limits)
    over, equal = np.zeros(len(seen)), np.zeros(len(seen))
    own = np.zeros(len(seen))
    greatest = []
    done = 0
    least = float(freedom.min())
    every = _flips(statistic.rows, seed, len(seen))
    lot = np.random.default_rng([seed, 1])
    for signs in every:
        found = statistic.flipped(signs)[:, order]
        if np.isfinite(least):
            found /= np.sqrt(lot.chisquare(least, len(found)) / least).astype(np.float32)[:, None]
        own += np.sum(found > limits + slack, axis=0) + 0.5 * np.sum(np.abs(found - limits) <= slack, axis=0)
        running = np.maximum.accumulate(found[:, ::-1], axis=1)[:, ::-1]
        over += np.sum(running > limits + slack, axis=0)
        equal += np.sum(np.abs(running - limits) <= slack, axis=0)
        greatest.append(running[:, 0])
        done += len(found)
    exact = len(_moved(statistic.rows)) <= _EXACT
    whole, extra = (done, 0.0) if exact else (done + 1, 0.5)
    p = np.maximum.accumulate(np.minimum(1.0, (over + equal / 2 + extra) / whole))
    alone = np.minimum(1.0, (own + extra) / whole)
    corrected, by_itself = np.empty(len(seen)), np.empty(len(seen))
    corrected[order], by_itself[order] = p, np.minimum(alone, p)
    reach = float(np.quantile(np.concatenate(greatest), level))
    floor = _normal(level) if not np.isfinite(least) else float(special.stdtrit(least, (1 + level) / 2))
    return _Tested(corrected, by_itself, max(reach, floor))


def _moved(rows: Values) -> npt.NDArray[np.int64]:
    """The draws in which some row differs."""
    return np.flatnonzero(rows.any(axis=0))


def _flips(rows: Values, seed: int, count: int) -> Iterator[npt.NDArray[np.float32]]:
    """Signs for the draws: all there are for few, else by lot."""
    moved = _moved(rows)
    if len(moved) <= _EXACT:
        signs = np.ones((2 ** len(moved), rows.shape[1]), dtype=np.float32)
        signs[:, moved] = _every_sign(len(moved))
        yield signs
        return
    flips = FLIPS if count <= _MANY else FLIPS // 2
    step = max(50, min(flips, _BLOCK // max(count, rows.shape[1])))
    for first in range(0, flips, step):
        yield _signs(min(step, flips - first), rows.shape[1], seed, first)


@lru_cache(maxsize=_EXACT)
def _every_sign(count: int) -> npt.NDArray[np.float32]:
    bits = (np.arange(2**count)[:, None] >> np.arange(count)) & 1
    return (1.0 - 2.0 * bits).astype(np.float32)


@lru_cache(maxsize=16)
def _signs(flips: int, columns: int, seed: int, turn: int) -> npt.NDArray[np.float32]:
    bits = np.random.default_rng([seed, 2, turn]).integers(0, 2, size=(flips, columns), dtype=np.int8)
    return (1 - 2 * bits).astype(np.float32)


def _normal(level: float) -> float:
    return float(special.ndtri((1 + level) / 2))


def _skewed(sums: Values, sizes: Values, means: Values, n: Values, reach: Values) -> tuple[Values, Values]:
    """The means between which Hall's statistic stays within what it has to reach."""
    there = sizes > 0
    typical = sizes.sum(axis=1) / n  # questions of a draw
    apart = np.where(there, sums - means[:, None] * sizes, 0.0) / typical[:, None]
    unseen = _PSEUDO * np.sum(apart**2, axis=1) / np.maximum((np.abs(apart) > 1e-9).sum(axis=1), 1)
    variance = (np.sum(apart**2, axis=1) + 2 * unseen) / np.maximum(n + 2 * _PSEUDO - 1, 1)
    spread = np.sqrt(np.maximum(variance, 1e-18))
    g = np.clip(np.sum(apart**3, axis=1) / n / spread**3, -np.sqrt(n), np.sqrt(n))
    root = np.sqrt(n)
    ends = []
    for wanted in (reach, -reach):
        small = np.abs(g) < 1e-6
        safe = np.where(small, 1.0, g)
        t = np.where(small, wanted, 3 * root / safe * (np.cbrt(1 + safe / root * (wanted - safe / (6 * root))) - 1))
        ends.append(means - spread / root * t)
    return np.minimum(*ends), np.maximum(*ends)
