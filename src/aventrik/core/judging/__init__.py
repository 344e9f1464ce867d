"""An answer to its claims, and each claim to a verdict against the served context."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from ..answering import Answer
from ..context import Served
from ..protocols import LanguageModel, Task


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
    """The verdicts on an answer against its context; which reference facts it states; which of its claims the
    reference answer or its evidence supports; and why judging failed, if it did."""

    verdicts: tuple[Verdict, ...] = ()
    stated: tuple[bool, ...] = ()
    right: tuple[bool, ...] = ()
    failure: str = ""


@dataclass(frozen=True)
class Reference:
    """What an answer is held against: the facts that it should state, and the texts that make a claim right."""

    facts: tuple[str, ...] = ()
    texts: tuple[str, ...] = ()

    @property
    def context(self) -> list[dict[str, Any]]:
        return [{"number": n, "source": "reference", "text": text} for n, text in enumerate(self.texts, 1)]


def judge(
    questions: Sequence[str],
    answers: Sequence[Answer],
    contexts: Sequence[Sequence[Served]],
    references: Sequence[Reference],
    model: LanguageModel,
) -> list[Judgement]:
    """A judgement of each answer; one that declines or failed has no verdicts and states nothing."""
    spoken = [place for place, answer in enumerate(answers) if not answer.declined and not answer.failure]
    failures: dict[int, str] = {}

    def ask(rows: Sequence[tuple[int, Task]]) -> list[dict[str, Any] | None]:
        replies = model.perform([task for _, task in rows])
        for (place, _), reply in zip(rows, replies):
            if reply.value is None:
                failures.setdefault(place, reply.failure)
        return [reply.value for reply in replies]

    split = ask([(p, Task("claims", {"question": questions[p], "answer": answers[p].text})) for p in spoken])
    claims = [(place, claim) for place, value in zip(spoken, split) for claim in (value or {"claims": []})["claims"]]
    context = {place: [item.fields for item in contexts[place]] for place in spoken}
    held = ask([(p, Task("verdict", {"claim": claim["text"], "context": context[p]})) for p, claim in claims])
    known = [(p, claim) for p, claim in claims if references[p].texts]
    right = ask(
        [(p, Task("verdict", {"claim": claim["text"], "context": references[p].context})) for p, claim in known]
    )
    wanted = [place for place in spoken if references[place].facts]
    stated = ask([(p, Task("stated", {"facts": list(references[p].facts), "answer": answers[p].text})) for p in wanted])
    said = {p: tuple(map(bool, value["stated"])) for p, value in zip(wanted, stated) if value}
    return [
        Judgement(failure=failures[place])
        if place in failures
        else Judgement(
            tuple(_verdict(claim, value) for (p, claim), value in zip(claims, held) if p == place and value),
            said.get(place, (False,) * len(references[place].facts)),
            tuple(value["verdict"] == "supported" for (p, _), value in zip(known, right) if p == place and value),
        )
        for place in range(len(answers))
    ]


def _verdict(claim: dict[str, Any], value: dict[str, Any]) -> Verdict:
    quotes = tuple((int(quote["item"]), str(quote["quote"])) for quote in value["quotes"])
    return Verdict(claim["text"], value["verdict"], value["reason"], tuple(claim["cites"]), quotes)
