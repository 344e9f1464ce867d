"""Queries to candidates: keyword search, vector search, and both blended."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from .fusion import blend
from .indexing import Hit, Narrowing
from .indexing.keyword import KeywordIndex

# (queries of shape (q, d), how many, which index texts may be found) → for each query the nearest index texts
Nearest = Callable[[npt.NDArray[np.float32], int, "npt.NDArray[np.bool_] | None"], list[list[Hit]]]


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


@dataclass(frozen=True)
class Searching:
    """How to search. `weight` (0 to 1) is the share of the vector lists in a blend, the keyword lists have the rest;
    candidates with a final score below `least` fall away."""

    method: str = "both"
    top: int = 40
    blend: str = "ranks"
    scaling: str = "min-max"
    weight: float = 0.5
    least: float | None = None


@dataclass(frozen=True)
class Indexes:
    """What is searched: each part may be absent when the method does not use it."""

    keyword: KeywordIndex | None = None
    nearest: Nearest | None = None
    narrowing: Narrowing = field(default_factory=Narrowing)


def search(
    queries: Sequence[Sequence[str]],
    how: Searching,
    indexes: Indexes,
    query_vectors: Sequence[npt.NDArray[np.float32]] | None = None,
) -> list[list[Candidate]]:
    """The `top` candidates of each question.

    `queries[i]` are the queries of question i, the first as asked, the others its rewrites;
    `query_vectors[i]` has a row for each of them. Lists of all queries and methods are blended.
    """
    by_word: list[list[list[Hit]]] = [[] for _ in queries]
    by_vector: list[list[list[Hit]]] = [[] for _ in queries]
    if how.method in ("keyword", "both") and indexes.keyword is not None:
        by_word = [[indexes.keyword.search(text, how.top, indexes.narrowing) for text in texts] for texts in queries]
    if how.method in ("vector", "both") and indexes.nearest is not None and query_vectors:
        hits = iter(_near(np.concatenate(query_vectors), how.top, indexes.nearest, indexes.narrowing))
        by_vector = [[next(hits) for _ in texts] for texts in queries]
    found = []
    for words, near in zip(by_word, by_vector):
        weights = [2 * (1 - how.weight)] * len(words) + [2 * how.weight] * len(near) if words and near else []
        joined = blend([*words, *near], how.blend, weights, how.scaling)[: how.top]
        if how.least is not None:
            joined = [hit for hit in joined if hit[1] >= how.least]
        found.append(_candidates(joined, words[:1], near[:1]))
    return found


def _near(queries: npt.NDArray[np.float32], top: int, nearest: Nearest, narrowing: Narrowing) -> list[list[Hit]]:
    """Nearest chunks; where a chunk has several index texts, as many texts more are asked for as that takes."""
    allowed = narrowing.texts_allowed
    wanted = top
    while True:
        found = nearest(queries, wanted, allowed)
        chunks = [narrowing.hits(row, top) for row in found]
        short = any(len(row) < top and len(texts) == wanted for row, texts in zip(chunks, found))
        if not short or wanted >= top * narrowing.most_texts:
            return chunks
        wanted = min(wanted * 4, top * narrowing.most_texts)


def _candidates(joined: list[Hit], keyword: list[list[Hit]], vector: list[list[Hit]]) -> list[Candidate]:
    ranks = [
        {place: (rank, score) for rank, (place, score) in enumerate(lists[0], 1)} if lists else {}
        for lists in (keyword, vector)
    ]
    return [
        Candidate(place, round(score, 6), *(ranks[0].get(place, (None, None))), *(ranks[1].get(place, (None, None))))
        for place, score in joined
    ]
