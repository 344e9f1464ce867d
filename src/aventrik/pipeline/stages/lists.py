"""What stages ask of a chunk in a list: where it is, and what is served for it."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from ...core.chunking import Chunk, ChunkTable
from ...core.context.serving import ServedTable
from ...core.documents import Document
from ...core.documents.spans import Range, merge
from ...core.measures.evidence import Needs, best_cover
from ...core.reranking import Ranked
from ...core.searching import Candidates
from ..inputs import Documents


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


def pieces(ranked: Candidates | Ranked) -> list[tuple[int, float, Chunk]]:
    """(chunk, score, ranges) of a list, best first; the ranges are empty where no step has changed the item's text."""
    if isinstance(ranked, Ranked):
        return ranked.pieces
    return [(candidate.chunk, candidate.score, ()) for candidate in ranked.found]


def needs_met(
    table: ChunkTable, units: ServedTable | None, enough: float
) -> Callable[[Needs, Sequence[tuple[int, Chunk]]], list[bool]]:
    """Which needs a list of (chunk, ranges) meets, where an item without ranges serves what its chunk does."""
    ranges_of = served_ranges(table, units)

    def meets(needs: Needs, items: Sequence[tuple[int, Chunk]]) -> list[bool]:
        wanted = {alternative.doc for need in needs for alternative in need}
        served: dict[str, list[Range]] = {}
        for number, ranges in items:
            if (doc := table.name(number)) in wanted:
                served.setdefault(doc, []).extend(ranges or ranges_of(number))
        union = {doc: merge(ranges) for doc, ranges in served.items()}
        return [best_cover(need, union) >= enough for need in needs]

    return meets


def served_ranges(table: ChunkTable, units: ServedTable | None) -> Callable[[int], Chunk]:
    """What is served for a chunk: its own ranges, or those of its unit."""
    if units is None:
        return table.ranges
    return lambda number: units.units.ranges(int(units.unit[number]))
