"""Two embedding models held against each other without any test set: do they find the same neighbours?"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from ..indexing.vectors import search

ASKED = 1000


@dataclass(frozen=True)
class Overlap:
    """`asked`: the rows that were asked about; `share[i]`: of the k nearest rows of `asked[i]` by one model the share
    that is among the k nearest by the other, 0 to 1; `first`, `second`: those neighbours, nearest first."""

    k: int
    asked: npt.NDArray[np.int64]
    share: npt.NDArray[np.float64]
    first: list[list[int]]
    second: list[list[int]]

    def apart(self, count: int) -> list[int]:
        """Places in `asked` at which the two agree least."""
        return [int(place) for place in np.argsort(self.share, kind="stable")[:count]]


def overlap(one: npt.NDArray[np.float32], other: npt.NDArray[np.float32], k: int = 10, asked: int = ASKED) -> Overlap:
    """How alike the neighbourhoods of two sets of unit vectors (n, d1) and (n, d2) of the same n texts are.

    Up to `asked` rows, spread evenly, are asked about; a row is not its own neighbour. Raises ValueError when the two
    have not as many rows.
    """
    if len(one) != len(other):
        raise ValueError(f"{len(one)} and {len(other)} rows can't be compared")
    chosen = np.unique(np.linspace(0, max(0, len(one) - 1), min(asked, len(one))).astype(np.int64))
    k = max(1, min(k, len(one) - 1))
    near = [_near(vectors, chosen, k) for vectors in (one, other)]
    share = np.array([len(set(a) & set(b)) / k for a, b in zip(*near)])
    return Overlap(k, chosen, share, *near)


def _near(vectors: npt.NDArray[np.float32], chosen: npt.NDArray[np.int64], k: int) -> list[list[int]]:
    found = search(vectors, np.ascontiguousarray(vectors[chosen]), k + 1)
    return [[place for place, _ in row if place != own][:k] for own, row in zip(chosen, found)]
