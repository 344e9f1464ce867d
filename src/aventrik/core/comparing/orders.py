"""Whether two test sets put configurations into the same order: the correlation of their true effects, the noise of both taken off.

The true means of the configurations on the two sets are taken as normal, each about its set's mean, with a spread of their own and a
correlation ρ; the means seen as normal about these with the covariance that each set's questions show. All values of the spreads and of
ρ are weighed by how well they explain the means seen (spreads and ρ flat); from the same come draws of the true means, and so the
chance that the best one by the first set is worse on the second than the best one there by more than 0.05.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from .draws import Scope
from .errors_of_means import covariance_of
from .sides import THESE, Board, Side, all_pairs, board

WORSE = 0.05  # by more than which a pick counts as a wrong one
DRAWS = 1000
_SPREADS = 9
_CORRELATIONS = 41
Matrix = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Orders:
    """How the order of configurations by one test set agrees with that by another, on one measure.

    `correlation` of the true means is the posterior's median, `low` and `high` its 95 % interval, −1 to 1; `worse` the chance that
    the first set's best one is worse on the second, by more than 0.05, than the best one there, `by_lot` that of one picked by lot;
    `tau` is Kendall's tau-b between
    the two lists of means seen (None where all of one are equal). Of the pairs of configurations that are told apart on the second
    set (`real`), `same` are so on the first too and the same way, `wrong` the other way; on the others it shows nothing. `easier`
    is the mean of the first set's means less that of the second's.
    """

    measure: str
    configurations: int
    correlation: float
    low: float
    high: float
    worse: float
    by_lot: float
    tau: float | None
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
    ours: Sequence[Side],
    theirs: Sequence[Side],
    measure: str,
    seed: int = 0,
    scopes: tuple[Scope, Scope] = (THESE, THESE),
) -> Orders:
    """The agreement of two orders of the same configurations, given in the same order.

    Raises ValueError for fewer than two configurations, or where no question of a set has the measure in all runs.
    """
    if len(ours) != len(theirs) or len(ours) < 2:
        raise ValueError("an order needs the same two configurations, or more, on both sets")
    boards = [_whole(sides, measure, scope) for sides, scope in zip((ours, theirs), scopes)]
    means = [each.values.mean(axis=1) for each in boards]
    every = np.hstack([each.values for each in boards])
    apart = np.sort(
        np.unique(every, axis=0, return_index=True)[1]
    )  # of runs that came to the same on both sets one is enough
    found = effects(
        [each[apart] for each in means],
        [covariance_of(each.values[apart], each.draws) + _unseen(each.values[apart]) for each in boards],
        seed,
        boards[0].less,
    )
    tau = float(tau_b(means[0], means[1]))
    real = {(pair.name, pair.against): pair for pair in all_pairs(theirs, measure, seed, scopes[1]) if pair.real}
    shown = {(pair.name, pair.against): pair for pair in all_pairs(ours, measure, seed, scopes[0]) if pair.real}
    both = [pair for pair in real if pair in shown]
    alike = sum((real[pair].difference.mean > 0) == (shown[pair].difference.mean > 0) for pair in both)
    return Orders(
        measure=measure,
        configurations=len(ours),
        correlation=found.correlation,
        low=found.low,
        high=found.high,
        worse=found.worse,
        by_lot=found.by_lot,
        tau=tau if np.isfinite(tau) else None,
        real=len(real),
        same=alike,
        wrong=len(both) - alike,
        easier=float(means[0].mean() - means[1].mean()),
    )


@dataclass(frozen=True)
class Effects:
    """The correlation of true effects with its 95 % interval, and the chances of a pick that is worse (see `Orders`)."""

    correlation: float
    low: float
    high: float
    worse: float
    by_lot: float


def effects(
    means: Sequence[Matrix], covariances: Sequence[Matrix], seed: int = 0, less: bool = False, worse: float = WORSE
) -> Effects:
    """Of two lists of means of the same configurations, and the covariances of their errors."""
    runs = len(means[0])
    if runs < 2:
        return Effects(0.0, -1.0, 1.0, 0.0, 0.0)
    centring = np.eye(runs) - 1 / runs
    axes = np.linalg.qr(np.hstack([np.ones((runs, 1)), np.eye(runs)[:, : runs - 1]]))[0][:, 1:]
    seen = np.concatenate([axes.T @ each for each in means])
    errors = [axes.T @ centring @ each @ centring @ axes for each in covariances]
    size = runs - 1
    noise = np.zeros((2 * size, 2 * size))
    noise[:size, :size], noise[size:, size:] = errors
    grids = [_grid(axes.T @ mean, error) for mean, error in zip(means, errors)]
    rhos = np.linspace(-0.99, 0.99, _CORRELATIONS)
    tied = np.kron([[0, 1], [1, 0]], np.eye(size))
    cases: list[tuple[float, float, float]] = []
    logs: list[float] = []
    for first, step in zip(*grids[0]):
        for second, other in zip(*grids[1]):
            own = np.diag(np.repeat([first**2, second**2], size)) + noise + 1e-12 * np.eye(2 * size)
            roots = np.linalg.cholesky(own + (rhos * first * second)[:, None, None] * tied)
            scaled = np.linalg.solve(roots, np.broadcast_to(seen[:, None], (len(rhos), 2 * size, 1)))
            sizes = np.log(np.diagonal(roots, axis1=1, axis2=2)).sum(axis=1)
            logs.extend((-sizes - np.sum(scaled**2, axis=(1, 2)) / 2 + np.log(step * other)).tolist())
            cases.extend((float(first), float(second), rho) for rho in rhos.tolist())
    weights = np.exp(np.array(logs) - max(logs))
    weights /= weights.sum()
    by_rho = weights.reshape(-1, _CORRELATIONS).sum(axis=0)
    low, middle, high = (_quantile(rhos, by_rho, at) for at in (0.025, 0.5, 0.975))
    sign = -1.0 if less else 1.0
    picked = int(np.argmax(np.round(sign * means[0], 12)))
    lot = np.random.default_rng([seed, 5])
    counted = np.bincount(lot.choice(len(cases), size=DRAWS, p=weights), minlength=len(cases))
    lost = np.zeros(2)
    for case in np.flatnonzero(counted).tolist():
        first, second, rho = cases[case]
        count = int(counted[case])
        prior = np.diag(np.repeat([first**2, second**2], size)) + rho * first * second * tied
        gain = np.linalg.solve(prior + noise + 1e-12 * np.eye(2 * size), prior).T
        centre, spread = (gain @ seen)[size:], (prior - gain @ prior)[size:, size:]
        values, turned = np.linalg.eigh((spread + spread.T) / 2)
        drawn = centre + (lot.normal(size=(count, size)) * np.sqrt(np.maximum(values, 0.0))) @ turned.T
        true = sign * drawn @ axes.T
        behind = true.max(axis=1, keepdims=True) - true > worse
        lost += float(behind[:, picked].sum()), float(behind.mean(axis=1).sum())
    return Effects(middle, low, high, *(lost / DRAWS).tolist())


def _whole(sides: Sequence[Side], measure: str, scope: Scope) -> Board:
    """The scores on the questions that all have."""
    found = board(sides, measure, scope).whole()
    if not len(found.keys):
        raise ValueError(f"no question has the measure {measure} in all runs")
    return found


def _unseen(values: Matrix) -> Matrix:
    """Errors for changes that so few questions can't show: of each run one question might have come out otherwise."""
    return np.asarray(np.eye(len(values)) / values.shape[1] ** 2, dtype=float)


def _grid(seen: Matrix, error: Matrix) -> tuple[Matrix, Matrix]:
    """Spreads that are looked at, and the step that each stands for."""
    largest = 3 * float(np.sqrt(np.mean(seen**2) + np.trace(error) / len(error))) + 1e-6
    spreads = largest * np.linspace(0.02, 1.0, _SPREADS) ** 1.5
    return spreads, np.gradient(spreads)


def _quantile(values: Matrix, weights: Matrix, at: float) -> float:
    """The value up to which so much of the weight lies, between the values in a straight line."""
    return float(np.interp(at, np.cumsum(weights) - weights / 2, values))
