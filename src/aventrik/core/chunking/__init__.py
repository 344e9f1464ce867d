"""Documents to chunks. A method is one module and one line in `METHODS`."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable
from importlib import import_module

from ..documents import Document
from ..documents.spans import trimmed
from .table import Chunk, ChunkTable, Cutting, chunks_from, chunks_of, columns_of

__all__ = ["METHODS", "Chunk", "ChunkTable", "Cutting", "chunk", "chunks_from", "chunks_of", "columns_of"]

METHODS = ("fixed", "sentence", "paragraph", "heading", "page", "topic")


def chunk(document: Document, cutting: Cutting) -> list[Chunk]:
    """The chunks of one document, in order: each an ordered list of ranges of its canonical text.

    A chunk that begins inside a table has the range of the table's caption before its own; the header words stand in
    every row of canonical text already.
    """
    if cutting.size < 1 or not 0 <= cutting.overlap < cutting.size:
        raise ValueError("size must be at least 1 and overlap from 0 to size - 1")
    from .units import CutSource

    cut: Callable[[CutSource], list[Chunk]] = import_module(f"{__name__}.{cutting.method}").cut
    return _under_captions(document, cut(CutSource(document, cutting)))


def _under_captions(document: Document, chunks: list[Chunk]) -> list[Chunk]:
    captions: list[tuple[int, int, int]] = []  # first row's start, table's end, caption's start
    tables = document.of_kind("table")
    if not any(table.label for table in tables):
        return chunks
    firsts = {row.parent: row.start for row in reversed(document.of_kind("row"))}
    for place, part in enumerate(document.parts):
        if part.kind == "table" and part.label and firsts.get(place, part.start) > part.start:
            captions.append((firsts[place], part.end, part.start))
    captions.sort()
    begins = [first for first, _, _ in captions]
    found = []
    for ranges in chunks:
        start = ranges[0][0]
        place = bisect_right(begins, start) - 1
        if place >= 0 and start < captions[place][1]:
            first, _, caption = captions[place]
            left, right = trimmed(document.text, caption, first)
            ranges = ((left, right), *ranges)
        found.append(ranges)
    return found
