"""Whether an answer states a fact: the fact is a claim, the answer what it is held against."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from ...core.text import sentence_texts
from ...core.wording.refusals import REFUSAL
from ...core.wording.words import Word, words_of
from .aligning import align
from .evidence import nearest, places_of
from .findings import Pairing, against, same_elsewhere
from .splitting import CITE
from .units import is_unit

_NEAR = 0.45
_SHARE = 0.5  # of a fact's content that a sentence in other words has to have
_SHORT = 10  # words of an answer that gives just what was asked for
_HEDGED = re.compile(
    r"\b(?:unclear|uncertain|unknown|whether or not|whether|perhaps|possibly|might be)\b", re.IGNORECASE
)


def stated(fields: Mapping[str, Any]) -> dict[str, Any]:
    """For each fact, whether the answer states it.

    In near wording the rules of a verdict decide: no other figure, name, denial, extent or role. In other wording it has to
    have half of the fact's content with all its figures and names. An answer of a few words that the fact has, and that says what
    the question did not, states it too. What is hedged, or said not to be known, states nothing.
    """
    answer = CITE.sub("", str(fields["answer"]))
    question = words_of(str(fields.get("question", "")))
    sure = [
        sentence for sentence in sentence_texts(answer) if not REFUSAL.search(sentence) and not _HEDGED.search(sentence)
    ]
    return {"stated": [_states(str(fact), sure, question) for fact in fields["facts"]]}


def _states(fact: str, answer: list[str], question: tuple[Word, ...]) -> bool:
    claim = words_of(fact)
    text = "\n".join(answer)
    given = words_of(text)
    if not claim or not given:
        return False
    if len(given) <= _SHORT and _is_short(claim, given, question):
        return True
    found = nearest(claim, places_of([{"number": 1, "source": " ".join(word.text for word in question), "text": text}]))
    if found is None:
        return False
    place, alignment = found
    pairing = Pairing(claim, place, alignment, lambda: place.whole)
    findings = list(against(pairing))
    if any(finding.verdict == "contradicted" for finding in findings):
        return False
    if alignment.score >= _NEAR and pairing.tells:
        return not findings
    exact = [word for word in claim if word.figure or word.name]
    share = alignment.share + _in_other_units(pairing)
    return (
        share >= _SHARE
        and not any(f.sure >= 0.85 for f in findings)
        and all(word.term in place.whole or same_elsewhere(claim, claim.index(word), place.words) for word in exact)
    )


def _in_other_units(pairing: Pairing) -> float:
    """The share of a fact's content that are figures, with their units, that the answer gives in other units."""
    claim = pairing.claim
    content = [i for i, word in enumerate(claim) if word.content]
    there = [i for i in pairing.unplaced if claim[i].figure and same_elsewhere(claim, i, pairing.theirs)]
    lost = set(pairing.unplaced)
    told = len(there) + sum(i + 1 in lost and is_unit(claim[i + 1].lower) for i in there if i + 1 < len(claim))
    return told / max(1, len(content))


def _is_short(claim: tuple[Word, ...], given: tuple[Word, ...], question: tuple[Word, ...]) -> bool:
    """Whether a few words give what the fact has beyond the question: all their content is the fact's, with its figures."""
    has = {word.term for word in claim}
    content = [word for word in given if word.content and not word.light] or [word for word in given if word.content]
    asked = {word.term for word in question}
    told = {word.term for word in content} - asked
    if not told or not {word.term for word in content} <= has | asked:
        return False
    if any(given[i].content for i in align(given, claim).moved):
        return False  # the same words in other parts
    if any(word.lower in ("not", "no", "never") for word in given) != any(
        word.lower in ("not", "no", "never") for word in claim
    ):
        return False
    return all(
        word.term in {each.term for each in given} or word.term in asked
        for word in claim
        if word.figure and not word.figure.startswith("#")
    )
