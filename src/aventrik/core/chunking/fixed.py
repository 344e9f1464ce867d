"""Chunks of one size, cut between words wherever that falls."""

from __future__ import annotations

import unicodedata

from ..documents import Document
from ..spans import Range
from . import Chunk, Cutting
from .packing import pack, word_ranges


def cut(document: Document, cutting: Cutting) -> list[Chunk]:
    """As many whole words as fit; a word longer than the size is cut between characters."""
    units = word_ranges(document.text)
    if cutting.unit == "chars":
        units = [piece for word in units for piece in pieces(document.text, word, cutting.size)]
    return [(found,) for found in pack(document.text, units, cutting.size, cutting.overlap, cutting.unit)]


def pieces(text: str, word: Range, size: int) -> list[Range]:
    """A range in pieces of at most `size` characters, no combining mark parted from its letter."""
    start, end = word
    if end - start <= size:
        return [word]
    found: list[Range] = []
    while start < end:
        right = min(end, start + size)
        while right < end and right > start + 1 and unicodedata.combining(text[right]):
            right -= 1
        found.append((start, right))
        start = right
    return found
