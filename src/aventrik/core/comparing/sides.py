"""Runs side by side: means, differences from a baseline and of all pairs, on the questions that both have."""

from __future__ import annotations

from collections.abc import Container, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from itertools import combinations
from typing import Any

import numpy as np
import numpy.typing as npt

from ..measures import Measure, measure
from .differences import ALPHA, Difference, paired_differences
from .draws import EACH, Asked, Draws, Scope, draws_of
from .intervals import Interval, intervals
from .sheet import Scores, Sheet, Values

THESE = Scope()
_ALONE = Asked()


@dataclass(frozen=True)
class Side:
    """One run as it is compared: its settings by dotted name; by the key of each question its scores, where its needs
    were lost, and what makes it lean on others; what the run cost is among the scores. `own`: measures of the run that the
    registry does not have."""

    name: str
    settings: Mapping[str, Any]
    scores: Scores
    lost: Mapping[str, Sequence[str]] = field(default_factory=dict)
    asked: Mapping[str, Asked] = field(default_factory=dict)
    own: Mapping[str, Measure] = field(default_factory=dict)

    @cached_property
    def sheet(self) -> Sheet:
        """The scores as arrays."""
        return Sheet.of(self.scores)


@dataclass(frozen=True)
class Board:
    """What several runs score on one measure: `values` of shape (runs, questions), NaN where a question of a run does not
    have it; the keys of the questions, and what counts as one draw of them."""

    values: Values
    keys: tuple[str, ...]
    draws: Draws
    kind: str
    less: bool

    def whole(self, rows: Sequence[int] | None = None) -> Board:
        """Some runs, or all, on the questions that all of them have a score for."""
        some = self if rows is None else replace(self, values=self.values[list(rows)])
        return some.of(np.asarray(np.isfinite(some.values).all(axis=0), dtype=np.bool_))

    def of(self, questions: npt.NDArray[np.bool_]) -> Board:
        """The same of some questions."""
        keys = tuple(key for key, kept in zip(self.keys, questions) if kept)
        return replace(self, values=self.values[:, questions], keys=keys, draws=self.draws.of(questions))


def board(sides: Sequence[Side], name: str, scope: Scope = THESE) -> Board:
    """The scores of all runs on a measure."""
    first = sides[0].sheet.keys_in_order
    if all(side.sheet.keys_in_order == first for side in sides):
        keys = first
    else:
        keys = tuple(dict.fromkeys(key for side in sides for key in side.sheet.keys_in_order))
    rows = []
    for side in sides:
        sheet = side.sheet
        if sheet.keys_in_order == keys:
            rows.append(sheet.column(name))
        else:
            row = np.full(len(keys), np.nan)
            own, column = sheet.places, sheet.column(name)
            for place, key in enumerate(keys):
                if key in own:
                    row[place] = column[own[key]]
            rows.append(row)
    different = {id(side.asked): side.asked for side in reversed(sides)}  # runs on one test set share them
    asked = {key: each for some in different.values() for key, each in some.items()}
    draws = draws_of([asked.get(key, _ALONE) for key in keys], scope) if asked else EACH
    own_ = own_measures(sides)
    return Board(np.array(rows), keys, draws, kind_of(name, own_), less_is_better(name, own_))


@dataclass(frozen=True)
class Contrast:
    """One run against another on one measure, by name and by their places among what is compared; `p` is corrected for
    all that is compared together (step-down maximum)."""

    name: str
    against: str
    measure: str
    difference: Difference
    p: float
    place: int = 0
    against_place: int = 0

    @property
    def real(self) -> bool:
        """Whether the corrected p-value is below 5 %."""
        return self.p < ALPHA


def own_measures(sides: Sequence[Side]) -> dict[str, Measure]:
    """The measures that some side has of its own."""
    return {name: found for side in sides for name, found in side.own.items()}


def kind_of(name: str, own: Mapping[str, Measure] = {}) -> str:
    """The kind of a measure; one that no registry knows is a cost, for which nothing is assumed."""
    found = measure(name, own)
    return found.kind if found else "cost"


def less_is_better(name: str, own: Mapping[str, Measure] = {}) -> bool:
    """Whether a lower value of this measure is the better one."""
    found = measure(name, own)
    return found is not None and found.less_is_better


def means(
    sides: Sequence[Side], measures: Sequence[str], seed: int = 0, scope: Scope = THESE
) -> list[dict[str, Interval]]:
    """For each run the interval of each measure, over the questions that have it; absent where none has."""
    found: list[dict[str, Interval]] = [{} for _ in sides]
    for name in measures:
        scored = board(sides, name, scope)
        for row, each in zip(found, intervals(scored.values, scored.kind, scored.draws, seed)):
            if each is not None:
                row[name] = each
    return found


def best_of(rows: Sequence[Mapping[str, Interval]], name: str, own: Mapping[str, Measure] = {}) -> set[int]:
    """Places of the runs with the best mean, several when equal to 1e-9; none when all runs are equal."""
    have = {place: row[name].mean for place, row in enumerate(rows) if name in row}
    if not have:
        return set()
    top = min(have.values()) if less_is_better(name, own) else max(have.values())
    best = {place for place, mean in have.items() if abs(mean - top) < 1e-9}
    return best if len(best) < len(have) or len(have) == 1 else set()


def contrasts(
    sides: Sequence[Side],
    baseline: int,
    name: str,
    seed: int = 0,
    scope: Scope = THESE,
    power: Container[int] | None = None,
) -> list[Contrast]:
    """Every other run against the baseline, on the questions that both have a score for. `power` has the places of the
    runs for which, where nothing is shown, it is worked out what could be (all, if it is not given)."""
    pairs = [(place, baseline) for place in range(len(sides)) if place != baseline]
    return _contrasts(sides, pairs, name, seed, scope, power)


def all_pairs(sides: Sequence[Side], name: str, seed: int = 0, scope: Scope = THESE) -> list[Contrast]:
    """Every run against every one before it, all tested together."""
    pairs = [(later, earlier) for earlier, later in combinations(range(len(sides)), 2)]
    return _contrasts(sides, pairs, name, seed, scope)


def _contrasts(
    sides: Sequence[Side],
    pairs: Sequence[tuple[int, int]],
    name: str,
    seed: int,
    scope: Scope,
    power: Container[int] | None = None,
) -> list[Contrast]:
    if not pairs:
        return []
    scored = board(sides, name, scope)
    there = np.isfinite(scored.values)
    pairs = [pair for pair in pairs if (there[pair[0]] & there[pair[1]]).any()]
    if not pairs:
        return []
    ours, theirs = (scored.values[[pair[side] for pair in pairs]] for side in (0, 1))
    wanted = [row for row, pair in enumerate(pairs) if power is None or pair[0] in power]
    gaps = paired_differences(ours, theirs, scored.kind, scored.draws, seed, scored.values, frozenset(wanted))
    return [
        Contrast(sides[ours].name, sides[theirs].name, name, gap, gap.corrected, ours, theirs)
        for (ours, theirs), gap in zip(pairs, gaps) if gap is not None
    ]  # fmt: skip


def shared_keys(ours: Side, theirs: Side, name: str) -> list[str]:
    """The questions, by key, for which both runs have a score."""
    return [key for key in ours.scores if name in ours.scores[key] and name in theirs.scores.get(key, {})]
