"""What changed code would get away with otherwise: each expected value is worked out by hand from the definition."""

from __future__ import annotations

import numpy as np
import pytest

from aventrik.core.chunking import ChunkTable
from aventrik.core.comparing.correcting import _unseen
from aventrik.core.indexing import keyword, terms
from aventrik.core.indexing.keyword import Scoring
from aventrik.core.measures import MEASURES, Measure, measure, plain
from aventrik.core.searching.in_memory import InMemory, span_of
from aventrik.core.searching.words import WordSearch

# name: (less is better, kind, of), from docs/scores.md and the definitions, not from the registry.
DEFINED = {
    "hit": (False, "share", "list"),
    "hit-any": (False, "share", "list"),
    "need-recall": (False, "score", "list"),
    "cover": (False, "score", "list"),
    "ndcg": (False, "score", "list"),
    "density": (False, "score", "list"),
    "tokens": (True, "count", "list"),
    "reciprocal-rank": (False, "score", "ranking"),
    "context-tokens": (True, "count", ""),
    "needs-shown": (False, "score", ""),
    "grounded-answers": (False, "score", "answer"),
    "groundedness": (False, "score", "answer"),
    "hallucinated": (True, "share", "answer"),
    "contradicted-claims": (True, "score", "answer"),
    "unfound-claims": (True, "score", "answer"),
    "untold-claims": (True, "score", "answer"),
    "relevance": (False, "score", "answer"),
    "consistency": (False, "score", "answer"),
    "correctness": (False, "score", "answer"),
    "completeness": (False, "score", "answer"),
    "citation-precision": (False, "score", "answer"),
    "citation-recall": (False, "score", "answer"),
    "declined-rightly": (False, "share", "answer"),
    "declined-wrongly": (True, "share", "answer"),
    "seconds": (True, "cost", ""),
    "calls": (True, "cost", ""),
    "model-tokens": (True, "cost", ""),
    "money": (True, "cost", ""),
}


def test_every_measure_has_the_direction_kind_and_subject_of_its_definition() -> None:
    assert {name: (each.less_is_better, each.kind, each.of) for name, each in MEASURES.items()} == DEFINED


@pytest.mark.parametrize("name", DEFINED)
def test_shares_and_scores_lie_between_0_and_1_and_nothing_else_does(name: str) -> None:
    bounded = DEFINED[name][1] in ("share", "score")
    assert MEASURES[name].bounds == ((0.0, 1.0) if bounded else (0.0, None))


def test_a_measure_is_found_with_its_cut_off_or_judge_and_an_own_one_comes_first() -> None:
    assert (plain("hit@5"), plain("groundedness:house"), plain("tone")) == ("hit", "groundedness", "tone")
    assert measure("hit@5") is MEASURES["hit"]
    own = Measure("hit", True, "score", "answer")
    assert measure("hit@5", {"hit": own}) is own
    assert measure("tone") is None


def _terms(documents: list[list[str]]) -> keyword.Terms:
    made = terms.count(documents, "english")
    columns = {name: np.concatenate([each[name] for each in made]) for name in made[0]}
    return columns, {name: np.cumsum([0, *(len(each[name]) for each in made)]) for name in made[0]}


def test_a_phrase_is_looked_for_in_the_texts_of_the_shard_and_not_of_the_first_one() -> None:
    texts = ["the red gate", "a red old gate", "the gate is red", "the red gate again"]
    table = ChunkTable.build([(f"d{n}", [((0, len(text)),)]) for n, text in enumerate(texts)])
    span = span_of(table, None, 1, 2)
    assert (span.first, span.last) == (2, 4)
    index = keyword.merge(_terms([[text] for text in texts[2:]]), Scoring("bm25"), None)
    asked: list[int] = []

    def text_of(chunk: int) -> str:
        asked.append(chunk)
        return texts[chunk]

    found = InMemory("s", table, None, index, text_of=text_of, span=span).by_words(
        ['"red gate"'], 4, None, WordSearch()
    )
    assert [chunk for chunk, _ in found[0]] == [3]  # text 1 of the shard, chunk 3 of all
    assert set(asked) == {2, 3}
    asked.clear()
    whole = keyword.merge(_terms([[text] for text in texts]), Scoring("bm25"), None)
    found = InMemory("s", table, None, whole, text_of=text_of).by_words(['"red gate"'], 4, None, WordSearch())
    assert sorted(chunk for chunk, _ in found[0]) == [0, 3]
    assert set(asked) == {0, 1, 2, 3}


def test_without_an_index_of_words_no_term_is_rare_and_none_occurs() -> None:
    table = ChunkTable.build([("d", [((0, 3),)])])
    bare = InMemory("s", table)
    assert (bare.rarity("gate"), bare.document_frequency("gate")) == (0.0, 0)
    assert bare.by_words(["gate"], 3, None) == [[]]
    assert bare.by_vectors(np.zeros((1, 2), np.float32), 3, None) == [[]]
    index = keyword.merge(_terms([["gate red"], ["red"]]), Scoring("bm25"), None)
    assert InMemory("s", table, None, index).rarity("gate") > InMemory("s", table, None, index).rarity("red") >= 0.0
    assert InMemory("s", table, None, index).document_frequency("red") == 2


def test_the_variance_for_errors_that_few_labels_can_not_show() -> None:
    """0.3 labels of each kind (0, 1, −λ, 1 − λ) less the mean error, squared and summed, over the labels squared. With
    λ = 0.5 and a mean error of 0.1: (0.01 + 0.81 + 0.36 + 0.16) · 0.3 / 10² = 0.00402."""
    assert _unseen(0.5, 0.1, 10) == pytest.approx(0.00402)
    assert _unseen(1.0, 0.0, 1) == pytest.approx(0.3 * (0 + 1 + 1 + 0))
