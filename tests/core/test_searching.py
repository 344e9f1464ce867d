"""Keyword and vector search, and the two blended, against slow references written out here."""

from __future__ import annotations

import math
import random
from collections import Counter

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from aventrik.core.fusion import by_ranks, by_scores
from aventrik.core.indexing import best
from aventrik.core.indexing.keyword import KeywordIndex, build
from aventrik.core.indexing.vectors import search as nearest
from aventrik.core.searching import search
from aventrik.core.text import terms

VOCABULARY = "lock gate paddle boat bridge mooring keeper water level winter fee licence towpath angling club".split()


def some_texts(count: int, seed: int = 3) -> list[str]:
    draw = random.Random(seed)
    return [" ".join(draw.choices(VOCABULARY, k=draw.randint(3, 30))) for _ in range(count)]


def textbook_bm25(texts: list[str], query: str, k1: float = 1.2, b: float = 0.75) -> list[float]:
    """The formula written out: idf · tf · (k1 + 1) / (tf + k1 · (1 − b + b · length ÷ mean length))."""
    split = [terms(text) for text in texts]
    mean = sum(map(len, split)) / len(split)
    scores = []
    for words in split:
        counts = Counter(words)
        score = 0.0
        for term in terms(query):
            n = sum(term in other for other in split)
            idf = math.log(1 + (len(texts) - n + 0.5) / (n + 0.5))
            tf = counts[term]
            score += idf * tf * (k1 + 1) / (tf + k1 * (1 - b + b * len(words) / mean))
        scores.append(score)
    return scores


@pytest.mark.parametrize(("k1", "b"), [(1.2, 0.75), (0.5, 0.0), (2.0, 1.0)])
def test_keyword_scores_are_those_of_the_textbook_formula(k1: float, b: float) -> None:
    texts = some_texts(60)
    index = build(texts, k1, b)
    for query in ("lock gates", "the keeper", "boat boat mooring", "nothing known here"):
        wanted = textbook_bm25(texts, query, k1, b)
        assert index.scores(terms(query)) == pytest.approx(wanted, rel=1e-6, abs=1e-6)


def test_an_index_survives_storage() -> None:
    index = build(some_texts(30))
    again = KeywordIndex.from_arrays(index.arrays())
    assert again.search("lock water", 5) == index.search("lock water", 5)
    assert again.document_frequency("lock") == index.document_frequency("lock") > 0
    assert again.document_frequency("nowhere") == 0


def test_blocks_do_not_change_an_index() -> None:
    texts = some_texts(5000)
    index = build(texts)
    assert index.scores(terms("winter fee")) == pytest.approx(textbook_scores_fast(texts, "winter fee"), rel=1e-5)


def textbook_scores_fast(texts: list[str], query: str) -> list[float]:
    split = [Counter(terms(text)) for text in texts]
    lengths = [sum(counts.values()) for counts in split]
    mean = sum(lengths) / len(lengths)
    frequency = {term: sum(term in counts for counts in split) for term in terms(query)}
    idf = {term: math.log(1 + (len(texts) - n + 0.5) / (n + 0.5)) for term, n in frequency.items()}
    return [
        sum(idf[t] * c[t] * 2.2 / (c[t] + 1.2 * (0.25 + 0.75 * size / mean)) for t in terms(query))
        for c, size in zip(split, lengths, strict=True)
    ]


def test_an_empty_index_finds_nothing() -> None:
    assert build([]).search("lock", 5) == []
    assert build(["", ""]).search("lock", 5) == []


@given(st.lists(st.sampled_from([0.0, 0.5, 1.0, 2.0]), max_size=30), st.integers(1, 12))
def test_the_best_are_those_of_a_full_sort_with_ties_in_order(scores: list[float], top: int) -> None:
    wanted = sorted(range(len(scores)), key=lambda place: (-scores[place], place))[:top]
    assert [place for place, _ in best(np.array(scores), top)] == wanted


def test_exact_vector_search_agrees_with_sorting_all_cosines() -> None:
    draw = np.random.default_rng(5)
    vectors = draw.normal(size=(200, 16)).astype(np.float32)
    vectors /= np.linalg.norm(vectors, axis=1, keepdims=True)
    vectors[50] = vectors[10]
    queries = vectors[[10, 77]]
    for query, hits in zip(queries, nearest(vectors, queries, 10), strict=True):
        cosines = np.round(vectors.astype(np.float64) @ query.astype(np.float64), 6)
        assert [place for place, _ in hits] == sorted(range(200), key=lambda n: (-cosines[n], n))[:10]


def test_reciprocal_rank_fusion_by_hand() -> None:
    fused = by_ranks([[(7, 9.0), (3, 8.0)], [(3, 0.5), (9, 0.4)]])
    assert [place for place, _ in fused] == [3, 7, 9]
    assert [score for _, score in fused] == pytest.approx([1 / 62 + 1 / 61, 1 / 61, 1 / 62], abs=1e-9)


def test_scores_are_scaled_to_one_before_they_are_added() -> None:
    fused = dict(by_scores([[(1, 30.0), (2, 20.0), (3, 10.0)], [(3, 0.9), (4, 0.9)]]))
    assert fused == pytest.approx({1: 1.0, 2: 0.5, 3: 1.0, 4: 1.0})


def slow_top(scores: list[float], top: int) -> list[int]:
    return sorted((n for n, s in enumerate(scores) if s > 0), key=lambda n: (-round(scores[n], 5), n))[:top]


def test_top_ten_of_each_method_and_of_both_agree_with_a_slow_reference() -> None:
    texts = some_texts(80, seed=11)
    index = build(texts)
    rows = np.array([[text.split().count(word) for word in VOCABULARY] for text in texts], dtype=np.float32)
    vectors = rows / np.linalg.norm(rows, axis=1, keepdims=True)
    question = "keeper of the winter bridge"
    wanted = np.array([[float(word in question) for word in VOCABULARY]], dtype=np.float32)
    wanted /= np.linalg.norm(wanted)

    by_word = slow_top(textbook_bm25(texts, question), 10)
    cosines = [round(float(np.dot(vector.astype(float), wanted[0].astype(float))), 6) for vector in vectors]
    by_vector = sorted(range(len(texts)), key=lambda n: (-cosines[n], n))[:10]
    fused: dict[int, float] = {}
    for ranked in (by_word, by_vector):
        for rank, place in enumerate(ranked, start=1):
            fused[place] = fused.get(place, 0.0) + 1 / (60 + rank)
    both = sorted(fused, key=lambda place: (-round(fused[place], 9), place))[:10]

    for method, reference in (("keyword", by_word), ("vector", by_vector), ("both", both)):
        [found] = search([[question]], method, 10, "ranks", index, vectors, [wanted])
        assert {candidate.chunk for candidate in found} == set(reference), method
        assert [candidate.chunk for candidate in found] == reference, method
    [found] = search([[question]], "both", 10, "ranks", index, vectors, [wanted])
    ranks = {c.chunk: (c.keyword_rank, c.vector_rank) for c in found}
    place = both[0]
    assert ranks[place] == (
        by_word.index(place) + 1 if place in by_word else None,
        by_vector.index(place) + 1 if place in by_vector else None,
    )


def test_rewrites_bring_in_what_the_question_alone_misses() -> None:
    index = build(["a sluice is opened", "a gate is closed"])
    [alone] = search([["paddle"]], "keyword", 5, "ranks", index, None, None)
    [helped] = search([["paddle", "sluice"]], "keyword", 5, "ranks", index, None, None)
    assert alone == []
    assert [(c.chunk, c.keyword_rank) for c in helped] == [(0, None)]
