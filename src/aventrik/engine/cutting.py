"""Figures of a chunking: how many chunks, how long, and what was cut apart."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from ..core.chunking.lookup import held_whole
from ..core.questions import Question
from ..core.text import sentences
from ..workspace.configuration import Configuration
from .resources import Resources

_BINS = 20
_SAMPLES = 5


def figures(resources: Resources, configuration: Configuration, questions: Sequence[Question]) -> dict[str, Any]:
    """What `aventrik cut` shows of one configuration; lengths are in characters, shares from 0 to 1."""
    table = resources.chunks(configuration)
    cutting = configuration.chunking
    lengths = np.add.reduceat(table.ends - table.starts, table.first[:-1]) if len(table) else np.zeros(0, int)
    needs = [[quoted.span for quoted in need.spans] for question in questions for need in question.needs]
    apart = sum(not held_whole(table, need, resources.workspace.settings.cover) for need in needs)
    longest = int(lengths.max(initial=0))
    step = max(1, len(table) // _SAMPLES)
    return {
        "name": configuration.name,
        "chunking": f"{cutting.method} {cutting.size} {cutting.unit}, overlap {cutting.overlap}",
        "chunks": len(table),
        "shortest": int(lengths.min()) if len(lengths) else 0,
        "median": int(np.median(lengths)) if len(lengths) else 0,
        "longest": longest,
        "histogram": np.histogram(lengths, bins=_BINS, range=(0, max(1, longest)))[0].tolist(),
        "mid_sentence": _mid_sentence(resources, configuration),
        "repeated": _repeated(resources, configuration),
        "needs": len(needs),
        "needs_cut_apart": apart,
        "samples": [_sample(resources, configuration, number) for number in range(step // 2, len(table), step)][
            :_SAMPLES
        ],
    }


def _mid_sentence(resources: Resources, configuration: Configuration) -> float:
    """Share of chunks that end inside a sentence."""
    table = resources.chunks(configuration)
    inside = 0
    ends: set[int] = set()
    current = ""
    for number in range(len(table)):
        name = table.name(number)
        if name != current:
            current = name
            ends = {end for _, end in sentences(resources.workspace.corpus.document(name).text)}
        inside += table.ranges(number)[-1][1] not in ends
    return inside / len(table) if len(table) else 0.0


def _repeated(resources: Resources, configuration: Configuration) -> float:
    """Characters that stand in a chunk and in the one before it too ÷ characters of all chunks."""
    table = resources.chunks(configuration)
    if len(table) < 2:
        return 0.0
    starts, ends = np.asarray(table.starts[table.first[:-1]]), np.asarray(table.ends[table.first[1:] - 1])
    same = np.asarray(table.doc[1:] == table.doc[:-1])
    again = np.clip(ends[:-1] - starts[1:], 0, None)[same].sum()
    return float(again / max(1, (table.ends - table.starts).sum()))


def _sample(resources: Resources, configuration: Configuration, number: int) -> dict[str, Any]:
    table = resources.chunks(configuration)
    after = number + 1
    follows = after < len(table) and table.doc[after] == table.doc[number]
    return {
        "chunk": number,
        "doc": table.name(number),
        "headings": resources.source(table, number),
        "text": resources.text(table, number),
        "next": resources.text(table, after) if follows else "(end of the document)",
    }
