"""Indexes in shards: merged lists are those of one index, whatever the shards."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest

from aventrik.core.chunking import ChunkTable
from aventrik.core.indexing import Narrowing, keyword, terms
from aventrik.core.indexing.approximate import Nearness, Reach, build, recall
from aventrik.core.indexing.approximate import search as near
from aventrik.core.indexing.keyword import Figures, KeywordIndex, Scoring
from aventrik.core.indexing.vectors import merged, search
from aventrik.core.searching.in_memory import InMemory, span_of

RNG = np.random.default_rng(11)
WORDS = [f"word{n}" for n in range(40)]


def unit(count: int, width: int) -> np.ndarray:
    rows = RNG.standard_normal((count, width)).astype(np.float32)
    return rows / np.linalg.norm(rows, axis=1, keepdims=True)


def texts(count: int) -> list[str]:
    return [" ".join(RNG.choice(WORDS, size=RNG.integers(1, 12))) for _ in range(count)]


def terms_of(documents: list[list[str]]) -> keyword.Terms:
    made = terms.count(documents, "english")
    columns = {name: np.concatenate([each[name] for each in made]) for name in made[0]}
    ends = {name: np.cumsum([0, *(len(each[name]) for each in made)]) for name in made[0]}
    return columns, ends


@pytest.mark.parametrize("way", keyword.SCORINGS)
@pytest.mark.parametrize("weight", [0.0, 2.5])
def test_postings_by_shard_are_weighed_as_in_one_index(way: str, weight: float) -> None:
    scoring = Scoring(way, title_weight=weight)
    bodies = [texts(n % 4) for n in range(30)]  # documents without a text too
    titles = [[f"{text.split()[0]} title{n}" for text in each] for n, each in enumerate(bodies)]

    def of(first: int, last: int) -> tuple[keyword.Terms, keyword.Terms | None]:
        return terms_of(bodies[first:last]), terms_of(titles[first:last]) if weight else None

    whole = keyword.merge(of(0, 30)[0], scoring, of(0, 30)[1])
    edges = [0, 7, 8, 21, 30]
    parts = [of(first, last) for first, last in pairwise(edges)]
    figures = keyword.joined([keyword.figures(body, scoring, title) for body, title in parts])
    figures = Figures.from_arrays(figures.arrays())
    sizes = np.cumsum([0, *(len(each) for each in bodies)])
    for query in ("word1 word2 title3", "word7", "word39 word39 word0", "nothing"):
        lists = []
        for (body, title), first in zip(parts, edges):
            made = keyword.merge(body, scoring, title, figures)
            index = KeywordIndex.from_arrays(made.arrays(), figures)
            assert index.total == whole.size
            assert index.rarity("word1") == whole.rarity("word1")
            lists.append([(place + int(sizes[first]), score) for place, score in index.search(query, 9)])
        assert merged(lists, 9) == whole.search(query, 9)


def test_the_nearest_of_shards_are_the_nearest_even_where_many_are_as_near() -> None:
    vectors = unit(900, 8)
    vectors[100:400] = vectors[50]  # three hundred copies
    vectors[600:605] = 0
    queries = np.concatenate([unit(4, 8), vectors[50:51], np.zeros((1, 8), np.float32)])
    whole = search(vectors, queries, 10)
    assert [place for place, _ in whole[4]] == [50, *range(100, 109)]
    assert [place for place, _ in whole[5]] == list(range(10))
    for count in (2, 3, 7, 450):
        edges = [900 * part // count for part in range(count + 1)]
        lists = [
            [[(place + first, score) for place, score in row] for row in search(vectors[first:last], queries, 10)]
            for first, last in pairwise(edges)
        ]
        assert [merged(row, 10) for row in zip(*lists)] == whole
    scores = (vectors.astype(np.float64) @ queries.T.astype(np.float64)).T
    for row, found in zip(scores, whole):
        assert [place for place, _ in found] == np.lexsort((np.arange(900), -np.round(row, 6)))[:10].tolist()


def test_spans_hold_whole_documents_and_all_of_them() -> None:
    sizes = [3, 0, 5, 1, 0, 0, 8, 2]
    table = ChunkTable.build([(f"d{n}", [((k, k + 1),) for k in range(size)]) for n, size in enumerate(sizes)])
    owner = np.repeat(np.arange(len(table), dtype=np.int32), 2)
    for count in (1, 2, 3, 8, 20):
        spans = [span_of(table, owner, number, count) for number in range(count)]
        assert [spans[0].first, spans[-1].last, spans[-1].last_text] == [0, len(table), 2 * len(table)]
        assert all(one.last == other.first for one, other in pairwise(spans))
        for span in spans:
            assert (span.first_text, span.last_text) == (2 * span.first, 2 * span.last)
            assert span.first in (0, len(table)) or table.doc[span.first] != table.doc[span.first - 1]


def test_a_searcher_of_a_span_numbers_chunks_among_all() -> None:
    table = ChunkTable.build([(f"d{n}", [((k, k + 1),) for k in range(3)]) for n in range(4)])
    words = [f"lock number{n}" for n in range(12)]
    span = span_of(table, None, 1, 2)
    index = keyword.build(words[span.first : span.last])
    searcher = InMemory("k", table, None, index, text_of=lambda chunk: words[chunk], span=span)
    assert searcher.by_words(["number7"], 3, None)[0][0][0] == 7
    assert searcher.by_words(['"lock number8"'], 3, None)[0][0][0] == 8  # the phrase is looked for in its own text
    assert {chunk for chunk, _ in searcher.by_words(["lock"], 9, frozenset({"d3"}))[0]} == {9, 10, 11}
    vectors = unit(12, 4)
    half = InMemory("k", table, nearest=lambda q, top, may: search(vectors[6:], q, top, may), span=span)
    assert half.by_vectors(vectors[8:9], 1, None) == [[(8, 1.0)]]
    assert half.by_vectors(vectors[8:9], 1, frozenset({"d2"})) == [[(8, 1.0)]]
    assert Narrowing(None, None).most_texts == 1


def test_an_approximate_index_in_parts_finds_at_least_as_much(tmp_path: Path) -> None:
    vectors = unit(2000, 16)
    how, reach = Nearness("graph", 6, 12), Reach(effort=16)
    one = build(vectors, how)
    edges = [0, 700, 700, 2000]  # a part may be empty
    parts = [build(vectors[a:b], how) for a, b in pairwise(edges)]

    def whole(queries: np.ndarray, top: int, may: object) -> list[list[tuple[int, float]]]:
        return near(one, vectors, queries, top, reach)

    def in_parts(queries: np.ndarray, top: int, may: object) -> list[list[tuple[int, float]]]:
        lists = [
            [[(place + a, score) for place, score in row] for row in near(index, vectors[a:b], queries, top, reach)]
            for index, a, b in zip(parts, edges, edges[1:])
        ]
        return [merged(row, top) for row in zip(*lists)]

    assert recall(whole, vectors) < recall(in_parts, vectors) <= 1.0
