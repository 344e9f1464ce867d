"""Answers of which it is known what they are worth, and how far a judge's measures reach by them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from aventrik.core.context import Served
from aventrik.core.judging.known import (
    OTHER,
    REFUSAL,
    RIGHT,
    SPOILT,
    KnownQuestion,
    KnownScore,
    by_lot,
    known_answers,
    only_verdict,
    quoted,
    reaches,
    refusals_seen,
    scored,
    unusable,
)
from aventrik.core.judging.verdicts import Reference
from aventrik.core.protocols import Reply, Task


def question(key: str, text: str, answer: str) -> KnownQuestion:
    passage = Served(1, "Fees", f"The office says: {answer}", 8)
    return KnownQuestion(key, text, answer, Reference((answer,), (answer,), answer), (passage,))


KEY = question("k", "What does a bridge key cost?", "A bridge key costs £12.")
WINDLASS = question("w", "What does a windlass cost?", "A windlass costs £16.")
LOCK = question("l", "How deep is Hexley Lock?", "Hexley Lock is 1.4 metres deep.")


def plant(answer: str, passages: Sequence[Served], names: Sequence[str]) -> list[tuple[str, str]]:
    return [("figure", answer.replace("1", "7")), ("part", answer[:9])]


def test_each_question_gives_a_right_one_one_of_another_question_spoilt_ones_and_a_refusal() -> None:
    made = known_answers([KEY, WINDLASS, LOCK], plant, few=False)
    assert [(each.kind, each.fault) for each in made if each.place == 0] == [
        (RIGHT, ""), (OTHER, ""), (SPOILT, "figure"), (SPOILT, "part"), (REFUSAL, ""),
    ]  # fmt: skip
    assert next(each.text for each in made if each.place == 0 and each.kind == OTHER) == WINDLASS.answer  # most alike
    few = known_answers([KEY, WINDLASS, LOCK], plant, few=True)
    assert [(each.place, each.fault) for each in few if each.kind == SPOILT] == [
        (0, "figure"),
        (1, "part"),
        (2, "figure"),
    ]
    assert [each.place for each in few if each.kind == REFUSAL] == [0, 2]


def test_an_answer_that_another_question_has_too_is_none_of_another() -> None:
    same = question("s", "What does a spare bridge key cost?", KEY.answer)
    made = known_answers([KEY, same], plant, few=True)
    assert not [each for each in made if each.kind == OTHER]


def test_the_same_questions_are_drawn_each_time_and_of_a_set_that_grew() -> None:
    keys = [f"q{n}" for n in range(50)]
    first = [keys[at] for at in by_lot(keys)[:10]]
    turned, grown = keys[::-1], [*keys, "k", "l"]
    assert [turned[at] for at in by_lot(turned)[:10]] == first
    assert len(set(first) & {grown[at] for at in by_lot(grown)[:10]}) >= 8
    assert sorted(by_lot(keys)) == list(range(50))


class Judging:
    """A judge that calls a claim supported where `says` does, quotes where `quotes` is true, and fails on what has no reply."""

    def __init__(self, says: Any, quotes: bool = True, fails: bool = False) -> None:
        self.says, self.quotes, self.fails = says, quotes, fails

    def perform(self, tasks: Sequence[Task]) -> list[Reply]:
        return [Reply(None, "no JSON") if self.fails else Reply(self._reply(task)) for task in tasks]

    def _reply(self, task: Task) -> dict[str, Any]:
        if task.name == "claims":
            wholly = "not say" in task.fields["answer"]
            return {
                "declining": "wholly" if wholly else "none",
                "quote": "",
                "claims": [{"text": task.fields["answer"], "cites": []}],
            }
        if task.name == "verdict":
            item = task.fields["context"][0]
            told = [
                {"verdict": "supported" if self.says(claim, str(item["text"])) else "not found", "confidence": 1.0, "reason": "",
                 "quotes": [{"item": 1, "quote": "x"}] if self.quotes else []}
                for claim in task.fields["claims"]
            ]  # fmt: skip
            return {"verdicts": told}
        if task.name == "stated":
            return {"stated": [fact in task.fields["answer"] for fact in task.fields["facts"]]}
        return {"level": 3, "reason": ""}


def test_a_judge_that_knows_gets_the_whole_distance_and_one_that_says_yes_to_all_none() -> None:
    questions = [KEY, WINDLASS, LOCK]
    answers = known_answers(questions, plant, few=False)
    knows = scored(questions, answers, Judging(lambda claim, text: claim in text))
    found = {each.measure: each for each in reaches(knows)}
    assert (found["groundedness"].right, found["groundedness"].floor, found["groundedness"].distance) == (1.0, 0.0, 1.0)
    assert (found["groundedness"].rights, found["groundedness"].floors) == (3, 3)  # a part left out is no floor
    assert (found["hallucinated"].right, found["hallucinated"].floor) == (0.0, 1.0)
    assert (found["correctness"].right, found["correctness"].floor) == (1.0, 0.0)
    assert found["relevance"].distance == 0.0  # it calls all relevant
    assert refusals_seen(knows) == (1, 3)
    assert only_verdict(knows) == ""
    easy = scored(questions, answers, Judging(lambda claim, text: True, quotes=False))
    assert {each.measure: each.distance for each in reaches(easy)}["groundedness"] == 0.0
    assert only_verdict(easy) == "supported"
    assert quoted(easy)[0] == 0 < quoted(easy)[1]


def test_a_judge_without_a_usable_reply_reaches_nothing() -> None:
    answers = known_answers([KEY, LOCK], plant, few=True)
    made = scored([KEY, LOCK], answers, Judging(None, fails=True))
    assert unusable(made) == len(answers)
    assert reaches(made) == []
    assert all(isinstance(each, KnownScore) and each.failure for each in made)
