"""Chunks of whole sentences, wherever paragraphs end."""

from __future__ import annotations

from .packing import pack
from .table import Chunk
from .units import CutSource


def cut(source: CutSource) -> list[Chunk]:
    """As many sentences as fit; one too long is cut between words. Overlap is in whole sentences."""
    units = source.fine(0, len(source.text))
    return [
        (found,)
        for found in pack(units, source.ruler, source.cutting.size, source.cutting.overlap, words=source.words_and_rows)
    ]
