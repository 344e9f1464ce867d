"""Many configurations on ever more questions: those that are clearly worse than the best stop early."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from .leading import ALPHA, Values, may_be_best

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
    values: Values, groups: npt.NDArray[np.int64] | None, look: int, schedule: Sequence[int], seed: int = 0,
    level: float = ALPHA,
) -> npt.NDArray[np.bool_]:  # fmt: skip
    """Which configurations go on after a look (from 0): those whose hypothesis of being the best stands at `level` shared
    out evenly among all looks but the last. So the best one is stopped in the whole race with a chance of at most
    `level`. `values`, more is better, of shape (configurations, questions so far); see `may_be_best`."""
    share = level / max(1, len(schedule) - 1)
    p = may_be_best(values, groups, seed + look)
    best = values.mean(axis=1) >= values.mean(axis=1).max() - 1e-12
    found: npt.NDArray[np.bool_] = (p >= share) | best
    return found
