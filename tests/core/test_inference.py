"""What is inferred to, many differences at once, how questions lean on each other, power, and the posterior of means: by hand, by
enumeration, beside SciPy and statsmodels, and by how often they are right."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
from scipy import stats

from aventrik.core.comparing.differences import paired_differences
from aventrik.core.comparing.draws import Asked, Draws, Scope, draws_of, joined, scope_of
from aventrik.core.comparing.errors_of_means import covariance_of
from aventrik.core.comparing.leaning import leaning, no_leaning
from aventrik.core.comparing.missing import difference_bounds
from aventrik.core.comparing.orders import effects
from aventrik.core.comparing.posterior import posterior
from aventrik.core.comparing.power import (
    Changes,
    chance_of_showing,
    changes_of,
    nothing_shown,
    questions_for,
    reach_of,
    smallest_shown,
)
from aventrik.core.comparing.simultaneous import together
from aventrik.core.measures.answers import grounded_answers


def test_questions_that_share_a_tie_and_those_that_others_join_are_one_draw() -> None:
    assert joined([["a"], ["b"], ["c"]]) is None
    found = joined([["a"], ["b"], ["a", "c"], [], ["c"]])
    assert found is not None
    assert found.tolist() == [0, 1, 0, 2, 0]


def test_evidence_is_shared_where_half_of_the_shorter_place_is_in_both() -> None:
    def asked(*spans: tuple[str, int, int]) -> Asked:
        return Asked(spans[0][0], evidence=spans)

    some = [asked(("d", 0, 100)), asked(("d", 60, 140)), asked(("d", 130, 150)), asked(("e", 0, 100))]
    found = draws_of(some, Scope())
    assert found.units is not None
    assert found.units.tolist() == [0, 0, 0, 1]  # 40 of 80 are shared, and 10 of 20 with the one between
    assert draws_of([asked(("d", 0, 100)), asked(("d", 61, 141))], Scope()).units is None  # 39 of 80
    turns = [Asked(turns=("a",)), Asked(turns=("b", "a")), Asked(turns=("c",))]
    found = draws_of(turns, Scope())
    assert found.units is not None
    assert found.units.tolist() == [0, 0, 1]  # the first was asked before the second, in one conversation


@pytest.mark.parametrize(
    ("how", "about", "corpus", "wanted"),
    [
        ("auto", 3, 20, "these documents"),  # a small corpus
        ("auto", 3, 21, "documents like these"),
        ("auto", 50, 100, "these documents"),  # half of it
        ("auto", 49, 100, "documents like these"),
        ("auto", 3, 0, "these documents"),  # not known how many
        ("these documents", 3, 1000, "these documents"),
        ("documents like these", 3, 5, "documents like these"),
    ],
)
def test_what_is_inferred_to(how: str, about: int, corpus: int, wanted: str) -> None:
    asked = [Asked(f"d{n}") for n in range(about)] * 2
    found = scope_of(how, asked, corpus)
    assert (found.population, found.about) == (wanted, about)
    assert found.covered == (min(1.0, about / corpus) if corpus else 0.0)


GAPS = np.array([[0.5, 0.2, -0.1, 0.4, 0.3, 0.0, 0.6], [0.1, -0.3, 0.2, 0.1, 0.0, 0.4, -0.2], [-0.2, -0.4, 0.1, -0.3, -0.2, 0.1,
-0.5]])  # fmt: skip


def _hall(values: np.ndarray) -> float:
    n, mean, s = len(values), values.mean(), values.std(ddof=1)
    g = np.mean((values - mean) ** 3) / s**3
    t = math.sqrt(n) * mean / s
    return t + g * t * t / (3 * math.sqrt(n)) + g * g * t**3 / (27 * n) + g / (6 * math.sqrt(n))


@pytest.mark.parametrize("kind", ["score", "share"])
def test_step_down_p_values_are_those_of_all_flips_by_the_definition(kind: str) -> None:
    gaps = GAPS if kind == "score" else np.sign(GAPS)

    def statistic(values: np.ndarray) -> float:
        return abs(_hall(values) if kind == "score" else values.sum() / math.sqrt((values**2).sum()))

    seen = np.array([statistic(row) for row in gaps])
    signs = [np.array(each) for each in itertools.product((1, -1), repeat=7)]
    flipped = np.array([[statistic(row * each) for row in gaps] for each in signs])
    wanted, least = np.empty(3), 0.0
    order = np.argsort(-seen)
    for step, row in enumerate(order):
        greatest = flipped[:, order[step:]].max(axis=1)
        mid = np.mean((greatest > seen[row] + 1e-9) + 0.5 * (np.abs(greatest - seen[row]) <= 1e-9))
        least = max(least, float(mid))
        wanted[row] = least
    assert together(gaps, kind).p == pytest.approx(wanted, abs=1e-6)


def test_an_interval_leaves_0_out_just_where_its_difference_is_shown() -> None:
    lot = np.random.default_rng(5)
    for seed in range(40):
        kind = ("share", "score")[seed % 2]
        gaps = lot.normal(lot.choice([0, 0.3], size=(6, 1)), 1, size=(6, 40))
        gaps = np.sign(np.where(np.abs(gaps) > 0.8, gaps, 0)) if kind == "share" else np.clip(gaps / 4, -1, 1)
        leans = leaning(gaps, Draws(documents=np.arange(40) // 5), gaps) if seed % 3 else no_leaning(6)
        found = together(gaps, kind, None, leans, seed)
        shown = found.p < 0.05
        assert ((found.low > 0) | (found.high < 0) <= shown).all()
        inside = (found.low < 0) & (found.high > 0)
        assert not (inside & shown).any()
        means = gaps.mean(axis=1)
        assert ((found.low <= means + 1e-9) & (means <= found.high + 1e-9)).all()


def test_the_interval_of_one_mean_has_the_inverse_of_halls_statistic_for_its_ends() -> None:
    """Beside the few questions that are counted in against rare ones, which make it wider."""
    values = np.random.default_rng(3).gamma(2.0, 0.1, size=80) - 0.15
    found = together(values[None, :], "cost")
    assert _hall(values - found.low[0]) == pytest.approx(found.reach, rel=0.05)
    assert _hall(values - found.high[0]) == pytest.approx(-found.reach, rel=0.05)
    t = stats.t.interval(0.95, 79, values.mean(), values.std(ddof=1) / math.sqrt(80))
    assert found.high[0] - found.low[0] == pytest.approx(t[1] - t[0], rel=0.1)


@pytest.mark.parametrize("kind", ["share", "score"])
def test_of_runs_that_are_equal_some_is_called_real_in_5_percent_of_worlds(kind: str) -> None:
    lot = np.random.default_rng(11)
    false = 0
    for seed in range(200):
        hard = lot.normal(size=80)
        values = 0.7 * hard + 0.7 * lot.normal(size=(7, 80))
        values = (values > -0.3).astype(float) if kind == "share" else 1 / np.maximum(1, np.round(np.exp(1 - values)))
        false += bool((together(values[1:] - values[0], kind, seed=seed).p < 0.05).any())
    assert false <= 18  # 10 but for chance: 2.6 standard deviations


def test_differences_that_cancel_within_every_draw_show_nothing() -> None:
    gaps = np.array([[1.0, -1.0, 0.3, -0.1, -0.2, 0.0]])
    for kind in ("score", "cost"):
        found = together(gaps, kind, np.array([0, 0, 1, 1, 1, 2]))
        assert found.p.tolist() == [1.0]
        assert found.low[0] <= 0 <= found.high[0]


def test_a_hundred_comparisons_that_are_the_same_one_are_not_corrected_for() -> None:
    gaps = np.random.default_rng(2).normal(0.4, 1, size=60)
    alone, many = together(gaps[None, :], "score").p[0], together(np.tile(gaps, (100, 1)), "score").p[0]
    assert many == pytest.approx(alone, abs=0.01)  # Bonferroni's would be a hundred times that


def test_how_much_questions_of_a_document_lean_is_between_what_is_seen_and_what_is_usual() -> None:
    """Ten documents of five questions that always agree: the ratio of the mean squares would be without end; within them all else."""
    lot = np.random.default_rng(1)
    documents = np.repeat(np.arange(10), 5)
    leaning_rows = np.repeat(lot.normal(size=10), 5) + 0.3 * lot.normal(size=50)
    free = lot.normal(size=50) + np.repeat(1.5 * lot.normal(size=10), 5)
    found = leaning(np.array([leaning_rows, free]), Draws(documents=documents))
    assert found.effect[0] > 3.5  # 5 at the most
    assert leaning(free[None, :], Draws()).effect.tolist() == [1.0]
    ratio = stats.f_oneway(*free.reshape(10, 5)).statistic
    usual = 1 + 5 * 0.05 / 0.95
    posterior_ratio = (6 * usual + 9 * ratio) / 15
    rho = (posterior_ratio - 1) / (posterior_ratio - 1 + 5)
    assert found.effect[1] == pytest.approx(1 + rho * 4)
    assert found.freedom[1] == pytest.approx(15)


def test_where_all_documents_are_in_the_set_nothing_leans_and_half_of_them_half_as_much() -> None:
    documents = np.repeat(np.arange(10), 5)
    values = np.repeat(np.random.default_rng(1).normal(size=10), 5)[None, :] + 0.01 * np.arange(50) % 7
    none, half, whole = (leaning(values, Draws(documents=documents, covered=part)) for part in (0.0, 0.5, 1.0))
    assert half.effect[0] - 1 == pytest.approx((none.effect[0] - 1) / 2)
    assert (whole.effect[0], whole.freedom[0]) == (1.0, math.inf)


def test_sections_count_below_ten_documents_where_they_lean_more() -> None:
    sections = np.repeat(np.arange(12), 4)
    values = np.repeat(np.random.default_rng(2).normal(size=12), 4)[None, :] + 0.1 * (np.arange(48) % 5)
    one = np.zeros(48, dtype=np.int64)
    alone = leaning(values, Draws(documents=one))
    told = leaning(values, Draws(documents=one, sections=sections))
    assert told.effect[0] > alone.effect[0] or told.effect[0] >= 1.5
    assert math.isfinite(alone.freedom[0])


def test_five_documents_can_show_a_difference() -> None:
    """A document as a draw has a p of 1 ÷ 16 at the least; strength that is borrowed shows what is plain."""
    lot = np.random.default_rng(4)
    values = (lot.random((3, 100)) < np.array([[0.5], [0.5], [0.9]])).astype(float)
    found = paired_differences(values[1:], values[0], "share", Draws(documents=np.repeat(np.arange(5), 20)), 0, values)
    assert [each.real for each in found if each] == [False, True]
    assert [each.documents for each in found if each] == [5, 5]


@pytest.mark.parametrize(("size", "square", "delta"), [(0.2, 0.2, 0.1), (0.1, 0.05, 0.05), (0.3, 0.3, 0.25)])
def test_the_chance_of_showing_a_difference_is_that_of_statsmodels(size: float, square: float, delta: float) -> None:
    from statsmodels.stats.power import normal_power

    changes = Changes(size, square)
    spread = math.sqrt(square * (1 + (delta / size) ** 4) ** 0.25 - delta**2)
    wanted = normal_power(delta / spread, 150, 0.05, alternative="two-sided")
    assert chance_of_showing(delta, changes, 150, stats.norm.ppf(0.975)) == pytest.approx(wanted, abs=1e-3)


def test_what_a_set_could_show_is_the_same_whichever_run_is_named_first_and_in_any_order() -> None:
    gaps = np.random.default_rng(3).choice([0, 0, 0, 1, 1, -1], 90).astype(float)
    least = smallest_shown(changes_of(gaps), 90, 1.96)
    assert least == smallest_shown(changes_of(-gaps[::-1]), 90, 1.96)
    assert least is not None
    assert chance_of_showing(least, changes_of(gaps), 90, 1.96) == pytest.approx(0.8, abs=1e-6)
    assert smallest_shown(changes_of(gaps), 90, 2.7) > least  # type: ignore[operator]
    assert smallest_shown(changes_of(gaps), 90, 1.96, 5.0) > least  # type: ignore[operator]


def test_too_few_questions_can_show_nothing_however_great() -> None:
    assert nothing_shown(4, 1.96)  # 1 ÷ 2^4 is more than 5 %
    assert not nothing_shown(5, 1.96)
    assert smallest_shown(Changes(0.2, 0.2), 4, 1.96) is None
    assert smallest_shown(Changes(1.0, 1.0), 6, 30.0) is None


@pytest.mark.parametrize("count", [1, 7, 39])
def test_what_a_statistic_must_reach_among_several_is_dunnetts(count: int) -> None:
    lot = np.random.default_rng(1)
    drawn = lot.normal(size=(60_000, 1)) * math.sqrt(0.5) + lot.normal(size=(60_000, count)) * math.sqrt(0.5)
    assert reach_of(count) == pytest.approx(np.quantile(np.abs(drawn).max(axis=1), 0.95), abs=0.025)
    assert reach_of(1) == pytest.approx(1.959964, abs=1e-4)


def test_so_many_questions_as_are_planned_show_the_difference() -> None:
    changes = Changes(0.2, 0.2)
    plan = questions_for(0.05, changes, 8)
    assert plan.questions is not None
    assert chance_of_showing(0.05, changes, plan.questions, reach_of(7)) == pytest.approx(0.8, abs=1e-3)
    like = questions_for(0.05, changes, 8, 50, 0.2, 0.05)
    assert like.questions is not None
    worth = like.questions / (1 + 0.8 * 0.05 * (like.questions / 50 - 1))
    assert worth == pytest.approx(plan.questions, rel=0.01)
    assert questions_for(0.01, changes, 8, 5, 0.0, 0.05).questions is None  # no number about five documents would do


def test_the_posterior_of_equal_runs_draws_the_winner_back_and_shares_the_chance() -> None:
    lot = np.random.default_rng(6)
    taken, truth, expected = [], 0.7, []
    for seed in range(40):
        values = (lot.normal(size=150) * 0.77 + 0.64 * lot.normal(size=(30, 150)) < stats.norm.ppf(truth)).astype(float)
        made = posterior(values.mean(axis=1), covariance_of(values, Draws()), seed)
        best = int(values.mean(axis=1).argmax())
        taken.append(values.mean(axis=1)[best] - truth)
        expected.append(made.mean(best)[0] - truth)
        assert made.chances().sum() == pytest.approx(1.0)
    assert np.mean(taken) > 0.04
    assert abs(np.mean(expected)) < 0.4 * np.mean(taken)


def test_the_posterior_of_runs_far_apart_is_what_was_seen() -> None:
    means = np.array([0.2, 0.5, 0.9])
    made = posterior(means, np.eye(3) * 1e-6)
    assert [made.mean(run)[0] for run in range(3)] == pytest.approx(means, abs=2e-3)
    assert made.chances().tolist() == [0.0, 0.0, 1.0]
    assert made.loss(1) == pytest.approx(0.4, abs=2e-3)
    assert made.loss(2) == 0.0
    assert made.likeliest() == [2]
    odd = posterior(np.zeros(2), np.array([[0.0, -1e-19], [-1e-19, 0.0]]))  # as rounding may leave it
    assert odd.mean(0) == (0.0, 0.0, 0.0)
    assert odd.chances().tolist() == [0.5, 0.5]
    noisy = posterior(means, np.diag([1e-8, 0.01, 1e-8]))
    low, high = noisy.mean(2)[1:]
    assert high - low < 0.05  # known well by itself, though the mean of all is not
    single = posterior(np.array([0.6]), np.array([[0.01]]))
    assert single.mean(0)[0] == pytest.approx(0.6, abs=0.01)
    assert single.mean(0)[2] == pytest.approx(0.6 + 1.96 * 0.1, abs=0.02)


def test_covariances_of_means_are_those_of_numpy_and_grow_where_documents_lean() -> None:
    values = np.random.default_rng(1).random((3, 40))
    assert covariance_of(values, Draws()) == pytest.approx(np.cov(values) / 40)
    half = values.copy()
    half[0, 20:] = np.nan
    assert covariance_of(half, Draws())[0, 0] == pytest.approx(np.var(values[0, :20]) / 20 * 40 / 39)
    wide = covariance_of(values, Draws(documents=np.arange(40) // 10))
    assert wide[0, 0] > covariance_of(values, Draws())[0, 0]


def test_effects_on_two_sets_are_as_alike_as_they_are_without_their_noise() -> None:
    lot = np.random.default_rng(8)
    true = lot.normal(0.6, 0.1, size=12)
    noise = np.eye(12) * 0.01**2
    seen = [true + lot.normal(size=12) * 0.01 for _ in range(2)]
    alike = effects(seen, [noise, noise])
    assert alike.correlation > 0.9
    assert alike.worse < 0.02 < alike.by_lot
    turned = effects([1.2 - seen[0], seen[1]], [noise, noise])
    assert turned.correlation < -0.9
    assert turned.worse > 0.98
    loud = np.eye(12) * 0.3**2
    unknown = effects([lot.normal(size=12) * 0.3, lot.normal(size=12) * 0.3], [loud, loud])
    assert unknown.low < -0.5 < 0.5 < unknown.high


def test_bounds_of_a_difference_are_what_missing_scores_could_have_made_it() -> None:
    """Both: 0.5; ours missing beside 0.2: −0.2 to 0.8; theirs missing beside 0.6: −0.4 to 0.6; neither takes part."""
    ours = np.array([0.9, np.nan, 0.6, np.nan])
    theirs = np.array([0.4, 0.2, np.nan, np.nan])
    found = difference_bounds(ours, theirs)
    assert found is not None
    low, high, both, either = found
    assert (low, high) == (pytest.approx((0.5 - 0.2 - 0.4) / 3), pytest.approx((0.5 + 0.8 + 0.6) / 3))
    assert (both, either) == (1, 3)
    assert difference_bounds(np.ones(3), np.zeros(3)) is None


def test_grounded_and_answered_counts_a_decline_as_nothing() -> None:
    assert grounded_answers({"declined-wrongly": 1.0}) == 0.0
    assert grounded_answers({"declined-wrongly": 0.0, "groundedness": 0.75}) == 0.75
    assert grounded_answers({"declined-wrongly": 0.0}) is None  # no claim could be told
    assert grounded_answers({"declined-rightly": 1.0}) is None  # nothing answers the question
    assert grounded_answers({"declined-wrongly": 0.0, "groundedness:house": 0.5}, "house") == 0.5
