"""What is to be believed of the true means of all runs together: an empirical Bayes posterior.

Runs that answer nearly all questions alike have nearly the same true mean; those that differ on many may lie far apart. So the true
means are taken as normal about a common one with a covariance that is κ times that of the errors of the means seen, as the questions show
it (Zellner's g-prior, 1986), and all values of κ are weighed by how well they explain the means seen (empirical Bayes: Efron and Morris,
1975; √κ half-Cauchy of scale ½: Gelman, 2006). So the best one's luck of being chosen is taken off by as much as the differences seen are
no greater than their errors; the error of all means in common is taken by itself.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Values = npt.NDArray[np.float64]

DRAWS = 4000
HELD = 0.97  # chance with which the likeliest hold the best one: 95 %, and a margin for what the prior does not know
_SPREADS = 80  # values of √κ
_SCALE = 0.5
_LEAST = 1e-6  # part of the greatest variance below which a direction is none
_QUESTIONS = 8  # draws that tell of the errors in one direction
_TIE = 1e-9


@dataclass(frozen=True, eq=False)
class Posterior:
    """Draws of the runs' true means, shape (draws, runs), more is better, and of each run's alone: a run whose own error is small is
    known better than what all have in common."""

    draws: Values
    single: Values

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
        low, high = np.quantile(self.single[:, run], [(1 - level) / 2, (1 + level) / 2])
        return float(self.single[:, run].mean()), float(low), float(high)

    def loss(self, run: int, among: Sequence[int] | None = None) -> float:
        """By how much the best one is expected to be better than this run: 0 or more."""
        some = self.draws if among is None else self.draws[:, list(among)]
        return float(np.mean(some.max(axis=1) - self.draws[:, run]))


def posterior(
    means: Values, covariance: Values, seed: int = 0, questions: int | None = None, count: int = DRAWS
) -> Posterior:
    """The posterior of true means, from those seen (shape (runs,)) and the covariance of their errors, as `questions` draws show it.
    One run, or equal ones, keep their means."""
    runs = len(means)
    lot = np.random.default_rng([seed, 7])
    centring = np.eye(runs) - 1 / runs
    inside = centring @ covariance @ centring
    values, axes = np.linalg.eigh((inside + inside.T) / 2)
    values = np.maximum(values, 0.0)
    seen = axes.T @ (means - means.mean())
    share = _shares(seen, values, questions)
    alone = max(0.0, float(covariance.mean()))
    drawn = lot.choice(share[0], size=(count, 1), p=share[1])
    inner = drawn * seen + np.sqrt(drawn * values) * lot.normal(size=(count, runs))
    grand = float(means.mean())
    own = np.maximum(np.diag(covariance), 0.0)
    errors = np.sqrt(drawn * own + (1 - drawn) * alone)  # a run's own, as far as it is not drawn to the others
    single = grand + drawn * (means - grand) + errors * lot.normal(size=(count, 1))
    return Posterior(grand + np.sqrt(alone) * lot.normal(size=(count, 1)) + inner @ axes.T, single)


def _shares(seen: Values, values: Values, questions: int | None) -> tuple[Values, Values]:
    """Shares κ ÷ (1 + κ) of what was seen that may be true, and how likely each is: by the directions in which runs differ most, as
    many as so many questions can tell the errors of."""
    order = np.argsort(-values)
    told = order[values[order] > _LEAST * values.max(initial=0.0)]
    told = told[: max(2, questions // _QUESTIONS)] if questions is not None else told
    if not len(told) or values.max(initial=0.0) <= 0:
        return np.ones(1), np.ones(1)
    size = float(np.sum(seen[told] ** 2 / values[told]))
    roots = np.linspace(0.0, 1.0, _SPREADS) ** 2 * 3 * np.sqrt(size / len(told) + 1)
    kappa = roots**2
    log = -0.5 * len(told) * np.log1p(kappa) - 0.5 * size / (1 + kappa) - np.log1p((roots / _SCALE) ** 2)
    weights = np.exp(log - log.max()) * np.gradient(roots)
    return kappa / (1 + kappa), weights / weights.sum()
