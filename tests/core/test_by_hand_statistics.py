"""What changed code of the statistics would get away with otherwise: each expected value is worked out from the definition."""

from __future__ import annotations

from types import SimpleNamespace

import numpy as np
import pytest
from scipy.stats import norm

from aventrik.core.comparing.contributions import contributions, interactions
from aventrik.core.comparing.correcting import corrected, sizes_of
from aventrik.core.comparing.gates import LimitHeld
from aventrik.core.comparing.groups import beaten
from aventrik.core.comparing.intervals import bca, checked, design_effect, spread_effect
from aventrik.core.comparing.leading import _distances
from aventrik.core.comparing.power import _least
from aventrik.core.comparing.sides import Side, board
from aventrik.core.comparing.simultaneous import skewness_corrected
from aventrik.core.errors import BadInput
from aventrik.core.indexing import keyword, terms, vectors
from aventrik.core.indexing.approximate import recall
from aventrik.core.indexing.compact import Coding, compacted
from aventrik.core.indexing.keyword import Figures, joined
from aventrik.core.judging import Judgement, Verdict
from aventrik.core.judging.agreement import Pair, agreement, kappa_of
from aventrik.core.judging.joining import joined as joined_verdicts
from aventrik.core.measures.loss import _last_held
from aventrik.core.searching.filters import parse
from aventrik.core.searching.words import WordSearch, expanded
from aventrik.core.text.counting import hash_of
from aventrik.core.text.languages import NUMBERED


def _side(name: str, values: list[float], **settings: object) -> Side:
    scores = {f"q{n}": {"hit@5": value} for n, value in enumerate(values)}
    return Side(name, settings, scores, {key: ["answered"] for key in scores})


def test_two_clusters_that_say_opposite_things_are_worth_three_times_the_variance() -> None:
    """Kish: k ÷ (k − 1) · Σ totals² ÷ n² = 2 · 2 ÷ 16 = ¼, against s² ÷ n = ⅓ ÷ 4 = 1 ÷ 12."""
    found = design_effect(np.array([1.0, 1.0, 0.0, 0.0]), np.array([0, 0, 1, 1]))
    assert found == pytest.approx(3.0)


def test_a_bootstrap_of_what_is_even_on_both_sides_is_even_though_a_quarter_of_the_resamples_tie_with_the_mean() -> (
    None
):
    low, high = bca(np.array([0.0] * 5 + [1.0] * 5))
    assert low + high == pytest.approx(1.0, abs=0.11)  # a step of the mean is 0.1
    assert (low, high) == (pytest.approx(0.2, abs=0.01), pytest.approx(0.8, abs=0.01))


def test_equal_values_leave_no_doubt_however_large_they_are() -> None:
    for value in (1 / 3, 1e6 / 3, 1e9 / 7, 123456.789):
        for n in (7, 13, 101):
            values = np.full(n, value)
            found = skewness_corrected(np.array([values.sum()]), np.array([(values**3).sum()]), (values**2).sum(), n)
            assert found == np.inf, (value, n)


def test_half_of_the_labels_go_where_the_judge_is_in_doubt() -> None:
    """√(0.1 · 0.9) = 0.3 and √(0.5 · 0.5) = 0.5: ½ · ½ + ½ · 0.3 ÷ 0.8, ½ · ½ + ½ · 0.5 ÷ 0.8."""
    assert sizes_of([0.1, 0.5]) == pytest.approx([0.4375, 0.5625])


def test_labels_beside_a_judge_that_says_the_same_of_all_are_worth_what_they_are() -> None:
    """With every question labelled and a judge that tells nothing, the estimate is the mean of the labels, as uncertain."""
    found = corrected([0.5] * 10, [1, 0, 1, 1, 0, 1, 0, 1, 1, 0])
    assert found.mean == pytest.approx(0.6)
    assert found.worth == pytest.approx(10.0)


def test_a_run_that_stands_twice_counts_once_in_an_interaction() -> None:
    """Alone `a` brings 0.5, beside `b` nothing: 0 − 0.5, whether the run of both is there once or twice."""
    plain = _side("plain", [0, 0, 0, 0], a="off", b="off", c="x")
    with_a = _side("a", [1, 1, 0, 0], a="on", b="off", c="x")
    with_b = _side("b", [1, 1, 0, 0], a="off", b="on", c="x")
    both = [_side(f"both {n}", [1, 1, 0, 0], a="on", b="on", c="x") for n in range(2)]
    [found] = [
        each
        for each in interactions([plain, with_a, with_b, *both], "hit@5")
        if {each.setting, each.other} == {"a", "b"}
    ]
    assert abs(found.difference.mean) == pytest.approx(0.5)


def test_shares_of_several_pairs_together_are_tested_as_means() -> None:
    """One pair of runs alone is McNemar's; the mean of two pairs is no share any more."""
    sides = [
        _side(f"{a} {b}", [float(n < 3 + 4 * (a == "on")) for n in range(10)], a=a, b=b)
        for a in ("off", "on") for b in ("off", "on")
    ]  # fmt: skip
    [alone] = contributions(sides[:1] + sides[2:3], "hit@5")
    assert alone.difference.p == pytest.approx(0.5**4)  # four questions, all one way: McNemar's mid-p
    together = contributions(sides, "hit@5")
    assert next(each.difference.mean for each in together if each.setting == "a") == pytest.approx(0.4)


def test_who_always_said_the_same_is_named() -> None:
    same = [Pair("yes", "yes"), Pair("yes", "yes")]
    assert kappa_of(same, ("yes", "no")).why.startswith("the judge and people always say the same")
    judge = [Pair("yes", "yes"), Pair("yes", "no")]
    assert kappa_of(judge, ("yes", "no")).why.startswith("the judge always said the same")
    people = [Pair("yes", "yes"), Pair("no", "yes")]
    assert kappa_of(people, ("yes", "no")).why.startswith("people always said the same")


def test_the_first_text_that_a_filter_lets_pass_is_found() -> None:
    rows = np.eye(3, dtype=np.float32)
    allowed = np.array([True, False, True])
    [hits] = vectors.search(rows, rows[:1], 2, allowed)
    assert [place for place, _ in hits] == [0, 2]


def test_languages_of_shards_are_counted_and_first_met_where_they_stand_in_the_whole() -> None:
    """Three shards of 2, 3 and 2 texts: language 1 in the first two, language 3 in the second, language 0 in the third."""

    def part(counts: dict[int, int], first: dict[int, int]) -> Figures:
        size = sum(counts.values())
        languages = np.zeros((2, len(NUMBERED) + 1), dtype=np.int64)
        languages[1] = size
        for each, count in counts.items():
            languages[0, each], languages[1, each] = count, first[each]
        none = np.array([], dtype=np.uint64)
        return Figures(size, none, np.array([], dtype=np.int64), np.array([]), np.array([0]), languages)

    found = joined([part({1: 2}, {1: 0}), part({1: 1, 3: 2}, {1: 2, 3: 0}), part({0: 2}, {0: 0})])
    assert {each: tuple(found.languages[:, each]) for each in (0, 1, 3)} == {0: (2, 5), 1: (3, 0), 3: (2, 2)}
    assert found.spoken == (NUMBERED[1], NUMBERED[3], NUMBERED[0])


def _terms(documents: list[str], languages: list[str]) -> keyword.Terms:
    made = [terms.count([[text]], language)[0] for text, language in zip(documents, languages)]
    columns = {name: np.concatenate([each[name] for each in made]) for name in made[0]}
    return columns, {name: np.cumsum([0, *(len(each[name]) for each in made)]) for name in made[0]}


def test_texts_without_a_language_are_counted_apart_from_those_of_the_first_one() -> None:
    found = keyword.figures(_terms(["gate", "lock", "bridge"], [NUMBERED[0], "none", "none"]))
    assert (found.languages[0, 0], found.languages[0, len(NUMBERED)]) == (1, 2)
    assert found.spoken == ("none", NUMBERED[0])


def test_a_term_beyond_the_last_of_the_whole_occurs_nowhere() -> None:
    held = _terms(["gate lock"], ["english"])
    whole = keyword.figures(held)
    index = keyword.merge(held, keyword.Scoring("bm25"), None, whole)
    beyond = next(word for n in range(100) if hash_of(word := f"w{n}") > whole.hashes.max())
    assert index.document_frequency(beyond) == 0
    assert index.document_frequency("gate") == 1


def test_a_share_of_weighted_pairs_is_as_sure_as_the_number_that_they_are_worth() -> None:
    """Ten times weights 1, 1, 1, 1, 2 and 2: (40 + 40)² ÷ (40 + 80) = 53⅓ pairs, of which (30 + 20) ÷ 80 = 5 ÷ 8 agree;
    of so many the interval is Wilson's."""
    six = [Pair("yes", "yes")] * 3 + [Pair("yes", "no"), Pair("no", "no", weight=2.0), Pair("no", "yes", weight=2.0)]
    pairs = six * 10
    found = agreement(pairs, ("yes", "no"))
    n, share, z = 160 / 3, 5 / 8, norm.ppf(0.975)
    middle = (share + z * z / (2 * n)) / (1 + z * z / n)
    half = z * np.sqrt(share * (1 - share) / n + (z / (2 * n)) ** 2) / (1 + z * z / n)
    assert found.raw == pytest.approx(share)
    assert (found.low, found.high) == (pytest.approx(middle - half), pytest.approx(middle + half))


def test_a_need_that_one_step_loses_and_another_finds_again_was_lost_at_the_last_one() -> None:
    """Found again, it is not lost; lost for good behind the third step; never lost."""
    steps = [[False, True, True], [True, True, True], [True, False, True]]
    held = SimpleNamespace(steps=steps)
    assert [_last_held(held, place) for place in range(3)] == [  # type: ignore[arg-type]
        [False, False, False], [False, False, True], [False, False, False],
    ]  # fmt: skip


def test_the_spread_of_a_few_scores_counts_three_more_that_are_spread_as_widely_as_can_be() -> None:
    """0.4 and 0.6: squares 0.02, m(1 − m) = 0.25; (0.02 + 3 · 0.25) ÷ ((2 − 1 + 3) · 0.25) = 0.77."""
    assert spread_effect(np.array([0.4, 0.6])) == pytest.approx(0.77)


@pytest.mark.parametrize("value", [-0.5, 1.5])
def test_what_is_no_score_is_refused_at_either_end(value: float) -> None:
    with pytest.raises(ValueError, match="from 0 to 1"):
        checked([0.5, value], "score")
    assert checked([0.0, 1.0], "score").tolist() == [0.0, 1.0]


def test_one_question_more_is_one() -> None:
    held = LimitHeld("undecided", 0.0, -1.0, 1.0, 10, enough=11)
    assert held.more == 1
    assert LimitHeld("undecided", 0.0, -1.0, 1.0, 10, enough=10).more == 1
    assert LimitHeld("undecided", 0.0, -1.0, 1.0, 10, enough=14).more == 4
    assert LimitHeld("passed", 0.0, -1.0, 1.0, 10, enough=14).more is None


def test_one_run_alone_is_beaten_nowhere() -> None:
    one = _side("one", [1.0, 0.0, 1.0])
    scored = board([one], "hit@5")
    assert beaten(scored, 0, [], {"kind": {"q0": ("a",), "q1": ("a",), "q2": ("b",)}}) == []
    assert beaten(scored, 0, [0], {"kind": {"q0": ("a",), "q1": ("a",), "q2": ("b",)}}) == []


def test_labels_are_worth_as_many_as_it_would_take_without_the_judge() -> None:
    """Of so few the judge counts for less than half, and what was not labelled for its share: a little under the eight."""
    found = corrected([0.2, 0.4, 0.6, 0.8] * 10, [0.2, 0.4, 0.6, 0.8, 0.2, 0.4, 0.6, 0.8, *[None] * 32])
    assert found.mean == pytest.approx(0.5)
    assert found.weight < 0.5
    assert 6.5 < found.worth < 7.9


def test_a_language_is_told_by_the_first_text_in_which_it_occurs_whichever_shard_that_is_in() -> None:
    """Shards of two texts each: one language in the first, another in the second from its second text on."""
    hashes = np.unique(np.array([hash_of("x")], dtype=np.uint64))

    def part(english: int, german: int, first_english: int, first_german: int) -> Figures:
        languages = np.zeros((2, len(NUMBERED)), dtype=np.int64)
        languages[0, :2] = english, german
        languages[1, :2] = first_english, first_german
        return Figures(2, hashes, np.array([1]), np.array([1.0]), np.array([2.0]), languages)

    whole = joined([part(2, 0, 0, 0), part(0, 2, 0, 1)])
    assert whole.languages[0, :2].tolist() == [2, 2]
    assert whole.languages[1, :2].tolist() == [0, 3]  # the second text of the second shard


def test_the_share_of_one_neighbour_that_is_found_is_whole() -> None:
    rows = np.eye(2, dtype=np.float32)
    assert recall(lambda queries, top, may: vectors.search(rows, queries, top), rows, top=1) == 1.0


def test_a_number_that_is_0_has_no_bit() -> None:
    made = compacted(np.array([[0.0, 1.0, -1.0, 0.5, 0.0, 0.0, 0.0, 0.0]], dtype=np.float32), Coding(bits=1))
    assert np.unpackbits(made["rows"][0]).tolist() == [0, 1, 0, 1, 0, 0, 0, 0]


def test_of_equal_terms_feedback_takes_those_that_come_first_in_the_alphabet() -> None:
    models = [{"weir": 1.0, "buoy": 1.0, "quay": 1.0}]
    found = expanded({"lock": 1.0}, models, [1.0], WordSearch(feedback=1, feedback_terms=2, feedback_weight=0.5))
    assert set(found) == {"lock", "buoy", "quay"}
    assert found["buoy"] == pytest.approx(0.25)  # half of the whole for the results, shared by two


def test_the_distance_of_two_configurations_is_that_of_their_scores() -> None:
    totals = np.array([[0.0, 0.0], [3.0, 4.0], [3.0, 4.0]])
    found = _distances(totals, totals**2)
    assert found == pytest.approx(np.array([[0, 5, 5], [5, 0, 0], [5, 0, 0]]), abs=1e-6)


def test_no_difference_is_looked_for_beyond_the_greatest_there_can_be() -> None:
    assert _least(lambda delta: delta / 2, 0.8, 1.0) is None  # 2 would do, and there is no such difference
    assert _least(lambda delta: delta, 0.8, 1.0) == pytest.approx(0.8, abs=2e-3)


def test_how_deep_a_condition_is_nested_is_counted_anew_behind_each_bracket() -> None:
    beside = " and ".join(["(a = 1)"] * 40)
    assert parse(f"{beside} and {'(' * 49}a = 1{')' * 49}")
    with pytest.raises(BadInput, match="nested more than 50 deep"):
        parse(f"{beside} and {'(' * 51}a = 1{')' * 51}")


def test_where_no_judge_can_tell_the_first_ones_word_stands() -> None:
    far = [Judgement((Verdict("The gate is open.", "too far to tell", reason, (), ()),)) for reason in ("one", "two")]
    [verdict] = joined_verdicts(far, "majority").verdicts
    assert (verdict.verdict, verdict.reason) == ("too far to tell", "one")
