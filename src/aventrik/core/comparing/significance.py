"""Tests of a paired difference, and the correction for looking at many."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import lru_cache

import numpy as np
import numpy.typing as npt
from scipy import special

FLIPS = 10_000  # at first
MOST_FLIPS = 1_000_000
EXACT = 16  # as many signs are flipped in every way
_HALVINGS = 30
_BLOCK = 1 << 20  # flipped signs worked on at a time
_HELD = 10_000_000  # and held for the next test
_SEVERAL = 20  # rows from which on no more flips are made than the corrected level needs
_FINE = 10  # flips, times the comparisons and ÷ the level, that it needs
_ROUNDED = 1e-5  # relative error of single precision, within which values count as equal
_FLAT = {4: 1e-6, 8: 1e-15}  # variance ÷ sum of squares that is none, by the bytes of a number
_SETTLED = 2_000  # flips as extreme as what was seen from which on the p-value is known to 2 %
_SURE = 3.3  # standard errors between a p-value and a limit at which it counts as settled

# The signs that the bits of each byte stand for.
_BYTES = (1 - 2 * np.unpackbits(np.arange(256, dtype=np.uint8)[:, None], axis=1).astype(np.float32)).astype(np.float32)

Values = npt.NDArray[np.float64]


def mcnemar(better: int, worse: int) -> float:
    """Two-sided exact p-value (McNemar, 1947) from the questions on which the two runs differ."""
    if better + worse == 0:
        return 1.0
    return min(1.0, 2 * float(special.bdtr(min(better, worse), better + worse, 0.5)))


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


def sign_flip(gaps: Values, seed: int = 0, together: int = 1, level: float = 0.05) -> float:
    """Two-sided p-value of a mean difference of 0, by flipping the signs of the differences (Fisher, 1935).

    The statistic is corrected for skewness: with the mean alone, which is Student's t in another form, skewed
    differences of mean 0 are called real far too often. Exact when 16 or fewer differ; else over 10,000 flips, and on
    to 1,000,000 until the p-value lies clear of `level`, or of `level` ÷ `together`, for `together` comparisons that are
    corrected for, or is known to 2 %.
    """
    return float(sign_flips(gaps[None, :], [len(gaps)], seed, together, level)[0])


def sign_flips(gaps: Values, counts: Sequence[int], seed: int = 0, together: int = 1, level: float = 0.05) -> Values:
    """The same of each row of gaps of shape (rows, draws), which all have the same signs flipped; `counts` tells how many
    draws of a row there are, the others being 0."""
    p = np.ones(len(gaps))
    moved = np.count_nonzero(gaps, axis=1)
    n = np.asarray(counts, dtype=np.float64)
    rows = np.flatnonzero((moved > 0) & (n > 1))  # of one draw nothing can be told by chance
    scale = np.asarray(np.abs(gaps).max(axis=1, initial=0.0), dtype=np.float64)
    few = [row for row in rows if moved[row] <= EXACT]
    for row in few:
        p[row] = _exactly(gaps[row][gaps[row] != 0] / scale[row], int(n[row]))
    rows = rows[moved[rows] > EXACT]
    if len(rows):
        p[rows] = _by_lot((gaps[rows] / scale[rows, None]).astype(np.float32), n[rows], seed, together, level)
    return p


def _exactly(moved: Values, n: int) -> float:
    """All ways to flip the signs of what differs."""
    signs = _all_signs(len(moved))
    found = skewness_corrected(signs @ moved, signs @ moved**3, float(np.sum(moved**2)), n)
    observed = abs(found[0])  # no sign flipped
    slack = 1e-9 * max(1.0, observed if np.isfinite(observed) else 1.0)
    return float(np.mean(np.abs(found) >= observed - slack))


@lru_cache(maxsize=EXACT)
def _all_signs(count: int) -> Values:
    bits = (np.arange(2**count)[:, None] >> np.arange(count)) & 1
    return np.asarray(1.0 - 2.0 * bits, dtype=np.float64)


def _by_lot(gaps: npt.NDArray[np.float32], n: Values, seed: int, together: int, level: float) -> Values:
    """p-values over random flips, of as many rows and for as long as it takes."""
    exact = gaps.astype(np.float64)
    third = exact * exact * exact
    sums, squares, cubes = (np.asarray(each.sum(axis=1), dtype=np.float64) for each in (exact, exact * exact, third))
    observed = np.abs(skewness_corrected(sums, cubes, squares, n))
    finite = np.where(np.isfinite(observed), observed, 0.0)
    limits = np.where(np.isfinite(observed), finite - _ROUNDED * np.maximum(1.0, finite), np.inf).astype(np.float32)
    least = _least_sums(limits, squares, np.abs(third).sum(axis=1), n).astype(np.float32)
    p = np.ones(len(gaps))
    extreme = np.zeros(len(gaps), dtype=np.int64)
    rows = np.arange(len(gaps))
    cubed = gaps * gaps * gaps
    most = MOST_FLIPS if len(gaps) <= _SEVERAL else min(MOST_FLIPS, int(max(10 * FLIPS, _FINE * together / level)))
    done, goal, turn = 0, FLIPS, 0
    while len(rows):
        pair = np.concatenate([gaps[rows], cubed[rows]]).T
        for signs in _signs(goal - done, gaps.shape[1], seed, turn):
            both = signs @ pair
            count = len(signs)
            sums, cubes = both[:, : len(rows)], both[:, len(rows) :]
            flips, places = np.divmod(np.flatnonzero((np.abs(sums) >= least[rows]).ravel()), len(rows))
            some = rows[places]
            found = skewness_corrected(sums[flips, places], cubes[flips, places], squares[some], n[some])
            extreme += np.bincount(some[np.abs(found) >= limits[some]], minlength=len(extreme))
            done += count
        p[rows] = (extreme[rows] + 1) / (done + 1)
        error = _SURE * np.sqrt(p[rows] * (1 - p[rows]) / done)
        settled = (extreme[rows] >= _SETTLED) | (p[rows] - error > level) | (p[rows] + error < level / together)
        rows = rows[~settled] if done < most else rows[:0]
        goal, turn = min(most, 4 * done), turn + 1
    return p


def _least_sums(limits: npt.NDArray, squares: Values, most: Values, n: Values) -> Values:
    """Sums below which no flip can reach the limits, whatever its cubes sum to (`most` at the most): what most flips need
    not be looked at for."""
    low, high = np.zeros(len(n)), np.sqrt(squares * n)
    for _ in range(_HALVINGS):
        middle = (low + high) / 2
        mean = middle / n
        # the cubes that would bring the third moment to its greatest
        reach = skewness_corrected(middle, most + 6 * mean * squares, squares, n)
        below = reach < limits
        low, high = np.where(below, middle, low), np.where(below, high, middle)
    return low * (1 - _ROUNDED)


def _signs(rows: int, columns: int, seed: int, turn: int) -> Iterator[npt.NDArray[np.float32]]:
    """Random signs, a block of rows at a time; those of the first turn are held, for the next ones to ask for them."""
    if not turn and rows * columns <= _HELD:
        yield _held_signs(rows, columns, seed)
        return
    draw = np.random.default_rng([seed, turn])
    step = max(1, _BLOCK // columns)
    for first in range(0, rows, step):
        yield _drawn_signs(draw, min(step, rows - first), columns)


@lru_cache(maxsize=2)
def _held_signs(rows: int, columns: int, seed: int) -> npt.NDArray[np.float32]:
    return _drawn_signs(np.random.default_rng([seed, 0]), rows, columns)


def _drawn_signs(draw: np.random.Generator, rows: int, columns: int) -> npt.NDArray[np.float32]:
    """Random signs, a bit each."""
    width = -(-columns // 8)
    drawn = np.frombuffer(draw.bytes(rows * width), dtype=np.uint8)
    found: npt.NDArray[np.float32] = _BYTES[drawn].reshape(rows, 8 * width)[:, :columns]
    return found


def holm(p_values: Sequence[float]) -> list[float]:
    """p-values corrected for being looked at together (Holm, 1979), in the given order."""
    order = sorted(range(len(p_values)), key=lambda place: p_values[place])
    corrected = [1.0] * len(p_values)
    highest = 0.0
    for step, place in enumerate(order):
        highest = max(highest, min(1.0, (len(p_values) - step) * p_values[place]))
        corrected[place] = highest
    return corrected
