"""Comparison of runs, answer measures, and the reranking step."""

from __future__ import annotations

from collections.abc import Sequence

import pytest

from aventrik.core.answering import Answer
from aventrik.core.comparing.account import losses, worst_question
from aventrik.core.comparing.contributions import contributions
from aventrik.core.comparing.sides import Side, all_pairs, best_of, clustered, contrasts, means
from aventrik.core.context import within_budget
from aventrik.core.judging import Judgement, Verdict
from aventrik.core.measures import answer_scores
from aventrik.core.measures.answers import Judged
from aventrik.core.offline import OfflineModel
from aventrik.core.reranking import STEPS, Item, Means, apply


def side(name: str, values: list[float], lost: str = "answered", **settings: object) -> Side:
    scores = {f"q{n}": {"hit@5": value, "tokens@5": 100 * value} for n, value in enumerate(values)}
    return Side(name, settings, scores, {q: [lost if s["hit@5"] < 1 else "answered"] for q, s in scores.items()})


BASE = side("base", [0, 0, 0, 1, 0, 0, 0, 0, 1, 0], size=300, model="lsa")
GOOD = side("good", [1, 1, 1, 1, 1, 1, 1, 1, 1, 0], size=800, model="lsa")
SAME = side("same", [0, 0, 0, 1, 0, 0, 0, 0, 1, 0], size=300, model="static")


def test_a_difference_is_real_only_after_correction_for_all_runs() -> None:
    found = contrasts([BASE, GOOD, SAME], 0, "hit@5")
    assert [each.name for each in found] == ["good", "same"]
    assert found[0].difference.mean == pytest.approx(0.7)
    assert found[0].difference.p == pytest.approx(2 * 0.5**7)  # seven questions better, none worse
    assert found[0].p == pytest.approx(2 * 2 * 0.5**7)
    assert found[0].real
    assert not found[1].real


def test_only_shared_questions_are_paired() -> None:
    short = Side("short", {}, {"q0": {"hit@5": 1.0}, "x": {"hit@5": 1.0}}, {})
    [found] = contrasts([BASE, short], 0, "hit@5")
    assert found.difference.n == 1


def test_contributions_pair_runs_that_differ_in_one_setting() -> None:
    both = side("both", [1, 1, 1, 1, 1, 1, 1, 1, 1, 1], size=800, model="static")
    found = {each.setting: each for each in contributions([BASE, GOOD, SAME, both], "hit@5")}
    assert found["size"].pairs == 2
    assert found["size"].difference.mean == pytest.approx((0.7 + 0.8) / 2)
    assert found["model"].difference.mean == pytest.approx((0.0 + 0.1) / 2)


def test_the_best_is_marked_by_the_direction_of_the_measure() -> None:
    rows = means([BASE, GOOD], ["hit@5", "tokens@5"])
    assert best_of(rows, "hit@5") == {1}
    assert best_of(rows, "tokens@5") == {0}
    assert best_of(means([BASE, SAME], ["hit@5"]), "hit@5") == set()


def test_losses_are_counted_and_the_worst_question_is_the_one_lost_first() -> None:
    lost = Side(
        "x",
        {},
        {q: {"hit@5": 0.0} for q in "abc"},
        {"a": ["ignored by the answer"], "b": ["not in the documents"], "c": ["answered"]},
    )
    assert losses(lost)["not in the documents"] == 1
    assert worst_question(lost, "hit@5") == "b"
    assert worst_question(lost, "unknown") is None


def verdict(kind: str, cites: tuple[int, ...] = (1,), rests_on: int = 1) -> Verdict:
    return Verdict("claim", kind, "", cites, ((rests_on, "words"),) if kind != "not found" else ())


def test_answer_measures_by_hand() -> None:
    verdicts = (verdict("supported"), verdict("supported", (2,)), verdict("contradicted"), verdict("not found", ()))
    judged = Judgement(verdicts, stated=(True, False), right=(True, True, False, False))
    scores = answer_scores(Judged(Answer("text", False), judged, True))
    assert scores == pytest.approx(
        {
            "declined-wrongly": 0,
            "groundedness": 0.5,
            "hallucinated": 1,
            "contradicted-claims": 0.25,
            "unfound-claims": 0.25,
            "untold-claims": 0,
            "citation-precision": 1 / 3,
            "citation-recall": 0.5,
            "completeness": 0.5,
            "correctness": 0.5,
        }
    )


def test_a_claim_that_can_not_be_told_is_neither_grounded_nor_a_hallucination() -> None:
    verdicts = (verdict("supported"), verdict("too far to tell"), verdict("too far to tell"), verdict("supported"))
    scores = answer_scores(Judged(Answer("text", False), Judgement(verdicts, relevance=2 / 3), False, 0.5))
    assert scores["groundedness"] == 1
    assert scores["hallucinated"] == 0
    assert scores["untold-claims"] == 0.5
    assert scores["relevance"] == pytest.approx(2 / 3)
    assert scores["consistency"] == 0.5
    untold = answer_scores(Judged(Answer("text", False), Judgement(verdicts[1:2]), False))
    assert "groundedness" not in untold
    assert "hallucinated" not in untold


def test_support_turns_the_confidence_of_a_verdict_round() -> None:
    assert Verdict("c", "supported", "", (), (), 0.9).support == 0.9
    assert Verdict("c", "contradicted", "", (), (), 0.9).support == pytest.approx(0.1)
    assert Verdict("c", "too far to tell", "", (), (), 0.9).support == 0.5


def test_declining_makes_no_claims_and_a_failure_scores_nothing() -> None:
    declined = Answer("no", True)
    assert answer_scores(Judged(declined, Judgement(), False)) == {"declined-rightly": 1}
    assert answer_scores(Judged(declined, Judgement(), True))["declined-wrongly"] == 1
    assert "groundedness" not in answer_scores(Judged(declined, Judgement(), True))
    assert answer_scores(Judged(Answer("", False, failure="no reply"), Judgement(), True)) == {}
    assert answer_scores(Judged(Answer("x", False), Judgement(failure="broken"), True)) == {}


def test_a_budget_keeps_whole_items_and_always_one() -> None:
    assert within_budget([50, 60, 70], keep=3, budget=115) == 2
    assert within_budget([500, 60], keep=3, budget=100) == 1
    assert within_budget([10, 10, 10], keep=2, budget=100) == 2
    assert within_budget([], keep=2, budget=100) == 0


def test_closeness_prefers_the_questions_words_in_one_place() -> None:
    near = "The bridge key costs twelve pounds. " + "Other words follow here. " * 30
    far = "The bridge is old. " + "Other words follow here. " * 30 + "A key and its costs."
    items = [Item(0, 0.5, far, "Bridges"), Item(1, 0.5, near, "Bridges")]
    question = "what does a bridge key cost"
    [ranked] = apply("closeness", [question], [items], {"weight": 0.5}, MEANS)
    assert [chunk for chunk, _ in ranked.items] == [1, 0]
    [kept] = apply("closeness", [question], [items], {"weight": 0.0}, MEANS)
    assert [chunk for chunk, _ in kept.items] == [0, 1]


class Longest:
    """A reranking model that likes long passages."""

    def score(self, pairs: Sequence[tuple[str, Sequence[str]]]) -> list[list[float]]:
        return [[float(len(text)) for text in texts] for _, texts in pairs]


MEANS = Means(lambda term: 1.0, OfflineModel(), Longest())
ITEMS = [Item(0, 0.9, "Dogs on a lead.", ""), Item(1, 0.8, "The bridge key costs money.", ""), Item(2, 0.7, "Key.", "")]


def test_relevant_candidates_go_first_and_those_not_asked_stay_last() -> None:
    [ranked] = apply("relevance", ["what does a bridge key cost"], [ITEMS], {"keep": 2}, MEANS)
    assert [chunk for chunk, _ in ranked.items] == [1, 0, 2]


def test_a_cross_encoder_orders_by_its_score_and_drops_the_rest() -> None:
    [ranked] = apply("cross-encoder", ["key"], [ITEMS], {"keep": 2}, MEANS)
    assert [chunk for chunk, _ in ranked.items] == [1, 0]


def test_a_step_says_what_it_needs() -> None:
    assert {name for name, step in STEPS.items() if step.rarity} == {"closeness"}
    assert {name: step.model for name, step in STEPS.items()} == {
        "closeness": "", "relevance": "language", "cross-encoder": "reranking",
    }  # fmt: skip


def test_a_steps_own_settings_are_contributions_too_and_all_are_corrected_together() -> None:
    off = side("off", [0, 0, 0, 0, 0, 0, 0, 1, 1, 1], reranking="none")
    light = side(
        "light", [1, 1, 1, 1, 0, 0, 0, 1, 1, 1], **{"reranking": "closeness", "reranking.closeness.weight": 0.3}
    )
    heavy = side(
        "heavy", [1, 1, 1, 1, 1, 1, 1, 1, 1, 1], **{"reranking": "closeness", "reranking.closeness.weight": 0.8}
    )
    found = {(each.setting, each.value): each for each in contributions([off, light, heavy], "hit@5")}
    assert set(found) == {("reranking", "none"), ("reranking.closeness.weight", "0.8")}
    assert found["reranking.closeness.weight", "0.8"].difference.mean == pytest.approx(0.3)
    one, other = (found[key] for key in (("reranking", "none"), ("reranking.closeness.weight", "0.8")))
    first, second = sorted((one, other), key=lambda each: each.difference.p)
    assert first.p == pytest.approx(min(1, 2 * first.difference.p))  # Holm: the smaller of two counts twice
    assert second.p == pytest.approx(max(first.p, second.difference.p))


def test_all_pairs_are_corrected_over_all_of_them() -> None:
    third = side("third", [1, 1, 1, 1, 1, 1, 1, 1, 1, 1])
    found = all_pairs([BASE, GOOD, SAME, third], "hit@5")
    assert len(found) == 6
    by_pair = {(each.name, each.against): each for each in found}
    assert by_pair["third", "base"].difference.p == pytest.approx(2 * 0.5**8)
    assert by_pair["third", "base"].p == pytest.approx(6 * 2 * 0.5**8)  # the smallest of six


def test_questions_of_a_document_count_as_one_draw_where_a_document_has_more_than_one() -> None:
    alone = Side("a", {}, {"q1": {"hit@5": 1.0}, "q2": {"hit@5": 0.0}}, clusters={"q1": "x", "q2": "y"})
    together = Side("a", {}, alone.scores, clusters={"q1": "x", "q2": "x"})
    assert not clustered([alone], "auto")
    assert clustered([together], "auto")
    assert clustered([alone], "document")
    assert not clustered([together], "question")
    [row] = means([together], ["hit@5"], by_document=True)
    assert row["hit@5"].clusters == 1


def test_in_a_full_sweep_every_run_has_one_partner_a_setting() -> None:
    """64 runs of six settings with two values each: 32 pairs a setting."""
    sides = []
    for number in range(64):
        settings = {f"s{bit}": number >> bit & 1 for bit in range(6)}
        sides.append(side(f"r{number}", [float((number >> (q % 6)) & 1) for q in range(10)], **settings))
    found = contributions(sides, "hit@5")
    assert len(found) == 6
    assert {each.pairs for each in found} == {32}
