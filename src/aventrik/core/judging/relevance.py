"""How far an answer addresses its question, and how far answers to other wordings of it say the same: levels of a judge."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..answering import Answer
from ..protocols import LanguageModel, Task
from .verdicts import Judge

RELEVANT, AGREEING = 3, 2  # the highest levels of `addressed` and `consistent`


def relevances(
    questions: Sequence[str], answers: Sequence[Answer], places: Sequence[int], judge: Judge
) -> dict[int, tuple[float, str]]:
    """By the place of an answer how far it addresses its question, 0 to 1: the judge's level of `RELEVANT`; and its reason."""
    whole = judge.still(places)
    replies = judge.ask([(p, Task("addressed", {"question": questions[p], "answer": answers[p].text})) for p in whole])
    return {
        place: (int(reply["level"]) / RELEVANT, str(reply.get("reason", "")))
        for place, reply in zip(whole, replies)
        if reply
    }


@dataclass(frozen=True)
class Agreement:
    """How far the answers to other wordings of a question agree with the answer to it: the mean over them, 0 to 1; the
    wordings and answers; and why there is none, if so."""

    value: float | None = None
    wordings: tuple[str, ...] = ()
    answers: tuple[str, ...] = ()
    failure: str = ""


def agreements(
    questions: Sequence[str],
    answers: Sequence[Answer],
    others: Sequence[Sequence[tuple[str, Answer]]],
    model: LanguageModel,
) -> list[Agreement]:
    """How far each answer agrees with `others`: (wording, answer) of the same question. Two that decline agree; one that
    declines and one that answers do not; the judge compares the rest."""
    rows = [
        (place, number, other.text) for place, few in enumerate(others) for number, (_, other) in enumerate(few)
        if not answers[place].failure and not other.failure and not (answers[place].declined or other.declined)
    ]  # fmt: skip
    replies = model.perform(
        [
            Task("consistent", {"question": questions[p], "first": answers[p].text, "second": text})
            for p, _, text in rows
        ]
    )
    said = {(place, number): reply for (place, number, _), reply in zip(rows, replies)}
    made = []
    for place, few in enumerate(others):
        values, failure = [], answers[place].failure
        for number, (_, other) in enumerate(few):
            reply = said.get((place, number))
            if reply is not None and reply.value is not None:
                values.append(int(reply.value["level"]) / AGREEING)
            elif reply is not None or other.failure:
                failure = failure or other.failure or (reply.failure if reply else "")
            elif not answers[place].failure:
                values.append(float(answers[place].declined == other.declined))
        value = sum(values) / len(values) if values and not failure else None
        made.append(Agreement(value, tuple(text for text, _ in few), tuple(other.text for _, other in few), failure))
    return made
