"""Claims to verdicts against the context that was served: supported, contradicted, not found, or too far to tell."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from typing import Any

from ..context import Served
from ..protocols import Task
from .claims import Claim
from .verdicts import Judge, Verdict

MOST_AT_ONCE = 12  # claims of one call: a longer reply is cut off by small limits of a server


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
    return {
        place: [_verdict(claim, reply) for claim, reply in rows]
        for place, rows in judged_claims(questions, facing, shown, judge).items()
    }


def judged_claims(
    questions: Sequence[str],
    claims: Sequence[tuple[int, Claim]],
    shown: Mapping[int, Sequence[dict[str, Any]]],
    judge: Judge,
) -> dict[int, list[tuple[Claim, dict[str, Any]]]]:
    """By the place of an answer each of its claims with what the judge says of it, held against what is `shown` there. The claims of an
    answer go in one call, `MOST_AT_ONCE` at most: they belong to one question, and what they are held against is read once."""
    by_place: dict[int, list[Claim]] = defaultdict(list)
    for place, claim in claims:
        by_place[place].append(claim)
    batches = [
        (place, some[at : at + MOST_AT_ONCE])
        for place, some in by_place.items()
        for at in range(0, len(some), MOST_AT_ONCE)
    ]
    replies = judge.ask(
        [
            (
                p,
                Task(
                    "verdict",
                    {"context": shown[p], "question": questions[p], "claims": [each["text"] for each in some]},
                ),
            )
            for p, some in batches
        ]
    )
    found: dict[int, list[tuple[Claim, dict[str, Any]]]] = defaultdict(list)
    for (place, some), reply in zip(batches, replies):
        if reply:
            found[place].extend(zip(some, reply["verdicts"]))
    return found


def _verdict(claim: Claim, reply: dict[str, Any]) -> Verdict:
    quotes = tuple((int(quote["item"]), str(quote["quote"])) for quote in reply["quotes"])
    sure = float(reply.get("confidence", 1.0))
    return Verdict(claim["text"], reply["verdict"], reply["reason"], tuple(claim["cites"]), quotes, sure)
