"""Which runs of a comparison are best, which of these is cheapest, and what can't be had better without paying more."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from ..core.comparing.front import front
from ..core.comparing.leading import ALPHA, CorrectedWinner, chances, corrected_mean, model_confidence_set
from ..core.comparing.sheet import Values
from ..core.comparing.sides import Board, Side


@dataclass(frozen=True)
class Price:
    """What a question of each run costs by one measure, None where that is not known."""

    measure: str
    values: list[float | None]


@dataclass(frozen=True)
class Leading:
    """The best run of a comparison and those that can't be told from it, by place, on `n` questions that all have a score
    for. `p` is each run's p-value of the hypothesis that none is better, `chance` its chance of being best; `winner` the
    best one's mean, and what is left of it without the luck of being chosen; `cheapest` the cheapest of the group by
    `price`, None where nothing tells them apart."""

    best: int
    group: list[int]
    p: dict[int, float]
    chance: dict[int, float]
    winner: CorrectedWinner
    n: int
    cheapest: int | None
    price: Price | None
    fronts: dict[str, list[int]]

    def as_json(self, ids: Sequence[int]) -> dict[str, Any]:
        """The documented shape of `best` in `compare --json`."""
        return {
            "run": ids[self.best],
            "questions": self.n,
            "corrected": asdict(self.winner) | {"taken": self.winner.taken},
            "group": [ids[place] for place in self.group],
            "cheapest": None if self.cheapest is None else ids[self.cheapest],
            "price": None if self.price is None else self.price.measure,
            "fronts": {name: [ids[place] for place in places] for name, places in self.fronts.items()},
        }


def leading(
    scored: Board, places: Sequence[int], prices: Sequence[Price], seed: int, pair: float | None = None
) -> Leading | None:
    """The best of some runs, by their places on the board; None where they share no question with a score. `pair`: of two
    runs the p-value of their difference, which then decides here too."""
    whole = scored.whole(places)
    if not len(whole.keys):
        return None
    values: Values = -whole.values if whole.less else whole.values
    p = model_confidence_set(values, whole.groups, seed)
    means = values.mean(axis=1)
    best = int(np.argmax(np.round(means, 12)))
    if pair is not None and len(p) == 2:
        p[1 - best] = pair
    group = [row for row in np.argsort(-means, kind="stable").tolist() if p[row] >= ALPHA]
    winner = corrected_mean(values, whole.groups, seed)
    if whole.less:
        winner = CorrectedWinner(-winner.mean, -winner.corrected, -winner.high, -winner.low)
    cheapest, price = _cheapest([places[row] for row in group], prices)
    quality = dict(zip(places, means.tolist()))
    fronts = {
        each.measure: [
            places[row] for row in front([quality[place] for place in places], [each.values[p] for p in places])
        ]
        for each in prices
    }
    return Leading(
        best=places[best],
        group=[places[row] for row in group],
        p=dict(zip(places, p.tolist())),
        chance=dict(zip(places, chances(values, whole.groups, seed).tolist())),
        winner=winner,
        n=len(whole.keys),
        cheapest=cheapest,
        price=price,
        fronts=fronts,
    )


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
