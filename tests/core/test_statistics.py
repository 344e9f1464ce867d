"""Intervals, tests and power against SciPy's, by hand, by enumeration, and by how often they are right."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
from scipy import stats

from aventrik.core.comparing.differences import paired_difference, share_difference, tango_interval
from aventrik.core.comparing.intervals import bca, clopper_pearson, design_effect, interval, share_interval, wilson
from aventrik.core.comparing.power import smallest_for_scores, smallest_for_shares
from aventrik.core.comparing.significance import holm, mcnemar, sign_flip, skewness_corrected

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


def test_values_that_lean_on_each_other_have_a_wider_interval() -> None:
    values = np.repeat(np.random.default_rng(3).random(20), 5)
    clusters = [f"d{n // 5}" for n in range(100)]
    wide, narrow = interval(values, "score", clusters), interval(values, "score")
    assert (wide.high - wide.low) > 1.8 * (narrow.high - narrow.low)  # five copies of a value are worth one: √5 = 2.2
    shares = (values > 0.5).astype(float)
    assert design_effect(shares, np.repeat(np.arange(20), 5)) == pytest.approx(5, rel=0.15)
    wide, narrow = interval(shares, "share", clusters), interval(shares, "share")
    assert (wide.high - wide.low) > 1.8 * (narrow.high - narrow.low)


def test_mcnemar_is_the_exact_binomial_test() -> None:
    assert mcnemar(9, 2) == pytest.approx(stats.binomtest(9, 11).pvalue, abs=1e-12)
    assert mcnemar(3, 3) == 1.0
    assert mcnemar(0, 0) == 1.0


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


def test_differences_of_shares_cover_the_truth_and_never_contradict_the_test() -> None:
    """Exactly, over all outcomes: n questions, of which some are better, some worse, near the edges too."""
    for n, better, worse in ((20, 0.05, 0.0), (20, 0.1, 0.1), (30, 0.3, 0.05), (50, 0.02, 0.02), (50, 0.15, 0.05)):
        covered = 0.0
        for b in range(n + 1):
            for w in range(n + 1 - b):
                weight = stats.multinomial.pmf([b, w, n - b - w], n, [better, worse, 1 - better - worse])
                if weight < 1e-7:
                    continue
                low, high = share_difference(b, w, n)
                covered += weight * (low <= better - worse <= high)
                assert (low > 0 or high < 0) == (mcnemar(b, w) < 0.05), (b, w, n)
        assert covered >= 0.93, (n, better, worse)


def test_sign_flip_of_few_questions_is_exact() -> None:
    gaps = np.array([0.3, -0.1, 0.25, 0.0, 0.4, 0.05])

    def statistic(values: np.ndarray) -> float:
        """Hall's (1992), written out."""
        n, mean, s = len(values), values.mean(), values.std(ddof=1)
        g = np.mean((values - mean) ** 3) / s**3
        t = math.sqrt(n) * mean / s
        return abs(t + g * t * t / (3 * math.sqrt(n)) + g * g * t**3 / (27 * n) + g / (6 * math.sqrt(n)))

    every = [statistic(gaps * np.array(signs)) for signs in itertools.product((1, -1), repeat=6)]
    wanted = sum(value >= statistic(gaps) - 1e-12 for value in every) / len(every)
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


def test_flips_go_on_until_500_comparisons_can_be_real() -> None:
    gaps = np.random.default_rng(1).normal(0.4, 0.5, size=60)
    assert sign_flip(gaps, together=1) >= 1 / 10_001  # as little as so many flips can show
    p = sign_flip(gaps, together=500)
    assert p < 0.05 / 500
    assert holm([p, *[1.0] * 499])[0] < 0.05


def test_no_difference_at_all_is_the_same_and_a_constant_gain_is_not() -> None:
    same = paired_difference([0.5] * 4, [0.5] * 4)
    assert (same.same, same.p, same.smallest) == (True, 1.0, None)
    gain = paired_difference([0.6] * 8, [0.5] * 8)
    assert not gain.same
    assert gain.p == pytest.approx(2 / 2**8)


def test_the_kind_chooses_the_test_and_clusters_are_flipped_whole() -> None:
    assert paired_difference([1, 0, 1], [0, 0, 1], "share").test == "McNemar"
    assert paired_difference([0.5, 0, 1], [0, 0, 1], "score").test == "sign flip"
    ours, theirs = [1.0] * 12, [0.0] * 12
    clusters = [f"d{n // 4}" for n in range(12)]
    found = paired_difference(ours, theirs, "share", clusters)
    assert (found.test, found.clusters) == ("sign flip", 3)
    assert found.p == pytest.approx(2 / 2**3)  # three documents, not twelve questions
    assert paired_difference(ours, theirs, "share").p == pytest.approx(2 / 2**12)
    with pytest.raises(ValueError, match="paired"):
        paired_difference([1], [1, 1])


def test_holm_by_hand() -> None:
    assert holm([0.01, 0.04, 0.03]) == pytest.approx([0.03, 0.06, 0.06])
    assert holm([0.5, 0.9]) == [1.0, 1.0]
    assert holm([]) == []


@pytest.mark.parametrize(("n", "differing", "level"), [(50, 10, 0.05), (100, 12, 0.05), (100, 20, 0.01)])
def test_the_smallest_difference_of_shares_is_shown_four_times_in_five(n: int, differing: int, level: float) -> None:
    """By simulation with the test itself."""
    least = smallest_for_shares(n, differing, level)
    assert least is not None
    draw, moved = np.random.default_rng(2), max(differing / n, least)
    shown = 0
    for _ in range(1000):
        count = draw.binomial(n, moved)
        better = draw.binomial(count, (1 + least / moved) / 2)
        shown += mcnemar(better, count - better) < level and better > count - better
    assert 0.76 <= shown / 1000 <= 0.84


@pytest.mark.parametrize("name", ["normal", "steps of ranks", "exponential"])
def test_the_smallest_difference_of_scores_is_shown_four_times_in_five(name: str) -> None:
    draw = np.random.default_rng(5)
    gaps = NULLS[name](draw, 60)
    least = smallest_for_scores(gaps)
    assert least is not None
    centred = gaps - gaps.mean()
    shown = sum(sign_flip(centred[draw.integers(0, 60, 60)] + least, seed) < 0.05 for seed in range(200))
    assert 0.70 <= shown / 200 <= 0.90


def test_too_few_questions_can_show_nothing() -> None:
    assert smallest_for_scores(np.array([0.5, 0.2, -0.1])) is None
    assert smallest_for_shares(5, 2) is None
    one_document = ["a"] * 30 + ["b", "c", "d", "e", "f", "g", "h", "i"]
    values = [1.0] * 20 + [0.0] * 18
    found = paired_difference(values, [0.0] * 38, "share", one_document)
    assert found.smallest is None or found.smallest <= 1  # a share can't differ by more


@pytest.mark.parametrize("values", [[], [float("nan")], [float("inf")]])
def test_values_that_are_no_sample_are_refused(values: list[float]) -> None:
    with pytest.raises(ValueError, match="finite"):
        interval(values)


def test_a_difference_on_one_draw_shows_nothing() -> None:
    assert sign_flip(np.array([0.7])) == 1.0
