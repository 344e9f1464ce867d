"""Which of many may be the best, means of runs that lack some questions, racing."""

from __future__ import annotations

from itertools import product

import numpy as np
import pytest
from scipy import stats

from aventrik.core.comparing.draws import EACH
from aventrik.core.comparing.front import front
from aventrik.core.comparing.leading import adjusted_means, may_be_best
from aventrik.core.comparing.racing import FIRST, go_on, looks


def alike(rng: np.random.Generator, runs: int, questions: int, truth: np.ndarray) -> np.ndarray:
    """Hits of runs with true means, on questions whose difficulty they share."""
    from scipy.special import ndtri

    hard = rng.normal(size=questions) * 0.77 + rng.normal(size=(runs, questions)) * 0.64
    return (hard < ndtri(truth)[:, None]).astype(float)


def test_of_two_runs_the_p_value_is_half_of_the_tests() -> None:
    ours = np.array([1.0] * 9 + [0.0] * 31)
    theirs = np.array([0.0] * 7 + [1.0] * 3 + [0.0] * 30)  # 7 better, 1 worse
    p = may_be_best(np.array([ours, theirs]))
    assert p[0] == pytest.approx(1.0, abs=1e-3)
    tail = stats.binom(8, 0.5)
    assert p[1] == pytest.approx(tail.cdf(0) + tail.pmf(1) / 2, abs=0.01)


def test_the_statistic_is_the_one_of_the_definition() -> None:
    values = np.array([[1, 1, 1, 0.5, 0.2], [0.3, 0.1, 0.4, 0.5, 0.0], [0.9, 0.2, 0.8, 0.5, 0.1]])
    p = may_be_best(values)
    # of the second run: all 32 ways to flip five questions, in which the greatest of the others is as great as the one seen
    gaps = [values[other] - values[1] for other in (0, 2)]
    seen = max(gap.sum() / np.sqrt((gap**2).sum()) for gap in gaps)
    flips = [max((np.array(s) * g).sum() / np.sqrt((g**2).sum()) for g in gaps) for s in product((1, -1), repeat=5)]
    mid = np.mean([0.5 * (abs(each - seen) < 1e-9) + (each > seen + 1e-9) for each in flips])
    assert p[1] == pytest.approx(mid, abs=0.02)


@pytest.mark.parametrize("missing", [False, True])
def test_runs_with_equal_scores_stand_or_fall_together(missing: bool) -> None:
    good, bad = [1.0] * 30 + [0.0] * 10, [0.0] * 30 + [1.0] * 10
    values = np.array([good, good, bad])
    if missing:
        values[:, 5] = np.nan
        values[2, 6] = np.nan
    p = may_be_best(values)
    assert p[0] == p[1] > 0.9
    assert p[2] < 0.05


def test_two_runs_are_held_against_each_other_on_the_questions_of_both() -> None:
    rng = np.random.default_rng(3)
    values = alike(rng, 4, 60, np.array([0.8, 0.6, 0.5, 0.4]))
    extra = np.full((4, 20), np.nan)
    extra[0] = 1.0  # questions that one run alone has tell nothing
    assert may_be_best(np.hstack([values, extra])) == pytest.approx(may_be_best(values), abs=0.03)


@pytest.mark.parametrize("kind", ["equal", "spread"])
def test_the_best_one_is_seldom_refused(kind: str) -> None:
    rng = np.random.default_rng(2)
    truth = np.full(20, 0.7) if kind == "equal" else np.linspace(0.45, 0.75, 20)
    held = [may_be_best(alike(rng, 20, 120, truth), seed=seed)[truth == truth.max()][0] >= 0.05 for seed in range(80)]
    assert np.mean(held) >= 0.9  # 95 % but for what 80 worlds may miss it by


def test_units_are_what_is_drawn_and_leaning_makes_less_of_what_is_seen() -> None:
    rng = np.random.default_rng(4)
    one = rng.integers(0, 2, size=(2, 8)).astype(float)
    one[0] = np.maximum(one[0], one[1])
    one[0, :4] = 1.0
    one[1, :4] = 0.0
    values, units = np.repeat(one, 30, axis=1), np.repeat(np.arange(8), 30)
    assert may_be_best(values).min() < 0.001  # as if 240 questions had been drawn
    assert may_be_best(values, units).min() > 0.01  # only eight were
    assert may_be_best(values, effect=30.0).min() > 0.01
    assert may_be_best(values, effect=30.0, freedom=3.0).min() > may_be_best(values, effect=30.0).min()


def test_means_are_fitted_where_not_all_have_the_same_questions() -> None:
    """Runs of 0.1 and 0.3 more on questions of 0.2, 0.4 and 0.6, some missing: what is left is found again."""
    questions, runs = np.array([0.2, 0.4, 0.6]), np.array([0.1, 0.3])
    values = runs[:, None] + questions
    values[0, 0] = values[1, 2] = np.nan
    assert adjusted_means(values) == pytest.approx(runs + 0.4)
    whole = np.array([[1.0, 0.0], [1.0, 1.0]])
    assert adjusted_means(whole) == pytest.approx([0.5, 1.0])


def test_a_race_looks_after_ever_more_questions_and_never_stops_the_best_for_sure() -> None:
    assert looks(20) == [20]
    assert looks(300)[0] == FIRST
    assert looks(300)[-1] == 300
    assert all(later >= 1.2 * earlier for earlier, later in zip(looks(5000), looks(5000)[1:]))
    rng = np.random.default_rng(8)
    truth = np.repeat([0.8, 0.75, 0.4], [1, 3, 16])
    schedule = looks(200)
    lost, asked = 0, []
    for world in range(30):
        values = alike(rng, 20, 200, truth)
        left, used, done = np.arange(20), 0, 0
        for look, count in enumerate(schedule[:-1]):
            used, done = used + len(left) * (count - done), count
            left = left[go_on(values[left][:, :count], EACH, look, schedule, world)]
        asked.append((used + len(left) * (200 - done)) / (20 * 200))
        lost += 0 not in left
    assert lost <= 3  # 5 % of 30, and what chance adds
    assert np.mean(asked) < 0.6
    assert may_be_best(np.ones((1, 4))).tolist() == [1.0]


def test_a_race_ends_where_nobody_can_be_better_by_more_than_what_one_is_indifferent_to() -> None:
    rng = np.random.default_rng(9)
    values = alike(rng, 3, 400, np.full(3, 0.7))
    schedule = [400, 800]
    assert go_on(values, EACH, 0, schedule).all()  # none is worse
    assert go_on(values, EACH, 0, schedule, zone=0.01).all()
    kept = go_on(values, EACH, 0, schedule, zone=0.3)
    assert kept.tolist() == (np.arange(3) == values.mean(axis=1).argmax()).tolist()


def test_the_front_is_what_nothing_beats_for_less() -> None:
    quality = [0.5, 0.7, 0.7, 0.6, 0.9, None, 0.4]
    cost = [1.0, 2.0, 3.0, 2.0, 9.0, 0.1, None]
    assert front(quality, cost) == [0, 1, 4]
    assert front([], []) == []
    assert front([0.5, 0.5], [1.0, 1.0]) == [0]
