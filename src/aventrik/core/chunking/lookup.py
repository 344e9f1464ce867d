"""Finds the chunks that hold a span."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..spans import Span, common
from . import ChunkTable


def chunks_of(table: ChunkTable, doc: str) -> range:
    """The chunk numbers of a document; empty for one that the table does not have."""
    place = table.places.get(doc)
    if place is None:
        return range(0)
    left, right = np.searchsorted(table.doc, [place, place + 1])
    return range(int(left), int(right))


def held_whole(table: ChunkTable, alternatives: Sequence[Span], enough: float) -> bool:
    """Whether some single chunk covers some alternative to at least `enough` (0 to 1)."""
    for span in alternatives:
        if span.end <= span.start:
            continue
        for number in chunks_of(table, span.doc):
            ranges = table.ranges(number)
            if ranges[-1][1] <= span.start or ranges[0][0] >= span.end:
                continue
            if common(ranges, span.start, span.end) >= enough * (span.end - span.start):
                return True
    return False
