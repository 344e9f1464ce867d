"""Chunks of one size, cut between words wherever that falls."""

from __future__ import annotations

from . import Chunk
from .packing import pack
from .units import Source


def cut(source: Source) -> list[Chunk]:
    """As many whole words as fit, a table row that fits taken whole."""
    units = []
    left = 0
    for row in source.rows:
        if row[0] >= left and source.fits(*row):
            units.extend(source.words(left, row[0]))
            units.append(row)
            left = row[1]
    units.extend(source.words(left, len(source.text)))
    return [(found,) for found in pack(units, source.ruler, source.cutting.size, source.cutting.overlap)]
