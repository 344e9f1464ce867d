"""Means of a judge corrected by labels: by hand, against the textbook formula, and by simulation."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy import stats

from aventrik.core.comparing.correcting import chances_of, corrected, difference, labels_for, order_of, sizes_of
from aventrik.core.comparing.intervals import wilson


def test_where_everything_is_labelled_the_mean_is_that_of_the_labels_and_the_judge_does_not_matter() -> None:
    labels = [1.0, 1.0, 0.0, 1.0, 0.0, 1.0, 1.0, 1.0, 0.0, 1.0]
    for judged in (labels, [1 - each for each in labels], [0.5] * 10):
        found = corrected(judged, labels)
        assert found.mean == pytest.approx(0.7)
        assert found.labels == found.n == 10
    # Wilson's interval by Student's t of 9 degrees, of 10 questions by the variance with n - 1
    t = stats.t.ppf(0.975, 9)
    worth = 0.21 / (0.21 / 10 * 10 / 9)
    centre = (0.7 + t * t / (2 * worth)) / (1 + t * t / worth)
    half = t * math.sqrt(0.21 / worth + t * t / (4 * worth**2)) / (1 + t * t / worth)
    found = corrected([0.5] * 10, labels)
    assert (found.low, found.high) == pytest.approx((centre - half, centre + half))


def test_a_judge_that_tells_nothing_weighs_nothing() -> None:
    labels: list[float | None] = [1.0, 0.0, 1.0, 0.0, 1.0, 0.0, 1.0, 0.0] + [None] * 92
    judged = [1.0, 1.0, 0.0, 0.0] * 25
    found = corrected(judged, labels)
    assert found.weight == pytest.approx(0, abs=1e-9)
    assert found.mean == pytest.approx(0.5)


def test_the_estimate_is_the_judges_mean_less_what_the_labelled_part_is_off_by() -> None:
    rng = np.random.default_rng(4)
    truth = (rng.random(400) < 0.6).astype(float)
    judged = np.where(rng.random(400) < 0.9, truth, 1 - truth)
    labels: list[float | None] = [float(v) if n < 80 else None for n, v in enumerate(truth)]
    found = corrected(judged, labels)
    off = truth[:80] - found.weight * judged[:80]
    assert found.mean == pytest.approx(found.weight * judged.mean() + off.mean())
    # the variance of prediction-powered inference (Angelopoulos and others, 2023), λ²·var(f)/N + var(y − λf)/n
    textbook = found.weight**2 * judged.var() / 400 + off.var(ddof=1) / 80
    assert float(np.sum(found.spread**2)) / 400**2 == pytest.approx(textbook, rel=0.05)
    assert found.rest == pytest.approx(found.weight**2 * judged.var() / 400)


def test_chances_are_in_proportion_and_at_most_one() -> None:
    sizes = np.array([0.7, 0.1, 0.1, 0.1])
    assert chances_of(sizes, 1) == pytest.approx([0.7, 0.1, 0.1, 0.1])
    assert chances_of(sizes, 2) == pytest.approx([1, 1 / 3, 1 / 3, 1 / 3])
    assert chances_of(sizes, 4) == pytest.approx([1, 1, 1, 1])
    assert sizes_of([0.0, 0.0]).tolist() == [0.5, 0.5]
    doubtful = sizes_of([0.5, 0.0, 0.0, 0.0])
    assert doubtful.tolist() == pytest.approx([0.125 + 0.5, 0.125, 0.125, 0.125])


def test_the_first_ones_of_the_order_are_drawn_as_often_as_their_chances_say() -> None:
    rng = np.random.default_rng(1)
    sizes = sizes_of(rng.random(40) / 2)
    seen = np.zeros(40)
    for _ in range(4000):
        seen[order_of(sizes, rng.random(40))[:12]] += 1
    assert np.abs(seen / 4000 - chances_of(sizes, 12)).max() < 0.04


@pytest.mark.parametrize(("accuracy", "labels"), [(0.6, 50), (0.85, 50), (0.85, 200), (0.95, 100)])
def test_the_interval_holds_the_truth_as_often_as_it_says(accuracy: float, labels: int) -> None:
    rng = np.random.default_rng(9)
    held = 0
    for _ in range(400):
        truth = (rng.random(600) < 0.8).astype(float)
        judged = np.where(rng.random(600) < accuracy, truth, 1 - truth)
        sizes = sizes_of(np.where(judged == truth, rng.random(600) * 0.4, 0.1 + rng.random(600) * 0.4))
        given: list[float | None] = [None] * 600
        for place in order_of(sizes, rng.random(600))[:labels]:
            given[place] = float(truth[place])
        found = corrected(judged, given, chances_of(sizes, labels))
        held += found.low <= 0.8 <= found.high
    assert 0.925 <= held / 400 <= 0.985


def test_a_fair_judge_saves_a_quarter_of_the_labels() -> None:
    rng = np.random.default_rng(2)
    widths = []
    for _ in range(100):
        truth = (rng.random(2000) < 0.7).astype(float)
        judged = np.where(rng.random(2000) < 0.85, truth, 1 - truth)
        found = corrected(judged, [float(v) if n < 100 else None for n, v in enumerate(truth)])
        widths.append(found.width)
    low, high = wilson(0.7 * 134, 134)  # as wide as 134 labels without a judge
    assert np.mean(widths) <= high - low


def test_two_runs_that_are_the_same_differ_in_nothing() -> None:
    judged = [1.0, 0.0, 1.0, 1.0, 0.0, 1.0] * 10
    labels: list[float | None] = [1.0, 0.0, 0.0, 1.0, 0.0, 1.0] * 3 + [None] * 42
    one = corrected(judged, labels)
    gap, low, high = difference(one, one)
    assert gap == 0
    assert low <= 0 <= high
    other = corrected([1 - each for each in judged], labels)
    assert difference(one, other)[0] == pytest.approx(one.mean - other.mean)


def test_questions_of_one_document_lean_on_each_other() -> None:
    judged = [1.0] * 20 + [0.0] * 20
    labels: list[float | None] = [*judged]
    alone = corrected(judged, labels)
    together = corrected(judged, labels, clusters=["a"] * 20 + ["b"] * 20)
    assert together.width > alone.width


def test_how_many_labels_more_narrow_it() -> None:
    rng = np.random.default_rng(3)
    truth = (rng.random(3000) < 0.7).astype(float)
    judged = np.where(rng.random(3000) < 0.85, truth, 1 - truth)
    found = corrected(judged, [float(v) if n < 60 else None for n, v in enumerate(truth)])
    needed = labels_for(found, 0.12)
    assert needed is not None
    assert needed > 60
    then = corrected(judged, [float(v) if n < needed else None for n, v in enumerate(truth)])
    assert then.width == pytest.approx(0.12, abs=0.03)
    assert labels_for(found, found.width + 0.01) == 60
    assert labels_for(found, 0.001) is None


def test_what_can_not_be_is_refused() -> None:
    with pytest.raises(ValueError, match="two labels"):
        corrected([1.0, 0.0], [1.0, None])
    with pytest.raises(ValueError, match="from 0 to 1"):
        corrected([1.0, 2.0, 0.0], [1.0, 1.0, None])
    with pytest.raises(ValueError, match="had a chance"):
        corrected([1.0, 0.0, 0.0], [1.0, 1.0, None], [0.0, 1.0, 1.0])
