"""What a set of questions can show, worked out from how questions change between two runs.

A true difference δ between two runs comes of questions that change one way more often than the other. Let μ be the mean size of
the paired differences, counted without their signs, and q the mean of their squares (for shares both are the share of questions
that flip): the same changes, of which more go one way, make a difference of up to μ with a variance of q − δ²; for a greater one
more questions must change, in proportion, and near μ a few more: by (1 + (δ ÷ μ)⁴)^¼. So it does not matter which run
is named first, nor which one was better.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt
from scipy import special

POWER = 0.8
FLIPPED, MOVED = (
    0.2,
    0.06,
)  # q of shares and of scores where no runs tell (measured on three manuals: see docs/scores.md)
_STEPS = 40  # halvings
_NODES = 200

Values = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Changes:
    """How questions change between two runs: mean size of the paired differences (`size`), mean of their squares (`square`)."""

    size: float
    square: float

    def variance(self, difference: float) -> float:
        """Of a question's paired difference where the true mean is `difference`."""
        more = (1 + (difference / self.size) ** 4) ** 0.25 if self.size > 0 else 1.0
        return max(self.square * more - difference**2, 1e-12)


def changes_of(gaps: Values) -> Changes:
    """As a list of paired differences shows it, none of them absent; one question that changes is counted in where none does."""
    if not gaps.any():
        return Changes(1 / len(gaps), 1 / len(gaps))
    return Changes(float(np.abs(gaps).mean()), float(np.mean(gaps**2)))


def chance_of_showing(
    difference: float, changes: Changes, draws: float, reach: float, freedom: float = math.inf, beyond: float = 0.0
) -> float:
    """The chance that a true difference is shown by so many draws, where its statistic must exceed `reach` (see
    `simultaneous`); `beyond`: that the difference is greater than this much is what is to be shown."""
    away = (difference - beyond) * math.sqrt(draws / changes.variance(difference))
    if math.isinf(freedom):
        return float(special.ndtr(away - reach))
    found = 1 - float(special.nctdtr(freedom, away, reach))
    return found if math.isfinite(found) else float(special.ndtr(away - reach))


def smallest_shown(
    changes: Changes, draws: float, reach: float, freedom: float = math.inf, units: int | None = None, power: float = POWER,
    most: float = 1.0,
) -> float | None:  # fmt: skip
    """The least true difference that such a set shows with 80 % power; None where it can show none up to `most`. `draws` is
    what the questions are worth (÷ how much they lean on each other), `units` how many there are: the signs of too few can't
    show anything however great the difference."""
    if nothing_shown(units if units is not None else math.floor(draws), reach):
        return None
    return _least(lambda delta: chance_of_showing(delta, changes, draws, reach, freedom), power, most)


def nothing_shown(units: int, reach: float) -> bool:
    """Whether so few draws can show no difference, however great: if all of them moved alike, the mid-p of their signs would
    still be too great."""
    level = 2 * float(special.ndtr(-reach))
    return 2.0 ** -min(units, 1000) >= level * 1.0001


def _least(shown: Callable[[float], float], power: float, most: float) -> float | None:
    """The least value up to `most` at which a rising chance reaches `power`, by halving."""
    if shown(most) < power:
        return None
    low, high = 0.0, most
    for _ in range(_STEPS):
        middle = (low + high) / 2
        low, high = (low, middle) if shown(middle) >= power else (middle, high)
    return high


@lru_cache(maxsize=256)
def reach_of(differences: int, level: float = 0.95) -> float:
    """What a statistic must exceed to be shown among so many differences from one baseline, which lean on each other by ½
    (Dunnett, 1955): the two-sided quantile of the greatest of so many normal figures."""
    nodes, weights = np.polynomial.hermite_e.hermegauss(_NODES)
    weights = weights / weights.sum()

    def inside(reach: float) -> float:
        each = special.ndtr(math.sqrt(2) * reach - nodes) - special.ndtr(-math.sqrt(2) * reach - nodes)
        return float(weights @ each**differences)

    low, high = 0.0, 10.0
    for _ in range(_STEPS):
        middle = (low + high) / 2
        low, high = (low, middle) if inside(middle) >= level else (middle, high)
    return high


@dataclass(frozen=True)
class Plan:
    """How many questions show a difference with 80 % power among so many configurations: `questions` about `documents` (0
    where documents are fixed); None where no number of questions about so many documents would."""

    configurations: int
    questions: int | None
    documents: int


def questions_for(
    difference: float, changes: Changes, configurations: int, documents: int = 0, covered: float = 0.0,
    usual: float = 0.0, power: float = POWER,
) -> Plan:  # fmt: skip
    """How many questions show a difference among so many configurations. With `documents`, these are drawn from a corpus of
    which they are the share `covered`, and questions of one lean on each other by `usual`, evenly spread."""
    reach = reach_of(max(1, configurations - 1))
    need = (reach + float(special.ndtri(power))) ** 2 * changes.variance(difference) / difference**2
    if not documents or covered >= 1 or usual <= 0:
        return Plan(configurations, max(5, math.ceil(need)), documents)
    rest = (1 - covered) * usual  # n ÷ (1 + rest · (n ÷ documents − 1)) = need
    room = 1 - rest * need / documents
    return Plan(configurations, math.ceil(need * (1 - rest) / room) if room > 1e-9 else None, documents)
