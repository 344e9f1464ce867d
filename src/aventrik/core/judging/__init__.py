"""An answer to its claims, and each claim to a verdict against the served context."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from ..answering import Answer, Served
from ..tasks import LanguageModel, Task


@dataclass(frozen=True)
class Verdict:
    """`verdict` is supported, contradicted or not found; `quotes` are (item number, words) that it rests on."""

    claim: str
    verdict: str
    reason: str
    cites: tuple[int, ...]
    quotes: tuple[tuple[int, str], ...]


@dataclass(frozen=True)
class Judgement:
    """The verdicts on an answer, which reference facts it states, and why judging failed, if it did."""

    verdicts: tuple[Verdict, ...] = ()
    stated: tuple[bool, ...] = ()
    failure: str = ""


def judge(
    questions: Sequence[str],
    answers: Sequence[Answer],
    contexts: Sequence[Sequence[Served]],
    facts: Sequence[Sequence[str]],
    model: LanguageModel,
) -> list[Judgement]:
    """A judgement of each answer; one that declines or failed has no verdicts and states nothing."""
    spoken = [place for place, answer in enumerate(answers) if not answer.declined and not answer.failure]
    claims = model.perform(
        [Task("claims", {"question": questions[place], "answer": answers[place].text}) for place in spoken]
    )
    stated = model.perform(
        [Task("stated", {"facts": list(facts[place]), "answer": answers[place].text}) for place in spoken]
    )
    asked: list[tuple[int, dict[str, Any]]] = []
    for place, reply in zip(spoken, claims):
        asked.extend((place, claim) for claim in (reply.value or {"claims": []})["claims"])
    context = {place: [item.fields for item in contexts[place]] for place in spoken}
    replies = model.perform(
        [Task("verdict", {"claim": claim["text"], "context": context[place]}) for place, claim in asked]
    )
    failures = {place: reply.failure for place, reply in zip(spoken, claims) if reply.value is None}
    failures.update({place: reply.failure for place, reply in zip(spoken, stated) if reply.value is None})
    verdicts: dict[int, list[Verdict]] = {}
    for (place, claim), reply in zip(asked, replies):
        if reply.value is None:
            failures.setdefault(place, reply.failure)
        else:
            verdicts.setdefault(place, []).append(_verdict(claim, reply.value))
    said = {place: tuple(map(bool, reply.value["stated"])) for place, reply in zip(spoken, stated) if reply.value}
    return [
        Judgement(failure=failures[place])
        if place in failures
        else Judgement(tuple(verdicts.get(place, ())), said.get(place, (False,) * len(facts[place])))
        for place in range(len(answers))
    ]


def _verdict(claim: dict[str, Any], value: dict[str, Any]) -> Verdict:
    quotes = tuple((int(quote["item"]), str(quote["quote"])) for quote in value["quotes"])
    return Verdict(claim["text"], value["verdict"], value["reason"], tuple(claim["cites"]), quotes)
