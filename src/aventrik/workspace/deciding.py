"""What people decided about the questions of a test set, laid over the file: kept, rejected, changed; and where they
contradict each other. The file itself stays as it was drafted."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from ..core.errors import BadInput
from ..core.testsets import Question
from .reviews import Decision, Reviews
from .testsets import question_row, question_with

QUESTION = "question"
KEEP, REJECT, UNSURE, EDITED = "keep", "reject", "can't tell", "edited"
CHANGED = ("question", "answer", "needs", "kind")  # fields that a person may change


@dataclass(frozen=True)
class Conflict:
    """A question on which people contradict each other: it stays a draft, as it was."""

    id: str
    question: str
    said: Mapping[str, Decision]


@dataclass(frozen=True)
class Settled:
    """The questions of a test set as people left them; the last decision of each person by the question's id as it stands
    in the file; what they contradict each other on; changes that can't be understood, with the reason."""

    questions: tuple[Question, ...]
    decided: Mapping[str, Mapping[str, Decision]] = field(default_factory=dict)
    conflicts: tuple[Conflict, ...] = ()
    broken: tuple[tuple[str, str], ...] = ()


def settled(questions: Sequence[Question], reviews: Reviews) -> Settled:
    """Lays the decisions over questions as they stand in their file."""
    said = reviews.last(QUESTION)
    if not said:
        return Settled(tuple(questions))
    worded = {each.claim for people in said.values() for each in people.values()}
    made: list[Question] = []
    decided: dict[str, Mapping[str, Decision]] = {}
    conflicts: list[Conflict] = []
    broken: list[tuple[str, str]] = []
    for question in questions:
        people = said.get(question.key) if question.question in worded else None
        if not people:
            made.append(question)
            continue
        decided[question.id] = people
        if disagree(list(people.values())):
            conflicts.append(Conflict(question.id, question.question, people))
            made.append(question)
            continue
        try:
            made.append(_with(question, list(people.values())))
        except BadInput as error:
            broken.append((question.id, str(error)))
            made.append(question)
    return Settled(tuple(made), decided, tuple(conflicts), tuple(broken))


def rejected_wordings(reviews: Reviews) -> tuple[str, ...]:
    """Questions as they were worded that everybody who decided on them rejected: no draft is to ask them again."""
    return tuple(
        dict.fromkeys(
            next(iter(people.values())).claim
            for people in reviews.last(QUESTION).values()
            if all(each.decision == REJECT for each in people.values())
        )
    )


def disagree(decisions: Sequence[Decision]) -> bool:
    """Whether people contradict each other: one keeps what another rejects, or two changed it in different ways."""
    verdicts = {each.decision for each in decisions} & {KEEP, REJECT}
    if len(verdicts) > 1:
        return True
    changes = [each.now for each in decisions if each.now and each.decision != REJECT]
    return any(change != changes[0] for change in changes[1:])


def _with(question: Question, decisions: Sequence[Decision]) -> Question:
    changes = next((each.now for each in decisions if each.now and each.decision != REJECT), {})
    found = changed(question, changes)
    verdicts = {each.decision for each in decisions}
    status = "kept" if KEEP in verdicts else "rejected" if REJECT in verdicts else found.status
    people = sorted({each.who for each in decisions if each.decision != UNSURE})
    return replace(found, status=status, meta={**found.meta, "decided_by": people}) if people else found


def changed(question: Question, changes: Mapping[str, Any]) -> Question:
    """A question with some of its fields changed; raises `BadInput` for what is no question."""
    if not changes:
        return question
    row = {**question_row(question), **{name: changes[name] for name in CHANGED if name in changes}}
    return question_with(row, f"a change of question {question.id}")


def differences(before: Question, after: Question) -> tuple[dict[str, Any], dict[str, Any]]:
    """What was changed between two states of a question: the fields before, and after."""
    one, other = question_row(before), question_row(after)
    names = [name for name in CHANGED if one[name] != other[name]]
    return {name: one[name] for name in names}, {name: other[name] for name in names}
