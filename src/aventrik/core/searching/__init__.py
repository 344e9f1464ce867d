"""From ranked lists to candidates: lists of all queries and methods, cut and blended."""

from __future__ import annotations

import base64
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from ..protocols import Hit
from .fusion import blend

METHODS = ("keyword", "vector", "both")
_DEPTHS = (100, 1000, 10_000)


@dataclass(frozen=True, slots=True)
class Candidate:
    """A chunk that search returned; ranks count from 1, and None means that method did not return it.

    Ranks and scores of the two methods are those of the query as it was asked, not of its rewrites.
    """

    chunk: int
    score: float
    keyword_rank: int | None = None
    keyword_score: float | None = None
    vector_rank: int | None = None
    vector_score: float | None = None


@dataclass(frozen=True)
class Candidates:
    """The candidates of a question, best first."""

    found: tuple[Candidate, ...] = ()

    @property
    def chunks(self) -> list[int]:
        """Their chunk numbers."""
        return [candidate.chunk for candidate in self.found]


@dataclass(frozen=True)
class Hits:
    """For each query of a question, the first as it was asked, the chunks that one method found, best first."""

    lists: tuple[tuple[Hit, ...], ...] = ()


@dataclass(frozen=True)
class QueryVectors:
    """A vector for each query of a question; `numbers` are little-endian float32 in base64."""

    dimensions: int
    numbers: str

    @classmethod
    def of(cls, rows: npt.NDArray[np.float32]) -> QueryVectors:
        """From an array of shape (queries, dimensions)."""
        return cls(int(rows.shape[1]), base64.b64encode(rows.astype("<f4").tobytes()).decode())

    @property
    def rows(self) -> npt.NDArray[np.float32]:
        """The array again."""
        return np.frombuffer(base64.b64decode(self.numbers), dtype="<f4").reshape(-1, self.dimensions)


@dataclass(frozen=True)
class Searching:
    """What is done with the lists. `weight` (0 to 1) is the share of the vector lists in a blend, the keyword lists
    have the rest; candidates with a final score below `least` fall away. `weights`: of the lists of each rewriting, in
    order, beside those of the question, which count 1; empty where all count the same."""

    top: int = 40
    blend: str = "ranks"
    scaling: str = "min-max"
    weight: float = 0.5
    least: float | None = None
    weights: tuple[float, ...] = ()

    def of_origin(self, number: int) -> float:
        """The weight of the lists of a rewriting by its number; 0 is the question."""
        return self.weights[number - 1] if number and self.weights else 1.0


def depth(top: int) -> int:
    """How many chunks a query looks up for `top` candidates: the same for many values of it, so that a longer list of
    candidates takes no new search."""
    return next((step for step in _DEPTHS if top <= step), top)


def fuse(
    words: Sequence[Sequence[Hit]], near: Sequence[Sequence[Hit]], how: Searching, queries: Sequence[float] = ()
) -> Candidates:
    """The first `top` chunks of all lists joined: `words` and `near` have a list a query, or none at all.

    Each list counts with its first `top`. `queries`: the weight of each query, all 1 without it; one of 0 is left out,
    but never the question where nothing else would be left.
    """
    if any(queries):
        words = [ranked for ranked, weight in zip(words, queries) if weight > 0]
        near = [ranked for ranked, weight in zip(near, queries) if weight > 0]
    queries = [weight for weight in queries if weight > 0]
    words = [ranked[: how.top] for ranked in words]
    near = [ranked[: how.top] for ranked in near]
    weights = [2 * (1 - how.weight)] * len(words) + [2 * how.weight] * len(near) if words and near else []
    if any(weight != 1 for weight in queries):
        own = [*queries[: len(words)], *queries[: len(near)]]
        weights = [one * other for one, other in zip(weights or [1.0] * len(own), own)]
    joined = blend([*words, *near], how.blend, weights, how.scaling)[: how.top]
    if how.least is not None:
        joined = [hit for hit in joined if hit[1] >= how.least]
    ranks = [
        {place: (rank, score) for rank, (place, score) in enumerate(lists[0], 1)} if lists else {}
        for lists in (words, near)
    ]
    return Candidates(
        tuple(
            Candidate(
                place, round(score, 6), *(ranks[0].get(place, (None, None))), *(ranks[1].get(place, (None, None)))
            )
            for place, score in joined
        )
    )
