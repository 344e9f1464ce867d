"""The covariance of the errors of several runs' means on the same questions."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from .draws import Draws
from .intervals import summed
from .leaning import USUAL_OF_MEANS, leaning

Values = npt.NDArray[np.float64]


def covariance_of(values: Values, draws: Draws) -> Values:
    """Of means of values of shape (runs, questions), NaN for what is absent: over draws, and greater by how much questions of a
    document lean on each other, apart for what all runs have in common and for what sets them apart. Shape (runs, runs)."""
    runs = len(values)
    there = np.isfinite(values)
    n = np.maximum(there.sum(axis=1, keepdims=True), 1)
    means = np.where(there, values, 0.0).sum(axis=1, keepdims=True) / n
    apart = np.where(there, values - means, 0.0) / n
    totals = apart if draws.units is None else summed(apart, draws.units)
    count = totals.shape[1]
    found: Values = totals @ totals.T * (count / max(1, count - 1))
    if draws.documents is None or runs < 2:
        return found
    shared = there.any(axis=0)
    of_all = np.where(shared, np.where(there, values, 0.0).sum(axis=0) / np.maximum(there.sum(axis=0), 1), np.nan)
    common = leaning(of_all[None, :], draws, usual=USUAL_OF_MEANS).effect[0]
    single = float(leaning(values[1:] - values[:1], draws, values).effect.mean())
    centring = np.eye(runs) - 1 / runs
    inside = centring @ found @ centring
    return np.asarray(inside * single + (found - inside) * common, dtype=np.float64)
