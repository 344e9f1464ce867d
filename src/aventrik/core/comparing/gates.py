"""Limits that a run is held against, decided on intervals: passed, failed, or not decided by so few questions.

A limit passes when the 95 % interval lies within what it tolerates (non-inferiority: Piaggio et al., 2012). All limits
must pass, so that needs no correction (Berger, 1982). It fails when the run is shown to be on the wrong side, at a level
that is shared out among all limits (Bonferroni), and by more than is tolerated: without a true change some limit fails
in at most 5 % of runs.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
import numpy.typing as npt
from scipy import special

from .differences import ALPHA, paired_differences, tango_interval
from .intervals import LEVEL, Values, intervals

State = Literal["passed", "failed", "undecided"]
POWER = 0.9  # with which the number of questions that is named would decide
_TINY = 1e-12


@dataclass(frozen=True)
class LimitHeld:
    """What a run came to at a limit. `value` with its interval is the run's mean, or its difference from the baseline;
    `n` the number of questions, of `clusters` documents where these count as one draw; `enough`: with how many questions it
    would be decided in 9 of 10 test sets, None where no number would do; `same`: the baseline came to just this, by the same
    results."""

    state: State
    value: float
    low: float
    high: float
    n: int
    clusters: int = 0
    enough: int | None = None
    same: bool = False

    @property
    def more(self) -> int | None:
        """How many questions more would decide; None where it is decided, or no number would."""
        if self.state != "undecided" or self.enough is None:
            return None
        return max(1, self.enough - self.n)


def held_to_bound(
    values: Values,
    kind: str,
    groups: npt.NDArray[np.int64] | None,
    bound: float,
    most: bool = False,
    margin: float = 0.0,
    together: int = 1,
    seed: int = 0,
) -> LimitHeld | None:
    """A mean against the least (or with `most` the greatest) that it may be; `margin` beyond it is tolerated where it is
    shown to be no further off. `values` of shape (questions,), NaN for what is absent, are of a measure of this `kind`;
    `groups` has the document of each as a number. None where there is no value."""
    [found] = intervals(values[None, :], kind, groups, seed)
    if found is None:
        return None
    [strict] = intervals(values[None, :], kind, groups, seed, 1 - (1 - LEVEL) / max(1, together))
    assert strict is not None
    sign = -1.0 if most else 1.0
    good = sign * (found.mean - bound)
    worst = (found.high if most else found.low) - bound
    best = (strict.low if most else strict.high) - bound
    state = _state(sign * worst, sign * best, good, margin)
    passing = good > -margin  # if what was seen is the truth
    away, z = (good + margin, _z(1)) if passing else (-good, _z(together))
    spread = _spread(found.low, found.high, found.n)
    enough = math.ceil((z * spread / away) ** 2) if away > _TINY else None
    return LimitHeld(state, found.mean, found.low, found.high, found.n, found.clusters, enough)


def held_to_baseline(
    ours: Values,
    theirs: Values,
    kind: str,
    groups: npt.NDArray[np.int64] | None,
    less_is_better: bool,
    drop: float,
    together: int = 1,
    seed: int = 0,
    same: bool = False,
) -> LimitHeld | None:
    """A run against a baseline on the same questions: it may be worse by `drop`, which is the margin of non-inferiority.
    With `same`, both are known to have come to the same by the same results, which passes however few the questions.

    It fails where the drop is shown to be real and the one that was seen is greater than tolerated. None where no question
    has a value in both.
    """
    [found] = paired_differences(ours[None, :], theirs, kind, groups, seed, together)
    if found is None:
        return None
    if found.same and kind == "score":  # a score that falls may fall as far as a share does
        low, high = tango_interval(0, 0, found.clusters or found.n)
        found = replace(found, low=low, high=high)
    sign = -1.0 if less_is_better else 1.0
    good = sign * found.mean
    worst = found.high if less_is_better else found.low
    real = found.p < ALPHA / max(1, together)
    state: State = "undecided"
    if (same and found.same) or sign * worst >= -drop - _TINY:
        state = "passed"
    elif real and good < -drop - _TINY:
        state = "failed"
    enough = _enough(_spread(found.low, found.high, found.n), drop, kind, together) if drop > 0 else None
    return LimitHeld(
        state=state,
        value=found.mean,
        low=found.low,
        high=found.high,
        n=found.n,
        clusters=found.clusters,
        enough=enough,
        same=same and found.same,
    )


def _state(worst: float, best: float, good: float, margin: float) -> State:
    if worst >= -margin - _TINY:
        return "passed"
    return "failed" if best < -_TINY and good < -margin - _TINY else "undecided"


def _spread(low: float, high: float, n: int) -> float:
    """The standard deviation of one question that an interval speaks of: intervals narrow with the root of their number."""
    return (high - low) / (2 * float(special.ndtri((1 + LEVEL) / 2))) * math.sqrt(n)


def _enough(spread: float, drop: float, kind: str, together: int) -> int:
    """How many questions decide in 9 of 10 test sets: with no change, that nothing worse than `drop` is possible; with a drop
    of twice that, that there is one, and that it is greater than tolerated. Such a drop spreads the differences itself: at
    the most, a few questions lose all of their score."""
    fallen = 2 * drop
    own = fallen * max(0.0, 1 - fallen) if kind in ("share", "score") else 0.0
    shown = max(_z(together) / fallen, float(special.ndtri(POWER)) / drop) * math.sqrt(spread**2 + own)
    return max(1, math.ceil(max(_z(1) * spread / drop, shown) ** 2))


def _z(together: int) -> float:
    """How many standard errors away an edge must lie to be told from with that power, of so many limits."""
    return float(special.ndtri(1 - ALPHA / (2 * max(1, together))) + special.ndtri(POWER))
