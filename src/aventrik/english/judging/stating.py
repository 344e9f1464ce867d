"""Whether an answer states a fact: the fact is a claim, the answer what it is held against."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from ...core.text import sentence_texts
from ...core.wording.refusals import REFUSAL
from ...core.wording.words import Word, words_of
from .aligning import align
from .evidence import nearest, places_of, plain_words
from .findings import against, same_elsewhere
from .fragments import is_fragment, read_fragment
from .naming import in_its_slot
from .pairing import REASONED, TOO_FAR, Pairing
from .particles import without_particle
from .splitting import CITE, split_claims
from .units import is_unit

_NEAR = 0.45
_SHARE = 0.5  # of a fact's content that a sentence in other words has to have
_FULL = 0.7  # words of a fact, from which an answer without figures and names is as full as it
_SHORT = 10  # words of an answer that gives just what was asked for
_HEDGED = re.compile(
    r"\b(?:unclear|uncertain|unknown|whether or not|whether|perhaps|possibly|might be)\b", re.IGNORECASE
)


def stated(fields: Mapping[str, Any]) -> dict[str, Any]:
    """For each fact, whether the answer states it.

    In near wording the rules of a verdict decide: no other figure, name, denial, extent or role. In other wording it has to
    have half of the fact's content with all its figures and names. An answer of a few words that the fact has, and that says what
    the question did not, states it too; so does one that gives its values as an answer to the question. What is hedged, or said
    not to be known, states nothing.

    `reference` is the answer that was written beside the facts. A fact that it does not state in words that rules know (a heading, a
    paraphrase) is stated by an answer that says all that it says.
    """
    question, reference = str(fields.get("question", "")), str(fields.get("reference", ""))
    answer = _Given(str(fields["answer"]), question)
    known = _Given(reference, question) if reference.strip() else None
    states = [answer.states(str(fact)) for fact in fields["facts"]]
    if known is None or all(states):
        return {"stated": states}
    as_much = plain_words(reference) in plain_words(answer.text)
    if not as_much:
        parts = [str(claim["text"]) for claim in split_claims({"answer": reference})["claims"]]
        as_much = bool(parts) and all(answer.states(part) for part in parts)
    if as_much:
        states = [here or not known.states(str(fact)) for here, fact in zip(states, fields["facts"])]
    return {"stated": states}


class _Given:
    """An answer, without what is hedged or said not to be known, as facts are looked for in it."""

    def __init__(self, answer: str, question: str) -> None:
        self.text = CITE.sub("", answer)
        self.question = question
        self._asked = words_of(question)
        sure = [each for each in sentence_texts(self.text) if not REFUSAL.search(each) and not _HEDGED.search(each)]
        self._sure = "\n".join(sure)
        self._words = words_of(self._sure)
        self._context = [{"number": 1, "source": question, "text": self._sure}]

    def states(self, fact: str) -> bool:
        """Whether it states a fact."""
        claim, given = words_of(fact), self._words
        if not claim or not given:
            return False
        if plain_words(fact) == plain_words(self._sure):
            return True
        if len(given) <= _SHORT and _is_short(claim, given, self._asked):
            return True
        if self._gives_values(fact, claim):
            return True
        found = nearest(claim, places_of(self._context))
        if found is None:
            return False
        place, alignment = found
        pairing = Pairing(claim, place, alignment, lambda: place.whole)
        findings = [each for each in against(pairing) if each.verdict not in (REASONED, TOO_FAR)]
        if any(finding.verdict == "contradicted" for finding in findings):
            return False
        if alignment.score >= _NEAR and pairing.tells and not findings:
            return True
        exact = [at for at, word in enumerate(claim) if word.figure or word.name]
        if any(claim[at].content and not claim[at].light and in_its_slot(pairing, at) for at in pairing.unplaced):
            return False
        share = alignment.share + _in_other_units(pairing)
        return (
            share >= _SHARE
            and not any(f.sure >= 0.85 for f in findings)
            and all(claim[at].term in place.whole or same_elsewhere(claim, at, place.words) for at in exact)
        )

    def _gives_values(self, fact: str, claim: tuple[Word, ...]) -> bool:
        """Whether a fragment gives all values of a fact beyond the question, and nothing that the fact does not have."""
        text, particle = without_particle(self._sure)
        given = words_of(text)
        if (
            not self.question
            or not given
            or not is_fragment(given)
            or (particle and not any(word.figure for word in given))
        ):
            return False
        reading = read_fragment(given, self.question, places_of([{"number": 1, "source": self.question, "text": fact}]))
        if reading is None or reading.verdict != "supported":
            return False
        if len(given) > _FULL * len(claim) and not any(word.figure or word.name for word in given):
            return False  # a sentence in other words, not the values of one
        has = {word.term for word in given} | {word.term for word in self._asked}
        return all(word.term in has for word in claim if word.figure or word.name)


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
