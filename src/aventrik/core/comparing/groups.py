"""Where two runs differ: the measure in each group of questions, and groups in which the order turns round."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from .differences import ALPHA, Difference, paired_differences
from .sides import Board
from .significance import holm

LEAST = 5  # questions of a group
MOST = 60  # groups that are looked at, the largest


@dataclass(frozen=True)
class Group:
    """A group of questions, such as those of one kind: the means of two runs in it and their difference (first less
    second). `p` is corrected (Holm) over all groups looked at; `turned`: the difference is real, and the other way round
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
    made = [(name, *_difference(pair, places, 0, [1], seed, len(groups))) for name, places in groups.items()]
    kept = [(name, part, gap) for name, part, [gap] in made if gap is not None]
    corrected = holm([gap.p for _, _, gap in kept])
    found = []
    for (name, part, gap), p in zip(kept, corrected):
        sign = gap.mean * (-1 if scored.less else 1)
        means = part.values.mean(axis=1)
        turned = p < ALPHA and sign * overall < 0
        found.append(Group(*name, part.values.shape[1], float(means[0]), float(means[1]), gap, p, turned))
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
    together = len(groups) * (len(rows) - 1)
    sign = -1 if whole.less else 1
    looked = []
    for name, places in groups.items():
        means = sign * whole.values[:, places].mean(axis=1)
        better = [row for row in range(1, len(rows)) if means[row] > means[0]]
        if better:  # the others are no better, and count as looked at
            _, found = _difference(whole, places, 0, better, seed, together, turned=True)
            told = [(*name, len(places), rows[row]) for row in better]
            looked += [(each, gap) for each, gap in zip(told, found) if gap is not None]
    corrected = holm([gap.p for _, gap in looked] + [1.0] * (together - len(looked)))
    real = [Beaten(*told, gap, p) for (told, gap), p in zip(looked, corrected) if p < ALPHA]
    best_of: dict[tuple[str, str], Beaten] = {}
    for each in real:
        held = best_of.get((each.facet, each.label))
        if held is None or abs(each.difference.mean) > abs(held.difference.mean):
            best_of[each.facet, each.label] = each
    return list(best_of.values())


def _difference(
    scored: Board,
    places: Sequence[int],
    first: int,
    others: Sequence[int],
    seed: int,
    together: int,
    turned: bool = False,
) -> tuple[Board, list[Difference | None]]:
    """The first less each of the others within some questions, or with `turned` each of the others less the first."""
    chosen = np.zeros(len(scored.keys), dtype=bool)
    chosen[list(places)] = True
    part = scored.of(chosen)
    ours, theirs = part.values[first], part.values[list(others)]
    if turned:
        return part, paired_differences(theirs, ours, part.kind, part.groups, seed, together)
    return part, paired_differences(np.broadcast_to(ours, theirs.shape), theirs, part.kind, part.groups, seed, together)
