"""What is to be believed of the true means of all runs together: an empirical Bayes posterior.

The runs' true means are taken as normal about a common mean, with a spread τ of which all values are weighed by how well they
explain the means that were seen (Efron and Morris, 1975; τ half-Cauchy, half as wide as the errors are: Gelman, 2006), and the
means seen as normal about the true ones with the covariance that the questions show; the error of all means in common is taken
by itself. So the best one's luck of being chosen is taken off by as much as the runs are likely to be alike.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Values = npt.NDArray[np.float64]

DRAWS = 4000
HELD = 0.97  # chance with which the likeliest hold the best one: 95 %, and a margin for what the prior does not know
_SPREADS = 40  # values of τ
_TIE = 1e-9


@dataclass(frozen=True, eq=False)
class Posterior:
    """Draws of the runs' true means, shape (draws, runs), more is better."""

    draws: Values

    def chances(self) -> Values:
        """Each run's chance of being the best; equal ones share it."""
        best = self.draws >= self.draws.max(axis=1, keepdims=True) - _TIE
        return np.asarray((best / best.sum(axis=1, keepdims=True)).mean(axis=0), dtype=np.float64)

    def likeliest(self, share: float = HELD) -> list[int]:
        """The fewest runs that hold the best one with so great a chance, the likeliest first."""
        chances = self.chances()
        order = np.argsort(-chances, kind="stable")
        count = int(np.searchsorted(np.cumsum(chances[order]), share - 1e-9)) + 1
        return [int(run) for run in order[:count]]

    def mean(self, run: int, level: float = 0.95) -> tuple[float, float, float]:
        """A run's expected mean, and between what it lies with 95 %."""
        low, high = np.quantile(self.draws[:, run], [(1 - level) / 2, (1 + level) / 2])
        return float(self.draws[:, run].mean()), float(low), float(high)

    def loss(self, run: int, among: Sequence[int] | None = None) -> float:
        """By how much the best one is expected to be better than this run: 0 or more."""
        some = self.draws if among is None else self.draws[:, list(among)]
        return float(np.mean(some.max(axis=1) - self.draws[:, run]))


def posterior(
    means: Values, covariance: Values, seed: int = 0, freedom: float = np.inf, count: int = DRAWS
) -> Posterior:
    """The posterior of true means, from those seen (shape (runs,)) and the covariance of their errors; `freedom`: the degrees
    of freedom with which that is known, for tails of Student's t. One run, or equal ones, keep their means."""
    runs = len(means)
    lot = np.random.default_rng([seed, 7])
    wide = np.ones((count, 1)) if np.isinf(freedom) else np.sqrt(freedom / lot.chisquare(freedom, (count, 1)))
    centring = np.eye(runs) - 1 / runs
    inside = centring @ covariance @ centring
    values, axes = np.linalg.eigh((inside + inside.T) / 2)
    axes, values = (
        axes[:, 1:] if runs > 1 else axes[:, :0],
        np.maximum(values[1:], 0.0),
    )  # the first one is that of the mean
    ones = np.full(runs, 1 / np.sqrt(runs))
    axes = axes - ones[:, None] * (ones @ axes)
    seen = axes.T @ means
    grand = float(means.mean())
    alone = float(np.full(runs, 1 / runs) @ covariance @ np.full(runs, 1 / runs))
    spreads, weights = _spreads(seen, values, runs)
    picked = lot.choice(len(spreads), size=count, p=weights)
    found = np.empty((count, runs))
    for place in np.unique(picked):
        rows = np.flatnonzero(picked == place)
        whole = values + spreads[place] ** 2
        share = np.where(whole > 0, spreads[place] ** 2 / np.where(whole > 0, whole, 1.0), 1.0)
        noise = lot.normal(size=(len(rows), len(values)))
        inner = share * seen + noise * np.sqrt(share * values) * wide[rows]
        middle = grand + np.sqrt(alone) * lot.normal(size=len(rows)) * wide[rows, 0]
        found[rows] = middle[:, None] + inner @ axes.T
    return Posterior(found)


def _spreads(seen: Values, values: Values, runs: int) -> tuple[Values, Values]:
    """Values of τ and how likely each is."""
    if runs < 2:
        return np.zeros(1), np.ones(1)
    largest = 3 * float(np.sqrt(np.mean(seen**2) + values.mean())) + 1e-9
    spreads = np.linspace(0.0, 1.0, _SPREADS) ** 2 * largest
    steps = np.gradient(spreads)
    whole = values[None, :] + spreads[:, None] ** 2 + 1e-18
    usual = 0.5 * float(np.sqrt(values.mean())) + 1e-9
    log = -0.5 * np.sum(np.log(whole) + seen**2 / whole, axis=1) - np.log(1 + (spreads / usual) ** 2)
    weights = np.exp(log - log.max()) * steps
    return spreads, weights / weights.sum()
