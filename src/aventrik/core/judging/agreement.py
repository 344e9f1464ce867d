"""How far a judge can be believed: its verdicts beside those of people on the same claims."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from ..comparing.draws import Draws
from ..comparing.intervals import LEVEL, clopper_pearson, grouped, share_interval, wider
from ..comparing.leaning import leaning

LEAN = 0.2  # correlation within an answer that is usual: its claims are right or wrong together
LEAN_OF_PEOPLE = 0.02  # and within a person: some agree with the judge more often than others
_FEW = 40  # pairs, as they are worth, below which the interval is exact
BINS = (0.0, 0.6, 0.7, 0.8, 0.9, 1.0)  # edges of the confidences that are told together

_Matrix = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Pair:
    """One thing that both judged: what the judge said and how sure it was (0 to 1), what the person said, how much it
    weighs (1 ÷ its chance to be looked at), what it leans on (its question), the group that it is told with, and who the
    person is."""

    judge: str
    person: str
    confidence: float = 1.0
    weight: float = 1.0
    cluster: str = ""
    group: str = ""
    who: str = ""


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
    the judge said, columns: people), the share of each class of people's, of each group and, with its interval, of each person's that
    the judge has alike, calibration, and its error: how far confidence and being right are apart on average."""

    n: int
    raw: float
    low: float
    high: float
    kappa: Kappa
    classes: tuple[str, ...]
    confusion: tuple[tuple[int, ...], ...]
    by_class: tuple[tuple[str, int, float], ...]
    by_group: tuple[tuple[str, int, float], ...]
    by_person: tuple[tuple[str, int, float, float, float], ...]
    bins: tuple[Bin, ...]
    calibration_error: float


def agreement(pairs: Sequence[Pair], classes: Sequence[str] = ()) -> RaterAgreement:
    """How far a judge and people agree; `classes` in the order in which they are told. Raises ValueError for no pair."""
    if not pairs:
        raise ValueError("expected at least one pair")
    seen = {name for pair in pairs for name in (pair.judge, pair.person)}
    names = (*(name for name in classes if name in seen), *sorted(seen - set(classes)))
    weights = np.array([pair.weight for pair in pairs])
    same = np.array([pair.judge == pair.person for pair in pairs], dtype=np.float64)
    raw = float(np.average(same, weights=weights))
    low, high = _interval(same, weights, raw, *_leaned_on(pairs))
    counts = np.rint(_confusion(pairs, names, np.ones(len(pairs)))).astype(int)
    groups = sorted({pair.group for pair in pairs if pair.group})
    people = sorted({pair.who for pair in pairs if pair.who})
    bins, error = _calibration(pairs)
    return RaterAgreement(
        n=len(pairs),
        raw=raw,
        low=low,
        high=high,
        kappa=kappa_of(pairs, names),
        classes=names,
        confusion=tuple(tuple(int(each) for each in row) for row in counts),
        by_class=tuple(
            _share(name, [pair for pair in pairs if pair.person == name])
            for place, name in enumerate(names)
            if counts[:, place].any()
        ),
        by_person=tuple(_of_person(name, [pair for pair in pairs if pair.who == name]) for name in people),
        by_group=tuple(_share(name, [pair for pair in pairs if pair.group == name]) for name in groups),
        bins=bins,
        calibration_error=error,
    )


def _leaned_on(pairs: Sequence[Pair]) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64] | None]:
    """What each pair leans on: its answer, and its person where there are several."""
    answers = grouped([pair.cluster or f"pair {n}" for n, pair in enumerate(pairs)])
    people = grouped([pair.who for pair in pairs])
    return answers, people if len(np.unique(people)) > 1 else None


def _of_person(name: str, pairs: Sequence[Pair]) -> tuple[str, int, float, float, float]:
    """Of one person's decisions: how many, the weighted share that the judge has alike, and its interval."""
    weights = np.array([pair.weight for pair in pairs])
    same = np.array([pair.judge == pair.person for pair in pairs], dtype=np.float64)
    raw = float(np.average(same, weights=weights))
    return (name, len(pairs), raw, *_interval(same, weights, raw, _leaned_on(pairs)[0]))


def _interval(
    same: _Matrix, weights: _Matrix, raw: float, answers: npt.NDArray[np.int64], people: npt.NDArray[np.int64] | None = None
) -> tuple[float, float]:  # fmt: skip
    """The interval of a weighted share of pairs, of which those of one answer, or of one person, lean on each other: as many as they
    are worth, by Kish (1965), and the quantile of Student's t with the freedom that answers, or people, leave."""
    worth = float(weights.sum() ** 2 / np.sum(weights**2))  # Kish's effective number
    effect, freedom = 1.0, float("inf")
    for groups, usual in ((answers, LEAN), (people, LEAN_OF_PEOPLE)):
        if groups is not None and len(np.unique(groups)) < len(groups):
            leans = leaning(same[None, :], Draws(documents=groups), usual=usual)
            if leans.effect[0] > effect:
                effect, freedom = float(leans.effect[0]), float(leans.freedom[0])
    worth /= effect
    level = wider(LEVEL, freedom)
    return clopper_pearson(raw * worth, worth, level) if worth < _FEW else share_interval(raw * worth, worth, level)


def kappa_of(pairs: Sequence[Pair], names: Sequence[str]) -> Kappa:
    """Cohen's kappa (1960) of weighted pairs, (observed − by chance) ÷ (1 − by chance). Its interval is that of the observed
    agreement, put into the same formula: so a few pairs that all agree are no certainty. What agreement is by chance spreads less than
    what is observed, and goes with it where it is known from few pairs."""
    weights = np.array([pair.weight for pair in pairs])
    table = _confusion(pairs, names, weights)
    value = _kappa(table[None])[0]
    if np.isnan(value):
        who = "the judge and people" if len({p.person for p in pairs}) == 1 else "the judge"
        return Kappa(None, why=f"{who} always say the same, so that chance would agree as often")
    if len({p.judge for p in pairs}) == 1 or len({p.person for p in pairs}) == 1:
        who = "the judge" if len({p.judge for p in pairs}) == 1 else "people"
        return Kappa(None, why=f"{who} always said the same: it can't be told from chance")
    same = np.array([pair.judge == pair.person for pair in pairs], dtype=np.float64)
    raw = float(np.average(same, weights=weights))
    low, high = _interval(same, weights, raw, *_leaned_on(pairs))
    whole = table.sum()
    chance = float(np.sum(table.sum(axis=1) * table.sum(axis=0)) / whole**2)
    ends = [(each - chance) / (1 - chance) for each in (low, high)]
    return Kappa(float(value), max(-1.0, ends[0]), min(1.0, ends[1]))


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
