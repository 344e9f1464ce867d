"""Agreement of a judge with people, against an independent library and by hand; several judges joined."""

from __future__ import annotations

import numpy as np
import pytest
from sklearn.metrics import cohen_kappa_score

from aventrik.core.judging import Judgement, Verdict
from aventrik.core.judging.agreement import Pair, agreement
from aventrik.core.judging.joining import joined

NAMES = ("supported", "contradicted", "not found")


def pairs(seed: int = 0, count: int = 80) -> list[Pair]:
    rng = np.random.default_rng(seed)
    made = []
    for number in range(count):
        person = NAMES[rng.integers(3)]
        judge = person if rng.random() < 0.7 else NAMES[rng.integers(3)]
        made.append(
            Pair(judge, person, float(rng.random()), float(rng.random() + 0.5), f"q{number // 2}", "ab"[number % 2])
        )
    return made


def test_kappa_is_cohens_with_and_without_weights() -> None:
    some = pairs()
    expected = cohen_kappa_score(
        [p.judge for p in some], [p.person for p in some], sample_weight=[p.weight for p in some]
    )
    found = agreement(some, NAMES)
    assert found.kappa.value == pytest.approx(expected)
    assert found.kappa.low is not None
    assert found.kappa.high is not None
    assert found.kappa.low < expected < found.kappa.high
    plain = [Pair(p.judge, p.person) for p in some]
    value = agreement(plain, NAMES).kappa.value
    assert value == pytest.approx(cohen_kappa_score([p.judge for p in plain], [p.person for p in plain]))


def test_table_classes_and_groups_are_counted() -> None:
    found = agreement(
        [
            Pair("supported", "supported", group="fees"),
            Pair("supported", "not found", group="fees"),
            Pair("not found", "not found", group="locks"),
        ],
        NAMES,
    )
    assert found.classes == ("supported", "not found")
    assert found.confusion == ((1, 1), (0, 1))
    assert found.by_class == (("supported", 1, 1.0), ("not found", 2, 0.5))
    assert found.by_group == (("fees", 2, 0.5), ("locks", 1, 1.0))
    assert found.raw == pytest.approx(2 / 3)


def test_a_judge_that_always_says_the_same_has_no_kappa_and_that_is_said() -> None:
    same = agreement([Pair("supported", "supported"), Pair("supported", "not found"), Pair("supported", "supported")])
    assert same.kappa.value is None
    assert "always said the same" in same.kappa.why
    both = agreement([Pair("supported", "supported")] * 4)
    assert both.kappa.value is None
    assert both.raw == 1.0
    with pytest.raises(ValueError, match="at least one"):
        agreement([])


def test_calibration_is_how_far_confidence_and_being_right_are_apart() -> None:
    found = agreement([Pair("a", "a", 0.95), Pair("a", "b", 0.95), Pair("b", "b", 0.65), Pair("a", "b", 0.65)])
    assert [(each.n, each.confidence, each.right) for each in found.bins] == [(2, 0.65, 0.5), (2, 0.95, 0.5)]
    assert found.calibration_error == pytest.approx((2 * 0.15 + 2 * 0.45) / 4)


def verdict(word: str, sure: float = 0.9, claim: str = "c") -> Judgement:
    return Judgement((Verdict(claim, word, word, (), ((1, word),), sure),), (word == "supported",), (), "", 1.0)


def test_the_majority_of_judges_decides_or_the_mean_of_what_they_think_likely() -> None:
    three = [verdict("supported", 0.6), verdict("supported", 0.6), verdict("contradicted", 1.0)]
    voted = joined(three, "majority")
    assert voted.verdicts[0].verdict == "supported"
    assert voted.stated == (True,)
    weighed = joined(three, "mean")  # supported (0.6+0.6+0)/3 = 0.4, contradicted (0.2+0.2+1)/3 = 0.47
    assert weighed.verdicts[0].verdict == "contradicted"
    assert weighed.verdicts[0].confidence == pytest.approx(1.4 / 3)
    assert weighed.verdicts[0].quotes == ((1, "contradicted"),)


def test_a_tie_goes_by_confidence_and_one_that_can_not_tell_has_no_vote() -> None:
    assert joined([verdict("supported", 0.6), verdict("not found", 0.9)], "majority").verdicts[0].verdict == "not found"
    untold = verdict("too far to tell", 0.5)
    assert joined([untold, verdict("contradicted", 0.7)], "majority").verdicts[0].verdict == "contradicted"
    assert joined([untold, untold], "mean").verdicts[0].verdict == "too far to tell"
    failed = Judgement(failure="no reply")
    assert joined([verdict("supported"), failed], "majority").failure == "no reply"
