"""Queries to candidates: keyword search, vector search, and both blended."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from .fusion import blend
from .indexing import Hit
from .indexing.keyword import KeywordIndex
from .indexing.vectors import search as nearest

METHODS = ("keyword", "vector", "both")


@dataclass(frozen=True, slots=True)
class Candidate:
    """A chunk that search returned; ranks count from 1, and None means that method did not return it.

    Ranks and scores of the two methods are those of the query as it was asked, not of its rewrites.
    """

    chunk: int
    score: float
    keyword_rank: int | None = None
    keyword_score: float | None = None
    vector_rank: int | None = None
    vector_score: float | None = None


def search(
    queries: Sequence[Sequence[str]],
    method: str,
    top: int,
    how: str,
    keyword: KeywordIndex | None,
    vectors: npt.NDArray[np.float32] | None,
    query_vectors: Sequence[npt.NDArray[np.float32]] | None,
) -> list[list[Candidate]]:
    """The `top` candidates of each question.

    `queries[i]` are the queries of question i, the first as asked, the others its rewrites;
    `query_vectors[i]` has a row for each of them. Lists of all queries and methods are blended `how`.
    """
    by_word: list[list[list[Hit]]] = [[] for _ in queries]
    by_vector: list[list[list[Hit]]] = [[] for _ in queries]
    if method in ("keyword", "both") and keyword is not None:
        by_word = [[keyword.search(text, top) for text in texts] for texts in queries]
    if method in ("vector", "both") and vectors is not None and query_vectors:
        hits = iter(nearest(vectors, np.concatenate(query_vectors), top))
        by_vector = [[next(hits) for _ in texts] for texts in queries]
    return [
        _candidates(blend([*words, *near], how)[:top], words[:1], near[:1]) for words, near in zip(by_word, by_vector)
    ]


def _candidates(joined: list[Hit], keyword: list[list[Hit]], vector: list[list[Hit]]) -> list[Candidate]:
    ranks = [
        {place: (rank, score) for rank, (place, score) in enumerate(lists[0], 1)} if lists else {}
        for lists in (keyword, vector)
    ]
    return [
        Candidate(place, round(score, 6), *(ranks[0].get(place, (None, None))), *(ranks[1].get(place, (None, None))))
        for place, score in joined
    ]
