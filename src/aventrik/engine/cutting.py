"""Figures of a chunking: how many chunks, how long, and what was cut apart."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from ..core.chunking import ChunkTable
from ..core.chunking.lookup import chunks_of
from ..core.documents.spans import merge
from ..core.measures.evidence import evidence_of, held_whole
from ..core.testsets import Question
from ..core.text import sentences
from ..workspace.configuration import Chunking
from .bench import Place
from .chunks import Chunks

_BINS = 20
_SAMPLES = 5


def figures(place: Place, questions: Sequence[Question]) -> dict[str, Any]:
    """What `aventrik cut` shows of one configuration; lengths are in characters, shares from 0 to 1."""
    chunks = Chunks(place)
    configuration = place.resolved.configuration
    table = chunks.table
    units = table if chunks.units is None else chunks.units.units
    lengths = lengths_of(table)
    needs = [need for question in questions for need in evidence_of(question)]
    cover = place.resolved.cover
    counted = _counted(place, table)
    written = place.open("written") if "written" in place.nodes else None
    step = max(1, len(table) // _SAMPLES)
    return {
        "name": configuration.name,
        "chunking": told(configuration.chunking),
        "chunks": len(table),
        **_spread(lengths),
        "served": len(units),
        "served_median": int(np.median(lengths_of(units))) if len(units) else 0,
        "index_texts": len(table) if written is None else len(written.owner),
        "index_texts_failed": 0 if written is None else written.failed,
        **counted,
        "needs": len(needs),
        "needs_cut_apart": sum(not held_whole(table, need, cover) for need in needs),
        "needs_served_apart": sum(not held_whole(units, need, cover) for need in needs),
        "ends": {
            name: _sample(chunks, int(place))
            for name, place in (("shortest", lengths.argmin()), ("longest", lengths.argmax()))
        }
        if len(lengths)
        else {},
        "samples": [_sample(chunks, number) for number in range(step // 2, len(table), step)][:_SAMPLES],
    }


def told(cutting: Chunking) -> str:
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


def _sample(chunks: Chunks, number: int) -> dict[str, Any]:
    table = chunks.table
    after = number + 1
    follows = after < len(table) and table.doc[after] == table.doc[number]
    text = chunks.text(number)
    again = 0
    if follows:
        again = max(0, table.ranges(number)[-1][1] - table.ranges(after)[-1][0])
    return {
        "chunk": number,
        "doc": table.name(number),
        "headings": chunks.source(number),
        "text": text,
        "next": chunks.text(after) if follows else "(end of the document)",
        "overlap": again,
    }
