"""Which runs of a comparison are best, which of these is cheapest, and what can't be had better without paying more."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from ..core.comparing.errors_of_means import covariance_of
from ..core.comparing.front import front
from ..core.comparing.leading import ALPHA, adjusted_means, standing
from ..core.comparing.posterior import posterior
from ..core.comparing.sheet import Values
from ..core.comparing.sides import Board, Contrast, Side


@dataclass(frozen=True)
class Price:
    """What a question of each run costs by one measure, None where that is not known."""

    measure: str
    values: list[float | None]


@dataclass(frozen=True)
class Winner:
    """The best one's mean as it was seen, and what is to be expected of it without the luck of being chosen, with its 95 %
    interval."""

    mean: float
    expected: float
    low: float
    high: float

    @property
    def taken(self) -> float:
        """How much of the mean is luck."""
        return abs(self.mean - self.expected)


@dataclass(frozen=True)
class Leading:
    """The best run of a comparison and the `group` of those that may be the best, by place, on `n` questions: the likeliest by the
    posterior of all means that flips do not refuse. `p` is each run's
    p-value of the hypothesis that none is better, `chance` its chance of being best; `winner` the best one's mean, and what is to
    be expected of it; `cheapest` the cheapest of the group by `price`, None where nothing tells them apart, and `loss` by how much
    the best one is expected to be better than that. `adjusted`: not all runs have the same questions, and means are fitted."""

    best: int
    group: list[int]
    p: dict[int, float]
    chance: dict[int, float]
    winner: Winner
    n: int
    cheapest: int | None
    loss: float | None
    price: Price | None
    fronts: dict[str, list[int]]
    adjusted: bool = False

    def as_json(self, ids: Sequence[int]) -> dict[str, Any]:
        """The documented shape of `best` in `compare --json`."""
        return {
            "run": ids[self.best],
            "questions": self.n,
            "winner": asdict(self.winner) | {"taken": self.winner.taken},
            "group": [ids[place] for place in self.group],
            "cheapest": None if self.cheapest is None else ids[self.cheapest],
            "loss": self.loss,
            "adjusted": self.adjusted,
            "price": None if self.price is None else self.price.measure,
            "fronts": {name: [ids[place] for place in places] for name, places in self.fronts.items()},
        }


def leading(
    scored: Board, places: Sequence[int], prices: Sequence[Price], seed: int, verdicts: Sequence[Contrast] = ()
) -> Leading | None:
    """The best of some runs, by their places on the board; None where none of them has a score. Two runs are held against each
    other on the questions of both. `verdicts` are the differences that are shown beside it, with which the group agrees: a run
    that is not told apart from the best one is in it, one that is shown to be worse than another is not."""
    asked = np.asarray(np.isfinite(scored.values[list(places)]).any(axis=0), dtype=np.bool_)
    if not asked.any():
        return None
    some = scored.of(asked)
    values: Values = (-1.0 if scored.less else 1.0) * some.values[list(places)]
    means = np.round(adjusted_means(values), 7)
    if scored.kind in ("share", "score"):
        means = np.clip(means, *((-1.0, 0.0) if scored.less else (0.0, 1.0)))
    best = int(np.argmax(np.round(means, 12)))
    p = standing(values, some.draws, seed)
    errors = covariance_of(values, some.draws)
    if scored.kind in ("share", "score"):  # of each run half a question might have come out otherwise, where none did
        errors = errors + np.diag(0.25 / np.isfinite(values).sum(axis=1) ** 2)
    believed = posterior(means, errors, seed, some.draws.count(len(some.keys)))
    likely = {row for row in believed.likeliest() if p[row] >= ALPHA}
    group = _agreeing(places, best, likely | {best}, verdicts, scored.less)
    ordered = [row for row in np.argsort(-means, kind="stable").tolist() if row in group]
    expected, low, high = believed.mean(best)
    sign = -1.0 if scored.less else 1.0
    ends = sorted((sign * low, sign * high))
    if scored.kind in ("share", "score"):
        expected, ends = sign * float(np.clip(sign * expected, 0, 1)), np.clip(ends, 0, 1).tolist()
    cheapest, price = _cheapest([places[row] for row in ordered], prices)
    quality = dict(zip(places, means.tolist()))
    fronts = {
        each.measure: [
            places[row] for row in front([quality[place] for place in places], [each.values[p] for p in places])
        ]
        for each in prices
    }
    return Leading(
        best=places[best],
        group=[places[row] for row in ordered],
        p=dict(zip(places, p.tolist())),
        chance=dict(zip(places, believed.chances().tolist())),
        winner=Winner(sign * float(means[best]) + 0.0, sign * expected + 0.0, *(end + 0.0 for end in ends)),
        n=len(some.keys),
        cheapest=cheapest,
        loss=None if cheapest is None else believed.loss(list(places).index(cheapest)),
        price=price,
        fronts=fronts,
        adjusted=not bool(np.isfinite(values).all()),
    )


def _agreeing(places: Sequence[int], best: int, group: set[int], verdicts: Sequence[Contrast], less: bool) -> set[int]:
    """The group with what the verdicts say of runs, by row."""
    row = {place: number for number, place in enumerate(places)}
    pairs = [(each, row.get(each.place), row.get(each.against_place)) for each in verdicts]
    found = set(group)
    for each, one, other in pairs:
        if one is not None and other is not None and not each.real and best in (one, other):
            found |= {one, other}
    for each, one, other in pairs:
        if one is not None and other is not None and each.real:
            worse = one if (each.difference.mean < 0) != less else other
            found -= {worse} - {best}
    return found


def _cheapest(group: Sequence[int], prices: Sequence[Price]) -> tuple[int | None, Price | None]:
    """The one with the lowest price, by the first measure of cost that tells the group apart."""
    for price in prices:
        have = [(value, place) for place in group if (value := price.values[place]) is not None]
        if have and max(have)[0] - min(have)[0] > 1e-12:
            return min(have)[1], price
    return None, None


def prices_of(sides: Sequence[Side], k: int) -> list[Price]:
    """What tells runs apart by cost: money where any is spent, else tokens of models, else the tokens that a model would
    have to read of the first `k` items; and seconds (median). What another system spent is none of these."""
    found = []
    for name in ("money", "model-tokens", f"tokens@{k}"):
        ours = [side.sheet.mean(name) if side.settings else None for side in sides]
        if any(ours):
            everyone = name.startswith("tokens@")
            found.append(Price(name, [side.sheet.mean(name) for side in sides] if everyone else ours))
            break
    seconds = [_median(side, "seconds") for side in sides]
    if any(seconds):
        found.append(Price("seconds", seconds))
    return found


def _median(side: Side, name: str) -> float | None:
    values = side.sheet.present(name)
    return float(np.median(values)) if len(values) else None
