"""Limits that a run is held against, decided on both sides: passed, failed, or not decided by so few questions.

What a limit allows is a point: the least a mean may be, or the greatest drop. The run passes where it is shown to be on the good
side of it, and fails where it is shown to be beyond it, each at 5 % (two one-sided tests: Schuirmann, 1987): a run that is exactly
at the limit passes in at most 5 % of cases, and fails in at most 5 %. All limits must pass, so that passing needs no correction
(Berger, 1982); the level of failing is shared out among all limits (Bonferroni).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy import special

from .draws import Draws
from .intervals import Values, design_effect, intervals, share_interval
from .leaning import Leaning, leaning, no_leaning
from .power import chance_of_showing, changes_of, nothing_shown
from .simultaneous import together as tested_together

State = Literal["passed", "failed", "undecided"]
SIDE = 0.05  # level of each side
POWER = 0.9  # with which the number of questions that is named would decide
_KNOWN = (
    1.1  # so many times more questions are named, for how questions change is known from those that there are alone
)
_TINY = 1e-12


@dataclass(frozen=True)
class LimitHeld:
    """What a run came to at a limit. `value` with its 90 % interval is the run's mean, or its difference from the baseline; `n`
    the number of questions, about `documents` documents where these are drawn too (else 0); `enough`: with how many questions,
    about `enough_documents`, it would be decided in 9 of 10 test sets, None where no number would do; `unable`: with these
    questions the run could not have failed, whatever it had come to; `same`: the baseline came to just this, by the same
    results."""

    state: State
    value: float
    low: float
    high: float
    n: int
    documents: int = 0
    enough: int | None = None
    same: bool = False
    enough_documents: int = 0
    unable: bool = False

    @property
    def more(self) -> int | None:
        """How many questions more would decide; None where it is decided, or no number would."""
        if self.state != "undecided" or self.enough is None:
            return None
        return max(1, self.enough - self.n)


def held_to_bound(
    values: Values,
    kind: str,
    draws: Draws,
    bound: float,
    most: bool = False,
    margin: float = 0.0,
    together: int = 1,
    seed: int = 0,
) -> LimitHeld | None:
    """A mean against the least (or with `most` the greatest) that it may be, `margin` beyond that being tolerated. `values` of
    shape (questions,), NaN for what is absent, are of a measure of this `kind`. None where there is no value."""
    limit = bound + margin if most else bound - margin
    [found] = intervals(values[None, :], kind, draws, seed, 1 - 2 * SIDE)
    if found is None:
        return None
    [strict] = intervals(values[None, :], kind, draws, seed, 1 - 2 * SIDE / max(1, together))
    assert strict is not None
    sign = -1.0 if most else 1.0
    worst, best = (found.high, strict.low) if most else (found.low, strict.high)
    state: State = "undecided"
    if sign * (worst - limit) >= -_TINY:
        state = "passed"
    elif sign * (best - limit) < -_TINY:
        state = "failed"
    away = sign * (found.mean - limit)  # if what was seen is the truth
    reach = _z(1) if away > 0 else _z(together)
    spread = (found.high - found.low) / (2 * _quantile(1)) * math.sqrt(found.n)
    enough = math.ceil((reach * spread / abs(away)) ** 2) if abs(away) > _TINY else None
    return LimitHeld(
        state=state,
        value=found.mean,
        low=found.low,
        high=found.high,
        n=found.n,
        documents=found.documents,
        enough=enough,
        enough_documents=_documents(enough, found.n, found.documents),
        unable=state == "undecided" and kind in ("share", "score") and _bound_unable(found.n, limit, most, together),
    )


def _bound_unable(n: int, limit: float, most: bool, together: int) -> bool:
    """Whether so many questions could not fail even if each had the worst score there is."""
    low, high = share_interval(float(n) if most else 0.0, n, 1 - 2 * SIDE / max(1, together))
    return low <= limit if most else high >= limit


def held_to_baseline(
    ours: Values,
    theirs: Values,
    kind: str,
    draws: Draws,
    less_is_better: bool,
    drop: float,
    together: int = 1,
    seed: int = 0,
    same: bool = False,
) -> LimitHeld | None:
    """A run against a baseline on the same questions: it may be worse by `drop`, which is the margin of non-inferiority.
    With `same`, both are known to have come to the same by the same results, which passes however few the questions. None where
    no question has a value in both."""
    gaps = (ours - theirs)[None, :]
    there = np.isfinite(gaps[0])
    n = int(there.sum())
    if not n:
        return None
    leans = leaning(gaps, draws) if draws.documents is not None else no_leaning(1)
    side, strict = (
        tested_together(gaps, kind, draws.units, leans, seed, 1 - 2 * SIDE / count) for count in (1, max(1, together))
    )
    values, here = gaps[0][there], draws.of(there)
    unchanged = not values.any()
    mean = float(values.mean())
    sign = -1.0 if less_is_better else 1.0
    worst = float((side.high if less_is_better else side.low)[0])
    best = float((strict.low if less_is_better else strict.high)[0])
    state: State = "undecided"
    if (same and unchanged) or sign * worst >= -drop - _TINY:
        state = "passed"
    elif sign * best < -drop - _TINY:
        state = "failed"
    unable = (
        state == "undecided" and kind in ("share", "score") and _drop_unable(values, here, leans, drop, strict.reach)
    )
    enough = _enough(values, here, leans, drop, together) if drop > 0 else None
    if (
        state == "undecided" and enough is not None and enough <= n
    ):  # neither no change nor twice the drop: near the limit
        enough = _enough_as_seen(values, here, leans, sign * mean + drop, together)
    return LimitHeld(
        state=state,
        value=0.0 if unchanged else mean,
        low=float(side.low[0]),
        high=float(side.high[0]),
        n=n,
        documents=here.document_count,
        enough=enough,
        same=same and unchanged,
        enough_documents=_documents(enough, n, here.document_count),
        unable=unable,
    )


def _drop_unable(values: Values, here: Draws, leans: Leaning, drop: float, reach: float) -> bool:
    """Whether so few questions can't show a drop beyond what is allowed, even if every question lost all there is to lose."""
    if nothing_shown(here.count(len(values)), reach):
        return True
    worth = len(values) / (float(leans.effect[0]) * design_effect(values, here.units))
    most = chance_of_showing(1.0, changes_of(values), worth, reach, float(leans.freedom[0]), drop)
    return most < 1 - POWER


def _enough(values: Values, here: Draws, leans: Leaning, drop: float, together: int) -> int:
    """How many questions decide in 9 of 10 test sets: with no change, that nothing worse than `drop` is possible; with a drop
    of twice that, that it is more than allowed."""
    changes = changes_of(values)
    effect = float(leans.effect[0]) * design_effect(values, here.units)
    needed = max(_z(1) ** 2 * changes.variance(0.0), _z(together) ** 2 * changes.variance(2 * drop))
    return max(5, math.ceil(_KNOWN * effect * needed / drop**2))


def _enough_as_seen(values: Values, here: Draws, leans: Leaning, away: float, together: int) -> int | None:
    """How many questions decide if what was seen, so far from the limit, is the truth."""
    if abs(away) <= _TINY:
        return None
    effect = float(leans.effect[0]) * design_effect(values, here.units)
    reach = _z(1) if away > 0 else _z(together)
    return max(5, math.ceil(effect * float(values.var()) * (reach / away) ** 2))


def _documents(enough: int | None, n: int, documents: int) -> int:
    """About how many documents so many questions are, when each has as many as now."""
    return math.ceil((enough or 0) * documents / n) if documents else 0


def _quantile(together: int) -> float:
    return float(special.ndtri(1 - SIDE / max(1, together)))


def _z(together: int) -> float:
    """How many standard errors away an edge must lie to be told from with that power, of so many limits."""
    return _quantile(together) + float(special.ndtri(POWER))
