"""Many configurations on ever more questions: those that are clearly worse than the best stop early."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
from scipy import special

from .draws import Draws
from .intervals import summed
from .leading import ALPHA, Values, standing
from .leaning import leaning

FIRST = 20  # questions before anything is decided
_GROWTH = 1.5  # of the questions asked from one look to the next


def looks(questions: int) -> list[int]:
    """After how many questions it is looked which configurations go on: 20 or a fifteenth, then half as many again each
    time, and all at the end."""
    found = []
    count = max(FIRST, math.ceil(questions / 15))
    while count < questions / math.sqrt(_GROWTH):
        found.append(count)
        count = math.ceil(count * _GROWTH)
    return [*found, questions]


def go_on(
    values: Values, draws: Draws, look: int, schedule: Sequence[int], seed: int = 0, level: float = ALPHA, zone: float = 0.0,
) -> npt.NDArray[np.bool_]:  # fmt: skip
    """Which configurations go on after a look (from 0): those whose hypothesis of being the best stands at `level` shared
    out evenly among all looks but the last. So the best one is stopped in the whole race with a chance of at most
    `level`. With a `zone` of indifference those stop too, all at once, when none of them can be better than the first one by more
    than that. `values`, more is better, of shape (configurations, questions so far); see `may_be_best`."""
    share = level / max(1, len(schedule) - 1)
    p = standing(values, draws, seed + look)
    means = values.mean(axis=1)
    best = means >= means.max() - 1e-12
    found: npt.NDArray[np.bool_] = (p >= share) | best
    if zone > 0 and _within(values, draws, found, zone, share):
        return np.arange(len(values)) == int(means.argmax())
    return found


def _within(values: Values, draws: Draws, left: npt.NDArray[np.bool_], zone: float, level: float) -> bool:
    """Whether all that are left are shown to be better than the first one by no more than the zone (one-sided limits of Student's
    t, shared out among them: Bonferroni)."""
    first = int(values.mean(axis=1).argmax())
    others = np.flatnonzero(left & (np.arange(len(values)) != first))
    if not len(others):
        return False
    gaps = values[others] - values[first]
    totals = gaps if draws.units is None else summed(gaps, draws.units)
    n = totals.shape[1]
    if n < 2:
        return False
    mean = gaps.mean(axis=1)
    scale = n / gaps.shape[1]
    leans = leaning(gaps, draws, values)
    unseen = 1 / gaps.shape[1]  # one question that changes counts as seen
    error = np.sqrt((totals.var(axis=1, ddof=1) * scale**2 + unseen) / n * leans.effect)
    reach = float(special.stdtrit(min(float(leans.freedom.min()), n - 1), 1 - level / len(others)))
    return bool((mean + reach * error <= zone).all())
