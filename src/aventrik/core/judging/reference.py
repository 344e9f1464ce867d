"""An answer against its reference: which facts it states, and which of its claims the reference supports."""

from __future__ import annotations

from collections.abc import Sequence

from ..answering import Answer
from ..protocols import Task
from .claims import Claim
from .evidence import judged_claims
from .verdicts import Judge, Reference


def supported_claims(
    questions: Sequence[str], claims: Sequence[tuple[int, Claim]], references: Sequence[Reference], judge: Judge
) -> dict[int, list[bool]]:
    """By the place of an answer whether the reference answer or its evidence supports each of its claims, none where there
    is no such text."""
    known = [(place, claim) for place, claim in claims if references[place].texts]
    shown = {place: references[place].context for place, _ in known}
    return {
        place: [reply["verdict"] == "supported" for _, reply in rows]
        for place, rows in judged_claims(questions, known, shown, judge).items()
    }


def stated_facts(
    questions: Sequence[str],
    answers: Sequence[Answer],
    places: Sequence[int],
    references: Sequence[Reference],
    judge: Judge,
) -> dict[int, tuple[bool, ...]]:
    """By the place of an answer whether it states each fact of its reference, none where there are no facts."""
    wanted = judge.still([place for place in places if references[place].facts])
    replies = judge.ask([(p, _task(questions[p], references[p], answers[p])) for p in wanted])
    return {place: tuple(map(bool, reply["stated"])) for place, reply in zip(wanted, replies) if reply}


def _task(question: str, reference: Reference, answer: Answer) -> Task:
    fields = {
        "question": question,
        "facts": list(reference.facts),
        "reference": reference.answer,
        "answer": answer.text,
    }
    return Task("stated", fields)
