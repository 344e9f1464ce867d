"""Figures of a chunking: how many chunks, how long, and what was cut apart."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from ..core.chunking import ChunkTable, chunks_of
from ..core.documents.spans import merge
from ..core.measures.evidence import evidence_of, held_whole
from ..core.testsets import Question
from ..core.text import sentences
from ..execution.chunk_texts import ChunkTexts
from ..execution.open_workspace import OpenWorkspace
from ..execution.place import Place
from ..workspace.configuration import Configuration
from ..workspace.stage_settings import Chunking

_BINS = 20
_SAMPLES = 5


@dataclass(frozen=True)
class ChunkSample:
    """A chunk to look at: its number, document, headings and text, how the next one begins, and how many of its characters
    stand in that one too."""

    chunk: int
    doc: str
    headings: list[str]
    text: str
    next: str
    overlap: int


@dataclass(frozen=True)
class ChunkFigures:
    """What one way of chunking does to the corpus. Lengths are in characters, shares from 0 to 1. `histogram`: how many
    chunks there are in each of 20 equal bins from 0 to the longest; `served`: units that are handed on; `mid_sentence`:
    share of chunks that end inside a sentence; `repeated`: characters that stand in more than one chunk, counted each time
    but the first, ÷ characters of all chunks; `needs_cut_apart`: needs that no single chunk holds whole, and
    `needs_served_apart` the same of units."""

    name: str
    chunking: str
    chunks: int
    shortest: int
    median: int
    longest: int
    histogram: list[int]
    served: int
    served_median: int
    index_texts: int
    index_texts_failed: int
    mid_sentence: float
    repeated: float
    tables: int
    tables_cut_apart: int
    needs: int
    needs_cut_apart: int
    needs_served_apart: int
    ends: dict[str, ChunkSample]
    samples: list[ChunkSample]

    def as_json(self) -> dict[str, Any]:
        """The documented shape of a line of `cut --json`."""
        return asdict(self)


def chunked(
    opened: OpenWorkspace, configurations: Sequence[Configuration], questions: Sequence[Question]
) -> list[ChunkFigures]:
    """The figures of each different chunking of some configurations."""
    different: dict[str, Place] = {}
    for configuration in configurations:
        place = opened.place(configuration)
        kept = [name for name in ("chunks", "units", "written") if name in place.nodes]
        different.setdefault(" ".join(place.keys.corpus(name) for name in kept), place)
    return [figures(place, questions) for place in different.values()]


def figures(place: Place, questions: Sequence[Question]) -> ChunkFigures:
    """What the chunking of one configuration comes to."""
    chunks = ChunkTexts(place)
    configuration = place.resolved.configuration
    table = chunks.table
    units = table if chunks.units is None else chunks.units.units
    lengths = lengths_of(table)
    needs = [need for question in questions for need in evidence_of(question)]
    cover = place.resolved.cover
    counted = _counted(place, table)
    written = place.open("written") if "written" in place.nodes else None
    step = max(1, len(table) // _SAMPLES)
    return ChunkFigures(
        name=configuration.name,
        chunking=chunking_words(configuration.chunking),
        chunks=len(table),
        **_spread(lengths),
        served=len(units),
        served_median=int(np.median(lengths_of(units))) if len(units) else 0,
        index_texts=len(table) if written is None else len(written.owner),
        index_texts_failed=0 if written is None else written.failed,
        **counted,
        needs=len(needs),
        needs_cut_apart=sum(not held_whole(table, need, cover) for need in needs),
        needs_served_apart=sum(not held_whole(units, need, cover) for need in needs),
        ends={
            name: _sample(chunks, int(place))
            for name, place in (("shortest", lengths.argmin()), ("longest", lengths.argmax()))
        }
        if len(lengths)
        else {},
        samples=[_sample(chunks, number) for number in range(step // 2, len(table), step)][:_SAMPLES],
    )


def chunking_words(cutting: Chunking) -> str:
    """A chunking in a few words."""
    unit = {"chars": "", "words": " words", "tokens": " tokens"}[cutting.unit]
    if cutting.unit == "tokens" and cutting.tokenizer != "estimate":
        unit += f" of {cutting.tokenizer.rsplit('/', 1)[-1]}"
    words = f"{cutting.method} {cutting.size}{unit}, overlap {cutting.cutting.overlap}"
    around = f" {cutting.around}" if cutting.serve == "neighbours" else ""
    larger = f" ({wide.method} {wide.size})" if (wide := cutting.serving.larger) else ""
    return words if cutting.serve == "chunk" else f"{words}; serves {cutting.serve}{around}{larger}"


def lengths_of(table: ChunkTable) -> npt.NDArray[np.int64]:
    """Characters of each chunk."""
    return np.add.reduceat(table.ends - table.starts, table.first[:-1]) if len(table) else np.zeros(0, np.int64)


def _spread(lengths: npt.NDArray[np.int64]) -> dict[str, Any]:
    longest = int(lengths.max(initial=0))
    return {
        "shortest": int(lengths.min()) if len(lengths) else 0,
        "median": int(np.median(lengths)) if len(lengths) else 0,
        "longest": longest,
        "histogram": np.histogram(lengths, bins=_BINS, range=(0, max(1, longest)))[0].tolist(),
    }


def _counted(where: Place, table: ChunkTable) -> dict[str, Any]:
    """`mid_sentence`: share of chunks that end inside a sentence; `repeated`: characters that stand in more than one
    chunk, counted each time but the first, ÷ characters of all chunks; `tables` and those whose rows are not all in
    one chunk."""
    inside = tables = apart = union = 0
    for place, name in enumerate(table.docs):
        document = where.document(name)
        numbers = chunks_of(table, name)
        ends = {end for _, end in sentences(document.text)} | {row.end for row in document.of_kind("row")}
        inside += sum(table.ranges(number)[-1][1] not in ends for number in numbers)
        left, right = int(table.first[numbers.start]), int(table.first[numbers.stop])
        ranges = list(zip(table.starts[left:right].tolist(), table.ends[left:right].tolist()))
        union += sum(end - start for start, end in merge(ranges))
        for part in document.of_kind("table"):
            rows = [row for row in document.of_kind("row") if part.start <= row.start < part.end]
            if len(rows) > 1:
                tables += 1
                apart += not any(
                    chunk[-1][0] <= rows[0].start and rows[-1].end <= chunk[-1][1]
                    for chunk in map(table.ranges, numbers)
                )
        where.bench.progress("counting", place, len(table.docs))
    total = int((table.ends - table.starts).sum())
    return {
        "mid_sentence": inside / len(table) if len(table) else 0.0,
        "repeated": (total - union) / total if total else 0.0,
        "tables": tables,
        "tables_cut_apart": apart,
    }


def _sample(chunks: ChunkTexts, number: int) -> ChunkSample:
    table = chunks.table
    after = number + 1
    follows = after < len(table) and table.doc[after] == table.doc[number]
    text = chunks.text(number)
    again = 0
    if follows:
        again = max(0, table.ranges(number)[-1][1] - table.ranges(after)[-1][0])
    return ChunkSample(
        number, table.name(number), chunks.source(number), text,
        chunks.text(after) if follows else "(end of the document)", again,
    )  # fmt: skip
