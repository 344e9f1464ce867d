"""The coordinate system: half-open ranges of code points in a document's canonical text."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

Range = tuple[int, int]


@dataclass(frozen=True, slots=True, order=True)
class Span:
    """A place in a document: code points `start` (inclusive) to `end` (exclusive)."""

    doc: str
    start: int
    end: int


def merge(ranges: Iterable[Range]) -> list[Range]:
    """The union of ranges as sorted, disjoint, non-touching ranges; empty ones vanish."""
    union: list[Range] = []
    for start, end in sorted(r for r in ranges if r[0] < r[1]):
        if union and start <= union[-1][1]:
            union[-1] = (union[-1][0], max(end, union[-1][1]))
        else:
            union.append((start, end))
    return union


def length(ranges: Iterable[Range]) -> int:
    """Code points in the union of the ranges."""
    return sum(end - start for start, end in merge(ranges))


def without(ranges: Iterable[Range], taken: Iterable[Range]) -> list[Range]:
    """What of the union of ranges lies outside the union of `taken`, as sorted, disjoint ranges."""
    away = merge(taken)
    left: list[Range] = []
    for start, end in merge(ranges):
        for from_, to in away:
            if to <= start or from_ >= end:
                continue
            if start < from_:
                left.append((start, from_))
            start = to
        if start < end:
            left.append((start, end))
    return left


def common(ranges: Iterable[Range], start: int, end: int) -> int:
    """Code points of [start, end) that lie inside the union of the ranges."""
    found = list(ranges)
    union = found if len(found) == 1 else merge(found)
    return sum(max(0, min(end, right) - max(start, left)) for left, right in union)


def trimmed(text: str, start: int, end: int) -> Range:
    """The range without the white space at its two ends."""
    piece = text[start:end]
    left = len(piece) - len(piece.lstrip())
    right = len(piece.rstrip())
    return (start + left, start + max(left, right))


def by_document(spans: Iterable[Span]) -> dict[str, list[Range]]:
    """Spans gathered a document, each document's as merged ranges."""
    found: dict[str, list[Range]] = {}
    for span in spans:
        found.setdefault(span.doc, []).append((span.start, span.end))
    return {doc: merge(ranges) for doc, ranges in found.items()}


def text_of(text: str, ranges: Sequence[Range], joint: str = "\n") -> str:
    """The text of a list of ranges, in their own order."""
    return joint.join(text[start:end] for start, end in ranges)
