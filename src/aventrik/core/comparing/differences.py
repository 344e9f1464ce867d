"""The difference of two runs on the same questions: interval, test, and what the set could show at all."""

from __future__ import annotations

from collections.abc import Callable, Container, Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt
from scipy import special

from .intervals import LEVEL, Values, bca_rows, checked, clopper_pearson, design_effect, grouped, summed
from .power import smallest_for_scores, smallest_for_shares
from .significance import mcnemar, sign_flips

ALPHA = 0.05
_HALVINGS = 40


@dataclass(frozen=True)
class Difference:
    """Mean of the paired differences (other minus baseline) with interval and p-value.

    `same`: every paired difference is 0. `smallest`: the least true difference that such a set would show, with 80 %
    power, at the level that is left after correction for all comparisons made together; None where it could show none, or,
    without `known`, where that was not worked out.
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
    known: bool = False


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
    groups = None if clusters is None else grouped(clusters)
    [found] = paired_differences(ours[None, :], theirs, kind, groups, seed, together, range(int(power)))
    assert found is not None
    return found


def paired_differences(
    others: Values,
    baseline: Values,
    kind: str = "score",
    groups: npt.NDArray[np.int64] | None = None,
    seed: int = 0,
    together: int = 1,
    power: Container[int] = (),
) -> list[Difference | None]:
    """The same of many runs at once: `others` of shape (runs, questions), `baseline` of that shape or of (questions,), NaN
    where a question has no value; None for a run that shares no question. All have the same resamples and signs.

    `power` has the places of the rows for which the smallest difference that could be shown is worked out.
    """
    gaps = others - baseline
    there = np.isfinite(gaps)
    n = there.sum(axis=1)
    kept = np.where(there, gaps, 0.0)
    if groups is None:
        drawn, counts = kept, n
    else:  # a document's questions count as one draw
        drawn, counts = summed(kept, groups), (summed(there.astype(np.float64), groups) > 0).sum(axis=1)
    exact = kind == "share" and groups is None
    moved = np.flatnonzero(kept.any(axis=1))
    p = np.ones(len(gaps))
    ends = np.zeros((2, len(gaps)))
    if not exact and len(moved):
        p[moved] = sign_flips(drawn[moved], counts[moved], seed, together, ALPHA)
        ends[:, moved] = bca_rows(gaps[moved], groups, seed)
        if kind == "share":
            worth = [design_effect(gaps[row][there[row]], _own(groups, there[row])) for row in moved]
            better, worse = ((sign * kept[moved] > 0).sum(axis=1) / worth for sign in (1, -1))
            tango = tango_intervals(better, worse, n[moved] / np.array(worth))
            ends[0, moved], ends[1, moved] = np.minimum(ends[0, moved], tango[0]), np.maximum(ends[1, moved], tango[1])
    found: list[Difference | None] = []
    for row in range(len(gaps)):
        if not n[row]:
            found.append(None)
            continue
        here = there[row]
        clusters = 0 if groups is None else int(counts[row])
        if not kept[row].any():
            low, high = _of_nothing(kind, int(n[row]))
            found.append(
                Difference(
                    mean=0.0,
                    low=low,
                    high=high,
                    p=1.0,
                    n=int(n[row]),
                    test="none: all equal",
                    smallest=None,
                    same=True,
                    clusters=clusters,
                )
            )
            continue
        values = gaps[row][here]
        if exact:
            made = _of_shares(values)
        else:
            made = _of_scores(values, clusters, kind, float(p[row]), ends[:, row])
        if row in power:
            made = replace(made, smallest=smallest_shown(values, kind, _own(groups, here), together), known=True)
        found.append(made)
    return found


def smallest_shown(
    gaps: Values, kind: str, groups: npt.NDArray[np.int64] | None = None, together: int = 1
) -> float | None:
    """The least true difference that such a set would show with 80 % power, at the level that is left of 5 % when so many
    comparisons are made together, by the test that decides; `gaps` are the paired differences, none of them absent."""
    level = ALPHA / max(1, together)
    n = len(gaps)
    if kind == "share" and groups is None:
        return smallest_for_shares(n, int((gaps != 0).sum()), level)
    drawn = gaps if groups is None else summed(gaps[None, :], np.unique(groups, return_inverse=True)[1])[0]
    least = smallest_for_scores(drawn, level)
    smallest = None if least is None else least * (len(drawn) / n)
    if smallest is not None and kind in ("share", "score") and smallest > 1:
        return None  # greater than any difference there can be
    return smallest


def _own(groups: npt.NDArray[np.int64] | None, here: npt.NDArray[np.bool_]) -> npt.NDArray[np.int64] | None:
    return None if groups is None else groups[here]


def _of_shares(gaps: Values) -> Difference:
    n, better, worse = len(gaps), int((gaps > 0).sum()), int((gaps < 0).sum())
    low, high = share_difference(better, worse, n)
    return Difference(
        mean=float(gaps.mean()),
        low=low,
        high=high,
        p=mcnemar(better, worse),
        n=n,
        test="McNemar",
        smallest=None,
        same=False,
    )


def _of_scores(gaps: Values, clusters: int, kind: str, p: float, ends: Values) -> Difference:
    low, high = float(ends[0]), float(ends[1])
    if p >= ALPHA:
        low, high = min(low, 0.0), max(high, 0.0)
    return Difference(
        mean=float(gaps.mean()),
        low=low,
        high=high,
        p=p,
        n=len(gaps),
        test="sign flip",
        smallest=None,
        same=False,
        clusters=clusters,
    )


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
    low, high = tango_intervals(np.array([better]), np.array([worse]), np.array([n]), level)
    return float(low[0]), float(high[0])


def tango_intervals(better: Values, worse: Values, n: Values, level: float = LEVEL) -> tuple[Values, Values]:
    """The same of many pairs at once."""
    z = float(special.ndtri((1 + level) / 2))

    def score(delta: Values) -> Values:
        a, b = 2 * n, -better - worse + (2 * n - better + worse) * delta
        c = -worse * delta * (1 - delta)
        q = (np.sqrt(np.maximum(0.0, b * b - 4 * a * c)) - b) / (2 * a)
        variance = n * (2 * q + delta * (1 - delta))
        gap = better - worse - n * delta
        none = np.where(gap == 0, 0.0, np.copysign(np.inf, gap))
        return np.asarray(
            np.where(variance > 1e-12, gap / np.sqrt(np.maximum(variance, 1e-12)), none), dtype=np.float64
        )

    mean = (better - worse) / n
    edge = np.full(len(n), 1 - 1e-9)
    low = np.where(score(-edge) < z, -1.0, _roots(lambda d: score(d) - z, -edge, mean))
    high = np.where(score(edge) > -z, 1.0, _roots(lambda d: score(d) + z, mean, edge))
    return low, high


def _roots(function: Callable[[Values], Values], low: Values, high: Values) -> Values:
    """Where falling functions are 0 between two places, by halving."""
    for _ in range(_HALVINGS):
        middle = (low + high) / 2
        above = function(middle) > 0
        low, high = np.where(above, middle, low), np.where(above, high, middle)
    return (low + high) / 2
