"""How much questions about one document lean on each other, estimated with strength borrowed from all runs.

Where documents are drawn, the variance of a mean grows by 1 + (1 − f) · ρ · (m − 1): ρ the correlation within a document, m the
mean size of a question's document, f the share of the corpus that is in the set. From the few documents of one pair of runs ρ can't
be told; so the ratio of the variance between documents to that within them is taken from this pair, from all runs together, and
from what is usual, each by its degrees of freedom (as Smyth, 2004, moderates variances). The freedom of the result is Satterthwaite's
(1946).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from .draws import Draws

Values = npt.NDArray[np.float64]

USUAL = 0.05  # correlation of differences within a document that is usual at the most (measured on three manuals)
USUAL_OF_MEANS = 0.1  # and of scores themselves, for some documents are harder than others
_FREEDOM = 6.0  # degrees of freedom that the usual one counts as
_BORROWED = 12.0  # and all runs together at the most
_FEW = 10  # documents below which sections are looked at too


@dataclass(frozen=True, eq=False)
class Leaning:
    """By how much the variance of each of several means is greater than if questions were drawn one by one (1 or more), and
    with how many degrees of freedom that is known (infinite where documents are fixed)."""

    effect: Values
    freedom: Values

    def of(self, rows: npt.NDArray) -> Leaning:
        """The same of some of the means."""
        return Leaning(self.effect[rows], self.freedom[rows])


def no_leaning(count: int) -> Leaning:
    """Where documents are fixed."""
    return Leaning(np.ones(count), np.full(count, np.inf))


def leaning(values: Values, draws: Draws, runs: Values | None = None, usual: float = USUAL) -> Leaning:
    """Of the mean of each row of values, shape (rows, questions), NaN for what is absent. `runs`, shape (runs, questions), are
    all scores that are compared: what they show of documents in their differences counts for each pair."""
    if draws.documents is None or not values.size:
        return no_leaning(len(values))
    found = _by(values, draws.documents, draws.covered, runs, usual)
    if draws.document_count < _FEW and draws.sections is not None:
        other = _by(values, draws.sections, draws.covered, runs, usual)
        more = other.effect > found.effect
        found = Leaning(
            np.where(more, other.effect, found.effect),
            np.where(more, np.minimum(other.freedom, found.freedom), found.freedom),
        )
    return found


def _by(values: Values, groups: npt.NDArray[np.int64], covered: float, runs: Values | None, usual: float) -> Leaning:
    sizes, between, within, freedom, inside = _variances(values, groups)
    n = sizes.sum(axis=1)
    count = (sizes > 0).sum(axis=1)
    squares = np.sum(sizes**2, axis=1) / np.maximum(n, 1)
    typical = np.where(count > 1, (n - squares) / np.maximum(count - 1, 1), squares)  # questions of a document
    weight = np.full(len(values), _FREEDOM)
    total = weight * (1 + typical * usual / (1 - usual))
    pooled = _pooled(runs, groups) if runs is not None and len(runs) > 2 else None
    if pooled is not None:
        ratio, worth = pooled
        borrowed = np.clip(worth - freedom, 0.0, _BORROWED)
        total, weight = total + borrowed * ratio, weight + borrowed
    known = (within > 0) & (freedom > 0) & (inside > 0)
    own = np.where(known, between / np.where(within > 0, within, 1.0), 0.0)
    total, weight = total + np.where(known, freedom * own, 0.0), weight + np.where(known, freedom, 0.0)
    ratio_of_all = np.maximum(1.0, total / weight)
    rho = np.where(typical > 0, (ratio_of_all - 1) / (ratio_of_all - 1 + np.maximum(typical, 1e-9)), 0.0)
    rest = 1 - covered
    whole = 1 + rest * rho * np.maximum(0.0, squares - 1)
    alone = rest * (1 + rho * np.maximum(0.0, squares - 1))
    degrees = weight * (whole / np.maximum(alone, 1e-12)) ** 2
    return Leaning(np.asarray(whole, dtype=np.float64), np.where(rest > 0, degrees, np.inf))


def _pooled(runs: Values, groups: npt.NDArray[np.int64]) -> tuple[float, float] | None:
    """The ratio over all runs, each less the mean of all on a question, and its degrees of freedom: of runs that are alike
    several count as one."""
    whole = np.isfinite(runs).all(axis=0)
    if whole.sum() < 3:
        return None
    apart = runs[:, whole] - runs[:, whole].mean(axis=0)
    _, between, within, freedom, inside = _variances(apart, np.unique(groups[whole], return_inverse=True)[1])
    if not freedom[0] or not inside[0] or within.sum() <= 0:
        return None
    small = apart if len(apart) <= apart.shape[1] else apart.T
    gram = small @ small.T
    several = float(np.trace(gram)) ** 2 / float(np.sum(gram**2)) if gram.any() else 1.0
    return float(between.sum() / within.sum()), float(freedom[0]) * several


def _variances(values: Values, groups: npt.NDArray[np.int64]) -> tuple[Values, Values, Values, Values, Values]:
    """Sizes of documents, shape (rows, documents); of each row the mean squares between and within documents, and their
    degrees of freedom."""
    there = np.isfinite(values)
    kept = np.where(there, values, 0.0)
    matrix = np.zeros((values.shape[1], int(groups.max()) + 1))
    matrix[np.arange(values.shape[1]), groups] = 1.0
    sizes, sums = there.astype(np.float64) @ matrix, kept @ matrix
    n, count = sizes.sum(axis=1), (sizes > 0).sum(axis=1)
    mean = sums.sum(axis=1) / np.maximum(n, 1)
    explained = np.sum(np.where(sizes > 0, sums**2 / np.maximum(sizes, 1), 0.0), axis=1)
    between = np.maximum(explained - n * mean**2, 0.0)
    within = np.maximum(np.sum(kept**2, axis=1) - explained, 0.0)
    freedom, inside = np.maximum(count - 1.0, 0.0), np.maximum(n - count, 0.0)
    return sizes, between / np.maximum(freedom, 1), within / np.maximum(inside, 1), freedom, inside
