"""Intervals and tests against SciPy's, and by enumeration."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
from scipy import stats

from aventrik.core.comparing.statistics import (
    bca,
    clopper_pearson,
    holm,
    interval,
    mcnemar,
    paired_difference,
    sign_flip,
    smallest_difference,
)

SKEWED = np.random.default_rng(4).exponential(size=60)


def test_bca_agrees_with_scipy_within_resampling_noise() -> None:
    low, high = bca(SKEWED, seed=1)
    wanted = stats.bootstrap((SKEWED,), np.mean, n_resamples=10_000, method="BCa", rng=2).confidence_interval
    width = wanted.high - wanted.low
    assert abs(low - wanted.low) < 0.05 * width
    assert abs(high - wanted.high) < 0.05 * width


def test_an_interval_of_a_mean_covers_the_truth_about_as_often_as_it_says() -> None:
    draw = np.random.default_rng(0)
    covered = 0
    for seed in range(200):
        low, high = bca(draw.beta(2, 5, size=60), seed)
        covered += low <= 2 / 7 <= high
    assert 180 <= covered <= 199  # 95 % of 200 is 190; ±3.2 standard deviations


@pytest.mark.parametrize(("k", "n"), [(0, 12), (12, 12), (5, 17), (1, 29)])
def test_clopper_pearson_agrees_with_scipy(k: int, n: int) -> None:
    wanted = stats.binomtest(k, n).proportion_ci(method="exact")
    assert clopper_pearson(k, n) == pytest.approx((wanted.low, wanted.high), abs=1e-9)


def test_few_zeros_and_ones_get_the_exact_interval_and_others_the_bootstrap() -> None:
    assert interval([1, 0, 1]).method == "Clopper-Pearson"
    assert interval([1, 0] * 15).method == "BCa bootstrap"
    assert interval([0.5, 0.25]).method == "BCa bootstrap"


def test_equal_values_have_an_interval_of_no_width() -> None:
    found = interval([0.4] * 40)
    assert (found.low, found.mean, found.high) == pytest.approx((0.4, 0.4, 0.4))


def test_the_same_seed_gives_the_same_interval() -> None:
    assert bca(SKEWED, 7) == bca(SKEWED, 7) != bca(SKEWED, 8)


def test_mcnemar_is_the_exact_binomial_test() -> None:
    assert mcnemar(9, 2) == pytest.approx(stats.binomtest(9, 11).pvalue, abs=1e-12)
    assert mcnemar(3, 3) == 1.0
    assert mcnemar(0, 0) == 1.0


def test_sign_flip_of_few_questions_is_exact() -> None:
    gaps = np.array([0.3, -0.1, 0.25, 0.0, 0.4, 0.05])
    sums = [abs(sum(s * g for s, g in zip(signs, gaps, strict=True))) for signs in itertools.product((1, -1), repeat=6)]
    wanted = sum(total >= abs(gaps.sum()) - 1e-12 for total in sums) / len(sums)
    assert sign_flip(gaps) == pytest.approx(wanted, abs=1e-12)


def test_sign_flip_of_many_questions_agrees_with_scipy() -> None:
    gaps = np.random.default_rng(3).normal(0.15, 0.6, size=70)
    wanted = stats.permutation_test((gaps,), np.mean, permutation_type="samples", n_resamples=20_000, rng=1).pvalue
    assert sign_flip(gaps) == pytest.approx(wanted, abs=0.015)


def test_no_difference_at_all_is_never_real() -> None:
    assert sign_flip(np.zeros(20)) == 1.0
    assert paired_difference([0.5] * 4, [0.5] * 4).p == 1.0


def test_the_test_fits_the_values() -> None:
    assert paired_difference([1, 0, 1], [0, 0, 1]).test == "McNemar"
    assert paired_difference([0.5, 0, 1], [0, 0, 1]).test == "sign flip"
    with pytest.raises(ValueError, match="paired"):
        paired_difference([1], [1, 2])


def test_holm_by_hand() -> None:
    assert holm([0.01, 0.04, 0.03]) == pytest.approx([0.03, 0.06, 0.06])
    assert holm([0.5, 0.9]) == [1.0, 1.0]
    assert holm([]) == []


def test_smallest_difference_by_the_formula() -> None:
    gaps = np.array([0.0, 1.0, 0.0, -1.0, 1.0, 0.0])
    wanted = (1.959963985 + 0.841621234) * gaps.std(ddof=1) / math.sqrt(6)
    assert smallest_difference(gaps) == pytest.approx(wanted, rel=1e-6)
    assert math.isnan(smallest_difference(np.array([1.0])))


@pytest.mark.parametrize("values", [[], [float("nan")], [float("inf")]])
def test_values_that_are_no_sample_are_refused(values: list[float]) -> None:
    with pytest.raises(ValueError, match="finite"):
        interval(values)
