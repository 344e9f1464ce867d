"""Keys of what is made of the corpus, and what a survey counts."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from aventrik.core.chunking import ChunkTable
from aventrik.core.surveying.topics import find_topics
from aventrik.core.testsets import Need, Question, Quoted
from aventrik.engine.stages import CORPUS_STAGES, CorpusKeys
from aventrik.engine.surveying import _needed, chosen_points, positions, served_well, with_vectors
from aventrik.workspace.configuration import Configuration


def configured(changes: dict[str, Any]) -> Configuration:
    return Configuration.model_validate({"name": "x", **changes}, strict=False)


def changed(changes: dict[str, Any], base: dict[str, Any] | None = None) -> set[str]:
    """The stages whose key a change gives another value."""
    before, after = (
        CorpusKeys.of(configured(settings), "docs", "model", "writer")
        for settings in (base or {}, {**(base or {}), **changes})
    )
    return {stage for stage in CORPUS_STAGES if getattr(before, stage) != getattr(after, stage)}


ALL_BUT_OPTIONAL = {"chunks", "keyword", "fitted", "vectors"}


@pytest.mark.parametrize(
    ("changes", "stages"),
    [
        ({"chunking": {"size": 300}}, ALL_BUT_OPTIONAL),
        ({"chunking": {"method": "topic"}}, ALL_BUT_OPTIONAL),
        ({"chunking": {"tokenizer": "static"}}, set()),  # sizes are in characters: no tokenizer is used
        ({"chunking": {"unit": "tokens", "tokenizer": "static"}}, ALL_BUT_OPTIONAL),
        ({"chunking": {"around": 3}}, set()),
        ({"chunking": {"serve": "section"}}, {"served"}),
        ({"chunking": {"serve": "larger", "larger_size": 3000}}, {"served"}),
        ({"index": {"headings": False}}, {"keyword", "fitted", "vectors"}),
        ({"index": {"text": "facts"}}, {"texts", "keyword", "fitted", "vectors"}),
        ({"index": {"title_b": 0.5}}, set()),
        ({"index": {"title_weight": 2.0}}, {"keyword"}),
        ({"search": {"nearest": "graph"}}, {"nearest"}),
        ({"search": {"lists": 9, "links": 8, "effort": 99, "weight": 0.1}}, set()),
        ({"search": {"where": "area = 'x'"}}, set()),
    ],
)
def test_a_setting_makes_anew_only_what_hangs_on_it(changes: dict[str, Any], stages: set[str]) -> None:
    assert changed(changes) == stages


def test_settings_of_one_kind_of_index_do_not_touch_the_other() -> None:
    graph: dict[str, Any] = {"search": {"nearest": "graph"}}
    assert changed({"search": {"nearest": "graph", "lists": 9}}, graph) == set()
    assert changed({"search": {"nearest": "graph", "links": 8}}, graph) == {"nearest"}
    assert (
        changed({"search": {"nearest": "graph", "effort": 8}}, graph) == set()
    )  # how it is searched, not how it is made
    wide: dict[str, Any] = {"chunking": {"serve": "neighbours"}}
    assert changed({"chunking": {"serve": "neighbours", "around": 3}}, wide) == {"served"}


def test_the_writer_counts_only_for_written_texts() -> None:
    plain, facts = configured({}), configured({"index": {"text": "facts"}})
    assert CorpusKeys.of(plain, "d", "m", "one") == CorpusKeys.of(plain, "d", "m", "two")
    assert CorpusKeys.of(facts, "d", "m", "one").texts != CorpusKeys.of(facts, "d", "m", "two").texts


def test_a_survey_has_vectors_and_chunks_as_their_own_texts() -> None:
    settings = {"embedding": {"model": "none"}, "search": {"method": "keyword"}, "index": {"text": "facts"}}
    made = with_vectors(configured(settings))
    assert (made.embedding.model, made.index.text) == ("lsa", "chunk")
    assert with_vectors(configured({"embedding": {"model": "static"}})).embedding.model == "static"


TABLE = ChunkTable.build([("a", [((0, 10),), ((8, 20),)]), ("b", [((0, 5),)])])


def asking(name: str, *spans: tuple[str, int, int]) -> Question:
    return Question(name, "?", needs=tuple(Need("f", (Quoted(doc, start, end, ""),)) for doc, start, end in spans))


def test_a_need_counts_in_the_chunk_that_holds_most_of_it() -> None:
    questions = [asking("q1", ("a", 7, 14)), asking("q2", ("a", 0, 9), ("b", 1, 3)), asking("q3", ("gone", 0, 3))]
    assert dict(_needed(TABLE, questions)) == {1: 1, 0: 1, 2: 1}
    assert served_well(TABLE, questions, {"q1": 1.0, "q2": 0.5}) == {1: 1.0, 0: 0.5, 2: 0.5}
    assert served_well(TABLE, [questions[0], asking("q4", ("a", 12, 20))], {"q1": 1.0, "q4": 0.0}) == {1: 0.5}


@pytest.mark.parametrize("layout", ["pca", "tsne"])
@pytest.mark.parametrize("count", [1, 2, 40])
def test_places_on_the_map_fill_it_and_are_the_same_each_time(layout: str, count: int) -> None:
    draw = np.random.default_rng(3)
    rows = draw.normal(size=(count, 6)).astype(np.float32)
    places = positions(rows, np.arange(count), layout)
    assert places.shape == (count, 2)
    assert np.abs(places).max() <= 1
    if count > 2:
        assert np.abs(places).max(axis=0) == pytest.approx([1, 1], abs=1e-3)
    assert np.array_equal(places, positions(rows, np.arange(count), layout))


def test_a_sample_of_points_has_some_of_every_topic() -> None:
    rows = np.eye(3, 5, dtype=np.float32)[[0] * 80 + [1] * 18 + [2] * 2]
    found = find_topics(rows, [3])
    chosen = chosen_points(found, 20)
    assert len(chosen) == 20
    assert {int(found.topic[place]) for place in chosen} == {0, 1, 2}
    assert chosen.tolist() == sorted(set(chosen.tolist()))
