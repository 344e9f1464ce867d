"""Intervals, tests and power against SciPy's, by hand, by enumeration, and by how often they are right."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
from scipy import stats

from aventrik.core.comparing.differences import paired_difference
from aventrik.core.comparing.intervals import bca, clopper_pearson, interval, share_interval, wilson
from aventrik.core.comparing.simultaneous import skewness_corrected, together
from aventrik.core.comparing.tango import tango_interval


def sign_flip(gaps: np.ndarray, seed: int = 0) -> float:
    """The p-value of one list of differences."""
    return float(together(gaps[None, :], "score", seed=seed).alone[0])


SKEWED = np.random.default_rng(4).exponential(size=60)


def test_bca_agrees_with_scipy_within_resampling_noise() -> None:
    low, high = bca(SKEWED, seed=1)
    wanted = stats.bootstrap((SKEWED,), np.mean, n_resamples=10_000, method="BCa", rng=2).confidence_interval
    width = wanted.high - wanted.low
    assert abs(low - wanted.low) < 0.05 * width
    assert abs(high - wanted.high) < 0.05 * width


@pytest.mark.parametrize(("k", "n"), [(0, 12), (12, 12), (5, 17), (1, 29)])
def test_intervals_of_a_share_agree_with_scipy(k: int, n: int) -> None:
    wanted = stats.binomtest(k, n).proportion_ci(method="exact")
    assert clopper_pearson(k, n) == pytest.approx((wanted.low, wanted.high), abs=1e-9)
    wanted = stats.binomtest(k, n).proportion_ci(method="wilson")
    assert wilson(k, n) == pytest.approx((wanted.low, wanted.high), abs=1e-9)


def test_33_of_33_is_not_certain() -> None:
    found = interval([1.0] * 33, "share")
    assert (round(found.low, 2), found.high) == (0.89, 1.0)
    assert found.low == pytest.approx(0.025 ** (1 / 33))  # all of 33 has this chance at the lower end
    assert interval([0.0] * 60, "share").high == pytest.approx(1 - 0.025 ** (1 / 60))


def test_the_kind_chooses_the_interval_and_not_the_values() -> None:
    zeros_and_ones = [1.0, 0.0] * 30
    assert interval(zeros_and_ones, "share").method == "Wilson"
    assert interval(zeros_and_ones, "score").method == "BCa bootstrap"
    assert interval([1.0, 0.0] * 10, "share").method == "Clopper-Pearson"
    assert interval([1.0] * 58 + [0.0] * 2, "share").method == "Clopper-Pearson"  # two failures alone
    with pytest.raises(ValueError, match="0 or 1"):
        interval([0.5], "share")
    with pytest.raises(ValueError, match="from 0 to 1"):
        interval([1.5], "score")


def test_intervals_of_shares_cover_the_truth_as_often_as_they_say() -> None:
    """Exactly, from the binomial distribution: 93 % or more for every share and number of questions."""
    for n in (10, 20, 39, 40, 60, 100, 200, 500):
        counts = np.arange(n + 1)
        ends = np.array([share_interval(int(k), n) for k in counts])
        for p in np.arange(0.01, 1.0, 0.01):
            inside = (ends[:, 0] <= p) & (p <= ends[:, 1])
            assert stats.binom.pmf(counts, n, p)[inside].sum() >= 0.93, (n, p)


SCORES = {
    "near one": (lambda draw, n: np.where(draw.random(n) < 0.9, 1.0, draw.random(n)), 0.95),
    "near zero": (lambda draw, n: np.where(draw.random(n) < 0.95, 0.0, draw.random(n)), 0.025),
    "seldom less than one": (lambda draw, n: np.where(draw.random(n) < 0.98, 1.0, 0.5), 0.99),
    "in the middle": (lambda draw, n: draw.beta(2, 5, n), 2 / 7),
}


@pytest.mark.parametrize("name", SCORES)
@pytest.mark.parametrize("n", [20, 60])
def test_intervals_of_scores_hold_at_the_edges(name: str, n: int) -> None:
    draw, (make, truth) = np.random.default_rng(1), SCORES[name]
    covered = 0
    for seed in range(150):
        found = interval(make(draw, n), "score", seed=seed)
        covered += found.low - 1e-9 <= truth <= found.high + 1e-9
    assert covered >= 135  # 95 % of 150 is 142; −2.7 standard deviations


def test_equal_values_have_the_interval_of_a_share() -> None:
    found = interval([0.4] * 40, "score")
    assert (found.low, found.high) == pytest.approx(share_interval(16, 40))
    assert interval([7.0] * 5, "count").high == 7.0


def test_the_same_seed_gives_the_same_interval() -> None:
    assert bca(SKEWED, seed=7) == bca(SKEWED, seed=7) != bca(SKEWED, seed=8)


def test_tangos_interval_ends_where_his_statistic_reaches_its_limit() -> None:
    """The restricted estimate found here by maximising the likelihood over a grid, not by the closed form."""
    better, worse, n = 9, 1, 30

    def score(delta: float) -> float:
        """The score statistic, its restricted estimate found by maximising the likelihood numerically."""
        grid = np.linspace(max(0, -delta) + 1e-7, (1 - delta) / 2 - 1e-7, 200_001)  # q: share that is worse
        likelihood = (
            better * np.log(grid + delta) + worse * np.log(grid) + (n - better - worse) * np.log(1 - 2 * grid - delta)
        )
        q = grid[np.argmax(likelihood)]
        return (better - worse - n * delta) / math.sqrt(n * (2 * q + delta * (1 - delta)))

    low, high = tango_interval(better, worse, n)
    assert score(low) == pytest.approx(1.959964, abs=2e-3)
    assert score(high) == pytest.approx(-1.959964, abs=2e-3)
    assert tango_interval(0, 0, 20) == pytest.approx(
        (-(1.959964**2) / (20 + 1.959964**2), 1.959964**2 / (20 + 1.959964**2))
    )


def test_sign_flip_of_few_questions_is_exact() -> None:
    gaps = np.array([0.3, -0.1, 0.25, 0.0, 0.4, 0.05])

    def statistic(values: np.ndarray) -> float:
        """Hall's (1992), written out."""
        n, mean, s = len(values), values.mean(), values.std(ddof=1)
        g = np.mean((values - mean) ** 3) / s**3
        t = math.sqrt(n) * mean / s
        return abs(t + g * t * t / (3 * math.sqrt(n)) + g * g * t**3 / (27 * n) + g / (6 * math.sqrt(n)))

    every = [statistic(gaps * np.array(signs)) for signs in itertools.product((1, -1), repeat=6)]
    seen = statistic(gaps)
    wanted = np.mean([0.5 * (abs(value - seen) < 1e-9) + (value > seen + 1e-9) for value in every])  # mid-p
    assert sign_flip(gaps) == pytest.approx(wanted, abs=1e-12)
    found = skewness_corrected(gaps.sum(keepdims=True), (gaps**3).sum(keepdims=True), float((gaps**2).sum()), 6)
    assert abs(found[0]) == pytest.approx(statistic(gaps))


def test_a_gain_that_is_plain_stays_so_however_skewed_it_is() -> None:
    """A correction that does not rise with t would turn a great gain with a few lesser ones into nothing."""
    for few in (1, 2, 3, 5):
        gaps = np.array([0.5] * (40 - few) + [0.05] * few)
        assert sign_flip(gaps) < 0.001
        assert sign_flip(-gaps) < 0.001
    t = np.linspace(-12, 12, 200)
    for g in (-4.0, -1.0, 2.0):  # the statistic from t alone, g held
        corrected = t + g * (1 + 2 * t**2) / (6 * math.sqrt(40)) + g**2 * t**3 / (27 * 40)
        assert (np.diff(corrected) >= -1e-12).all()


def test_sign_flip_of_symmetric_differences_agrees_with_scipy() -> None:
    gaps = np.random.default_rng(3).normal(0.15, 0.6, size=70)
    wanted = stats.permutation_test((gaps,), np.mean, permutation_type="samples", n_resamples=20_000, rng=1).pvalue
    assert sign_flip(gaps) == pytest.approx(wanted, abs=0.015)


NULLS = {
    "normal": lambda draw, n: draw.normal(size=n),
    "exponential": lambda draw, n: draw.exponential(size=n) - 1,
    "gamma 0.3": lambda draw, n: draw.gamma(0.3, size=n) - 0.3,
    "one in ten gains": lambda draw, n: np.where(draw.random(n) < 0.1, 0.9, -0.1),
    "half zero, skewed": lambda draw, n: np.where(
        draw.random(n) < 0.5, 0, draw.choice([-0.2, -0.2, -0.2, -0.2, 0.8], n)
    ),
    "steps of ranks": lambda draw, n: draw.choice([0, 0, 0, 0, 0.5, -0.5, 0.3, -0.3, -0.1, 0.1], n),
}


@pytest.mark.parametrize("name", NULLS)
def test_skewed_differences_of_mean_0_are_seldom_called_real(name: str) -> None:
    """Sixty questions, 200 sets: 5 % is 10; the mean alone as the statistic gives up to twice as many and more."""
    draw, make = np.random.default_rng(7), NULLS[name]
    real = sum(sign_flip(make(draw, 60), seed) < 0.05 for seed in range(200))
    assert real <= 18  # 5 % + 2.6 standard deviations


def test_no_difference_at_all_is_the_same_and_a_constant_gain_is_not() -> None:
    same = paired_difference([0.5] * 4, [0.5] * 4)
    assert (same.same, same.p, same.smallest) == (True, 1.0, None)
    assert same.low < 0 < same.high  # of four questions that did not change little can be said
    gain = paired_difference([0.6] * 8, [0.5] * 8)
    assert not gain.same
    assert gain.p == pytest.approx(1 / 2**8)  # 2 of 2^8 ways are as extreme, and count half


def test_of_shares_the_p_value_is_mcnemars_mid_p() -> None:
    """9 better, 2 worse: twice the binomial tail, what is reached exactly counting half (Fagerland and others, 2013)."""
    ours, theirs = [1.0] * 9 + [0.0] * 2 + [1.0] * 20, [0.0] * 9 + [1.0] * 2 + [1.0] * 20
    tail = stats.binom(11, 0.5)
    wanted = 2 * (tail.cdf(1) + 0.5 * tail.pmf(2))
    assert paired_difference(ours, theirs, "share").p == pytest.approx(wanted, abs=1e-12)
    many = paired_difference([1.0] * 30 + [0.0] * 14, [0.0] * 30 + [1.0] * 14, "share")
    wanted = 2 * (stats.binom(44, 0.5).cdf(13) + 0.5 * stats.binom(44, 0.5).pmf(14))
    assert many.p == pytest.approx(wanted, abs=0.006)  # by lot


def test_few_questions_that_all_moved_show_a_difference_from_five_on() -> None:
    for n, real in ((4, False), (5, True)):
        assert paired_difference([1.0] * n, [0.0] * n, "share").real is real
    one = paired_difference([0.7], [0.0])
    assert not one.real
    assert one.low < 0 < one.high
    with pytest.raises(ValueError, match="paired"):
        paired_difference([1], [1, 1])


@pytest.mark.parametrize("values", [[], [float("nan")], [float("inf")]])
def test_values_that_are_no_sample_are_refused(values: list[float]) -> None:
    with pytest.raises(ValueError, match="finite"):
        interval(values)
