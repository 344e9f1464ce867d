"""Indexes over the index texts of chunks: `keyword` (postings), `vectors` (exact) and `approximate`."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from ..protocols import Hit


@dataclass(frozen=True)
class Narrowing:
    """From scores of index texts to scores of the chunks that may be found.

    `owner`: the chunk of each index text, int32, ascending, every chunk at least once; None when text i is chunk i.
    `allowed`: whether each chunk may be found, bool; None when all may.
    """

    owner: npt.NDArray[np.int32] | None = None
    allowed: npt.NDArray[np.bool_] | None = None

    @cached_property
    def _firsts(self) -> npt.NDArray[np.int64]:
        assert self.owner is not None
        return np.flatnonzero(np.diff(self.owner, prepend=-1))

    @cached_property
    def texts_allowed(self) -> npt.NDArray[np.bool_] | None:
        """Whether each index text may be found; None when all may."""
        return self.allowed if self.owner is None or self.allowed is None else self.allowed[self.owner]

    @cached_property
    def most_texts(self) -> int:
        """The largest number of index texts that a chunk has."""
        return 1 if self.owner is None or not len(self.owner) else int(np.bincount(self.owner).max())

    def of_chunks(self, scores: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
        """The best score of each chunk, minus infinity for one that may not be found."""
        if self.owner is not None and len(self.owner):
            scores = np.maximum.reduceat(scores, self._firsts)
        return scores if self.allowed is None else np.where(self.allowed, scores, np.float32(-np.inf))

    def hits(self, found: list[Hit], top: int) -> list[Hit]:
        """Hits of texts, best first, as hits of chunks, each at its best; those that may not be found fall away."""
        chunks: dict[int, float] = {}
        for text, score in found:
            chunk = text if self.owner is None else int(self.owner[text])
            if self.allowed is None or self.allowed[chunk]:
                chunks.setdefault(chunk, score)
        return list(chunks.items())[:top]


def best(scores: npt.NDArray, top: int, floor: float = -np.inf) -> list[Hit]:
    """The `top` highest scores above `floor` as (position, score); equal scores in order of position."""
    scores = np.asarray(scores)
    least = _surely(scores, top)
    places = np.flatnonzero((scores >= least) & (scores > floor))
    if top < len(places):
        few = scores[places]
        places = places[few >= np.partition(few, len(few) - top)[len(few) - top]]
    order = np.lexsort((places, -scores[places]))[:top]
    return [(int(place), float(scores[place])) for place in places[order]]


_STRIPE = 64


def _surely(scores: npt.NDArray, top: int) -> float:
    """A score that at least `top` positions reach: the top-th best of the best of short stripes."""
    stripes = len(scores) // _STRIPE
    if stripes < 2 * top:
        return -np.inf
    peaks = scores[: stripes * _STRIPE].reshape(_STRIPE, stripes).max(axis=0)
    return float(np.partition(peaks, stripes - top)[stripes - top])
