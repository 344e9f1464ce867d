"""Documents to chunks. A method is one module and one line in `METHODS`."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Sequence
from importlib import import_module
from typing import TYPE_CHECKING

from ..documents import Document
from ..documents.spans import Range, trimmed
from .packing import LEFT_OVER, pack
from .table import Chunk, ChunkTable, Cutting, chunks_from, chunks_of, columns_of

if TYPE_CHECKING:
    from .units import CutSource

__all__ = ["METHODS", "Chunk", "ChunkTable", "Cutting", "chunk", "chunks_from", "chunks_of", "columns_of"]

METHODS = ("fixed", "sentence", "paragraph", "heading", "page", "topic")


def chunk(document: Document, cutting: Cutting) -> list[Chunk]:
    """The chunks of one document, in order: each an ordered list of ranges of its canonical text.

    A chunk that begins inside a table has the range of the table's caption before its own, which counts for its size: a long
    caption is cut to a quarter of that, and what then does not fit makes a chunk more. The header words stand in every row of
    canonical text already.
    """
    if cutting.size < 1 or not 0 <= cutting.overlap < cutting.size:
        raise ValueError("size must be at least 1 and overlap from 0 to size - 1")
    from .units import CutSource

    cut: Callable[[CutSource], list[Chunk]] = import_module(f"{__name__}.{cutting.method}").cut
    source = CutSource(document, cutting)
    return _under_captions(source, cut(source))


def _under_captions(source: CutSource, chunks: list[Chunk]) -> list[Chunk]:
    document = source.document
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
    found: list[Chunk] = []
    for ranges in chunks:
        start = ranges[0][0]
        place = bisect_right(begins, start) - 1
        if place >= 0 and start < captions[place][1]:
            first, _, caption = captions[place]
            left, right = trimmed(document.text, caption, first)
            for piece in _captioned(source, (left, right), ranges):
                found.extend(_behind(found, piece, document.text))
        else:
            found.extend(_behind(found, ranges, document.text))
    return found


def _behind(chunks: Sequence[Chunk], piece: Chunk, text: str) -> list[Chunk]:
    """What a chunk adds to those before it: where these overlap, what one was parted into may stand in another already."""
    start, end = piece[-1]
    if not chunks or start > chunks[-1][-1][0]:
        return [piece]
    last = chunks[-1][-1][1]
    if end <= last:
        return []
    return [(*piece[:-1], trimmed(text, last, end))]


def _captioned(source: CutSource, caption: Range, ranges: Chunk) -> list[Chunk]:
    """A chunk behind a caption: as many as it takes for none to be larger than a chunk may be."""
    size, measure = source.cutting.size, source.ruler.measure
    if measure(*caption) + sum(measure(*each) for each in ranges) <= size:
        return [(caption, *ranges)]
    if measure(*caption) > size // LEFT_OVER:
        kept = [end for _, end in source.words(*caption) if measure(caption[0], end) <= size // LEFT_OVER]
        if not kept:
            return [ranges]
        caption = (caption[0], kept[-1])
    room = size - measure(*caption)
    units = [unit for start, end in ranges for unit in source.fine(start, end)]
    # A row that fits into a chunk is never parted: one that leaves no room for the caption stands without it.
    return [(caption, each) if measure(*each) <= room else (each,) for each in pack(units, source.ruler, room)]
