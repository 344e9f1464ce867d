"""The mean of a measure for each two values: of two settings, or of a setting and of a group of questions."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from .contributions import said
from .groups import members
from .intervals import Interval, intervals
from .leading import ALPHA, standing
from .sheet import Values
from .sides import Board, Side


@dataclass(frozen=True)
class Cell:
    """The mean over the runs with two values, and its interval over the questions; `best`: the best cell of all;
    `level`: it can't be told from that."""

    row: str
    column: str
    runs: int
    interval: Interval
    best: bool
    level: bool


@dataclass(frozen=True)
class Crossed:
    """Two settings (or a setting and a facet of the questions) crossed. `uneven`: the runs of the cells differ in their
    other settings too, so that cells can't be compared by these two alone."""

    first: str
    second: str
    rows: list[str]
    columns: list[str]
    cells: list[Cell]
    uneven: bool

    def at(self, row: str, column: str) -> Cell | None:
        """The cell of two values."""
        return next((cell for cell in self.cells if (cell.row, cell.column) == (row, column)), None)


def crossed(
    sides: Sequence[Side], scored: Board, first: str, second: str, varying: Sequence[str], seed: int = 0
) -> Crossed:
    """Two settings crossed, over the questions for which all runs of a cell have a score."""
    groups: dict[tuple[str, str], list[int]] = {}
    for place, side in enumerate(sides):
        groups.setdefault((said(side.settings.get(first)), said(side.settings.get(second))), []).append(place)
    rests = [each for each in varying if each not in (first, second)]
    kinds = {
        tuple(sorted(tuple(said(sides[run].settings.get(each)) for each in rests) for run in runs))
        for runs in groups.values()
    }
    values = np.array([scored.values[runs].mean(axis=0) for runs in groups.values()])
    found = intervals(values, "score" if scored.kind == "share" else scored.kind, scored.draws, seed)
    best, level = _leading(values, scored, seed)
    cells = [
        Cell(*name, len(runs), each, place == best, bool(level[place]))
        for place, ((name, runs), each) in enumerate(zip(groups.items(), found)) if each is not None
    ]  # fmt: skip
    rows, columns = _sorted(name[0] for name in groups), _sorted(name[1] for name in groups)
    return Crossed(first, second, rows, columns, cells, len(kinds) > 1)


def crossed_by_group(
    sides: Sequence[Side], scored: Board, setting: str, facet: str, labels: Mapping[str, Sequence[str]], seed: int = 0
) -> Crossed:
    """A setting crossed with a facet of the questions, by the groups of it that are large enough (see `groups.members`); the
    best value is marked in each."""
    groups: dict[str, list[int]] = {}
    for place, side in enumerate(sides):
        groups.setdefault(said(side.settings.get(setting)), []).append(place)
    large = {label: places for (_, label), places in members({facet: labels}, scored.keys).items()}
    cells = []
    for label, places in large.items():
        chosen = np.zeros(len(scored.keys), dtype=bool)
        chosen[places] = True
        part = scored.of(chosen)
        values = np.array([part.values[runs].mean(axis=0) for runs in groups.values()])
        found = intervals(values, "score" if part.kind == "share" else part.kind, part.draws, seed)
        best, level = _leading(values, part, seed)
        cells += [
            Cell(value, label, len(runs), each, place == best, bool(level[place]))
            for place, ((value, runs), each) in enumerate(zip(groups.items(), found)) if each is not None
        ]  # fmt: skip
    return Crossed(setting, facet, _sorted(groups), list(large), cells, False)


def _leading(values: Values, scored: Board, seed: int) -> tuple[int, list[bool]]:
    """The place of the best row, and which rows may be the best, each two on the questions that both have."""
    there = np.isfinite(values)
    if not there.any(axis=1).all():
        return -1, [False] * len(values)
    sign = -1.0 if scored.less else 1.0
    means = sign * np.where(there, values, 0.0).sum(axis=1) / there.sum(axis=1)
    p = standing(sign * values, scored.draws, seed)
    best = int(np.argmax(means))
    return best, [bool(each >= ALPHA) or place == best for place, each in enumerate(p)]


def _sorted(values: Iterable[str]) -> list[str]:
    """Values in their natural order: numbers by size, others by name."""
    names = list(dict.fromkeys(values))

    def key(name: str) -> tuple[int, float, str]:
        try:
            return (0, float(name), name)
        except ValueError:
            return (1, 0.0, name)

    return sorted(names, key=key)
