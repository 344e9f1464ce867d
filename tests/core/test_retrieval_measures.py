"""Retrieval measures: worked by hand, and against the textbook for single spans."""

from __future__ import annotations

import math
import random

import numpy as np
import pytest
from sklearn.metrics import ndcg_score

from aventrik.core.measures import MEASURES, measure, retrieval_scores
from aventrik.core.measures.evidence import EvidencePlace, cover, evidence_of
from aventrik.core.measures.loss import Reached, StagesHeld, lost_at
from aventrik.core.measures.retrieval import Retrieved
from aventrik.core.testsets import Need, Question, Quoted


def item(*ranges: tuple[str, int, int], tokens: int = 10) -> Retrieved:
    return Retrieved(ranges[0][0], tuple((start, end) for _, start, end in ranges), tokens)


def place(doc: str, start: int, end: int) -> EvidencePlace:
    """Evidence all of whose characters are ink."""
    return EvidencePlace(doc, start, end, ((start, end),))


NEED_A = (place("a", 0, 100),)
NEED_B = (place("b", 0, 50), place("c", 0, 50))


def test_two_needs_by_hand() -> None:
    items = [item(("x", 0, 100)), item(("a", 0, 100)), item(("c", 0, 60)), item(("b", 0, 50))]
    scores = retrieval_scores((NEED_A, NEED_B), items, cut_offs=(1, 2, 3))
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
    scores = retrieval_scores((NEED_A,), items, cut_offs=(1, 2, 3))
    assert scores["cover@1"] == pytest.approx(0.6)
    assert [scores[f"hit@{k}"] for k in (1, 2, 3)] == [0, 0, 1]
    assert scores["reciprocal-rank"] == pytest.approx(1 / 3)


def test_adding_or_lifting_a_relevant_item_never_lowers_the_reciprocal_rank() -> None:
    """The rank that counts is that at which the union of the items so far first meets a need."""
    pieces = [item(("a", 0, 60)), item(("a", 60, 100)), item(("a", 0, 100))]
    assert retrieval_scores((NEED_A,), pieces)["reciprocal-rank"] == pytest.approx(1 / 2)
    without = retrieval_scores((NEED_A,), [pieces[0], pieces[2]])["reciprocal-rank"]
    assert without == pytest.approx(1 / 2)
    draw = random.Random(5)
    for _ in range(300):
        items = [
            item((draw.choice("abx"), 10 * (s := draw.randrange(9)), 10 * s + 10 * draw.randint(1, 10)))
            for _ in range(6)
        ]
        before = retrieval_scores((NEED_A, NEED_B), items)["reciprocal-rank"]
        more = list(items)
        more.insert(draw.randrange(7), item(("a", 0, 100)))
        assert retrieval_scores((NEED_A, NEED_B), more)["reciprocal-rank"] >= before - 1e-12 or before == 1


def test_cover_counts_ink_and_not_white_space() -> None:
    text = "48 hours" + " " * 40 + "in August"
    question = Question("q", "?", needs=(Need("f", (Quoted("a", 0, len(text), text),)),))
    [[found]] = evidence_of(question)
    assert found.size == 15  # letters and figures
    assert found.ink == ((0, 2), (3, 8), (48, 50), (51, 57))
    assert cover(found, [(0, 8)]) == pytest.approx(7 / 15)
    assert cover(found, [(8, 57)]) == pytest.approx(8 / 15)
    assert cover(found, [(0, 8), (48, 57)]) == 1.0
    assert cover(found, [(0, 6), (3, 8), (0, 8)]) == pytest.approx(7 / 15)  # a doubly served stretch counts once
    assert cover(found, []) == 0.0
    lost = Question("q", "?", needs=(Need("f", (Quoted("a", -1, -1, "gone"),)),))
    assert cover(evidence_of(lost)[0][0], [(0, 100)]) == 0.0


def test_nine_tenths_of_a_span_is_enough_and_a_little_less_is_not() -> None:
    assert retrieval_scores((NEED_A,), [item(("a", 0, 90))])["hit@1"] == 1
    assert retrieval_scores((NEED_A,), [item(("a", 0, 89))])["hit@1"] == 0


def test_a_repeat_gains_nothing_and_thins_the_density() -> None:
    once = retrieval_scores((NEED_A,), [item(("a", 0, 100))], cut_offs=(2,))
    twice = retrieval_scores((NEED_A,), [item(("a", 0, 100)), item(("a", 0, 100))], cut_offs=(2,))
    assert twice["ndcg@2"] == once["ndcg@2"] == 1
    assert twice["density@2"] == once["density@2"] / 2


def test_meeting_two_needs_with_one_item_scores_one_not_more() -> None:
    both = ((place("a", 0, 100),), (place("a", 150, 200),))
    assert retrieval_scores(both, [item(("a", 0, 100), ("a", 150, 200))])["ndcg@1"] == 1


def test_an_empty_list_scores_zero_and_no_need_is_an_error() -> None:
    assert set(retrieval_scores((NEED_A,), []).values()) == {0.0}
    with pytest.raises(ValueError, match="unanswerable"):
        retrieval_scores((), [])


def test_single_spans_agree_with_the_textbook() -> None:
    """One relevant item a question: hit@k, reciprocal rank and nDCG@k to 1e-12, nDCG by scikit-learn."""
    draw = random.Random(1)
    for _ in range(200):
        size = draw.randint(2, 12)
        place = draw.randrange(size + 3)  # beyond the list: not found
        items = [item((f"d{n}", 0, 40)) for n in range(size)]
        need = ((EvidencePlace(f"d{place}", 0, 40, ((0, 40),)),),)
        scores = retrieval_scores(need, items, cut_offs=(1, 3, 5, 10))
        assert scores["reciprocal-rank"] == pytest.approx(1 / (place + 1) if place < size else 0, abs=1e-12)
        relevance = np.array([[float(n == place) for n in range(size)]])
        order = np.array([[float(size - n) for n in range(size)]])
        for k in (1, 3, 5, 10):
            assert scores[f"hit@{k}"] == float(place < min(k, size))
            wanted = ndcg_score(relevance, order, k=k) if place < size else 0.0
            assert scores[f"ndcg@{k}"] == pytest.approx(wanted, abs=1e-12)


def fate(standing: str = "in", whole: bool = True, stated: bool | None = False, **held: bool) -> str:
    """The stage at which one need is lost, from which lists hold it."""
    reached = Reached((whole,), (held.get("candidates", False),), (held.get("refined", False),))
    found = StagesHeld(reached, [held.get("context", False)], [stated], held.get("answered", True))
    return lost_at((NEED_A,), found, {"a": standing}).lost[0]


def test_each_need_is_lost_at_the_first_stage_that_does_not_hold_it() -> None:
    assert fate("gone") == "not in the documents"
    assert fate("left out") == "left out by vetting"
    assert fate(whole=False) == "cut apart by chunking"
    assert fate() == "not among the candidates"
    assert fate(candidates=True) == "dropped by reranking"
    assert fate(candidates=True, refined=True) == "pushed out of the context"
    assert fate(candidates=True, refined=True, context=True) == "ignored by the answer"
    assert fate(candidates=True, refined=True, context=True, stated=True) == "answered"


def test_a_need_whose_judgement_failed_is_not_judged_and_one_without_an_answer_is_in_the_context() -> None:
    assert fate(candidates=True, refined=True, context=True, stated=None) == "not judged"
    assert fate(candidates=True, refined=True, context=True, stated=None, answered=False) == "in the context"


def test_a_quote_that_is_lost_in_a_document_that_is_there_counts_as_not_in_the_documents() -> None:
    reached = Reached((False,), (False,), (False,))
    lost = lost_at(((EvidencePlace("a", -1, -1),),), StagesHeld(reached, [False], [False]), {"a": "in"})
    assert lost.lost == ("not in the documents",)


def test_a_fact_stated_without_its_evidence_in_the_context_does_not_count_as_answered() -> None:
    assert fate(candidates=True, refined=True, stated=True) == "pushed out of the context"


def test_every_measure_says_its_direction_and_kind_and_keeps_to_its_bounds() -> None:
    assert measure("hit@5").kind == "share"
    assert measure("tokens@10").less_is_better
    assert not measure("ndcg@3").less_is_better
    scores = retrieval_scores((NEED_A, NEED_B), [item(("a", 0, 100)), item(("c", 0, 30))])
    for name, value in scores.items():
        low, high = measure(name).bounds
        assert low <= value <= (math.inf if high is None else high)
        assert measure(name).kind != "share" or value in (0.0, 1.0)
    assert {name.partition("@")[0] for name in scores} == {
        m.name for m in MEASURES.values() if m.of in ("list", "ranking")
    }
