"""What is handed on when a chunk matches: the chunk, or a larger stretch of its document. Search small, read large."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from ..chunking import Chunk, ChunkTable, Cutting, chunk, columns_of
from ..documents import Document
from ..documents.spans import Range, common, merge, trimmed, without

WAYS = ("chunk", "neighbours", "section", "page", "document", "larger")


@dataclass(frozen=True)
class Serving:
    """How to serve: `around` chunks on each side for "neighbours", chunks of `larger` for "larger"."""

    way: str = "chunk"
    around: int = 1
    larger: Cutting | None = None


@dataclass(frozen=True)
class HandedOn:
    """One item of the list that is measured and shown: what of a chunk's served unit was not handed on before it, and
    its tokens."""

    chunk: int
    doc: str
    ranges: Chunk
    tokens: int


@dataclass(frozen=True)
class ServedList:
    """The items of a question, in order."""

    items: tuple[HandedOn, ...] = ()


@dataclass(frozen=True)
class ServedTable:
    """The units that are served, and for each chunk the one that is served for it: `unit[i]`, shape (chunks,)."""

    units: ChunkTable
    unit: npt.NDArray[np.int32]

    @classmethod
    def of_columns(
        cls, docs: Sequence[str], columns: dict[str, npt.NDArray], ends: dict[str, npt.NDArray[np.int64]]
    ) -> ServedTable:
        """The table from what `served` gives for each document, as columns laid end to end (see `ChunkTable`): those of
        its units, and `unit` (int32), for each of its chunks the place of its unit among them."""
        units = ChunkTable.of_columns(docs, columns, ends)
        before = np.repeat(ends["sizes"][:-1], np.diff(ends["unit"]))
        return cls(units, (columns["unit"] + before).astype(np.int32))


def served(document: Document, chunks: Sequence[Chunk], serving: Serving) -> tuple[list[Chunk], list[int]]:
    """The units of one document in order, each an ordered list of ranges, and for each chunk the place of its unit.

    "section" is the stretch from a heading to the next of any level, "page" the pages that a chunk touches; a
    document without headings or pages is served whole.
    """
    if serving.way == "chunk":
        return list(chunks), list(range(len(chunks)))
    if serving.way == "larger":
        if serving.larger is None:
            raise ValueError("serving 'larger' needs a cutting")
        return _larger(document, chunks, serving.larger)
    wide = [_wide(document, chunks, place, serving) for place in range(len(chunks))]
    units = sorted(set(wide))
    places = {unit: place for place, unit in enumerate(units)}
    return units, [places[unit] for unit in wide]


def _wide(document: Document, chunks: Sequence[Chunk], place: int, serving: Serving) -> Chunk:
    ranges = chunks[place]
    start, end = ranges[-1][0], ranges[-1][1]  # what stands before is a table's caption
    if serving.way == "neighbours":
        near = chunks[max(0, place - serving.around) : place + serving.around + 1]
        return tidy(document.text, [found for each in near for found in each])
    if serving.way == "section":
        found = (document.section(start)[0], document.section(end - 1)[1])
    elif serving.way == "page":
        pages = [page for page in document.of_kind("page") if page.start < end and page.end > start]
        found = (pages[0].start, pages[-1].end) if pages else (0, len(document.text))
    else:
        found = (0, len(document.text))
    return tidy(document.text, [found, *ranges])


def tidy(text: str, ranges: Sequence[Range]) -> Chunk:
    """Ranges in order, those joined that only white space parts, trimmed at the ends."""
    joined: list[Range] = []
    for start, end in merge(ranges):
        if joined and not text[joined[-1][1] : start].strip():
            joined[-1] = (joined[-1][0], end)
        else:
            joined.append((start, end))
    trim = [trimmed(text, *found) for found in joined]
    return tuple(found for found in trim if found[0] < found[1])


def _larger(document: Document, chunks: Sequence[Chunk], cutting: Cutting) -> tuple[list[Chunk], list[int]]:
    units = chunk(document, cutting)
    places: list[int] = []
    first = 0
    for ranges in chunks:
        start, end = ranges[-1]
        while first < len(units) - 1 and units[first][-1][1] <= start:
            first += 1
        near = [place for place in range(first, min(len(units), first + 3)) if units[place][-1][0] < end]
        places.append(max(near, key=lambda place: (common(units[place], start, end), -place), default=first))
    return units, places


def served_columns(units: Sequence[Chunk], places: Sequence[int]) -> dict[str, npt.NDArray]:
    """What `served` gives for a document, as columns."""
    return {**columns_of(units), "unit": np.array(places, dtype=np.int32)}


def handed_on(text: str, ranges: Chunk, before: Sequence[Range]) -> Chunk:
    """What of a unit is handed on when the ranges of `before`, of the same document, were already; empty when all was.

    Left-overs of white space alone are nothing.
    """
    if not before:
        return ranges
    return tidy(text, [found for found in without(ranges, before) if text[found[0] : found[1]].strip()])
