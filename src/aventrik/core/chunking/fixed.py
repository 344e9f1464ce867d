"""Chunks of one size, cut between words wherever that falls."""

from __future__ import annotations

from . import Chunk
from .packing import pack
from .units import Source


def cut(source: Source) -> list[Chunk]:
    """As many whole words as fit, a table row that fits taken whole."""
    units = source.words_and_rows(0, len(source.text))
    return [(found,) for found in pack(units, source.ruler, source.cutting.size, source.cutting.overlap)]
