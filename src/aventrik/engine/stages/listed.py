"""What stages ask of a chunk in a list: where it is, and what is served for it."""

from __future__ import annotations

from collections.abc import Callable

from ...core.chunking import Chunk, ChunkTable
from ...core.context.serving import ServedTable
from ...core.documents import Document
from ...core.reranking import Ranked
from ...core.searching import Candidates
from ..given import Documents


def source(document: Document, ranges: Chunk) -> list[str]:
    """Where a chunk of a document is: the title, and the headings over its beginning."""
    path = list(document.heading_path(ranges[0][0]))
    return [document.title, *path] if document.title and document.title not in path else path


def named_source(documents: Documents, name: str, ranges: Chunk) -> list[str]:
    """Where a chunk is, as a reader is told: the title of its document, or else its name, and the headings over it."""
    document = documents[name]
    path = source(document, ranges)
    return path if document.title else [name, *path]


def scored(ranked: Candidates | Ranked) -> list[tuple[int, float]]:
    """(chunk, score) of a list, best first."""
    if isinstance(ranked, Ranked):
        return list(ranked.items)
    return [(candidate.chunk, candidate.score) for candidate in ranked.found]


def served_ranges(table: ChunkTable, units: ServedTable | None) -> Callable[[int], Chunk]:
    """What is served for a chunk: its own ranges, or those of its unit."""
    if units is None:
        return table.ranges
    return lambda number: units.units.ranges(int(units.unit[number]))
