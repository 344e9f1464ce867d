"""Drops items that score too low."""

from __future__ import annotations

from collections.abc import Sequence

from . import Item, Refined, StepMeans
from .likeness import cosines_to


def apply(
    questions: Sequence[str], items: Sequence[Sequence[Item]], means: StepMeans, least: float, of: str, spare: int
) -> list[Refined]:
    """The items of at least `least`, in their order, but never fewer than `spare` of the first.

    `of` is "score", the score of the step before; "share", that score as a share of the list's best, whose least is 0
    where it is negative; or "likeness", the cosine of question and text, by the step's embedding model or else by their
    terms.
    """
    if of == "likeness":
        values = cosines_to(questions, items, means)
    else:
        values = [[item.score for item in row] for row in items]
    if of == "share":
        best = [max(row, default=0.0) for row in values]
        values = [[max(0.0, each) / top if top > 0 else 1.0 for each in row] for row, top in zip(values, best)]
    return [
        [item for place, (item, value) in enumerate(zip(row, found)) if value >= least or place < spare]
        for row, found in zip(items, values)
    ]
