"""Which of many are best: the model confidence set, chances, the winner's mean corrected, racing."""

from __future__ import annotations

from itertools import product

import numpy as np
import pytest

from aventrik.core.comparing.front import front
from aventrik.core.comparing.leading import chances, corrected_mean, may_be_best, model_confidence_set
from aventrik.core.comparing.racing import FIRST, go_on, looks
from aventrik.core.comparing.significance import mcnemar


def alike(rng: np.random.Generator, runs: int, questions: int, truth: np.ndarray) -> np.ndarray:
    """Hits of runs with true means, on questions whose difficulty they share."""
    from scipy.special import ndtri

    hard = rng.normal(size=questions) * 0.77 + rng.normal(size=(runs, questions)) * 0.64
    return (hard < ndtri(truth)[:, None]).astype(float)


def test_of_two_runs_the_set_says_what_the_sign_flip_test_says() -> None:
    ours = np.array([1.0] * 9 + [0.0] * 31)
    theirs = np.array([0.0] * 7 + [1.0] * 3 + [0.0] * 30)  # 7 better, 1 worse
    p = model_confidence_set(np.array([ours, theirs]))
    assert p[0] == 1.0
    assert p[1] == pytest.approx(mcnemar(7, 1), abs=0.015)


def test_the_statistic_is_the_one_of_the_definition() -> None:
    values = np.array([[1, 1, 1, 0.5, 0.2], [0.3, 0.1, 0.4, 0.5, 0.0], [0.9, 0.2, 0.8, 0.5, 0.1]])
    p = model_confidence_set(values)
    # all 32 ways to flip five questions, in which the greatest of all pairs is as great as the one seen
    gaps = {(i, j): values[i] - values[j] for i in range(3) for j in range(3) if i != j}
    seen = max(gap.sum() / np.sqrt((gap**2).sum()) for gap in gaps.values())
    flips = [
        max(abs((np.array(s) * g).sum()) / np.sqrt((g**2).sum()) for g in gaps.values())
        for s in product((1, -1), repeat=5)
    ]
    assert p.min() == pytest.approx(np.mean(np.array(flips) >= seen - 1e-9), abs=0.03)


def test_runs_with_equal_scores_stand_or_fall_together() -> None:
    good, bad = [1.0] * 30 + [0.0] * 10, [0.0] * 30 + [1.0] * 10
    p = model_confidence_set(np.array([good, good, bad]))
    assert p[0] == p[1]
    assert p[2] < 0.05
    assert model_confidence_set(np.array([good, good])).tolist() == [1.0, 1.0]


def test_constant_scores_and_few_questions_prove_nothing() -> None:
    assert (model_confidence_set(np.ones((4, 20))) == 1.0).all()
    few = np.array([[1.0] * 5, [0.0] * 5])  # 2 ÷ 2^5 is more than 5 %
    assert model_confidence_set(few).min() >= 0.05
    assert model_confidence_set(np.ones((1, 9))).tolist() == [1.0]


@pytest.mark.parametrize("kind", ["equal", "spread"])
def test_the_best_one_is_in_the_set(kind: str) -> None:
    rng = np.random.default_rng(2)
    truth = np.full(20, 0.7) if kind == "equal" else np.linspace(0.45, 0.75, 20)
    held = [
        model_confidence_set(alike(rng, 20, 120, truth), seed=seed)[truth == truth.max()].min() >= 0.05
        for seed in range(80)
    ]
    assert np.mean(held) >= 0.9  # 95 % but for what 80 worlds may miss it by


def test_clusters_are_what_is_drawn() -> None:
    rng = np.random.default_rng(4)
    one = rng.integers(0, 2, size=(2, 8)).astype(float)
    one[0] = np.maximum(one[0], one[1])
    one[0, :4] = 1.0
    one[1, :4] = 0.0
    values, groups = np.repeat(one, 30, axis=1), np.repeat(np.arange(8), 30)
    assert model_confidence_set(values).min() < 0.01  # as if 240 questions had been drawn
    assert model_confidence_set(values, groups).min() >= 0.05  # only eight documents were


def test_the_chance_of_being_best_is_shared_by_equals_and_sums_to_1() -> None:
    rng = np.random.default_rng(5)
    values = alike(rng, 6, 60, np.linspace(0.4, 0.8, 6))
    values[1] = values[0]
    found = chances(values)
    assert found.sum() == pytest.approx(1.0)
    assert found[0] == found[1]
    best = values[[4, 5]]
    draws = rng.integers(0, 60, size=(4000, 60))
    wins = [(np.sign(best[1][d].sum() - best[0][d].sum()) + 1) / 2 for d in draws]
    assert chances(best)[1] == pytest.approx(np.mean(wins), abs=0.03)


def test_the_winner_of_equals_is_corrected_to_what_they_are() -> None:
    rng = np.random.default_rng(6)
    found = [corrected_mean(alike(rng, 60, 150, np.full(60, 0.7)), seed=seed) for seed in range(25)]
    naive, left = (np.mean([getattr(each, name) for each in found]) - 0.7 for name in ("mean", "corrected"))
    assert naive > 0.04
    assert abs(left) < 0.3 * naive  # exactly, over many worlds; 25 leave it uncertain by as much
    assert all(each.low <= 0.7 <= each.high for each in found)
    assert all(each.taken == pytest.approx(each.mean - each.corrected) for each in found)


def test_of_one_run_nothing_is_taken_off() -> None:
    found = corrected_mean(np.array([[0.0, 1.0, 1.0, 0.0, 1.0]]))
    assert found.mean == found.corrected == pytest.approx(0.6)
    assert corrected_mean(np.ones((3, 9))).taken == 0.0


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
            left = left[go_on(values[left][:, :count], None, look, schedule, world)]
        asked.append((used + len(left) * (200 - done)) / (20 * 200))
        lost += 0 not in left
    assert lost <= 3  # 5 % of 30, and what chance adds
    assert np.mean(asked) < 0.6
    assert may_be_best(np.ones((1, 4))).tolist() == [1.0]


def test_the_front_is_what_nothing_beats_for_less() -> None:
    quality = [0.5, 0.7, 0.7, 0.6, 0.9, None, 0.4]
    cost = [1.0, 2.0, 3.0, 2.0, 9.0, 0.1, None]
    assert front(quality, cost) == [0, 1, 4]
    assert front([], []) == []
    assert front([0.5, 0.5], [1.0, 1.0]) == [0]
