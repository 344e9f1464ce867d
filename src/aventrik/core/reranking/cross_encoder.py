"""Orders candidates by a reranking model that reads question and passage together."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from . import Item, Refined, StepMeans


def apply(questions: Sequence[str], items: Sequence[Sequence[Item]], means: StepMeans, keep: int) -> list[Refined]:
    """The first `keep` candidates of each question by the model's score; those behind it are dropped."""
    pairs = [(question, [item.text for item in row[:keep]]) for question, row in zip(questions, items)]
    assert means.reranker is not None
    scores = means.reranker.score(pairs)
    return [
        sorted(
            (replace(item, score=round(score, 6)) for item, score in zip(row[:keep], found)),
            key=lambda item: -item.score,
        )
        for row, found in zip(items, scores)
    ]
