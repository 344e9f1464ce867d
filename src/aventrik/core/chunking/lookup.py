"""Finds the chunks that hold a span."""

from __future__ import annotations

import numpy as np

from . import ChunkTable


def chunks_of(table: ChunkTable, doc: str) -> range:
    """The chunk numbers of a document; empty for one that the table does not have."""
    place = table.places.get(doc)
    if place is None:
        return range(0)
    left, right = np.searchsorted(table.doc, [place, place + 1])
    return range(int(left), int(right))
