"""Limits decided on intervals: passed, failed, undecided; how many questions would decide."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import stats

from aventrik.core.comparing.draws import EACH, Draws
from aventrik.core.comparing.gates import held_to_baseline, held_to_bound

HITS = np.array([1.0] * 80 + [0.0] * 20)  # Wilson's interval of 80 of 100 at 90 %: 0.7266 to 0.8574


@pytest.mark.parametrize(
    ("bound", "margin", "state"),
    [
        (0.70, 0.0, "passed"),
        (0.75, 0.0, "undecided"),
        (0.75, 0.05, "passed"),  # the limit is 0.70
        (0.90, 0.0, "failed"),
        (0.90, 0.05, "undecided"),  # the limit is 0.85
        (0.90, 0.03, "failed"),
        (0.90, 0.20, "passed"),
    ],
)
def test_a_mean_is_held_to_the_least_that_it_may_be(bound: float, margin: float, state: str) -> None:
    held = held_to_bound(HITS, "share", EACH, bound, margin=margin)
    assert held is not None
    assert held.state == state
    assert (held.low, held.high) == pytest.approx((0.7266, 0.8574), abs=2e-4)


@pytest.mark.parametrize(("bound", "state"), [(0.9, "passed"), (0.75, "undecided"), (0.7, "failed")])
def test_and_to_the_greatest(bound: float, state: str) -> None:
    held = held_to_bound(HITS, "share", EACH, bound, most=True)
    assert held is not None
    assert held.state == state


def test_of_many_limits_each_fails_at_a_level_of_its_own() -> None:
    alone = held_to_bound(HITS, "share", EACH, 0.87)
    among = held_to_bound(HITS, "share", EACH, 0.87, together=10)
    assert alone is not None
    assert among is not None
    assert (alone.state, among.state) == ("failed", "undecided")  # 0.8574 at 90 %, more than 0.87 at 99 %
    assert among.high == alone.high  # what is told stays the interval of 90 %


def test_a_drop_is_tolerated_up_to_its_margin() -> None:
    theirs = np.array([1.0] * 200 + [0.0] * 100)
    same, fallen = theirs.copy(), theirs.copy()
    fallen[:60] = 0.0
    held = {
        name: held_to_baseline(ours, theirs, "share", EACH, False, 0.1) for name, ours in (("same", same), ("fallen", fallen))
    }  # fmt: skip
    assert held["same"] is not None
    assert held["fallen"] is not None
    assert held["same"].state == "passed"
    assert held["same"].low > -0.1
    assert held["fallen"].state == "failed"
    assert held["fallen"].value == pytest.approx(-0.2)
    much = held_to_baseline(fallen, theirs, "share", EACH, False, 0.3)
    assert much is not None
    assert much.state == "passed"  # a drop, but a tolerated one


def test_less_may_be_better() -> None:
    lot = np.random.default_rng(1)
    theirs = lot.gamma(2.0, 100.0, size=200)
    slower = held_to_baseline(theirs + 50, theirs, "cost", EACH, True, 10.0)
    quicker = held_to_baseline(theirs - 50, theirs, "cost", EACH, True, 10.0)
    assert slower is not None
    assert quicker is not None
    assert (slower.state, quicker.state) == ("failed", "passed")


def test_the_same_results_pass_however_few_they_are_and_equal_scores_by_other_results_do_not() -> None:
    scores = np.array([0.2, 0.7, 1.0, 0.4, 0.9])
    same = held_to_baseline(scores, scores, "score", EACH, False, 0.01, same=True)
    equal = held_to_baseline(scores, scores, "score", EACH, False, 0.01)
    assert same is not None
    assert equal is not None
    assert (same.state, same.same) == ("passed", True)
    assert (equal.state, equal.same) == ("undecided", False)
    assert equal.low < -0.2  # of five questions that did not change little can be said
    assert equal.unable is False  # had all of them lost all, it would have failed
    assert same.more is None
    assert equal.more is not None


def test_a_real_drop_that_is_smaller_than_tolerated_fails_nothing() -> None:
    theirs = np.ones(400)
    ours = theirs.copy()
    ours[:12] = 0.0  # 3 %, which McNemar's test finds: p = 0.0005
    assert stats.binomtest(12, 12).pvalue < 0.001
    held = held_to_baseline(ours, theirs, "share", EACH, False, 0.04)
    assert held is not None
    assert held.state == "undecided"
    assert held.low < -0.04 < held.value


def test_the_number_that_is_named_is_that_of_the_formula() -> None:
    """1.1 · ((1.645 + 1.282) ÷ margin)² times the mean square of the differences, or, where that is more, their variance at a drop
    of twice the margin: the differences of a tenth of the questions, of which then more go one way."""
    theirs = np.array([1.0, 0.0] * 100)
    ours = theirs.copy()
    ours[:20] = 1 - ours[:20]  # 10 % flip, as many either way
    held = held_to_baseline(ours, theirs, "share", EACH, False, 0.02)
    assert held is not None
    assert held.state == "undecided"
    fallen = 0.1 * (1 + (0.04 / 0.1) ** 4) ** 0.25 - 0.04**2
    wanted = 1.1 * ((1.644854 + 1.281552) / 0.02) ** 2 * max(0.1, fallen)
    assert held.enough == pytest.approx(wanted, abs=1.5)
    assert held.more == (held.enough or 0) - 200
    of_documents = held_to_baseline(ours, theirs, "share", Draws(documents=np.arange(200) // 4), False, 0.02)
    assert of_documents is not None
    assert of_documents.documents == 50
    assert of_documents.enough_documents == pytest.approx((of_documents.enough or 0) / 4, abs=1)


def test_the_number_for_a_mean_is_that_of_the_formula_too() -> None:
    """To pass the distance to the limit counts at 5 %; to fail, at 5 % ÷ the number of limits."""
    spread = (0.8574 - 0.7266) / (2 * 1.644854) * 10  # of a question, by Wilson's interval of 80 of 100
    passing = held_to_bound(HITS, "share", EACH, 0.75, together=4)
    assert passing is not None
    assert passing.enough == pytest.approx(((1.644854 + 1.281552) * spread / 0.05) ** 2, rel=0.01)
    failing = held_to_bound(HITS, "share", EACH, 0.85, together=4)
    assert failing is not None
    assert failing.state == "undecided"
    level = stats.norm.ppf(1 - 0.05 / 4)
    assert failing.enough == pytest.approx(((level + 1.281552) * spread / 0.05) ** 2, rel=0.01)


def test_so_few_questions_could_not_have_failed_and_that_is_told() -> None:
    one = held_to_bound(np.array([1.0, 0.0, 1.0]), "share", EACH, 0.3)
    assert one is not None
    assert (one.state, one.unable) == ("undecided", True)  # of three misses the interval reaches 0.63
    assert held_to_bound(np.array([1.0, 0.0] * 5), "share", EACH, 0.6).unable is False  # type: ignore[union-attr]
    few = held_to_baseline(np.array([0.0, 1.0, 1.0]), np.ones(3), "share", EACH, False, 0.1)
    assert few is not None
    assert (few.state, few.unable) == ("undecided", True)


def test_at_the_limit_itself_it_seldom_passes_and_seldom_fails() -> None:
    """Hits of 120 questions, a true drop of just what is allowed: each in 5 % of 300 sets but for chance (15 ± 3.8)."""
    lot = np.random.default_rng(3)
    states = []
    for seed in range(300):
        hard = lot.normal(size=120)
        ours, theirs = (
            (0.6 * hard + 0.8 * lot.normal(size=120) < stats.norm.ppf(level)).astype(float) for level in (0.65, 0.75)
        )
        held = held_to_baseline(ours, theirs, "share", EACH, False, 0.1, 1, seed)
        assert held is not None
        states.append(held.state)
    assert states.count("failed") <= 26
    assert states.count("passed") <= 26


def test_nothing_is_said_where_nothing_is_known() -> None:
    nothing = np.full(5, np.nan)
    assert held_to_bound(nothing, "share", EACH, 0.5) is None
    assert held_to_baseline(nothing, np.ones(5), "share", EACH, False, 0.1) is None
    on_the_edge = held_to_bound(np.array([1.0, 0.0] * 10), "share", EACH, 0.5)
    assert on_the_edge is not None
    assert (on_the_edge.state, on_the_edge.enough, on_the_edge.more) == ("undecided", None, None)


def test_without_a_change_it_seldom_fails_and_twice_the_margin_is_stopped() -> None:
    """A small part of `benchmarks/gating.py`: hits of 60 questions, three to a document, two limits."""
    lot = np.random.default_rng(8)
    groups = np.arange(60) // 3
    failed = 0
    for seed in range(60):
        hard = lot.normal(size=60) + 0.5 * lot.normal(size=20)[groups]
        states = []
        for _ in range(2):
            ours, theirs = ((hard + lot.normal(size=60) < 0.8).astype(float) for _ in range(2))
            held = held_to_baseline(ours, theirs, "share", Draws(documents=groups), False, 0.05, 2, seed)
            assert held is not None
            states.append(held.state)
        failed += "failed" in states
    assert failed <= 6  # 5 % of 60 is 3; more than 6 of them has a chance of 3 %
    stopped, named = 0, 0
    for seed in range(20):
        hard = lot.normal(size=60)
        before, after = ((each < 0.8).astype(float) for each in (hard, hard + 0.7 * lot.normal(size=60)))
        first = held_to_baseline(before, after, "share", EACH, False, 0.1, 1, seed)
        assert first is not None
        named = first.enough or 60
        hard = lot.normal(size=named)
        theirs = (hard < 0.8).astype(float)
        ours = np.where(lot.random(named) < 0.2 / theirs.mean(), 0.0, theirs)  # falls by 0.2, twice the margin
        held = held_to_baseline(ours, theirs, "share", EACH, False, 0.1, 1, seed)
        assert held is not None
        stopped += held.state == "failed"
    assert stopped >= 17
