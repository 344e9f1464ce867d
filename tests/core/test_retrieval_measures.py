"""Retrieval measures: worked by hand, and against the textbook for single spans."""

from __future__ import annotations

import math
import random

import numpy as np
import pytest
from sklearn.metrics import ndcg_score

from aventrik.core.documents.spans import Span
from aventrik.core.measures.loss import Path, lost_at
from aventrik.core.measures.retrieval import Retrieved, retrieval_scores


def item(*spans: tuple[str, int, int], tokens: int = 10) -> Retrieved:
    return Retrieved(tuple(Span(*span) for span in spans), tokens)


NEED_A = [Span("a", 0, 100)]
NEED_B = [Span("b", 0, 50), Span("c", 0, 50)]


def test_two_needs_by_hand() -> None:
    items = [item(("x", 0, 100)), item(("a", 0, 100)), item(("c", 0, 60)), item(("b", 0, 50))]
    scores = retrieval_scores([NEED_A, NEED_B], items, cut_offs=(1, 2, 3))
    assert [scores[f"hit@{k}"] for k in (1, 2, 3)] == [0, 0, 1]
    assert [scores[f"hit-any@{k}"] for k in (1, 2, 3)] == [0, 1, 1]
    assert [scores[f"need-recall@{k}"] for k in (1, 2, 3)] == [0, 0.5, 1]
    assert scores["reciprocal-rank"] == 0.5
    ideal = 1 + 1 / math.log2(3)
    assert scores["ndcg@3"] == pytest.approx((1 / math.log2(3) + 1 / math.log2(4)) / ideal)
    assert scores["density@2"] == pytest.approx(100 / 200)
    assert scores["density@3"] == pytest.approx(150 / 260)
    assert scores["tokens@3"] == 30


def test_a_need_cut_in_two_is_met_by_the_union_of_its_pieces() -> None:
    items = [item(("a", 0, 60)), item(("x", 0, 10)), item(("a", 60, 100))]
    scores = retrieval_scores([NEED_A], items, cut_offs=(1, 2, 3))
    assert scores["cover@1"] == pytest.approx(0.6)
    assert [scores[f"hit@{k}"] for k in (1, 2, 3)] == [0, 0, 1]
    assert scores["reciprocal-rank"] == pytest.approx(1 / 3)


def test_an_item_that_meets_a_need_alone_decides_the_reciprocal_rank() -> None:
    items = [item(("a", 0, 60)), item(("a", 60, 100)), item(("a", 0, 100))]
    assert retrieval_scores([NEED_A], items)["reciprocal-rank"] == pytest.approx(1 / 3)


def test_nine_tenths_of_a_span_is_enough_and_a_little_less_is_not() -> None:
    assert retrieval_scores([NEED_A], [item(("a", 0, 90))])["hit@1"] == 1
    assert retrieval_scores([NEED_A], [item(("a", 0, 89))])["hit@1"] == 0


def test_a_repeat_gains_nothing_and_thins_the_density() -> None:
    once = retrieval_scores([NEED_A], [item(("a", 0, 100))], cut_offs=(2,))
    twice = retrieval_scores([NEED_A], [item(("a", 0, 100)), item(("a", 0, 100))], cut_offs=(2,))
    assert twice["ndcg@2"] == once["ndcg@2"] == 1
    assert twice["density@2"] == once["density@2"] / 2


def test_meeting_two_needs_with_one_item_scores_one_not_more() -> None:
    assert retrieval_scores([NEED_A, NEED_B], [item(("a", 0, 100), ("b", 0, 50))])["ndcg@1"] == 1


def test_an_empty_list_scores_zero_and_no_need_is_an_error() -> None:
    assert set(retrieval_scores([NEED_A], []).values()) == {0.0}
    with pytest.raises(ValueError, match="unanswerable"):
        retrieval_scores([], [])


def test_single_spans_agree_with_the_textbook() -> None:
    """One relevant item a question: hit@k, reciprocal rank and nDCG@k to 1e-12, nDCG by scikit-learn."""
    draw = random.Random(1)
    for _ in range(200):
        size = draw.randint(2, 12)
        place = draw.randrange(size + 3)  # beyond the list: not found
        items = [item((f"d{n}", 0, 40)) for n in range(size)]
        need = [[Span(f"d{place}", 0, 40)]]
        scores = retrieval_scores(need, items, cut_offs=(1, 3, 5, 10))
        assert scores["reciprocal-rank"] == pytest.approx(1 / (place + 1) if place < size else 0, abs=1e-12)
        relevance = np.array([[float(n == place) for n in range(size)]])
        order = np.array([[float(size - n) for n in range(size)]])
        for k in (1, 3, 5, 10):
            assert scores[f"hit@{k}"] == float(place < min(k, size))
            wanted = ndcg_score(relevance, order, k=k) if place < size else 0.0
            assert scores[f"ndcg@{k}"] == pytest.approx(wanted, abs=1e-12)


def fate(**held: bool) -> str:
    """The stage at which one need is lost, from which lists hold it."""
    evidence, nothing = [item(("a", 0, 100))], [item(("x", 0, 9))]
    lists = [evidence if held.get(name) else nothing for name in ("candidates", "refined", "context")]
    path = Path(*lists, stated=[held.get("stated", False)])
    present = {"a"} if held.get("present", True) else set()
    left_out = {"a"} if held.get("left_out") else set()
    return lost_at([NEED_A], path, present, left_out, [held.get("whole", True)])[0]


def test_each_need_is_lost_at_the_first_stage_that_does_not_hold_it() -> None:
    assert fate(present=False) == "not in the documents"
    assert fate(present=False, left_out=True) == "left out by vetting"
    assert fate(whole=False) == "cut apart by chunking"
    assert fate() == "not among the candidates"
    assert fate(candidates=True) == "dropped by reranking"
    assert fate(candidates=True, refined=True) == "pushed out of the context"
    assert fate(candidates=True, refined=True, context=True) == "ignored by the answer"
    assert fate(candidates=True, refined=True, context=True, stated=True) == "answered"


def test_a_fact_stated_without_its_evidence_in_the_context_does_not_count_as_answered() -> None:
    assert fate(candidates=True, refined=True, stated=True) == "pushed out of the context"
