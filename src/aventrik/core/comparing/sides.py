"""Runs side by side: means, differences from a baseline and of all pairs, on the questions that both have."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations
from typing import Any

from ..measures import Measure, measure
from .differences import ALPHA, Difference, paired_difference
from .intervals import Interval, interval
from .significance import holm

Scores = Mapping[str, Mapping[str, float]]  # a question's key → measure → score


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


@dataclass(frozen=True)
class Contrast:
    """One run against another on one measure; `p` is corrected (Holm) over all that is compared together."""

    name: str
    against: str
    measure: str
    difference: Difference
    p: float

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
    if how != "auto":
        return how == "document"
    clusters = {key: name for side in sides for key, name in side.clusters.items() if name}
    return any(count > 1 for count in Counter(clusters.values()).values())


def means(
    sides: Sequence[Side], measures: Sequence[str], seed: int = 0, by_document: bool = False
) -> list[dict[str, Interval]]:
    """For each run the interval of each measure, over the questions that have it; absent where none has."""
    found = []
    for side in sides:
        row: dict[str, Interval] = {}
        for name in measures:
            keys = [key for key, scores in side.scores.items() if name in scores]
            if keys:
                values = [side.scores[key][name] for key in keys]
                row[name] = interval(values, kind_of(name, side.own), _clusters(side, keys, by_document), seed)
        found.append(row)
    return found


def _clusters(side: Side, keys: Sequence[str], by_document: bool) -> list[str] | None:
    return [side.clusters.get(key) or f"question {key}" for key in keys] if by_document else None


def best_of(rows: Sequence[Mapping[str, Interval]], name: str, own: Mapping[str, Measure] = {}) -> set[int]:
    """Places of the runs with the best mean, several when equal to 1e-9; none when all runs are equal."""
    have = {place: row[name].mean for place, row in enumerate(rows) if name in row}
    if not have:
        return set()
    top = min(have.values()) if less_is_better(name, own) else max(have.values())
    best = {place for place, mean in have.items() if abs(mean - top) < 1e-9}
    return best if len(best) < len(have) or len(have) == 1 else set()


def contrasts(
    sides: Sequence[Side], baseline: int, name: str, seed: int = 0, by_document: bool = False
) -> list[Contrast]:
    """Every other run against the baseline, on the questions that both have a score for."""
    pairs = [(place, baseline) for place in range(len(sides)) if place != baseline]
    return _contrasts(sides, pairs, name, seed, by_document)


def all_pairs(sides: Sequence[Side], name: str, seed: int = 0, by_document: bool = False) -> list[Contrast]:
    """Every run against every one before it, with one correction over all of them."""
    pairs = [(later, earlier) for earlier, later in combinations(range(len(sides)), 2)]
    return _contrasts(sides, pairs, name, seed, by_document)


def _contrasts(
    sides: Sequence[Side], pairs: Sequence[tuple[int, int]], name: str, seed: int, by_document: bool
) -> list[Contrast]:
    shared = {pair: shared_keys(sides[pair[0]], sides[pair[1]], name) for pair in pairs}
    pairs = [pair for pair in pairs if shared[pair]]
    found = []
    for pair in pairs:
        ours, theirs = sides[pair[0]], sides[pair[1]]
        keys = shared[pair]
        found.append(
            paired_difference(
                [ours.scores[key][name] for key in keys],
                [theirs.scores[key][name] for key in keys],
                kind_of(name, ours.own),
                _clusters(ours, keys, by_document),
                seed,
                len(pairs),
            )
        )
    corrected = holm([difference.p for difference in found])
    return [
        Contrast(sides[ours].name, sides[theirs].name, name, gap, p)
        for (ours, theirs), gap, p in zip(pairs, found, corrected)
    ]


def shared_keys(ours: Side, theirs: Side, name: str) -> list[str]:
    """The questions, by key, for which both runs have a score."""
    return [key for key in ours.scores if name in ours.scores[key] and name in theirs.scores.get(key, {})]
