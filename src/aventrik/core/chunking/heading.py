"""Chunks that are sections; one too long is split by its next lower headings, at last between paragraphs."""

from __future__ import annotations

import itertools

from ..documents import Part
from ..documents.spans import Range
from .joining import joined
from .paragraph import packed
from .table import Chunk
from .units import CutSource


def cut(source: CutSource) -> list[Chunk]:
    """Sections as large as fit into a chunk, small ones that stand side by side joined."""
    headings = [part for part in source.document.headings if part.start < part.end]
    return [(found,) for found in _split(source, 0, len(source.text), headings)]


def _split(source: CutSource, start: int, end: int, headings: list[Part]) -> list[Range]:
    """The chunks of a section; `headings` are those in it, in order."""
    left, right = source.trimmed(start, end)
    if left == right:
        return []
    if source.fits(left, right):
        return [(left, right)]
    below = [heading for heading in headings if heading.start > left]
    if not below:
        return packed(source, left, right)
    highest = min(heading.level for heading in below)
    edges = [left, *(heading.start for heading in below if heading.level == highest), right]
    found: list[Range] = []
    for a, b in itertools.pairwise(edges):
        found.extend(_split(source, a, b, [h for h in below if a <= h.start < b]))
    return joined(found, source)
