"""Chunks of one size, cut between words wherever that falls."""

from __future__ import annotations

from .packing import pack
from .table import Chunk
from .units import CutSource


def cut(source: CutSource) -> list[Chunk]:
    """As many whole words as fit, a table row that fits taken whole."""
    units = source.words_and_rows(0, len(source.text))
    return [(found,) for found in pack(units, source.ruler, source.cutting.size, source.cutting.overlap)]
