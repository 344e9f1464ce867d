"""The difference of two runs on the same questions: interval, test, and what the set could show at all."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy import optimize, special

from .intervals import LEVEL, bca, checked, clopper_pearson, design_effect, grouped
from .power import smallest_for_scores, smallest_for_shares
from .significance import mcnemar, sign_flip

ALPHA = 0.05


@dataclass(frozen=True)
class Difference:
    """Mean of the paired differences (other minus baseline) with interval and p-value.

    `same`: every paired difference is 0. `smallest`: the least true difference that such a set would show, with 80 %
    power, at the level that is left after correction for all comparisons made together; None where it could show none.
    """

    mean: float
    low: float
    high: float
    p: float
    n: int
    test: str
    smallest: float | None
    same: bool
    clusters: int = 0


def paired_difference(
    other: Sequence[float],
    baseline: Sequence[float],
    kind: str = "score",
    clusters: Sequence[str] | None = None,
    seed: int = 0,
    together: int = 1,
    power: bool = True,
) -> Difference:
    """The difference of two runs on the same questions, in the same order; `together` comparisons are corrected for.
    Without `power`, the smallest difference that could be shown is not worked out.

    Shares that are not clustered: McNemar's exact test, and the hull of Tango's score interval (1998) and of the exact
    interval of the differing questions, which contains 0 whenever the test shows nothing. All else: the sign-flip test,
    by cluster where there are any, and the BCa bootstrap interval, drawn out to 0 where the test shows nothing.
    """
    ours, theirs = checked(other, kind), checked(baseline, kind)
    if len(ours) != len(theirs):
        raise ValueError(f"paired values must be as many: {len(ours)} and {len(theirs)}")
    gaps = ours - theirs
    n, mean = len(gaps), float(gaps.mean())
    groups = None if clusters is None else grouped(clusters)
    count = 0 if groups is None else int(groups.max()) + 1
    level = ALPHA / max(1, together)
    if not gaps.any():
        return Difference(0.0, *_of_nothing(kind, n), 1.0, n, "none: all equal", None, True, count)
    better, worse = int((gaps > 0).sum()), int((gaps < 0).sum())
    if kind == "share" and groups is None:
        p = mcnemar(better, worse)
        low, high = share_difference(better, worse, n)
        return Difference(
            mean, low, high, p, n, "McNemar", smallest_for_shares(n, better + worse, level) if power else None, False
        )
    if groups is None:
        drawn, scale = gaps, 1.0
    else:  # a document's questions count as one draw
        drawn = np.asarray(np.bincount(groups, gaps, minlength=count), dtype=np.float64)
        scale = count / n
    p = sign_flip(drawn, seed, together, ALPHA)
    low, high = bca(gaps, groups, seed)
    if kind == "share":
        worth = design_effect(gaps, groups)
        tango = tango_interval(better / worth, worse / worth, n / worth)
        low, high = min(low, tango[0]), max(high, tango[1])
    if p >= ALPHA:
        low, high = min(low, 0.0), max(high, 0.0)
    least = smallest_for_scores(drawn, level) if power else None
    smallest = None if least is None else least * scale
    if smallest is not None and kind in ("share", "score") and smallest > 1:
        smallest = None  # greater than any difference there can be
    return Difference(mean, low, high, p, n, "sign flip", smallest, False, count)


def _of_nothing(kind: str, n: int) -> tuple[float, float]:
    """The interval where no question differs: of shares what Tango's says, else nothing is known but the mean."""
    return tango_interval(0, 0, n) if kind == "share" else (0.0, 0.0)


def share_difference(better: int, worse: int, n: int, level: float = LEVEL) -> tuple[float, float]:
    """Interval of the difference of two paired shares: the hull of Tango's and of (2θ − 1)·(better + worse) ÷ n, θ from
    the exact interval of better ÷ (better + worse). The second is McNemar's exact test turned round."""
    low, high = tango_interval(better, worse, n, level)
    moved = better + worse
    if moved:
        ends = clopper_pearson(better, moved, level)
        low = min(low, (2 * ends[0] - 1) * moved / n)
        high = max(high, (2 * ends[1] - 1) * moved / n)
    return low, high


def tango_interval(better: float, worse: float, n: float, level: float = LEVEL) -> tuple[float, float]:
    """Score interval of the difference of paired proportions (Tango, 1998): all δ at which the score statistic
    (better − worse − nδ) ÷ √(n(2q + δ(1 − δ))) lies between ±z, q the maximum-likelihood share that is worse at δ."""
    z = float(special.ndtri((1 + level) / 2))

    def score(delta: float) -> float:
        a, b = 2 * n, -better - worse + (2 * n - better + worse) * delta
        c = -worse * delta * (1 - delta)
        q = (math.sqrt(max(0.0, b * b - 4 * a * c)) - b) / (2 * a)
        variance = n * (2 * q + delta * (1 - delta))
        gap = better - worse - n * delta
        return gap / math.sqrt(variance) if variance > 1e-12 else math.copysign(math.inf, gap) if gap else 0.0

    mean = (better - worse) / n
    edge = 1 - 1e-9
    low = -1.0 if score(-edge) < z else _root(lambda d: score(d) - z, -edge, mean)
    high = 1.0 if score(edge) > -z else _root(lambda d: score(d) + z, mean, edge)
    return low, high


def _root(function: object, low: float, high: float) -> float:
    assert callable(function)
    left, right = function(low), function(high)
    if not np.isfinite(left):
        low, left = low + 1e-9, 1e9
    if left * right > 0:
        return high if abs(right) < abs(left) else low
    return float(optimize.brentq(lambda d: max(-1e9, min(1e9, function(d))), low, high, xtol=1e-10))
