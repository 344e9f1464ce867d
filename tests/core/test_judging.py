"""Claims, evidence, reference and relevance, each with a judge whose replies are written down here."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import pytest

from aventrik.core.answering import Answer
from aventrik.core.context import Served
from aventrik.core.judging import Judgement, Reference, Verdict, agreements, claims, judge
from aventrik.core.judging.claims import claims_of, spoken
from aventrik.core.judging.evidence import verdicts_on
from aventrik.core.judging.reference import stated_facts, supported_claims
from aventrik.core.judging.relevance import relevances
from aventrik.core.judging.verdicts import Judge
from aventrik.core.protocols import Reply, Task


class Written:
    """A model that replies by what stands in `replies`, under the task's name and the text that it is about; None and what
    is not there are failures. `asked` has what it was asked."""

    def __init__(self, **replies: dict[str, Any]) -> None:
        self.replies = replies
        self.asked: list[Task] = []

    def perform(self, tasks: Sequence[Task]) -> list[Reply]:
        self.asked += tasks
        return [self._reply(task) for task in tasks]

    def _reply(self, task: Task) -> Reply:
        if task.name == "verdict":
            held = [self.replies.get("verdict", {}).get(each) for each in task.fields["claims"]]
            lost = [each for each, value in zip(task.fields["claims"], held) if value is None]
            return Reply(None, f"no reply on {lost[0]}") if lost else Reply({"verdicts": held})
        about = task.fields.get("answer") or task.fields["second"]
        value = self.replies.get(task.name, {}).get(about)
        return Reply(value) if value is not None else Reply(None, f"no reply on {about}")


def says(text: str) -> Answer:
    return Answer(text, False, (), "")


DECLINED = Answer("I don't know.", True, (), "")
FAILED = Answer("", False, (), "the server is down")


def claim(text: str, *cites: int) -> dict[str, Any]:
    return {"text": text, "cites": list(cites)}


def held(verdict: str, confidence: float = 1.0, item: int = 1) -> dict[str, Any]:
    return {"verdict": verdict, "reason": "r", "quotes": [{"item": item, "quote": "q"}], "confidence": confidence}


def test_only_answers_that_say_something_are_judged(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(claims, "LONGEST", 10)
    asked = Judge(Written())
    assert spoken([says("0123456789"), DECLINED, FAILED, says("0123456789!")], asked) == [0]
    assert asked.failures == {3: "the answer has 11 characters; 10 are judged"}


def test_claims_come_in_order_and_those_of_another_judge_are_not_split_again(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(claims, "MOST_CLAIMS", 2)
    model = Written(
        claims={"A.": {"claims": [claim("a1", 1), claim("a2")]}, "C.": {"claims": [claim(each) for each in "xyz"]}}
    )
    asked = Judge(model)
    answers = [says("A."), says("B."), says("C."), says("D.")]
    found = claims_of(["q"] * 4, answers, [0, 1, 2, 3], asked, {1: [claim("b1")]})
    assert [(place, each["text"]) for place, each in found.claims] == [(0, "a1"), (0, "a2"), (1, "b1")]
    assert [task.fields["answer"] for task in model.asked] == ["A.", "C.", "D."]
    assert asked.failures == {2: "the answer makes 3 claims; 2 are judged", 3: "no reply on D."}


def test_a_claim_is_held_against_what_was_served_and_nothing_else() -> None:
    served = Served(1, "Locks", "A pass costs 14 euros.", 8, "locks.md", ((0, 22),))
    model = Written(verdict={"a": held("supported", 0.75), "b": held("contradicted")})
    asked = Judge(model)
    found = verdicts_on(
        ["q"] * 3, [(0, claim("a", 2)), (0, claim("b")), (1, claim("a")), (2, claim("c"))], [[served], None, []], asked
    )
    assert found == {
        0: [Verdict("a", "supported", "r", (2,), ((1, "q"),), 0.75), Verdict("b", "contradicted", "r", (), ((1, "q"),))]
    }
    assert model.asked[0].fields["context"] == [served.fields]
    assert model.asked[0].fields["claims"] == ["a", "b"]  # the claims of an answer go in one call
    assert model.asked[1].fields["context"] == []  # nothing was served: the judge is asked all the same
    assert asked.failures == {2: "no reply on c"}


def test_support_is_what_the_judge_thinks_likely() -> None:
    assert [
        Verdict("c", verdict, "", (), (), 0.75).support
        for verdict in ("supported", "contradicted", "not found", "too far to tell")
    ] == [0.75, 0.25, 0.25, 0.5]


def test_the_reference_says_which_claims_are_right_and_which_facts_are_stated() -> None:
    model = Written(
        verdict={"a": held("supported"), "b": held("not found")},
        stated={"A.": {"stated": [1, 0]}, "B.": {"stated": [0]}},
    )
    references = [Reference(("f", "g"), ("Text one.", "Text two.")), Reference(("f",)), Reference()]
    asked = Judge(model)
    right = supported_claims(["q"] * 2, [(0, claim("a")), (0, claim("b")), (1, claim("a"))], references, asked)
    assert right == {0: [True, False]}
    assert [each["text"] for each in model.asked[0].fields["context"]] == ["Text one.", "Text two."]
    stated = stated_facts(["q"] * 3, [says("A."), says("B."), says("C.")], [0, 1, 2], references, asked)
    assert stated == {0: (True, False), 1: (False,)}
    assert [task.fields["facts"] for task in model.asked if task.name == "stated"] == [["f", "g"], ["f"]]
    assert not asked.failures


def test_relevance_is_the_level_of_three_and_only_of_what_can_be_judged() -> None:
    model = Written(addressed={"A.": {"level": 3}, "B.": {"level": 1}, "C.": {"level": 0}})
    asked = Judge(model, {1: "failed before"})
    assert relevances(["q"] * 3, [says("A."), says("B."), says("C.")], [0, 1, 2], asked) == {0: (1.0, ""), 2: (0.0, "")}


def test_a_judgement_puts_them_together_and_one_failure_fails_all_of_an_answer() -> None:
    model = Written(
        claims={"A.": {"claims": [claim("a", 1)]}, "B.": {"claims": [claim("b")]}},
        verdict={"a": held("supported")},
        stated={"A.": {"stated": [1]}},
        addressed={"A.": {"level": 3}, "B.": {"level": 3}},
    )
    reference = Reference(("f", "g"), ("T.",))
    made = judge(["q"] * 4, [says("A."), says("B."), DECLINED, FAILED], [[], [], [], []], [reference] * 4, model)
    assert made[0] == Judgement(
        (Verdict("a", "supported", "r", (1,), ((1, "q"),)),), (True,), (True,), relevance=1.0, declining="none"
    )
    assert made[1] == Judgement(failure="no reply on b")
    assert made[2] == made[3] == Judgement((), (False, False), ())


def test_the_claims_of_a_first_judge_are_judged_by_the_second() -> None:
    model = Written(verdict={"theirs": held("not found")}, addressed={"A.": {"level": 0}})
    first = [Judgement((Verdict("theirs", "supported", "", (2,), ()),))]
    [made] = judge(["q"], [says("A.")], [[]], [Reference()], model, first)
    assert [(each.claim, each.verdict, each.cites) for each in made.verdicts] == [("theirs", "not found", (2,))]
    assert [task.name for task in model.asked] == ["verdict", "addressed"]


def test_two_answers_agree_by_the_level_of_two_and_by_both_declining() -> None:
    model = Written(consistent={"same": {"level": 2}, "half": {"level": 1}})
    [mean, declined, against, unknown, failed] = agreements(
        ["q"] * 5,
        [says("A."), DECLINED, says("A."), says("A."), FAILED],
        [
            [("w1", says("same")), ("w2", says("half"))],
            [("w", DECLINED)],
            [("w", DECLINED), ("v", says("same"))],
            [("w", says("same")), ("v", says("unheard of"))],
            [("w", says("same"))],
        ],
        model,
    )
    assert (mean.value, mean.wordings, mean.answers) == (0.75, ("w1", "w2"), ("same", "half"))
    assert declined.value == 1.0
    assert against.value == 0.5  # 0 for the one that declines, 1 for the other
    assert (unknown.value, unknown.failure) == (None, "no reply on unheard of")
    assert (failed.value, failed.failure) == (None, "the server is down")
