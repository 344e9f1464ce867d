"""What changed code would get away with otherwise: each expected value is worked out by hand from the definition."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.stats import norm

from aventrik.core.chunking import ChunkTable
from aventrik.core.comparing.correcting import _unseen
from aventrik.core.comparing.differences import smallest_shown
from aventrik.core.comparing.gates import _enough
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


def test_what_could_be_shown_with_clusters_is_counted_by_cluster_for_shares_too() -> None:
    """Two questions of one document that always move together tell as much as one: the smallest difference that could be
    shown is that of half as many questions, whatever the kind."""
    flips = np.array(
        [1.0, -1.0, 1.0, 1.0, 0.0, 1.0, -1.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 1.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0]
    )
    twice = np.repeat(flips, 2)
    groups = np.repeat(np.arange(len(flips)), 2)
    alone = smallest_shown(flips, "score")
    assert alone is not None
    assert smallest_shown(twice, "score", groups) == pytest.approx(alone)
    assert smallest_shown(twice, "share", groups) == pytest.approx(alone)
    own = smallest_shown(twice, "share")
    assert own is not None
    assert own < alone  # as if each question were a draw of its own
    together = smallest_shown(flips, "score", None, 4)
    assert together is None or together > alone


@pytest.mark.parametrize(
    ("spread", "drop", "kind", "together", "wanted"),
    [
        # z = z(0.975) + z(0.9) = 3.2415. No spread: a drop of 0.1 spreads by √(0.1·0.9) = 0.3; (3.2415/0.1·0.3)² = 94.6.
        (0.0, 0.05, "share", 1, 95),
        (0.0, 0.05, "score", 1, 95),
        # A count has no spread of its own: the interval alone decides, and of a point it takes one question.
        (0.0, 0.05, "count", 1, 1),
        # (3.2415·0.5/0.05)² = 1050.7 is more than (3.2415/0.1)²·(0.25 + 0.09) = 357.3.
        (0.5, 0.05, "share", 1, 1051),
        # Four limits: z = z(1 − 0.05/8) + z(0.9) = 3.7794; (3.7794/0.1·0.3)² = 128.5.
        (0.0, 0.05, "share", 4, 129),
        # Half of a score may be lost: no drop of more than all spreads it further.
        (0.0, 0.5, "share", 1, 1),
    ],
)
def test_how_many_questions_decide_a_limit(spread: float, drop: float, kind: str, together: int, wanted: int) -> None:
    z = norm.ppf(1 - 0.05 / (2 * together)) + norm.ppf(0.9)
    own = 2 * drop * max(0.0, 1 - 2 * drop) if kind in ("share", "score") else 0.0
    by_hand = max(
        1,
        math.ceil(
            max((norm.ppf(0.975) + norm.ppf(0.9)) * spread / drop, z / (2 * drop) * math.sqrt(spread**2 + own)) ** 2
        ),
    )
    assert _enough(spread, drop, kind, together) == by_hand == wanted


def test_the_variance_for_errors_that_few_labels_can_not_show() -> None:
    """0.3 labels of each kind (0, 1, −λ, 1 − λ) less the mean error, squared and summed, over the labels squared. With
    λ = 0.5 and a mean error of 0.1: (0.01 + 0.81 + 0.36 + 0.16) · 0.3 / 10² = 0.00402."""
    assert _unseen(0.5, 0.1, 10) == pytest.approx(0.00402)
    assert _unseen(1.0, 0.0, 1) == pytest.approx(0.3 * (0 + 1 + 1 + 0))
