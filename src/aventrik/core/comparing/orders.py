"""Whether two test sets put configurations into the same order."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from .intervals import grouped
from .sides import Side, all_pairs

DRAWS = 2000
Matrix = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Orders:
    """How the order of configurations by one test set agrees with that by another, on one measure.

    `tau` is Kendall's tau-b between the two lists of means (−1 to 1; None where all means of one are equal), `low` and
    `high` its interval. Of the pairs of configurations that differ by more than chance on the second set (`real`),
    `same` differ so on the first too and the same way, `wrong` the other way; on the others it shows nothing.
    `easier` is the mean of the first set's means less that of the second's.
    """

    measure: str
    configurations: int
    tau: float | None
    low: float
    high: float
    real: int
    same: int
    wrong: int
    easier: float


def tau_b(ours: Matrix, theirs: Matrix) -> Matrix:
    """Kendall's tau-b (1945) between rows: arrays of shape (..., n), n at least 2. (concordant − discordant pairs) ÷
    √((pairs − ties of the one) · (pairs − ties of the other)); NaN where all of a row are equal."""
    first, second = np.triu_indices(ours.shape[-1], 1)
    a = np.sign(np.round(ours[..., first] - ours[..., second], 12))
    b = np.sign(np.round(theirs[..., first] - theirs[..., second], 12))
    norm = np.sqrt((a != 0).sum(-1) * (b != 0).sum(-1).astype(float))
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.asarray((a * b).sum(-1) / norm, dtype=float)


def orders(
    ours: Sequence[Side], theirs: Sequence[Side], measure: str, seed: int = 0, by_document: bool = False
) -> Orders:
    """The agreement of two orders of the same configurations, given in the same order; the interval by a bootstrap that
    draws the questions (or documents) of both sets anew, percentiles at 95 %.

    Raises ValueError for fewer than two configurations, or where a side has no question with the measure.
    """
    if len(ours) != len(theirs) or len(ours) < 2:
        raise ValueError("an order needs the same two configurations, or more, on both sets")
    rows = [_matrix(sides, measure, by_document) for sides in (ours, theirs)]
    means = [matrix.mean(1) for matrix, _ in rows]
    tau = float(tau_b(means[0], means[1]))
    draw = np.random.default_rng(seed)
    drawn = [_drawn(matrix, groups, draw) for matrix, groups in rows]
    taus = tau_b(drawn[0], drawn[1])
    taus = taus[np.isfinite(taus)]
    low, high = np.quantile(taus, [0.025, 0.975]) if len(taus) else (-1.0, 1.0)
    real = {(pair.name, pair.against): pair for pair in all_pairs(theirs, measure, seed, by_document) if pair.real}
    shown = {(pair.name, pair.against): pair for pair in all_pairs(ours, measure, seed, by_document) if pair.real}
    both = [pair for pair in real if pair in shown]
    alike = sum((real[pair].difference.mean > 0) == (shown[pair].difference.mean > 0) for pair in both)
    return Orders(
        measure=measure,
        configurations=len(ours),
        tau=tau if np.isfinite(tau) else None,
        low=float(low),
        high=float(high),
        real=len(real),
        same=alike,
        wrong=len(both) - alike,
        easier=float(means[0].mean() - means[1].mean()),
    )


def _matrix(sides: Sequence[Side], measure: str, by_document: bool) -> tuple[Matrix, npt.NDArray[np.int64]]:
    """Scores of shape (configurations, questions) of the questions that all have, and the group of each question."""
    keys = [key for key in sides[0].scores if all(measure in side.scores.get(key, {}) for side in sides)]
    if not keys:
        raise ValueError(f"no question has the measure {measure} in all runs")
    names = [(sides[0].clusters.get(key) or key) if by_document else key for key in keys]
    matrix = np.array([[side.scores[key][measure] for key in keys] for side in sides], dtype=float)
    return matrix, np.asarray(grouped(names), dtype=np.int64)


def _drawn(matrix: Matrix, groups: npt.NDArray[np.int64], draw: np.random.Generator) -> Matrix:
    """Means of shape (draws, configurations) over groups that are drawn with replacement."""
    count = int(groups.max()) + 1
    sizes = np.bincount(groups, minlength=count).astype(float)
    sums = np.stack([np.bincount(groups, weights=row, minlength=count) for row in matrix])
    times = draw.multinomial(count, np.full(count, 1 / count), size=DRAWS).astype(float)
    found: Matrix = (times @ sums.T) / (times @ sizes)[:, None]
    return found
