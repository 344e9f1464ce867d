"""Claims to verdicts against the context that was served: supported, contradicted, not found, or too far to tell."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from typing import Any

from ..context import Served
from ..protocols import Task
from .claims import Claim
from .verdicts import Judge, Verdict


def verdicts_on(
    questions: Sequence[str],
    claims: Sequence[tuple[int, Claim]],
    contexts: Sequence[Sequence[Served] | None],
    judge: Judge,
) -> dict[int, list[Verdict]]:
    """By the place of an answer the verdicts on its claims, none where its context is not known (None) or the judge gave
    no reply."""
    shown = {place: [item.fields for item in context] for place, context in enumerate(contexts) if context is not None}
    facing = [(place, claim) for place, claim in claims if place in shown]
    beside = whole_answers(claims)
    replies = judge.ask([(p, verdict_task(questions[p], claim, beside[p], shown[p])) for p, claim in facing])
    found: dict[int, list[Verdict]] = defaultdict(list)
    for (place, claim), reply in zip(facing, replies):
        if reply:
            found[place].append(_verdict(claim, reply))
    return found


def whole_answers(claims: Sequence[tuple[int, Claim]]) -> dict[int, str]:
    """By the place of an answer all that it claims."""
    found: dict[int, list[str]] = defaultdict(list)
    for place, claim in claims:
        found[place].append(str(claim["text"]))
    return {place: " ".join(texts) for place, texts in found.items()}


def verdict_task(question: str, claim: Claim, answer: str, context: Sequence[dict[str, Any]]) -> Task:
    """What a judge is asked of one claim: it belongs to its question, and stands in its answer."""
    return Task("verdict", {"question": question, "answer": answer, "claim": claim["text"], "context": context})


def _verdict(claim: Claim, reply: dict[str, Any]) -> Verdict:
    quotes = tuple((int(quote["item"]), str(quote["quote"])) for quote in reply["quotes"])
    sure = float(reply.get("confidence", 1.0))
    return Verdict(claim["text"], reply["verdict"], reply["reason"], tuple(claim["cites"]), quotes, sure)
