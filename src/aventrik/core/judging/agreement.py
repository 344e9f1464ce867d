"""How far a judge can be believed: its verdicts beside those of people on the same claims."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from ..comparing.intervals import grouped, share_interval

RESAMPLES = 4000
BINS = (0.0, 0.6, 0.7, 0.8, 0.9, 1.0)  # edges of the confidences that are told together

_Matrix = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Pair:
    """One thing that both judged: what the judge said and how sure it was (0 to 1), what the person said, how much it
    weighs (1 ÷ its chance to be looked at), what it leans on (its question), and the group that it is told with."""

    judge: str
    person: str
    confidence: float = 1.0
    weight: float = 1.0
    cluster: str = ""
    group: str = ""


@dataclass(frozen=True)
class Kappa:
    """Cohen's kappa with its 95 % interval; None where it is not defined, and why."""

    value: float | None
    low: float | None = None
    high: float | None = None
    why: str = ""


@dataclass(frozen=True)
class Bin:
    """Verdicts with a confidence between two edges: how many, their mean confidence, the share that people agree with."""

    low: float
    high: float
    n: int
    confidence: float
    right: float


@dataclass(frozen=True)
class RaterAgreement:
    """Agreement on `n` pairs: their share with the same verdict and its interval, kappa, the confusion table (rows: what
    the judge said, columns: people), the share of each class of people's and of each group that the judge has alike,
    calibration, and its error: how far confidence and being right are apart on average."""

    n: int
    raw: float
    low: float
    high: float
    kappa: Kappa
    classes: tuple[str, ...]
    confusion: tuple[tuple[int, ...], ...]
    by_class: tuple[tuple[str, int, float], ...]
    by_group: tuple[tuple[str, int, float], ...]
    bins: tuple[Bin, ...]
    calibration_error: float


def agreement(pairs: Sequence[Pair], classes: Sequence[str] = (), seed: int = 0) -> RaterAgreement:
    """How far a judge and people agree; `classes` in the order in which they are told. Raises ValueError for no pair."""
    if not pairs:
        raise ValueError("expected at least one pair")
    seen = {name for pair in pairs for name in (pair.judge, pair.person)}
    names = (*(name for name in classes if name in seen), *sorted(seen - set(classes)))
    weights = np.array([pair.weight for pair in pairs])
    same = np.array([pair.judge == pair.person for pair in pairs], dtype=np.float64)
    raw = float(np.average(same, weights=weights))
    worth = float(weights.sum() ** 2 / np.sum(weights**2))  # Kish's effective number
    low, high = share_interval(raw * worth, worth)
    counts = np.rint(_confusion(pairs, names, np.ones(len(pairs)))).astype(int)
    groups = sorted({pair.group for pair in pairs if pair.group})
    bins, error = _calibration(pairs)
    return RaterAgreement(
        n=len(pairs),
        raw=raw,
        low=low,
        high=high,
        kappa=kappa_of(pairs, names, seed),
        classes=names,
        confusion=tuple(tuple(int(each) for each in row) for row in counts),
        by_class=tuple(
            _share(name, [pair for pair in pairs if pair.person == name])
            for place, name in enumerate(names)
            if counts[:, place].any()
        ),
        by_group=tuple(_share(name, [pair for pair in pairs if pair.group == name]) for name in groups),
        bins=bins,
        calibration_error=error,
    )


def kappa_of(pairs: Sequence[Pair], names: Sequence[str], seed: int = 0) -> Kappa:
    """Cohen's kappa (1960) of weighted pairs; its interval by a bootstrap over clusters."""
    weights = np.array([pair.weight for pair in pairs])
    value = _kappa(_confusion(pairs, names, weights)[None])[0]
    if np.isnan(value):
        who = "the judge and people" if len({p.person for p in pairs}) == 1 else "the judge"
        return Kappa(None, why=f"{who} always say the same, so that chance would agree as often")
    if len({p.judge for p in pairs}) == 1 or len({p.person for p in pairs}) == 1:
        who = "the judge" if len({p.judge for p in pairs}) == 1 else "people"
        return Kappa(None, why=f"{who} always said the same: it can't be told from chance")
    groups = grouped([pair.cluster or f"pair {n}" for n, pair in enumerate(pairs)])
    count, size = int(groups.max()) + 1, len(names)
    each = np.zeros((count, size * size))
    places = {name: place for place, name in enumerate(names)}
    for group, pair in zip(groups, pairs):
        each[group, places[pair.judge] * size + places[pair.person]] += pair.weight
    drawn = np.random.default_rng(seed).multinomial(count, np.full(count, 1 / count), RESAMPLES)
    found = _kappa((drawn @ each).reshape(RESAMPLES, size, size))
    found = found[np.isfinite(found)]
    if count < 2 or len(found) < RESAMPLES / 2:
        return Kappa(float(value), why="too few questions for an interval")
    low, high = np.quantile(found, [0.025, 0.975])
    return Kappa(float(value), float(low), float(high))


def _confusion(pairs: Sequence[Pair], names: Sequence[str], weights: _Matrix) -> _Matrix:
    table = np.zeros((len(names), len(names)))
    places = {name: place for place, name in enumerate(names)}
    for pair, weight in zip(pairs, weights):
        table[places[pair.judge], places[pair.person]] += weight
    return table


def _kappa(tables: _Matrix) -> _Matrix:
    """Kappa of each of several tables, shape (tables, k, k); NaN where chance agrees always."""
    whole = tables.sum(axis=(1, 2))
    observed = np.trace(tables, axis1=1, axis2=2) / whole
    expected = np.sum(tables.sum(axis=2) * tables.sum(axis=1), axis=1) / whole**2
    with np.errstate(invalid="ignore", divide="ignore"):
        found: _Matrix = np.where(expected < 1 - 1e-12, (observed - expected) / (1 - expected), np.nan)
    return found


def _share(name: str, pairs: Sequence[Pair]) -> tuple[str, int, float]:
    return name, len(pairs), sum(pair.judge == pair.person for pair in pairs) / len(pairs)


def _calibration(pairs: Sequence[Pair]) -> tuple[tuple[Bin, ...], float]:
    """Bins of confidence, and the expected calibration error (Naeini and others, 2015) over them."""
    bins = []
    for low, high in pairwise(BINS):
        some = [p for p in pairs if low <= p.confidence < high or (high == BINS[-1] and p.confidence >= high)]
        if some:
            sure = sum(p.confidence for p in some) / len(some)
            bins.append(Bin(low, high, len(some), sure, sum(p.judge == p.person for p in some) / len(some)))
    error = sum(each.n * abs(each.confidence - each.right) for each in bins) / len(pairs)
    return tuple(bins), error
