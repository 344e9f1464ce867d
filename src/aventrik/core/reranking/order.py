"""Puts the first items into the order in which a model reads them."""

from __future__ import annotations

from collections.abc import Sequence

from . import Item, Refined, StepMeans


def apply(
    questions: Sequence[str], items: Sequence[Sequence[Item]], means: StepMeans, way: str, keep: int
) -> list[Refined]:
    """Orders the first `keep` items of each question, by their scores; those behind stay as they are.

    "best-first": greatest score first. "both-ends": the best first, the second last, the third second, and so on, so
    that the weakest stand in the middle. "document": by document, in the order in which its best item comes, and inside
    it by place.
    """
    return [[*_ordered(row[:keep], way), *row[keep:]] for row in items]


def _ordered(row: Sequence[Item], way: str) -> Refined:
    if way == "document":
        first = {item.doc: place for place, item in reversed(list(enumerate(row)))}
        return sorted(row, key=lambda item: (first[item.doc], item.ranges))
    best = sorted(row, key=lambda item: -item.score)
    return best if way == "best-first" else [*best[::2], *best[1::2][::-1]]
