"""Chunks of whole paragraphs; one too long is cut between sentences, and a sentence between words."""

from __future__ import annotations

from ..documents import Document
from ..spans import Range
from ..text import sentences
from . import Chunk, Cutting
from .fixed import pieces
from .packing import measure, pack, word_ranges


def cut(document: Document, cutting: Cutting) -> list[Chunk]:
    """As many paragraphs as fit. A heading stays with what follows it; overlap is in whole sentences."""
    text = document.text
    headings = {heading.end for heading in document.headings}
    units: list[Range] = []
    stops: list[bool] = []
    for start, end in sentences(text):
        fits = measure(text, start, end, cutting.unit) <= cutting.size
        units.extend([(start, end)] if fits else _words(text, (start, end), cutting))
        stops.extend([False] * (len(units) - len(stops)))
        stops[-1] = text.startswith("\n\n", end) and end not in headings
    return [(found,) for found in pack(text, units, cutting.size, cutting.overlap, cutting.unit, stops)]


def _words(text: str, sentence: Range, cutting: Cutting) -> list[Range]:
    found = word_ranges(text, *sentence)
    if cutting.unit != "chars":
        return found
    return [piece for word in found for piece in pieces(text, word, cutting.size)]
