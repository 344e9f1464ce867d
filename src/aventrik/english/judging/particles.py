"""The 'yes' or 'no' with which an answer opens: what it answers is said by the question."""

from __future__ import annotations

import re
from collections.abc import Sequence

from ...core.wording.asking import read
from ...core.wording.words import words_of
from .evidence import ContextPlace
from .operators import is_negation

_OPENING = re.compile(
    r"^\W*(?P<particle>yes(?:,? (?:indeed|of course|you (?:can|may|must|do)|it (?:is|does)|they (?:are|do)))?|"
    r"no(?:,? (?:you (?:can(?:not|['’]t)|may not|must not|don['’]t)|it (?:is not|isn['’]t|does not|doesn['’]t)|they (?:are not|do not)))?|"
    r"nope|nowhere|nobody|none|nothing|never|yep|yeah|correct|certainly|of course|not (?:at present|at the "
    r"moment|now|yet|any more|really))\s*(?:[,.:;!–—-]+\s*|$)",
    re.IGNORECASE,
)
_POLAR = re.compile(
    r"^(?:and |but |so )?(?:can|could|may|might|must|shall|should|will|would|is|are|am|was|were|do|does|did|"
    r"has|have|had|isn['’]t|aren['’]t)\b",
    re.IGNORECASE,
)
_ENOUGH = 0.5  # weight of what a question names that a sentence has, from which it answers yes or no


def without_particle(claim: str) -> tuple[str, str]:
    """A claim without the particle that opens it, and that particle, "yes" or "no"; "" where there is none."""
    found = _OPENING.match(claim)
    if not found:
        return claim, ""
    return claim[found.end() :].strip(), "no" if found["particle"].lower().startswith(("no", "never")) else "yes"


def asks_whether(question: str) -> bool:
    """Whether yes or no answers a question."""
    return bool(_POLAR.match(question.strip()))


def answering_place(question: str, places: Sequence[ContextPlace]) -> tuple[ContextPlace, float] | None:
    """The place that has most of what a question names, and how much of it, 0 to 1; None where none has half."""
    about = read(question).about
    whole = sum(asked.weight for asked in about) or 1.0
    best: tuple[ContextPlace, float] | None = None
    for place in places:
        if place.second:
            continue
        here = sum(asked.weight * _stands(asked.terms, place) for asked in about) / whole
        score = here - 0.002 * place.length
        if here >= _ENOUGH and (best is None or score > best[1]):
            best = (place, score)
    return best


def _stands(terms: dict[str, float], place: ContextPlace) -> float:
    here = max((how for term, how in terms.items() if term in place.terms), default=0.0)
    return here or 0.6 * max((how for term, how in terms.items() if term in place.around), default=0.0)


def denies(place: ContextPlace, question: str) -> bool:
    """Whether a place says that what a question asks is not so: one of the two is negated, not both."""
    ours, theirs = words_of(question), place.words
    asked = sum(is_negation(ours, at) for at in range(len(ours))) % 2
    said = sum(is_negation(theirs, at) for at in range(len(theirs))) % 2
    return asked != said
