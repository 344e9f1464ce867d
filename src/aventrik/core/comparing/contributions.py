"""What each setting contributed, and which settings act on each other, over runs that agree in every other setting."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations, product
from typing import Any

import numpy as np

from .differences import ALPHA, Difference, paired_differences
from .draws import Scope
from .sheet import Values
from .sides import THESE, Board, Side, board


@dataclass(frozen=True)
class Contribution:
    """A setting's value against its most frequent one, over all pairs of runs that agree in every other setting; `p` is
    corrected for all settings and values together."""

    setting: str
    value: str
    instead_of: str
    pairs: int
    difference: Difference
    p: float

    @property
    def real(self) -> bool:
        """Whether the corrected p-value is below 5 %."""
        return self.p < ALPHA


@dataclass(frozen=True)
class Interaction:
    """How much more a change of one setting brings where another one is changed too: (`value` less `instead_of`) where
    `other` has `other_value`, less the same where it has `other_instead_of`. `here` and `there` are these two
    differences; `p` is corrected for all pairs of settings and values together."""

    setting: str
    value: str
    instead_of: str
    other: str
    other_value: str
    other_instead_of: str
    here: float
    there: float
    difference: Difference
    p: float

    @property
    def real(self) -> bool:
        """Whether the corrected p-value is below 5 %."""
        return self.p < ALPHA


Weights = dict[int, float]  # of runs, by their places


def contributions(sides: Sequence[Side], name: str, seed: int = 0, scope: Scope = THESE) -> list[Contribution]:
    """What each setting that varies contributed: the mean paired difference between its values.

    For each question the difference is averaged over the pairs of runs that differ in this setting alone; interval and
    test are over questions. Takes time in proportion to runs × settings that vary.
    """
    grid = Grid(sides)
    wanted: list[tuple[str, str, str, int, Weights]] = []
    for setting in grid.varying:
        usual, *others = grid.values(setting)
        for value in others:
            weights: Weights = defaultdict(float)
            pairs = 0
            for ours, theirs in grid.alike([{setting: value}, {setting: usual}]):
                pairs += len(ours) * len(theirs)
                _add(weights, ours, len(theirs))
                _add(weights, theirs, -len(ours))
            if pairs:
                scaled = {run: weight / pairs for run, weight in weights.items()}
                wanted.append((setting, value, usual, pairs, scaled))
    if not wanted:
        return []
    scored = board(sides, name, scope)
    found = _tested(scored, [each[4] for each in wanted], [each[3] == 1 for each in wanted], seed)
    return [Contribution(*each[:4], gap, gap.corrected) for each, gap in zip(wanted, found) if gap is not None]


def interactions(sides: Sequence[Side], name: str, seed: int = 0, scope: Scope = THESE) -> list[Interaction]:
    """For each two settings that vary, and each value of theirs but the most frequent one: whether the change of the one
    brings something else where the other is changed. Over all four runs that agree in every other setting."""
    grid = Grid(sides)
    wanted = []
    scored: Board | None = None
    means = np.zeros(0)
    for setting, other in combinations(grid.varying, 2):
        usual, *values = grid.values(setting)
        beside, *besides = grid.values(other)
        for value, another in product(values, besides):
            corners = [{setting: one, other: two} for one in (value, usual) for two in (another, beside)]
            signs = (1, -1, -1, 1)
            weights: Weights = defaultdict(float)
            effects = np.zeros(4)
            groups = 0
            for cells in grid.alike(corners):
                if scored is None:
                    scored = board(sides, name, scope)
                    means = _means(scored)
                groups += 1
                for cell, sign in zip(cells, signs):
                    _add(weights, cell, sign / len(cell))
                effects += [float(np.mean(means[cell])) for cell in cells]
            if groups:
                here, there = ((effects[n] - effects[n + 2]) / groups for n in (0, 1))
                scaled = {run: weight / groups for run, weight in weights.items()}
                wanted.append(((setting, value, usual, other, another, beside, float(here), float(there)), scaled))
    if scored is None:
        return []
    found = _tested(scored, [weights for _, weights in wanted], [False] * len(wanted), seed)
    return [Interaction(*told, gap, gap.corrected) for (told, _), gap in zip(wanted, found) if gap is not None]


class Grid:
    """Runs by the values of their settings. `varying` are the settings with more than one value; one that a run does not
    use (of a step it lacks, or of an index it does not search) is absent there, and counts as a value of its own."""

    def __init__(self, sides: Sequence[Side]) -> None:
        names = sorted({name for side in sides for name in side.settings})
        self._said = {name: [said(side.settings.get(name)) for side in sides] for name in names}
        self._absent = {name: np.array([side.settings.get(name) is None for side in sides]) for name in names}
        self.varying = [name for name in names if len(set(self._said[name])) > 1]
        self._arrays = {name: np.array(self._said[name]) for name in self.varying}

    def values(self, setting: str) -> list[str]:
        """The values of a setting where it is used, the most frequent first."""
        absent = self._absent[setting]
        counts = Counter(value for value, gone in zip(self._said[setting], absent) if not gone)
        return sorted(counts, key=lambda value: -counts[value]) or [""]

    def alike(self, corners: Sequence[Mapping[str, str]]) -> list[list[list[int]]]:
        """The runs at each of several corners (settings with a value), group by group: those of a group agree in every
        setting that varies beside these, but for those that are without use at a corner. Groups that lack a corner are
        left out."""
        masks = [
            np.logical_and.reduce([self._arrays[name] == value for name, value in corner.items()]) for corner in corners
        ]
        if not all(mask.any() for mask in masks):
            return []
        rests = [
            name for name in self.varying
            if name not in corners[0] and not any(self._absent[name][mask].all() for mask in masks)
        ]  # fmt: skip
        groups: dict[tuple[str, ...], list[list[int]]] = {}
        for place, mask in enumerate(masks):
            for run in np.flatnonzero(mask).tolist():
                rest = tuple(self._said[name][run] for name in rests)
                groups.setdefault(rest, [[] for _ in corners])[place].append(run)
        return [cells for cells in groups.values() if all(cells)]


def _means(scored: Board) -> Values:
    there = np.isfinite(scored.values)
    counts = np.maximum(there.sum(axis=1), 1)
    return np.asarray(np.where(there, scored.values, 0.0).sum(axis=1) / counts, dtype=np.float64)


def _add(weights: Weights, runs: Sequence[int], weight: float) -> None:
    for run in runs:
        weights[run] += weight


def _tested(scored: Board, wanted: Sequence[Weights], single: Sequence[bool], seed: int) -> list[Difference | None]:
    """Weighted sums of runs tested against 0, all together; where all are of one pair alone by their kind, else as means of
    several."""
    if not wanted:
        return []
    matrix = np.zeros((len(wanted), len(scored.values)))
    for row, weights in enumerate(wanted):
        for run, weight in weights.items():
            matrix[row, run] = weight
    there = np.isfinite(scored.values)
    gaps = matrix @ np.where(there, scored.values, 0.0)
    gaps[(matrix != 0).astype(np.float64) @ (~there).astype(np.float64) > 0] = np.nan
    gaps[np.abs(gaps) < 1e-12] = 0.0
    kind = scored.kind if all(single) or scored.kind != "share" else "score"  # a mean of several is a share no more
    return paired_differences(gaps, np.zeros(gaps.shape[1]), kind, scored.draws, seed, scored.values)


def said(value: Any) -> str:
    """A setting's value as it is shown."""
    if isinstance(value, (list, tuple)):
        return (
            "+".join(str(step.get("step", step)) if isinstance(step, dict) else str(step) for step in value) or "none"
        )
    return "–" if value is None else str(value)
