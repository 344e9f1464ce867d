"""An answer to its claims."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ..answering import Answer
from ..protocols import Task
from .verdicts import Judge

LONGEST = 100_000  # characters of an answer that is judged: more is no answer, and takes a judge minutes
MOST_CLAIMS = 200  # claims of one: each is a call to the judge

Claim = dict[str, Any]  # "text", and "cites": the numbers of the items that it cites


def spoken(answers: Sequence[Answer], judge: Judge) -> list[int]:
    """The places of answers that say something: they neither decline nor failed, and are not too long to be judged."""
    places = [place for place, answer in enumerate(answers) if not answer.declined and not answer.failure]
    for place in places:
        if len(answers[place].text) > LONGEST:
            judge.failures[place] = f"the answer has {len(answers[place].text):,} characters; {LONGEST:,} are judged"
    return judge.still(places)


@dataclass(frozen=True)
class Split:
    """The claims of answers in order, as (place, claim), and by the place of an answer how far it says that it has none ("none", "in
    part", "wholly"), with the words that say so."""

    claims: list[tuple[int, Claim]]
    declining: dict[int, tuple[str, str]]


def claims_of(
    questions: Sequence[str],
    answers: Sequence[Answer],
    places: Sequence[int],
    judge: Judge,
    taken: Mapping[int, list[Claim]],
    told: Collection[int] = (),
) -> Split:
    """The claims of the answers at some places; `taken` has those that another judge split off already. One that declines wholly makes
    none, but where its system `told` that it does not decline. An answer of more than `MOST_CLAIMS` is not judged."""
    unsplit = [place for place in places if place not in taken]
    split = judge.ask([(p, Task("claims", {"question": questions[p], "answer": answers[p].text})) for p in unsplit])
    replied = {place: value for place, value in zip(unsplit, split) if value}
    declining = {
        place: (str(value.get("declining", "none")), str(value.get("quote", "")))
        for place, value in replied.items() if place not in told
    }  # fmt: skip
    made = {
        **taken,
        **{
            place: [] if declining.get(place, ("",))[0] == "wholly" else value["claims"]
            for place, value in replied.items()
        },
    }
    for place, some in made.items():
        if len(some) > MOST_CLAIMS:
            judge.failures[place] = f"the answer makes {len(some):,} claims; {MOST_CLAIMS} are judged"
    return Split([(place, claim) for place in judge.still(places) for claim in made.get(place, ())], declining)
