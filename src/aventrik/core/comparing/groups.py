"""Where two runs differ: the measure in each group of questions, and groups in which the order turns round."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from .differences import ALPHA, Difference, paired_differences
from .sheet import Values
from .sides import Board

LEAST = 5  # questions of a group
MOST = 60  # groups that are looked at, the largest


@dataclass(frozen=True)
class Group:
    """A group of questions, such as those of one kind: the means of two runs in it and their difference (first less
    second). `p` is corrected for all groups that are looked at; `turned`: the difference is real, and the other way round
    than over all questions."""

    facet: str
    label: str
    n: int
    ours: float
    theirs: float
    difference: Difference
    p: float
    turned: bool

    @property
    def real(self) -> bool:
        """Whether the corrected p-value is below 5 %."""
        return self.p < ALPHA


@dataclass(frozen=True)
class Beaten:
    """A group of questions in which another run, by its place, is better than the best one of all; `p` is corrected over
    all groups and runs looked at."""

    facet: str
    label: str
    n: int
    place: int
    difference: Difference
    p: float


Facets = Mapping[str, Mapping[str, Sequence[str]]]  # facet → key of a question → its labels


def members(facets: Facets, keys: Sequence[str]) -> dict[tuple[str, str], list[int]]:
    """The places of the questions of each group that is large enough, but for facets that are the same for all; the
    largest groups, in the order of the facets."""
    found: dict[tuple[str, str], list[int]] = {}
    for facet, labels in facets.items():
        groups: dict[tuple[str, str], list[int]] = {}
        for place, key in enumerate(keys):
            for label in dict.fromkeys(labels.get(key, ())):
                groups.setdefault((facet, label), []).append(place)
        large = {name: places for name, places in groups.items() if LEAST <= len(places) < len(keys)}
        found.update(large)
    largest = set(sorted(found, key=lambda name: -len(found[name]))[:MOST])
    return {name: places for name, places in found.items() if name in largest}


def by_group(scored: Board, ours: int, theirs: int, facets: Facets, seed: int = 0) -> list[Group]:
    """Two runs of a board in each group of questions, on those that both have a score for; in a facet the groups in which
    the first is worse come first."""
    pair = scored.whole([ours, theirs])
    if not len(pair.keys):
        return []
    overall = float((pair.values[0] - pair.values[1]).mean()) * (-1 if scored.less else 1)
    groups = members(facets, pair.keys)
    if not groups:
        return []
    first, second = pair.values
    found = []
    for (name, places), gap in zip(
        groups.items(), _within(pair, list(groups.values()), [first] * len(groups), second, seed)
    ):
        if gap is not None:
            sign = gap.mean * (-1 if scored.less else 1)
            turned = gap.real and sign * overall < 0
            means = float(first[places].mean()), float(second[places].mean())
            found.append(Group(*name, len(places), *means, gap, gap.corrected, turned))
    order = {facet: place for place, facet in enumerate(facets)}
    sign = -1 if scored.less else 1
    return sorted(found, key=lambda each: (order[each.facet], sign * each.difference.mean, each.label))


def beaten(scored: Board, best: int, others: Sequence[int], facets: Facets, seed: int = 0) -> list[Beaten]:
    """The groups of questions in which one of the other runs is better than the best one of all, and that is real."""
    rows = [best, *(place for place in others if place != best)]
    whole = scored.whole(rows)
    if len(rows) < 2 or not len(whole.keys):
        return []
    groups = members(facets, whole.keys)
    sign = -1 if whole.less else 1
    looked = [(name, places, row) for name, places in groups.items() for row in range(1, len(rows))]
    if not looked:
        return []
    gaps = _within(
        whole, [places for _, places, _ in looked], [whole.values[row] for *_, row in looked], whole.values[0], seed
    )
    real = [
        Beaten(*name, len(places), rows[row], gap, gap.corrected)
        for (name, places, row), gap in zip(looked, gaps) if gap is not None and gap.real and sign * gap.mean > 0
    ]  # fmt: skip
    best_of: dict[tuple[str, str], Beaten] = {}
    for each in real:
        held = best_of.get((each.facet, each.label))
        if held is None or abs(each.difference.mean) > abs(held.difference.mean):
            best_of[each.facet, each.label] = each
    return list(best_of.values())


def _within(
    scored: Board, groups: Sequence[Sequence[int]], ours: Sequence[Values], theirs: Values, seed: int
) -> list[Difference | None]:
    """The differences of several runs from one, each within a group of questions, all tested together."""
    rows = np.full((len(groups), len(scored.keys)), np.nan)
    for row, (places, values) in enumerate(zip(groups, ours)):
        rows[row, list(places)] = values[list(places)]
    return paired_differences(rows, theirs, scored.kind, scored.draws, seed, scored.values)
