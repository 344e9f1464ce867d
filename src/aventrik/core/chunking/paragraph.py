"""Chunks of whole paragraphs; one too long is cut between sentences, and a sentence between words."""

from __future__ import annotations

from ..documents.spans import Range
from .packing import pack
from .table import Chunk
from .units import CutSource


def cut(source: CutSource) -> list[Chunk]:
    """As many paragraphs as fit. A heading stays with what follows it; overlap is in whole sentences."""
    return [(found,) for found in packed(source, 0, len(source.text))]


def packed(source: CutSource, start: int, end: int) -> list[Range]:
    """The chunks of a part of a document."""
    units, stops = source.paragraphs(start, end)
    cutting = source.cutting
    return pack(
        units, source.ruler, cutting.size, cutting.overlap, stops, source.sentence_starts, source.words_and_rows
    )
