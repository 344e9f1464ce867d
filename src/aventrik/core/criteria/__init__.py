"""A criterion of the user's own: what is judged, a scale whose levels say what they mean, and the grades that come of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from ..answering import Answer
from ..context import Served
from ..judging import Reference
from ..protocols import LanguageModel, Task

ANSWER, CONTEXT, REFERENCE = "answer", "context", "reference"
JUDGED: dict[str, tuple[str, ...]] = {
    "answer": (ANSWER,),
    "answer and context": (ANSWER, CONTEXT),
    "answer and reference": (ANSWER, REFERENCE),
    "context": (CONTEXT,),
}


@dataclass(frozen=True)
class Level:
    """A level of a scale: its number, what it means, the value from 0 to 1 that it counts as, and the regular expression
    by which the built-in judge knows it ("" for none)."""

    level: int
    means: str
    value: float
    pattern: str = ""


@dataclass(frozen=True)
class Case:
    """Something judged already, as an example."""

    question: str
    material: str
    level: int
    reason: str = ""


@dataclass(frozen=True)
class Criterion:
    """A criterion; `levels` in the order of their numbers. `wording` is a prompt of its own ("": the usual one), `judge`
    the model that judges it ("": that of the run), `declined` whether answers that decline are judged too."""

    name: str
    about: str
    judges: str
    levels: tuple[Level, ...]
    less_is_better: bool = False
    cases: tuple[Case, ...] = ()
    wording: str = ""
    judge: str = ""
    declined: bool = False

    @property
    def parts(self) -> tuple[str, ...]:
        """What of a question is shown to the judge: answer, context, reference."""
        return JUDGED[self.judges]

    @property
    def scale(self) -> str:
        """The levels, a line each."""
        return "\n".join(f"{each.level}: {each.means}" for each in self.levels)

    def value(self, level: int) -> float:
        """What a level counts as."""
        return next(each.value for each in self.levels if each.level == level)


@dataclass(frozen=True)
class Grade:
    """What a judge gave: the words that decided, its reason, the level and its value; None where it was not judged, and
    why it failed, if it did."""

    level: int | None = None
    value: float | None = None
    quotes: tuple[str, ...] = ()
    reason: str = ""
    failure: str = ""


def grade(
    criterion: Criterion,
    questions: Sequence[str],
    answers: Sequence[Answer],
    contexts: Sequence[Sequence[Served] | None],
    references: Sequence[Reference],
    model: LanguageModel,
) -> list[Grade]:
    """A grade for each question. Left out: an answer that failed or (unless the criterion wants it) declines, a context
    that is not known, a reference that there is not."""
    wanted = [
        place for place, answer in enumerate(answers)
        if _can(criterion, answer, contexts[place], references[place])
    ]  # fmt: skip
    tasks = [
        Task(
            "criterion",
            _fields(criterion, questions[place], answers[place], contexts[place] or (), references[place]),
            criterion.wording,
        )
        for place in wanted
    ]
    found = [Grade() for _ in answers]
    for place, reply in zip(wanted, model.perform(tasks)):
        found[place] = _grade(criterion, reply.value, reply.failure)
    return found


def _can(criterion: Criterion, answer: Answer, context: Sequence[Served] | None, reference: Reference) -> bool:
    parts = criterion.parts
    if ANSWER in parts and (answer.failure or (answer.declined and not criterion.declined)):
        return False
    if CONTEXT in parts and context is None:
        return False
    return REFERENCE not in parts or bool(reference.texts)


def _fields(
    criterion: Criterion, question: str, answer: Answer, context: Sequence[Served], reference: Reference
) -> dict[str, Any]:
    parts = criterion.parts
    return {
        "about": criterion.about,
        "levels": criterion.scale,
        "cases": [
            f"{case.question} · {case.material} → {case.level}" + (f", because {case.reason}" if case.reason else "")
            for case in criterion.cases
        ],
        "question": question,
        "answer": answer.text if ANSWER in parts else "",
        "context": [item.fields for item in context] if CONTEXT in parts else [],
        "reference": "\n".join(reference.texts) if REFERENCE in parts else "",
        "patterns": [(each.level, each.pattern) for each in criterion.levels],  # for the built-in judge alone
    }


def _grade(criterion: Criterion, value: dict[str, Any] | None, failure: str) -> Grade:
    if value is None:
        return Grade(failure=failure)
    level = int(value["level"])
    return Grade(level, criterion.value(level), tuple(map(str, value["quotes"])), str(value["reason"]))


def joined(criterion: Criterion, grades: Sequence[Grade]) -> Grade:
    """The grades of several judges as one: the mean of their values, and the level whose value is nearest to it."""
    failed = next((each for each in grades if each.failure), None)
    if failed is not None:
        return failed
    values = [each.value for each in grades if each.value is not None]
    if not values:
        return Grade()
    mean = sum(values) / len(values)
    level = min(criterion.levels, key=lambda each: (abs(each.value - mean), each.level)).level
    quotes = tuple(dict.fromkeys(quote for each in grades for quote in each.quotes))
    return Grade(level, mean, quotes, " / ".join(each.reason for each in grades if each.reason))
