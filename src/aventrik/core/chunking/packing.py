"""Puts neighbouring units (words, sentences) together into chunks of a size."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Sequence

import numpy as np

from ..spans import Range
from ..text import count_tokens

_SPACES = np.array(
    [*range(9, 14), *range(28, 33), 0x85, 0xA0, 0x1680, *range(0x2000, 0x200B), 0x2028, 0x2029, 0x202F, 0x205F, 0x3000],
    dtype=np.uint32,
)
_SPACE_TABLE = np.zeros(0x3001, dtype=bool)
_SPACE_TABLE[_SPACES] = True


def word_ranges(text: str, start: int = 0, end: int | None = None) -> list[Range]:
    """Runs of characters other than white space (as `str.isspace` has it) in text[start:end]."""
    points = np.frombuffer(text[start:end].encode("utf-32-le", "surrogatepass"), dtype=np.uint32)
    if not len(points):
        return []
    inside = np.concatenate(([False], ~_SPACE_TABLE[np.minimum(points, 0x3000)] | (points > 0x3000), [False]))
    edges = np.flatnonzero(inside[1:] != inside[:-1]) + start
    return list(zip(edges[::2].tolist(), edges[1::2].tolist()))


def measure(text: str, start: int, end: int, unit: str) -> int:
    """The size of text[start:end] in a unit."""
    if unit == "chars":
        return end - start
    if unit == "words":
        return len(text[start:end].split())
    return count_tokens(text[start:end])


def pack(
    text: str, units: Sequence[Range], size: int, overlap: int, unit: str, stops: Sequence[bool] | None = None
) -> list[Range]:
    """Ranges of at most `size`, each from the start of a unit to the end of one.

    A unit larger than `size` makes a range by itself. `stops` marks the units after which a cut is best: the
    last of them that still fits wins over the last unit that fits. A range begins at the earliest unit that
    repeats at most `overlap` of the one before it, and always later than that one began.
    """
    if unit == "chars":
        before = [start for start, _ in units]
        after = [end for _, end in units]
    else:
        after = np.cumsum([measure(text, start, end, unit) for start, end in units]).tolist()
        before = [0, *after[:-1]]
    best = [place for place, stop in enumerate(stops or ()) if stop]
    packed: list[Range] = []
    first = 0
    covered = -1
    while covered < len(units) - 1:
        last = max(covered + 1, bisect_right(after, before[first] + size) - 1)
        if best and last < len(units) - 1:
            place = bisect_right(best, last) - 1
            if place >= 0 and best[place] > covered:
                last = best[place]
        packed.append((units[first][0], units[last][1]))
        covered = last
        first = min(max(first + 1, bisect_left(before, after[last] - overlap)), last + 1)
    return packed
