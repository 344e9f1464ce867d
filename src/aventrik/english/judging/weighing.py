"""The verdict on one claim: from the place of the context that is nearest to it in wording, and what there stands against
it; where the claim is no sentence by itself, from what its question asks about."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from functools import lru_cache
from typing import Any

from ...core.text import WORD
from ...core.wording.asking import standing_for
from ...core.wording.fitting import ROW
from ...core.wording.words import Word, words_of
from .evidence import ContextPlace, nearest, places_of, plain_words
from .findings import against, against_far
from .fragments import Reading, is_fragment, read_fragment
from .omissions import omissions
from .operators import NEGATIONS
from .pairing import CONTRADICTED, NOT_FOUND, REASONED, SURE, TOO_FAR, Objection, Pairing
from .particles import answering_place, asks_whether, denies, without_particle

SUPPORTED = "supported"
_NEAR = 0.45  # score of an alignment from which wording is near enough for a verdict
_MOST_WORDS = 80  # of a claim: what is longer is no single claim
_COPIED, _MOST_COPIED = 7, 0.6  # words of a claim, and the share of them in runs, from which it is judged as a sentence
_VERBATIM = 4  # words of a claim from which it is looked for as it stands
_PARTS = re.compile(
    r";\s+|:\s+|,\s+(?:and|but|or)\s+|\s+(?:and|but)\s+(?=[\w£$€]+\s+[\w£$€]+)|,\s+(?=(?:which|who|with|on|at|in|for|from)\s)"
)
_STOPS = re.compile(r"(?<=[:.;!?])\s+")
_LEAST = 2  # words of a part of a claim that is held against the context by itself


def verify_all(fields: Mapping[str, Any]) -> dict[str, Any]:
    """Reply to the task `verdict`: one on each of the claims of an answer, by their numbers from 1; of a single `claim` the verdict
    itself."""
    if "claims" not in fields:
        return verify(fields)
    claims = [str(claim) for claim in fields["claims"]]
    whole = " ".join(claims)
    return {
        "verdicts": [
            {"claim": number, **verify({**fields, "claim": claim, "answer": whole})}
            for number, claim in enumerate(claims, 1)
        ]
    }


def verify(fields: Mapping[str, Any]) -> dict[str, Any]:
    """The verdict on a claim, with a confidence (0 to 1) and the places that decide.

    `question` is what the claim answers, where that is known, and `answer` the rest of its answer. A claim that is no sentence by
    itself ('£12.', 'only at Oxmere') is read with its question: see `fragments`; 'yes' and 'no' by what the question asks.

    For a sentence, that of the context whose wording is *nearest* decides, alone or with the one before it, whatever it says.
    *Contradicted*: it has another figure, denies what the claim says, or has its parts in other roles. *Not found*: the claim has a
    figure, a name, a word of extent, a condition or content that does not stand there, or leaves out a condition on which it
    depends. *Supported*: neither, in near wording. *Too far to tell*: the wording is so far from every sentence, or takes so much
    reckoning, that rules can't tell; it is no sign of an invention. Where one place does not bear out the whole, its parts are
    held against all places.
    """
    question = str(fields.get("question", ""))
    text, particle = without_particle(str(fields["claim"]))
    places = places_of(fields["context"])
    claim = words_of(text)
    if len(claim) > _MOST_WORDS:
        return _reply(TOO_FAR, 0.5, f"it has {len(claim)} words, which is more than one claim", ())
    if particle and not claim:
        return _told(_whether(particle, question, places))
    known = _asked(question) | _terms(str(fields.get("answer", "")))
    if question and is_fragment(claim) and not ROW.match(text) and not _is_copied(claim, places):
        reading = read_fragment(claim, question, places)
        if reading is not None and reading.verdict != TOO_FAR:
            return _told(reading)
        other = _sentence(text, claim, places, known, fields["context"])
        return _told(other if other.verdict == SUPPORTED or reading is None else reading)
    whole = _sentence(text, claim, places, known, fields["context"])
    if whole.gap or whole.verdict == TOO_FAR:
        whole = _by_parts(text, question, places, known, fields["context"]) or whole
    return _told(whole)


def _is_copied(claim: Sequence[Word], places: Sequence[ContextPlace]) -> bool:
    """Whether a claim of some length and of one clause is mostly the wording of a place."""
    single = len({word.clause for word in claim if word.content}) < 2
    found = nearest(claim, places) if single and len(claim) >= _COPIED else None
    return found is not None and found[1].runs >= _MOST_COPIED and len(claim) >= _MOST_COPIED * found[0].length


def _sentence(
    text: str, claim: Sequence[Word], places: Sequence[ContextPlace], known: frozenset[str], context: Sequence[Mapping[str, Any]]
) -> Reading:  # fmt: skip
    """The verdict on a claim as a sentence, by the place that is nearest to it."""
    as_it_stands = _verbatim(text, context)
    found = nearest(claim, [each for each in places if not as_it_stands or each.item in as_it_stands])
    if found is None:
        return Reading(TOO_FAR, 0.5, "no sentence of the context shares a word with it")
    place, alignment = found
    pairing = Pairing(claim, place, alignment, lambda: frozenset().union(*{each.whole for each in places}))
    near = alignment.score >= _NEAR or bool(as_it_stands)
    findings = [] if as_it_stands else list(against(pairing) if near else against_far(pairing))
    reasoned = [each for each in findings if each.verdict == REASONED]
    findings = [each for each in findings if each.verdict != REASONED]
    if near:
        findings.extend(
            Objection(NOT_FOUND, 0.8, f"it leaves out {each.text!r}, on which it depends")
            for each in omissions(claim, place, known)
        )
    if findings:
        worst = max(findings, key=lambda each: each.sure)
        return Reading(worst.verdict, worst.sure, worst.reason, (place,), _is_gap(findings))
    if as_it_stands:
        return Reading(SUPPORTED, 0.97, "it stands there in these words", (place,))
    if not near or not (pairing.tells or alignment.share >= 0.9):
        sure = 0.3 + 0.3 * alignment.share
        return Reading(TOO_FAR, sure, "its wording is too far from the nearest sentence to tell", (place,))
    if reasoned:
        return Reading(SUPPORTED, 0.65, reasoned[0].reason, (place,))
    sure = 0.55 + 0.2 * min(1.0, alignment.ordered) + 0.2 * min(1.0, max(alignment.runs, alignment.score - SURE + 0.3))
    return Reading(SUPPORTED, sure, "a sentence says it in nearly the same words", (place,))


def _is_gap(findings: Sequence[Objection]) -> bool:
    """Whether words that a place does not have stand against a claim, and nothing that denies it: another place may have them."""
    return any(each.gap for each in findings) and all(each.verdict != CONTRADICTED for each in findings)


def _by_parts(
    text: str, question: str, places: Sequence[ContextPlace], known: frozenset[str], context: Sequence[Mapping[str, Any]]
) -> Reading | None:  # fmt: skip
    """The verdict on a claim that rests on several places: supported where each of its parts is, by any place; None where a part is
    not, or where it has no parts."""
    for cuts in (_STOPS, _PARTS):
        parts = [part.strip() for part in cuts.split(text) if part.strip()]
        if len(parts) < 2 or any(len(WORD.findall(part)) < _LEAST for part in parts):
            continue
        found = _each_part(parts, question, places, known | _terms(text), context)
        if found is not None:
            return found
    return None


def _each_part(
    parts: Sequence[str], question: str, places: Sequence[ContextPlace], beside: frozenset[str], context: Sequence[Mapping[str, Any]]
) -> Reading | None:  # fmt: skip
    """Supported where each part is; else None."""
    found: list[Reading] = []
    for part in parts:
        words = words_of(part)
        reading: Reading | None = None
        if is_fragment(words):
            reading = read_fragment(words, f"{question} {' '.join(each for each in parts if each != part)}", places)
        if reading is None or reading.verdict != SUPPORTED:
            reading = _sentence(part, words, places, beside, context)
        if reading.verdict != SUPPORTED:
            return None
        found.append(reading)
    where = tuple(dict.fromkeys(place for reading in found for place in reading.places))
    return Reading(
        SUPPORTED, min(reading.sure for reading in found) - 0.1, "its parts stand in the places together", where[:3]
    )


def _whether(particle: str, question: str, places: Sequence[ContextPlace]) -> Reading:
    """The verdict on a bare 'yes' or 'no': whether the place that speaks of what is asked says so."""
    found = answering_place(question, places) if asks_whether(question) else None
    if found is None:
        return Reading(TOO_FAR, 0.5, "no place says what is asked in words near enough to tell")
    place, link = found
    if denies(place, question) == (particle == "no"):
        return Reading(SUPPORTED, 0.5 + 0.3 * link, f"the place answers the question with {particle!r}", (place,))
    if particle == "no" and link < 0.8:
        return Reading(TOO_FAR, 0.5, "the place does not deny it in so many words", (place,))
    return Reading(
        "contradicted", 0.4 + 0.3 * link, f"the place does not answer the question with {particle!r}", (place,)
    )


def _verbatim(text: str, context: Sequence[Mapping[str, Any]]) -> frozenset[int]:
    """The numbers of the items in which the words of a claim stand as they are, one behind the other and not behind a denial."""
    wanted = plain_words(text)
    if wanted.count(" ") < _VERBATIM + 1:
        return frozenset()
    found = set()
    for item in context:
        whole = plain_words(str(item["text"]))
        at = whole.find(wanted)
        if at >= 0 and whole[:at].rpartition(" ")[2] not in NEGATIONS:
            found.add(int(item["number"]))
    return frozenset(found)


def _terms(text: str) -> frozenset[str]:
    return frozenset(word.term for word in words_of(text) if word.content)


@lru_cache(maxsize=1 << 10)
def _asked(question: str) -> frozenset[str]:
    """The terms of a question, and those that may stand for them."""
    return frozenset(term for word in words_of(question) if word.content for term in standing_for(word))


def _told(reading: Reading) -> dict[str, Any]:
    return _reply(reading.verdict, reading.sure, reading.reason, reading.places)


def _reply(verdict: str, sure: float, reason: str, places: Sequence[ContextPlace]) -> dict[str, Any]:
    quotes = [{"item": place.item, "quote": text} for place in places for text in place.texts]
    return {"verdict": verdict, "confidence": round(sure, 3), "reason": reason, "quotes": quotes}
