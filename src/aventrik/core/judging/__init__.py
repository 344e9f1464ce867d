"""An answer to its claims, each claim to a verdict against the served context, and what else a judge says of it: one file
each for claims, evidence, reference and relevance."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from ..answering import Answer
from ..context import Served
from ..protocols import LanguageModel
from .claims import LONGEST, MOST_CLAIMS, claims_of, spoken
from .evidence import verdicts_on
from .reference import stated_facts, supported_claims
from .relevance import AGREEING, RELEVANT, Agreement, agreements, relevances
from .verdicts import Judge, Judgement, Reference, Verdict

__all__ = [
    "AGREEING", "LONGEST", "MOST_CLAIMS", "RELEVANT", "Agreement", "Judgement", "Reference", "Verdict", "agreements", "judge",
]  # fmt: skip


def judge(
    questions: Sequence[str],
    answers: Sequence[Answer],
    contexts: Sequence[Sequence[Served] | None],
    references: Sequence[Reference],
    model: LanguageModel,
    first: Sequence[Judgement] = (),
    told: Collection[int] = (),
) -> list[Judgement]:
    """A judgement of each answer; one that declines or failed has no verdicts and states nothing, and one whose context
    is not known (None) has no verdicts. An answer of more than `LONGEST` characters or `MOST_CLAIMS` claims is not
    judged, and its failure says so. `first`: the judgements of another judge, whose claims are judged. `told`: the
    places of answers whose systems said themselves that they do not decline."""
    asked = Judge(model)
    places = spoken(answers, asked)
    taken = {place: each.claims for place, each in enumerate(first) if each.verdicts}
    split = claims_of(questions, answers, places, asked, taken, told)
    claims, declining = split.claims, dict(split.declining)
    declining.update({place: (each.declining, each.refusal) for place, each in enumerate(first) if each.declining})
    places = [place for place in places if declining.get(place, ("",))[0] != "wholly"]
    verdicts = verdicts_on(questions, claims, contexts, asked)
    right = supported_claims(questions, claims, references, asked)
    stated = stated_facts(questions, answers, places, references, asked)
    relevance = relevances(questions, answers, places, asked)
    return [
        Judgement(failure=asked.failures[place])
        if place in asked.failures
        else Judgement(
            tuple(verdicts.get(place, ())),
            stated.get(place, (False,) * len(references[place].facts)),
            tuple(right.get(place, ())),
            relevance=relevance[place][0] if place in relevance else None,
            declining=declining.get(place, ("", ""))[0],
            refusal=declining.get(place, ("", ""))[1],
            reason=relevance[place][1] if place in relevance else "",
        )
        for place in range(len(answers))
    ]
