"""Orders candidates by the likeness of their text to the question, by an embedding model other than the search's."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from . import Item, Refined, StepMeans


def apply(
    questions: Sequence[str], items: Sequence[Sequence[Item]], means: StepMeans, keep: int, least: float
) -> list[Refined]:
    """The first `keep` candidates of each question by the cosine of question and text, those below `least` and those
    behind dropped; equal ones keep their order."""
    assert means.vectors is not None
    rows = [row[:keep] for row in items]
    texts = list(dict.fromkeys(item.text for row in rows for item in row))
    if not texts:
        return [[] for _ in items]
    place = {text: number for number, text in enumerate(texts)}
    passages = means.vectors(texts, "passage")
    asked = means.vectors(list(questions), "query")
    ranked: list[Refined] = []
    for vector, row in zip(asked, rows):
        near = passages[[place[item.text] for item in row]] @ vector if row else np.zeros(0)
        scored = [replace(item, score=round(float(cosine), 6)) for item, cosine in zip(row, near)]
        scored.sort(key=lambda item: -item.score)
        ranked.append([item for item in scored if item.score >= least])
    return ranked
