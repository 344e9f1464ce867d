"""Chunks that end where neighbouring sentences drift apart.

After Hearst (1997), TextTiling: segmenting text into multi-paragraph subtopic passages. The likeness at a gap is the
cosine of the terms of the sentences before and behind it; a gap's depth is how far its likeness falls below the peaks
on both sides. A stretch that is larger than a chunk is cut at its deepest gap.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from ..documents.spans import Range
from ..text import content_terms
from .joining import joined
from .packing import LEFT_OVER
from .table import Chunk
from .units import CutSource

WINDOW = 4  # sentences on each side of a gap


def cut(source: CutSource) -> list[Chunk]:
    """Stretches of sentences on one topic, each at most as large as a chunk and, where it can be, a quarter of it.

    A stretch that would fit is cut all the same at a gap that is deeper than the mean by a standard deviation.
    """
    units = source.fine(0, len(source.text))
    if not units:
        return []
    depth = depths([source.text[start:end] for start, end in units])
    return [(found,) for found in joined(_cut_at_gaps(source, units, depth), source)]


def depths(texts: list[str]) -> npt.NDArray[np.float64]:
    """The depth of the gap behind each text but the last, shape (len(texts) − 1,), from 0 to 2."""
    from scipy.sparse import csr_matrix

    terms = [content_terms(text) for text in texts]
    places: dict[str, int] = {}
    columns = [places.setdefault(term, len(places)) for row in terms for term in row]
    first = np.cumsum([0, *map(len, terms)])
    counts = csr_matrix((np.ones(len(columns)), columns, first), shape=(len(texts), max(1, len(places))))
    gaps = len(texts) - 1
    before, behind = (_window(len(texts), -1) @ counts)[:gaps], (_window(len(texts), 1) @ counts)[1:]
    dots = np.asarray(before.multiply(behind).sum(axis=1)).ravel()
    lengths = np.sqrt(
        np.asarray(before.multiply(before).sum(axis=1)).ravel()
        * np.asarray(behind.multiply(behind).sum(axis=1)).ravel()
    )
    likeness = np.divide(dots, lengths, out=np.zeros(gaps), where=lengths > 0)
    return _peaks(likeness[::-1])[::-1] + _peaks(likeness) - 2 * likeness


def _window(count: int, side: int) -> Any:
    """A sparse matrix whose row i adds up text i and those up to WINDOW − 1 before it (side −1) or behind it (1)."""
    from scipy.sparse import diags

    offsets = range(min(WINDOW, count))
    return diags([np.ones(count - away) for away in offsets], [side * away for away in offsets]).tocsr()


def _peaks(values: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """For each value the one at the top of the slope that begins with it and goes on behind it."""
    tops = values.copy()
    for place in range(len(values) - 2, -1, -1):
        if values[place + 1] >= values[place]:
            tops[place] = tops[place + 1]
    return tops


class _Deepest:
    """Finds the first of the greatest values in any stretch at once, from those of all stretches of 1, 2, 4, … values."""

    def __init__(self, values: npt.NDArray[np.float64]) -> None:
        self._values = values
        self._rows = [np.arange(len(values))]
        while 2 ** len(self._rows) <= len(values):
            last, half = self._rows[-1], 2 ** (len(self._rows) - 1)
            left, right = last[:-half], last[half:]
            self._rows.append(np.where(values[right] > values[left], right, left))

    def among(self, first: int, last: int) -> int:
        """The place of it, of those from `first` to `last`."""
        row = self._rows[(last - first + 1).bit_length() - 1]
        left, right = row[first], row[last + 1 - 2 ** ((last - first + 1).bit_length() - 1)]
        return int(right if self._values[right] > self._values[left] else left)


def _cut_at_gaps(source: CutSource, units: list[Range], depth: npt.NDArray[np.float64]) -> list[Range]:
    size = source.cutting.size
    deep = float(depth.mean() + depth.std()) if len(depth) else 0.0
    before = source.ruler.at([start for start, _ in units])
    after = source.ruler.at([end for _, end in units])
    deepest = _Deepest(depth)
    found: list[Range] = []
    waiting = [(0, len(units) - 1)]
    while waiting:
        left, right = waiting.pop()
        fits = after[right] - before[left] <= size
        place = None
        if left < right:
            least = -(-size // LEFT_OVER)  # of what is left on either side of a gap
            first = max(left, int(np.searchsorted(after, before[left] + least, "left")))
            last = min(right - 1, int(np.searchsorted(before, after[right] - least, "right")) - 2)
            if first > last and not fits:
                first, last = left, right - 1
            if first <= last:
                best = deepest.among(first, last)
                if not fits or depth[best] > deep:
                    place = best
        if place is None:
            found.append((units[left][0], units[right][1]))
        else:
            waiting.extend([(place + 1, right), (left, place)])
    return found
