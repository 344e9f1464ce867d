"""Joins small neighbouring ranges."""

from __future__ import annotations

from collections.abc import Sequence

from ..documents.spans import Range
from .packing import LEFT_OVER
from .units import CutSource


def joined(ranges: Sequence[Range], source: CutSource) -> list[Range]:
    """The ranges, those under a quarter of the size joined to the neighbour before them, or else the one behind
    them, where both fit into one chunk."""
    found: list[Range] = []
    for start, end in ranges:
        small = source.ruler.measure(start, end) * LEFT_OVER < source.cutting.size
        before = found[-1] if found else None
        was_small = before is not None and source.ruler.measure(*before) * LEFT_OVER < source.cutting.size
        if before is not None and (small or was_small) and before[0] < start and source.fits(before[0], end):
            found[-1] = (before[0], end)
        else:
            found.append((start, end))
    return found
