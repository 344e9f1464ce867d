"""The judgements of several judges as one: by majority, or by the mean of what each thinks likely."""

from __future__ import annotations

from collections.abc import Sequence

from . import Judgement, Verdict

WAYS = ("majority", "mean")
CLASSES = ("supported", "contradicted", "not found")


def joined(judgements: Sequence[Judgement], way: str) -> Judgement:
    """One judgement from several of the same claims; a judge that can't tell has no vote. Where a vote is tied, what is
    likelier by the judges' confidence counts. It fails where one of them failed."""
    failed = next((each for each in judgements if each.failure), None)
    if failed is not None:
        return failed
    claims = zip(*(each.verdicts for each in judgements))
    levels = [each.relevance for each in judgements if each.relevance is not None]
    return Judgement(
        tuple(_verdict(verdicts, way) for verdicts in claims),
        _flags([each.stated for each in judgements]),
        _flags([each.right for each in judgements]),
        relevance=sum(levels) / len(levels) if levels else None,
        declining=judgements[0].declining,
        refusal=judgements[0].refusal,
        reason="; ".join(dict.fromkeys(each.reason for each in judgements if each.reason)),
    )


def _verdict(verdicts: Sequence[Verdict], way: str) -> Verdict:
    telling = [each for each in verdicts if each.verdict in CLASSES]
    if not telling:
        return verdicts[0]
    likely = {name: sum(_likelihood(each, name) for each in telling) / len(telling) for name in CLASSES}
    votes = {name: sum(each.verdict == name for each in telling) for name in CLASSES}
    chosen = max(CLASSES, key=lambda name: (votes[name], likely[name]) if way == "majority" else (likely[name], 0))
    speaker = max(telling, key=lambda each: (each.verdict == chosen, each.confidence))
    quotes = tuple(dict.fromkeys(quote for each in telling if each.verdict == chosen for quote in each.quotes))
    return Verdict(speaker.claim, chosen, speaker.reason, speaker.cites, quotes, likely[chosen])


def _likelihood(verdict: Verdict, name: str) -> float:
    return verdict.confidence if verdict.verdict == name else (1 - verdict.confidence) / (len(CLASSES) - 1)


def _flags(rows: Sequence[Sequence[bool]]) -> tuple[bool, ...]:
    """What more than half of the judges say yes to; of two, both."""
    return tuple(2 * sum(votes) > len(votes) for votes in zip(*rows))
