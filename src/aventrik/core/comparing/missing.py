"""What can be said of a difference where scores are missing: the bounds between which it lies."""

from __future__ import annotations

import numpy as np

from .sheet import Values


def difference_bounds(ours: Values, theirs: Values) -> tuple[float, float, int, int] | None:
    """The least and the greatest that the mean paired difference of two runs can be over all questions for which either has a score,
    whatever the missing ones were, 0 to 1 (Manski, 1989); how many questions have both scores, and how many have either. None where
    nothing is missing. `ours` and `theirs` of shape (questions,), NaN for what is missing."""
    there, other = np.isfinite(ours), np.isfinite(theirs)
    either = there | other
    if not either.any() or bool((there == other).all()):
        return None
    low = np.where(there, ours, 0.0) - np.where(other, theirs, 1.0)
    high = np.where(there, ours, 1.0) - np.where(other, theirs, 0.0)
    return float(low[either].mean()), float(high[either].mean()), int((there & other).sum()), int(either.sum())
