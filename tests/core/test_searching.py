"""Keyword and vector search, and the two blended, against slow references written out here."""

from __future__ import annotations

import itertools
import math
import random
from collections import Counter
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from aventrik.core.chunking import ChunkTable
from aventrik.core.indexing import Narrowing, approximate, best
from aventrik.core.indexing.keyword import KeywordIndex, Scoring, build, merge
from aventrik.core.indexing.terms import count
from aventrik.core.indexing.vectors import search as nearest
from aventrik.core.protocols import Hit
from aventrik.core.searching import Candidate, QueryVectors, Searching, depth, fuse
from aventrik.core.searching.fusion import blend, by_ranks, by_scores
from aventrik.core.searching.in_memory import InMemory
from aventrik.core.text import terms
from aventrik.core.text.counting import Vocabulary, count_terms, hash_of

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
    index = build(texts, Scoring(k1=k1, b=b))
    for query in ("lock gates", "the keeper", "boat boat mooring", "nothing known here"):
        wanted = textbook_bm25(texts, query, k1, b)
        assert index.scores(Counter(terms(query))) == pytest.approx(wanted, rel=1e-6, abs=1e-6)


def test_an_index_survives_storage() -> None:
    index = build(some_texts(30))
    again = KeywordIndex.from_arrays(index.arrays())
    assert again.search("lock water", 5) == index.search("lock water", 5)
    assert again.document_frequency("lock") == index.document_frequency("lock") > 0
    assert again.document_frequency("nowhere") == 0


def test_blocks_do_not_change_an_index() -> None:
    texts = some_texts(5000)
    index = build(texts)
    assert index.scores(Counter(terms("winter fee"))) == pytest.approx(
        textbook_scores_fast(texts, "winter fee"), rel=1e-5
    )


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

    near = searcher(len(texts), nearest=lambda queries, top, allowed: nearest(vectors, queries, top, allowed))
    word_lists = searcher(len(texts), keyword=index).by_words([question], 100, None)
    near_lists = near.by_vectors(wanted, 100, None)
    for words, vector_lists, reference in (
        (word_lists, [], by_word), ([], near_lists, by_vector), (word_lists, near_lists, both),
    ):  # fmt: skip
        found = list(fuse(words, vector_lists, Searching(10)).found)
        assert [candidate.chunk for candidate in found] == reference
    ranks = {c.chunk: (c.keyword_rank, c.vector_rank) for c in found}
    place = both[0]
    assert ranks[place] == (
        by_word.index(place) + 1 if place in by_word else None,
        by_vector.index(place) + 1 if place in by_vector else None,
    )


def searcher(chunks: int, owner: object = None, **parts: object) -> InMemory:
    table = ChunkTable.build([(f"d{n}", [((0, 1),)]) for n in range(chunks)])
    return InMemory("key", table, owner, **parts)  # type: ignore[arg-type]


def by_words(index: KeywordIndex, queries: list[str], how: Searching) -> list[Candidate]:
    return list(fuse(searcher(index.size, keyword=index).by_words(queries, depth(how.top), None), [], how).found)


def test_rewrites_bring_in_what_the_question_alone_misses() -> None:
    index = build(["a sluice is opened", "a gate is closed"])
    alone = by_words(index, ["paddle"], Searching(5))
    helped = by_words(index, ["paddle", "sluice"], Searching(5))
    assert alone == []
    assert [(c.chunk, c.keyword_rank) for c in helped] == [(0, None)]


def test_fields_are_weighed_before_they_saturate() -> None:
    """BM25F written out: idf · tf' · (k1 + 1) / (tf' + k1), tf' = Σ weight · tf / (1 − b + b · length ÷ mean)."""
    bodies = ["lock gate", "lock lock paddle", "boat"]
    titles = ["gate", "boat boat", ""]
    index = build(bodies, Scoring(title_weight=3.0, title_b=0.5), titles)
    wanted = []
    for body, title in zip(bodies, titles, strict=True):
        score = 0.0
        for term in ("lock", "gate"):
            n = sum(term in b.split() or term in t.split() for b, t in zip(bodies, titles, strict=True))
            idf = math.log(1 + (3 - n + 0.5) / (n + 0.5))
            tf = body.split().count(term) / (0.25 + 0.75 * len(body.split()) / 2)
            tf += 3.0 * title.split().count(term) / (0.5 + 0.5 * len(title.split()) / 1)
            score += idf * tf * 2.2 / (tf + 1.2)
        wanted.append(score)
    assert index.scores({"lock": 1, "gate": 1}) == pytest.approx(wanted, rel=1e-6)


def test_z_scores_and_weights_by_hand() -> None:
    one, other = [(1, 3.0), (2, 1.0)], [(2, 9.0), (3, 7.0)]
    # z-scores are +1 and −1 in both lists; a place that a list lacks counts as its least, −1.
    assert dict(by_scores([one, other], [0.5, 1.5], "z-score")) == pytest.approx({1: -1.0, 2: 1.0, 3: -2.0})
    assert [place for place, _ in blend([one, other], "ranks", [0.1, 1.9])] == [2, 3, 1]


def test_a_chunk_counts_at_its_best_text_and_only_where_it_may_be_found() -> None:
    index = build(["lock", "gate gate", "gate", "gate boat", "boat"])
    owner = np.array([0, 0, 1, 2, 2], dtype=np.int32)
    free = dict(index.search("gate", 5, Narrowing(owner)))
    texts = dict(index.search("gate", 5))
    assert free == {0: texts[1], 1: texts[2], 2: texts[3]}
    only = Narrowing(owner, np.array([False, True, True]))
    assert [place for place, _ in index.search("gate", 5, only)] == [1, 2]


def test_many_texts_a_chunk_do_not_shorten_the_list() -> None:
    draw = np.random.default_rng(1)
    vectors = draw.normal(size=(600, 8)).astype(np.float32)
    vectors /= np.linalg.norm(vectors, axis=1, keepdims=True)
    vectors[:300] = vectors[0]  # three hundred texts of chunk 0 are nearest of all
    owner = np.array([0] * 300 + list(range(1, 301)), dtype=np.int32)
    near = searcher(301, owner, nearest=lambda q, top, allowed: nearest(vectors, q, top, allowed))
    [found] = near.by_vectors(vectors[:1], 10, None)
    cosines = np.round(vectors[300:].astype(np.float64) @ vectors[0].astype(np.float64), 6)
    wanted = [0, *(1 + sorted(range(300), key=lambda n: (-cosines[n], n))[n] for n in range(9))]
    assert [chunk for chunk, _ in found] == wanted


def test_candidates_below_the_least_score_fall_away() -> None:
    index = build(["gate gate lock", "gate", "boat"])
    scores = dict(index.search("gate lock", 5))
    found = by_words(index, ["gate lock"], Searching(5, least=scores[0] - 0.001))
    assert [c.chunk for c in found] == [0]


def test_a_longer_list_of_candidates_begins_as_a_shorter_one_and_takes_no_new_search() -> None:
    words: list[list[Hit]] = [[(n, 9.0 - n / 10) for n in range(60)]]
    near: list[list[Hit]] = [[(n, 1.0 - n / 100) for n in range(59, -1, -1)]]
    assert depth(20) == depth(100) == 100
    assert depth(101) == 1000
    for top in (10, 40):  # as if each method had returned so many
        wanted = fuse([row[:top] for row in words], [row[:top] for row in near], Searching(top)).chunks
        assert fuse(words, near, Searching(top)).chunks == wanted


def test_only_documents_of_the_condition_are_found() -> None:
    index = build(["gate", "gate gate", "gate gate gate"])
    found = searcher(3, keyword=index).by_words(["gate"], 5, frozenset({"d0", "d2"}))
    assert [chunk for chunk, _ in found[0]] == [2, 0]
    assert searcher(3, keyword=index).document_frequency("gate") == 3


def test_query_vectors_come_back_to_the_last_bit() -> None:
    rows = np.random.default_rng(2).normal(size=(3, 7)).astype(np.float32)
    assert np.array_equal(QueryVectors.of(rows).rows, rows)


def test_an_index_by_document_is_that_of_all_texts_at_once() -> None:
    """Counted document by document, in other batches, and merged: the same postings and weights."""
    texts = some_texts(40, seed=5)
    titles = some_texts(40, seed=6)
    cuts = [0, 3, 3, 17, 40]  # one document has no text

    def merged(some: list[str]) -> tuple[dict[str, np.ndarray], dict[str, np.ndarray]]:
        columns = [one for left, right in itertools.pairwise(cuts) for one in count([some[left:right]])]
        joined = {name: np.concatenate([one[name] for one in columns]) for name in columns[0]}
        ends = {name: np.cumsum([0, *(len(one[name]) for one in columns)]) for name in columns[0]}
        return joined, ends

    for weight in (0.0, 2.0):
        how = Scoring("bm25", 1.3, 0.6, weight, 0.4)
        whole = build(texts, how, titles).arrays()
        parts = merge(merged(texts), how, merged(titles) if weight else None).arrays()
        assert all(np.array_equal(whole[name], parts[name]) for name in whole if name != "languages")


def searching(index: Any, vectors: np.ndarray, reach: approximate.Reach) -> approximate.Found:
    return lambda queries, top, allowed: approximate.search(index, vectors, queries, top, reach, allowed)


@pytest.mark.parametrize("share", [0.01, 0.5])
@pytest.mark.parametrize("way", ["graph", "lists"])
def test_an_approximate_index_finds_most_and_only_what_may_be_found(way: str, share: float, tmp_path: Path) -> None:
    draw = np.random.default_rng(2)
    vectors = draw.normal(size=(3000, 24)).astype(np.float32)
    vectors /= np.linalg.norm(vectors, axis=1, keepdims=True)
    approximate.write(approximate.build(vectors, approximate.Nearness(way, lists=40)), tmp_path / "index")
    index = approximate.opened(tmp_path / "index")
    reach = approximate.Reach(effort=200, probes=20)
    allowed = draw.random(3000) < share
    for may in (None, allowed):
        true = nearest(vectors, vectors[:20], 10, may)
        found = approximate.search(index, vectors, vectors[:20], 10, reach, may)
        hit = [len({p for p, _ in a} & {p for p, _ in b}) / len(a) for a, b in zip(true, found, strict=True)]
        assert np.mean(hit) > 0.85
        assert may is None or all(may[place] for row in found for place, _ in row)
    told = approximate.recall(searching(index, vectors, reach), vectors)
    assert 0.85 < told <= 1.0
    poor = approximate.recall(searching(index, vectors, approximate.Reach(effort=1, probes=1)), vectors)
    assert poor < told
    few = draw.random(3000) < 0.02
    blind = approximate.recall(lambda rows, top, may: nearest(vectors, rows, top), vectors, allowed=few)
    assert blind < 0.2  # an index that knows nothing of the filter finds few of those that may be found
    assert approximate.recall(lambda rows, top, may: nearest(vectors, rows, top, may), vectors, allowed=few) == 1.0
    again = approximate.build(vectors, approximate.Nearness(way, lists=40))
    assert approximate.search(again, vectors, vectors[:5], 10, reach) == approximate.search(
        index, vectors, vectors[:5], 10, reach
    )


def test_exact_search_among_some_rows_is_that_of_the_rows_alone() -> None:
    draw = np.random.default_rng(9)
    vectors = draw.normal(size=(70_000, 4)).astype(np.float32)
    allowed = draw.random(70_000) < 0.1
    places = np.flatnonzero(allowed)
    [found] = nearest(vectors, vectors[:1], 8, allowed)
    [alone] = nearest(vectors[places], vectors[:1], 8)
    assert found == [(int(places[place]), score) for place, score in alone]


@given(st.lists(st.text(alphabet="ab éß’.,-1\u00a0\u2003\n\x1e", max_size=30), max_size=8))
def test_terms_are_counted_as_they_are_told_one_by_one(texts: list[str]) -> None:
    vocabulary = Vocabulary()
    table = count_terms(texts, vocabulary)
    stems = list(vocabulary.stems_met)
    for row, text in zip(table.toarray(), texts, strict=True):
        assert {stems[place]: int(row[place]) for place in np.flatnonzero(row)} == dict(Counter(terms(text)))
    assert vocabulary.hashes().tolist() == [int(hash_of(stem)) for stem in stems]
