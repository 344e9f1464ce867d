"""What a run's questions scored, a column a measure: so that hundreds of runs are compared in seconds."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property

import numpy as np
import numpy.typing as npt

Values = npt.NDArray[np.float64]
Scores = Mapping[str, Mapping[str, float]]  # a question's key → measure → score


class Sheet(Mapping[str, Mapping[str, float]]):
    """Scores by the key of a question and the name of a measure, kept as arrays: `columns` have a value for each of
    `keys`, NaN where a question does not have the measure. Reads like a mapping of mappings, without what is absent."""

    def __init__(self, keys: Sequence[str], columns: Mapping[str, Values]) -> None:
        self.keys_in_order = keys if isinstance(keys, tuple) else tuple(keys)
        self.columns = columns

    @classmethod
    def of(cls, scores: Scores) -> Sheet:
        """Scores as a sheet."""
        if isinstance(scores, Sheet):
            return scores
        names = dict.fromkeys(name for row in scores.values() for name in row)
        rows = list(scores.values())
        return cls(
            list(scores), {name: np.array([row.get(name, np.nan) for row in rows], dtype=np.float64) for name in names}
        )

    @cached_property
    def places(self) -> dict[str, int]:
        """Where in the columns each question stands."""
        return {key: place for place, key in enumerate(self.keys_in_order)}

    @property
    def names(self) -> tuple[str, ...]:
        """The measures that some question has."""
        return tuple(sorted(self.columns))

    def column(self, name: str) -> Values:
        """The values of a measure, NaN where it is absent."""
        found = self.columns.get(name)
        return np.full(len(self.keys_in_order), np.nan) if found is None else found

    def present(self, name: str) -> Values:
        """The values of a measure where it is there."""
        values = self.column(name)
        return np.asarray(values[np.isfinite(values)], dtype=np.float64)

    def mean(self, name: str) -> float | None:
        """The mean of a measure over the questions that have it; None where none has."""
        values = self.present(name)
        return float(values.mean()) if len(values) else None

    def narrowed(self, keys: Sequence[str]) -> Sheet:
        """The same of some questions, in the order given."""
        if tuple(keys) == self.keys_in_order:
            return self
        rows = np.array([self.places[key] for key in keys], dtype=np.int64)
        return Sheet(keys, {name: column[rows] for name, column in self.columns.items()})

    def __getitem__(self, key: str) -> dict[str, float]:
        place = self.places[key]
        return {name: float(column[place]) for name, column in self.columns.items() if not np.isnan(column[place])}

    def __iter__(self) -> Iterator[str]:
        return iter(self.keys_in_order)

    def __len__(self) -> int:
        return len(self.keys_in_order)
