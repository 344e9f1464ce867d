"""Where the facts of a question stand, as measures see it: places in documents, and their ink."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ..chunking import ChunkTable, chunks_of
from ..documents.spans import Range, common, merge
from ..testsets import Question, Quoted
from ..text.rulers import word_edges


@dataclass(frozen=True)
class EvidencePlace:
    """One place where a fact stands. `ink` are the ranges of its characters that are no white space; without any (the
    place is lost) it can't be covered."""

    doc: str
    start: int
    end: int
    ink: tuple[Range, ...] = ()

    @cached_property
    def size(self) -> int:
        """How much ink it has, in characters."""
        return sum(end - start for start, end in self.ink)


Need = tuple[EvidencePlace, ...]  # alternatives: any one serves
Needs = tuple[Need, ...]
Ranges = dict[str, list[Range]]  # of each document sorted, disjoint ranges


def evidence_of(question: Question) -> Needs:
    """The needs of a question whose quotes stand at their present places, in their documents and in every exact copy of
    these: whoever finds the fact in a copy has found it."""
    return tuple(
        tuple(_evidence(each) for quoted in need.spans for each in (quoted, *quoted.in_copies))
        for need in question.needs
    )


def _evidence(quoted: Quoted) -> EvidencePlace:
    if not 0 <= quoted.start < quoted.end:
        return EvidencePlace(quoted.doc, quoted.start, quoted.end)
    if len(quoted.quote) != quoted.end - quoted.start:  # a place without words: all of it counts
        return EvidencePlace(quoted.doc, quoted.start, quoted.end, ((quoted.start, quoted.end),))
    starts, ends = word_edges(quoted.quote)
    ink = np.stack([starts, ends], axis=1) + quoted.start
    return EvidencePlace(quoted.doc, quoted.start, quoted.end, tuple((start, end) for start, end in ink.tolist()))


def cover(evidence: EvidencePlace, served: Sequence[Range]) -> float:
    """Ink of the evidence inside the union of the served ranges of its document ÷ its ink, 0 to 1."""
    size = evidence.size
    if not size or not served:
        return 0.0
    near = [found for found in served if found[0] < evidence.end and found[1] > evidence.start]
    if any(start <= evidence.start and evidence.end <= end for start, end in near):
        return 1.0
    union = merge(near)
    return sum(common(union, start, end) for start, end in evidence.ink) / size if union else 0.0


def best_cover(need: Need, served: Ranges) -> float:
    """The cover of a need: that of its best alternative, 0 to 1."""
    return max((cover(place, served.get(place.doc, ())) for place in need), default=0.0)


def held_whole(table: ChunkTable, need: Need, enough: float) -> bool:
    """Whether some single chunk covers some alternative to at least `enough` (0 to 1)."""
    for place in need:
        for number in chunks_of(table, place.doc):
            ranges = table.ranges(number)
            if ranges[-1][1] <= place.start or ranges[0][0] >= place.end:
                continue
            if cover(place, ranges) >= enough:
                return True
    return False
