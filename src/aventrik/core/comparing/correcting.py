"""A judge's mean corrected by what people say of a part of it: prediction-powered inference.

A judge's scores are cheap and may be wrong; a person's are right and few. The mean that people would give is estimated
as that of the judge plus what the labelled part shows it to be off by (Angelopoulos and others, 2023), the judge
weighed by how well it goes with people (Angelopoulos, Duchi and Zrnic, 2023): one that is no better than chance weighs
nothing, and what is left is the mean of the labels. The labelled part is a sample in which each question has a known
chance, greater where the judge is unsure (Zrnic and Candès, 2024).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt
from scipy import special

from .intervals import LEVEL, grouped

Array = npt.NDArray[np.float64]

RANDOM = 0.5  # of the chances of a sample, the part that is the same for every question
LEAST = 10  # labelled questions below which nothing is corrected
_UNSEEN = 0.3  # labels of each of the four kinds (judge 0 or 1, person 0 or 1) that count as seen: see `_unseen`


@dataclass(frozen=True)
class Corrected:
    """The mean over `n` questions that people would give, with its interval, from `labels` of them; `judged` is the
    judge's own mean, `weight` what it weighs, 0 to 1; `worth` as many labels, drawn evenly, would give that variance
    without a judge."""

    mean: float
    low: float
    high: float
    judged: float
    n: int
    labels: int
    weight: float
    worth: float
    spread: Array = field(repr=False, compare=False)  # what each question adds to the mean, less the mean
    unseen: float = 0.0  # variance for errors that so few labels can't show
    rest: float = (
        0.0  # the part of the variance that no label takes away: the questions' own spread, as the judge sees it
    )

    def as_json(self) -> dict[str, float]:
        """What is shown of it, by name."""
        names = ("judged", "mean", "low", "high", "n", "labels", "weight", "worth")
        return {name: getattr(self, name) for name in names}

    @property
    def width(self) -> float:
        """From one end of the interval to the other."""
        return self.high - self.low


def sizes_of(doubts: Sequence[float]) -> Array:
    """How much more likely each question is to be labelled than another, summing to 1: half of it the same for all,
    half in proportion to the judge's doubt, 0 to ½ (the chance that it is wrong)."""
    doubt = np.clip(np.asarray(doubts, dtype=np.float64), 0, 0.5)
    unsure = np.sqrt(doubt * (1 - doubt))  # as the error of a share spreads
    flat = np.full(len(doubt), 1 / len(doubt))
    return flat if unsure.sum() == 0 else RANDOM * flat + (1 - RANDOM) * unsure / unsure.sum()


def order_of(sizes: Array, draws: Sequence[float]) -> npt.NDArray[np.int64]:
    """The order in which questions are labelled, from a uniform number of (0, 1) for each: however far one comes, the
    first ones are a sample in which each has the chance of `chances_of` (sequential Poisson sampling, Ohlsson, 1998)."""
    found: npt.NDArray[np.int64] = np.argsort(np.asarray(draws) / sizes, kind="stable")
    return found


def chances_of(sizes: Array, labels: int) -> Array:
    """The chance of each question to be among the first `labels`: in proportion to its size, at most 1."""
    if labels >= len(sizes):
        return np.ones(len(sizes))
    sure = np.zeros(len(sizes), dtype=bool)
    while True:
        left = np.where(sure, 0.0, sizes)
        chances = np.where(sure, 1.0, (labels - sure.sum()) * left / left.sum())
        more = (chances >= 1) & ~sure
        if not more.any():
            return chances
        sure |= more


def corrected(
    judged: Sequence[float],
    labels: Sequence[float | None],
    chances: Sequence[float] | None = None,
    clusters: Sequence[str] | None = None,
    level: float = LEVEL,
) -> Corrected:
    """The mean that people would give, from the judge's score of each question, 0 to 1, and a person's of some (None
    where there is none), each with its chance of having been labelled (None: all the same).

    The interval is Wilson's (1927), of as many questions as the variance of the estimate is worth, by Student's t of
    the labels; with `clusters`, questions of one lean on each other. Raises ValueError for fewer than two labels,
    values outside 0…1, and a chance of 0 for one that is labelled.
    """
    f = np.asarray(judged, dtype=np.float64)
    held = np.array([each is not None for each in labels])
    y = np.array([each for each in labels if each is not None], dtype=np.float64)
    n, count = len(f), len(y)
    if count < 2 or len(held) != n:
        raise ValueError("expected a score for each question, and two labels or more")
    if not np.isfinite(f).all() or f.min() < -1e-9 or f.max() > 1 + 1e-9 or y.min() < -1e-9 or y.max() > 1 + 1e-9:
        raise ValueError("a score lies from 0 to 1")
    chance = np.ones(n) if chances is None else np.asarray(chances, dtype=np.float64)
    if (chance[held] <= 0).any():
        raise ValueError("a labelled question must have had a chance")
    w = 1 / chance[held]
    weight = _weight(f[held], y, w)
    off = y - weight * f[held]
    mean_off = float(np.average(off, weights=w))
    mean = min(1.0, max(0.0, weight * float(f.mean()) + mean_off))
    spread = weight * (f - f.mean())
    spread[held] += (off - mean_off) * w * n / w.sum()
    unseen = _unseen(weight, mean_off, count) * (1 - count / n)
    variance = _variance(spread, clusters) * count / (count - 1) + unseen
    low, high = _interval(mean, variance, count, n, level)
    own = float(np.average((y - np.average(y, weights=w)) ** 2, weights=w)) * count / (count - 1)
    worth = own / variance if variance > 0 and own > 0 else float(count)
    rest = weight**2 * float(f.var()) / n
    return Corrected(
        mean=mean,
        low=low,
        high=high,
        judged=float(f.mean()),
        n=n,
        labels=count,
        weight=weight,
        worth=worth,
        spread=spread,
        unseen=unseen,
        rest=rest,
    )


def difference(
    ours: Corrected, theirs: Corrected, clusters: Sequence[str] | None = None, level: float = LEVEL
) -> tuple[float, float, float]:
    """The difference of two corrected means over the same questions, in the same order, with its interval: what each
    question adds is paired, so that runs that share answers and labels differ in nothing but what differs."""
    count = min(ours.labels, theirs.labels)
    variance = _variance(ours.spread - theirs.spread, clusters) * count / (count - 1) + ours.unseen + theirs.unseen
    half = _t(count, level) * math.sqrt(variance)
    gap = ours.mean - theirs.mean
    return gap, max(-1.0, gap - half), min(1.0, gap + half)


def labels_for(found: Corrected, width: float) -> int | None:
    """How many labels in all would narrow the interval to a width, as far as those that there are can tell; None where
    no number would, because the questions themselves are too few."""
    z = float(special.ndtri((1 + LEVEL) / 2))
    wanted = (width / 2 / z) ** 2
    if width >= found.width:
        return found.labels
    whole = (found.width / 2 / z) ** 2  # as the interval has it, with all that it allows for
    if wanted <= found.rest:
        return None
    needed = math.ceil(max(0.0, whole - found.rest) * found.labels / (wanted - found.rest))
    return needed if needed <= found.n else None


def _weight(f: Array, y: Array, w: Array) -> float:
    """The slope of people's scores on the judge's, 0 to 1, half a label of each of the four kinds counted in."""
    f = np.concatenate([f, [0.0, 0.0, 1.0, 1.0]])
    y = np.concatenate([y, [0.0, 1.0, 0.0, 1.0]])
    w = np.concatenate([w, np.full(4, 0.5 * w.mean())])
    from_mean = f - np.average(f, weights=w)
    slope = np.average(from_mean * (y - np.average(y, weights=w)), weights=w) / np.average(from_mean**2, weights=w)
    return float(np.clip(slope, 0, 1))


def _unseen(weight: float, mean_off: float, count: int) -> float:
    """Variance for errors of a judge that is nearly always right, which so few labels may not show: as if a few labels
    of every kind had been seen (after Agresti and Min, 2005, who do so for matched shares)."""
    kinds = np.array([0.0, 1.0, -weight, 1 - weight])
    return float(_UNSEEN * np.sum((kinds - mean_off) ** 2)) / count**2


def _variance(spread: Array, clusters: Sequence[str] | None) -> float:
    totals = spread if clusters is None else np.bincount(grouped(clusters), spread)
    return float(np.sum(totals**2)) / len(spread) ** 2


def _t(count: int, level: float) -> float:
    return float(special.stdtrit(count - 1, (1 + level) / 2))


def _interval(mean: float, variance: float, count: int, n: int, level: float) -> tuple[float, float]:
    spread = mean * (1 - mean)
    worth = count if spread <= 0 or variance <= 0 else spread / variance
    t = _t(count, level)
    centre = (mean + t * t / (2 * worth)) / (1 + t * t / worth)
    half = t * math.sqrt(spread / worth + t * t / (4 * worth * worth)) / (1 + t * t / worth)
    return max(0.0, centre - half), min(1.0, centre + half)
