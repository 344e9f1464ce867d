"""Comparison of runs, answer measures, and the reranking step."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pytest

from aventrik.core.answering import Answer
from aventrik.core.comparing.account import losses, worst_question
from aventrik.core.comparing.contributions import contributions, interactions
from aventrik.core.comparing.crossing import crossed, crossed_by_group
from aventrik.core.comparing.differences import paired_difference, paired_differences
from aventrik.core.comparing.draws import Asked, Scope
from aventrik.core.comparing.groups import beaten, by_group
from aventrik.core.comparing.sheet import Sheet
from aventrik.core.comparing.sides import Side, all_pairs, best_of, board, contrasts, means
from aventrik.core.context import within_budget
from aventrik.core.judging import Judgement, Verdict
from aventrik.core.measures import answer_scores
from aventrik.core.measures.answers import Judged
from aventrik.core.reranking import STEPS, Item, StepMeans, apply
from aventrik.english import OfflineModel


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
    assert found[0].difference.p == pytest.approx(0.5**7)  # seven questions better, none worse; mid-p
    assert found[0].p == pytest.approx(0.5**7)  # the other one never differs: there is nothing to correct for
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


MEANS = StepMeans(lambda term: 1.0, OfflineModel(), Longest())
ITEMS = [Item(0, 0.9, "Dogs on a lead.", ""), Item(1, 0.8, "The bridge key costs money.", ""), Item(2, 0.7, "Key.", "")]


def test_relevant_candidates_go_first_and_those_not_asked_stay_last() -> None:
    [ranked] = apply("relevance", ["what does a bridge key cost"], [ITEMS], {"keep": 2, "scale": "yes-no"}, MEANS)
    assert [chunk for chunk, _ in ranked.items] == [1, 0, 2]


def test_a_cross_encoder_orders_by_its_score_and_drops_the_rest() -> None:
    [ranked] = apply("cross-encoder", ["key"], [ITEMS], {"keep": 2}, MEANS)
    assert [chunk for chunk, _ in ranked.items] == [1, 0]


def test_a_step_says_what_it_needs() -> None:
    assert {name for name, step in STEPS.items() if step.rarity} == {"closeness", "extract"}
    assert {name: step.model for name, step in STEPS.items() if step.model} == {
        "relevance": "language", "cross-encoder": "reranking", "embedding": "embedding", "extract": "language",
        "floor": "embedding", "distinct": "embedding",
    }  # fmt: skip
    assert {name for name, step in STEPS.items() if step.whole} == {"split", "extract", "neighbours"}


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
    for each in found.values():
        assert each.difference.p <= each.p == each.difference.corrected
        assert each.difference.together == 2


def test_all_pairs_are_corrected_over_all_of_them() -> None:
    third = side("third", [1, 1, 1, 1, 1, 1, 1, 1, 1, 1])
    found = all_pairs([BASE, GOOD, SAME, third], "hit@5")
    assert len(found) == 6
    by_pair = {(each.name, each.against): each for each in found}
    assert by_pair["third", "base"].difference.p == pytest.approx(0.5**8)
    assert by_pair["third", "base"].difference.p <= by_pair["third", "base"].p < 6 * 0.5**8  # less than Bonferroni's
    assert {each.difference.together for each in found} == {6}


def test_what_is_inferred_to_says_what_is_drawn() -> None:
    asked = {"q1": Asked("x", evidence=(("x", 0, 9),)), "q2": Asked("x", evidence=(("x", 4, 9),)), "q3": Asked("y")}
    scores = {key: {"hit@5": value} for key, value in zip(asked, (1.0, 0.0, 1.0))}
    some = Side("a", {}, scores, asked=asked)
    these = board([some], "hit@5", Scope("these documents")).draws
    assert these.units is not None
    assert these.units.tolist() == [0, 0, 1]  # the first two share evidence
    assert these.documents is None
    like = board([some], "hit@5", Scope("documents like these", 2, 8)).draws
    assert like.documents is not None
    assert like.documents.tolist() == [0, 0, 1]
    assert like.covered == 0.25
    [row] = means([some], ["hit@5"], scope=Scope("documents like these", 2, 8))
    assert row["hit@5"].documents == 2


def test_in_a_full_sweep_every_run_has_one_partner_a_setting() -> None:
    """64 runs of six settings with two values each: 32 pairs a setting."""
    sides = []
    for number in range(64):
        settings = {f"s{bit}": number >> bit & 1 for bit in range(6)}
        sides.append(side(f"r{number}", [float((number >> (q % 6)) & 1) for q in range(10)], **settings))
    found = contributions(sides, "hit@5")
    assert len(found) == 6
    assert {each.pairs for each in found} == {32}


def swept(values: dict[tuple[object, ...], list[float]], *names: str) -> list[Side]:
    """Runs by the values of their settings."""
    return [side(str(key), row, **dict(zip(names, key))) for key, row in values.items()]


def test_a_setting_that_is_not_used_does_not_stand_between_two_runs() -> None:
    found = contributions(
        swept(
            {
                ("keyword", None): [0, 0, 0, 1],
                ("both", "lsa"): [1, 0, 0, 1],
                ("both", "static"): [1, 1, 0, 1],
            },
            "method",
            "model",
        ),
        "hit@5",
    )
    by_setting = {each.setting: each for each in found}
    assert by_setting["method"].pairs == 2
    assert by_setting["method"].instead_of == "both"
    assert by_setting["method"].difference.mean == pytest.approx(-0.375)
    assert by_setting["model"].pairs == 1  # of the two runs that use one
    assert by_setting["model"].difference.mean == pytest.approx(0.25)


def test_an_interaction_is_the_difference_of_two_differences() -> None:
    both_help = {
        (300, "lsa"): [0.0] * 20,
        (800, "lsa"): [0.2] * 20,
        (300, "static"): [0.1] * 20,
        (800, "static"): [0.9] * 18 + [0.3] * 2,
    }
    [found] = interactions(swept(both_help, "size", "model"), "score@5") or [None]
    assert found is None  # no run has this measure
    [found] = interactions(swept(both_help, "size", "model"), "hit@5")
    assert (found.setting, found.value, found.other, found.other_value) == ("model", "static", "size", "800")
    assert found.here == pytest.approx(0.84 - 0.2)
    assert found.there == pytest.approx(0.1)
    assert found.difference.mean == pytest.approx(0.54)
    assert found.real
    assert interactions(swept(dict(list(both_help.items())[:3]), "size", "model"), "hit@5") == []


def test_two_settings_crossed_mark_the_best_cell_and_what_is_as_good() -> None:
    good, bad = [1.0] * 18 + [0.0] * 2, [0.0] * 18 + [1.0] * 2
    sides = swept({(300, "a"): good, (300, "b"): bad, (1600, "a"): good[::-1], (1600, "b"): bad}, "size", "model")
    found = crossed(sides, board(sides, "hit@5"), "size", "model", ["size", "model"])
    assert (found.rows, found.columns) == (["300", "1600"], ["a", "b"])
    assert [found.at(row, column).interval.mean for row in found.rows for column in found.columns] == pytest.approx([0.9, 0.1, 0.9, 0.1])  # type: ignore[union-attr]  # fmt: skip
    assert [(cell.best, cell.level) for cell in found.cells] == [
        (True, True),
        (False, False),
        (False, True),
        (False, False),
    ]
    assert not found.uneven
    uneven = crossed(sides, board(sides, "hit@5"), "size", "model", ["size", "model", "name"])
    assert not uneven.uneven
    other = swept({(300, "a", 1): good, (300, "b", 2): bad}, "size", "model", "k")
    assert crossed(other, board(other, "hit@5"), "size", "model", ["size", "model", "k"]).uneven


def test_a_setting_crossed_with_what_questions_are_has_a_best_value_in_each_group() -> None:
    sides = swept({("keyword",): [1] * 10 + [0] * 10, ("vector",): [0] * 10 + [1] * 10}, "method")
    labels = {f"q{n}": ("table",) if n < 10 else ("text",) for n in range(20)}
    found = crossed_by_group(sides, board(sides, "hit@5"), "method", "kind", labels)
    assert found.at("keyword", "table").best  # type: ignore[union-attr]
    assert found.at("vector", "text").best  # type: ignore[union-attr]
    assert not found.at("vector", "table").level  # type: ignore[union-attr]


def test_a_group_in_which_the_order_turns_round_is_flagged() -> None:
    ours = [1.0] * 30 + [0.0] * 10
    theirs = [0.0] * 30 + [1.0] * 10
    sides = [side("ours", ours), side("theirs", theirs)]
    kinds = {f"q{n}": ("text",) if n < 30 else ("table",) for n in range(40)}
    few = {f"q{n}": ("rare",) for n in range(3)}
    found = by_group(board(sides, "hit@5"), 0, 1, {"kind": kinds, "tag": few})
    assert [(each.label, each.n, each.turned, each.real) for each in found] == [
        ("table", 10, True, True),
        ("text", 30, False, True),
    ]
    assert found[0].p == pytest.approx(0.5**10, abs=5e-4)  # of two groups; by lot
    better = beaten(board(sides, "hit@5"), 0, [1], {"kind": kinds})
    assert [(each.label, each.place) for each in better] == [("table", 1)]
    tokens = by_group(board(sides, "tokens@5"), 0, 1, {"kind": kinds})  # less is better
    assert {each.label: each.turned for each in tokens} == {"table": True, "text": False}


def test_a_sheet_reads_like_what_it_was_made_of() -> None:
    scores = {"a": {"hit@5": 1.0, "groundedness": 0.5}, "b": {"hit@5": 0.0}}
    sheet = Sheet.of(scores)
    assert dict(sheet) == scores
    assert dict(sheet.narrowed(["b"])) == {"b": {"hit@5": 0.0}}
    assert sheet.mean("groundedness") == 0.5
    assert sheet.mean("nothing") is None
    assert sheet.names == ("groundedness", "hit@5")
    assert list(sheet.present("hit@5")) == [1.0, 0.0]


def test_what_some_questions_lack_is_left_out_of_means_and_differences() -> None:
    one = Side("one", {}, {"a": {"g": 1.0}, "b": {"g": 0.5}, "c": {}})
    two = Side("two", {}, {"a": {"g": 0.0}, "b": {}, "c": {"g": 1.0}})
    rows = means([one, two], ["g"])
    assert [(row["g"].mean, row["g"].n) for row in rows] == [(0.75, 2), (0.5, 2)]
    [gap] = contrasts([one, two], 0, "g")
    assert (gap.difference.mean, gap.difference.n) == (-1.0, 1)
    assert means([Side("x", {}, {"a": {}})], ["g"]) == [{}]


def test_many_differences_at_once_have_means_and_p_values_of_their_own_and_wider_intervals() -> None:
    rng = np.random.default_rng(3)
    values, base = rng.random((5, 60)), rng.random(60)
    many = paired_differences(values, base, "score", seed=1, power={0})
    for row, found in zip(values, many):
        alone = paired_difference(list(row), list(base), "score", seed=1)
        assert found is not None
        assert (found.mean, found.p) == pytest.approx((alone.mean, alone.p), abs=2e-3)
        assert found.low < alone.low < alone.high < found.high
        assert (found.together, alone.together) == (5, 1)
    assert many[0].smallest is not None  # type: ignore[union-attr]
    assert many[1].smallest is None  # type: ignore[union-attr]
    hits = (values > 0.5).astype(float)
    [none, same] = paired_differences(np.array([np.full(60, np.nan), hits[0]]), hits[0], "share")
    assert none is None
    assert same is not None
    assert same.same


def test_the_figures_are_those_of_other_libraries() -> None:
    """Intervals, tests and corrections of a comparison, worked out by SciPy and statsmodels."""
    from scipy import stats
    from statsmodels.stats.contingency_tables import mcnemar as their_mcnemar
    from statsmodels.stats.proportion import proportion_confint

    rng = np.random.default_rng(11)
    hard = rng.random(120)
    sides = [
        side(f"r{n}", list((hard < level).astype(float)[rng.permutation(120)]))
        for n, level in enumerate((0.4, 0.5, 0.65, 0.8))
    ]
    rows = means(sides, ["hit@5", "tokens@5"])
    for each, row in zip(sides, rows):
        hits = np.array([scores["hit@5"] for scores in each.scores.values()])
        low, high = proportion_confint(hits.sum(), 120, method="wilson")
        assert (row["hit@5"].low, row["hit@5"].high) == pytest.approx((low, high), abs=1e-9)
        bca = stats.bootstrap((100 * hits,), np.mean, n_resamples=20_000, method="BCa", rng=5).confidence_interval
        assert (row["tokens@5"].low, row["tokens@5"].high) == pytest.approx((bca.low, bca.high), abs=1.2)
    found = contrasts(sides, 0, "hit@5")
    base = np.array([scores["hit@5"] for scores in sides[0].scores.values()])
    for each, gap in zip(sides[1:], found):
        hits = np.array([scores["hit@5"] for scores in each.scores.values()])
        table = [[((hits == a) & (base == b)).sum() for b in (1, 0)] for a in (1, 0)]
        fewer, moved = min(table[0][1], table[1][0]), table[0][1] + table[1][0]
        mid = their_mcnemar(table, exact=True).pvalue - stats.binom.pmf(fewer, moved, 0.5)
        assert gap.difference.p == pytest.approx(mid, abs=0.008)  # by lot
        assert gap.difference.p <= gap.p
    scores = rng.beta(2, 3, (2, 60))
    one = paired_difference(list(scores[0]), list(scores[1]), "score")
    flips = stats.permutation_test(
        (scores[0] - scores[1],), np.mean, permutation_type="samples", n_resamples=20_000, rng=6
    )
    assert one.p == pytest.approx(flips.pvalue, abs=0.02)
