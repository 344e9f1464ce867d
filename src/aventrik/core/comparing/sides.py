"""Runs side by side: means, differences from a baseline and of all pairs, on the questions that both have."""

from __future__ import annotations

from collections import Counter
from collections.abc import Container, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from itertools import combinations
from typing import Any

import numpy as np
import numpy.typing as npt

from ..measures import Measure, measure
from .differences import ALPHA, Difference, paired_differences, smallest_shown
from .intervals import Interval, grouped, intervals
from .sheet import Scores, Sheet, Values
from .significance import holm


@dataclass(frozen=True)
class Side:
    """One run as it is compared: its settings by dotted name; by the key of each question its scores, where its needs
    were lost and the document that it is about ("" for none); what the run cost is among the scores. `own`: measures of
    the run that the registry does not have."""

    name: str
    settings: Mapping[str, Any]
    scores: Scores
    lost: Mapping[str, Sequence[str]] = field(default_factory=dict)
    clusters: Mapping[str, str] = field(default_factory=dict)
    own: Mapping[str, Measure] = field(default_factory=dict)

    @cached_property
    def sheet(self) -> Sheet:
        """The scores as arrays."""
        return Sheet.of(self.scores)


@dataclass(frozen=True)
class Board:
    """What several runs score on one measure: `values` of shape (runs, questions), NaN where a question of a run does not
    have it; the keys of the questions, and for each the number of its document where these count as one draw."""

    values: Values
    keys: tuple[str, ...]
    groups: npt.NDArray[np.int64] | None
    kind: str
    less: bool

    def whole(self, rows: Sequence[int] | None = None) -> Board:
        """Some runs, or all, on the questions that all of them have a score for."""
        some = self if rows is None else replace(self, values=self.values[list(rows)])
        return some.of(np.asarray(np.isfinite(some.values).all(axis=0), dtype=np.bool_))

    def of(self, questions: npt.NDArray[np.bool_]) -> Board:
        """The same of some questions."""
        groups = None if self.groups is None else np.unique(self.groups[questions], return_inverse=True)[1]
        keys = tuple(key for key, kept in zip(self.keys, questions) if kept)
        return replace(self, values=self.values[:, questions], keys=keys, groups=groups)


def board(sides: Sequence[Side], name: str, by_document: bool = False) -> Board:
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
    groups = None
    if by_document:
        different = {id(side.clusters): side.clusters for side in reversed(sides)}  # runs on one test set share them
        clusters = {key: cluster for each in different.values() for key, cluster in each.items() if cluster}
        groups = grouped([clusters.get(key) or f"question {key}" for key in keys])
    own_ = own_measures(sides)
    return Board(np.array(rows), keys, groups, kind_of(name, own_), less_is_better(name, own_))


@dataclass(frozen=True)
class Contrast:
    """One run against another on one measure, by name and by their places among what is compared; `p` is corrected (Holm)
    over all that is compared together."""

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


def clustered(sides: Sequence[Side], how: str) -> bool:
    """Whether questions about one document count as one draw: as `how` says, or with "auto" where a document has more
    than one question."""
    different = {id(side.clusters): side.clusters for side in sides}
    clusters = {key: name for each in different.values() for key, name in each.items() if name}
    return clustered_questions(list(clusters.values()), how)


def clustered_questions(documents: Sequence[str], how: str) -> bool:
    """The same of questions by the documents that they are about."""
    if how != "auto":
        return how == "document"
    return any(count > 1 for count in Counter(documents).values())


def means(
    sides: Sequence[Side], measures: Sequence[str], seed: int = 0, by_document: bool = False
) -> list[dict[str, Interval]]:
    """For each run the interval of each measure, over the questions that have it; absent where none has."""
    found: list[dict[str, Interval]] = [{} for _ in sides]
    for name in measures:
        scored = board(sides, name, by_document)
        for row, each in zip(found, intervals(scored.values, scored.kind, scored.groups, seed)):
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
    by_document: bool = False,
    power: Container[int] | None = None,
) -> list[Contrast]:
    """Every other run against the baseline, on the questions that both have a score for. `power` has the places of the
    runs for which, where nothing is shown, it is worked out what could be (all, if it is not given)."""
    pairs = [(place, baseline) for place in range(len(sides)) if place != baseline]
    return _contrasts(sides, pairs, name, seed, by_document, power)


def all_pairs(sides: Sequence[Side], name: str, seed: int = 0, by_document: bool = False) -> list[Contrast]:
    """Every run against every one before it, with one correction over all of them."""
    pairs = [(later, earlier) for earlier, later in combinations(range(len(sides)), 2)]
    return _contrasts(sides, pairs, name, seed, by_document)


def _contrasts(
    sides: Sequence[Side],
    pairs: Sequence[tuple[int, int]],
    name: str,
    seed: int,
    by_document: bool,
    power: Container[int] | None = None,
) -> list[Contrast]:
    if not pairs:
        return []
    scored = board(sides, name, by_document)
    there = np.isfinite(scored.values)
    pairs = [pair for pair in pairs if (there[pair[0]] & there[pair[1]]).any()]
    if not pairs:
        return []
    ours, theirs = (scored.values[[pair[side] for pair in pairs]] for side in (0, 1))
    gaps = paired_differences(ours, theirs, scored.kind, scored.groups, seed, len(pairs))
    found = [gap for gap in gaps if gap is not None]
    corrected = holm([gap.p for gap in found])
    for row, (pair, gap, p) in enumerate(zip(pairs, found, corrected)):
        if p >= ALPHA and not gap.same and (power is None or pair[0] in power):
            here = np.isfinite(ours[row] - theirs[row])
            own = None if scored.groups is None else scored.groups[here]
            smallest = smallest_shown((ours[row] - theirs[row])[here], scored.kind, own, len(pairs))
            found[row] = replace(gap, smallest=smallest, known=True)
    return [
        Contrast(sides[ours].name, sides[theirs].name, name, gap, p, ours, theirs)
        for (ours, theirs), gap, p in zip(pairs, found, corrected)
    ]


def shared_keys(ours: Side, theirs: Side, name: str) -> list[str]:
    """The questions, by key, for which both runs have a score."""
    return [key for key in ours.scores if name in ours.scores[key] and name in theirs.scores.get(key, {})]
