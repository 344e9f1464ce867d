"""The verdict on one claim: from the place of the context that is nearest to it in wording, and what there stands against
it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ...core.wording.words import words_of
from .evidence import ContextPlace, nearest, places_of
from .findings import SURE, Pairing, against, against_far

SUPPORTED, TOO_FAR = "supported", "too far to tell"
_NEAR = 0.45  # score of an alignment from which wording is near enough for a verdict
_MOST_WORDS = 80  # of a claim: what is longer is no single claim


def verify(fields: Mapping[str, Any]) -> dict[str, Any]:
    """The verdict on a claim, with a confidence (0 to 1) and the place that decides.

    The sentence whose wording is *nearest* decides, alone or with the one before it, whatever it says. *Contradicted*: it has
    another figure, denies what the claim says, or has its parts in other roles. *Not found*: the claim has a figure, a name,
    a word of extent, a condition or content that stands neither there nor around it. *Supported*: neither, in near wording.
    *Too far to tell*: the wording is so far from every sentence that rules can't tell; it is no sign of an invention.
    """
    claim = words_of(str(fields["claim"]))
    places = places_of(fields["context"])
    if len(claim) > _MOST_WORDS:
        return _reply(TOO_FAR, 0.5, f"it has {len(claim)} words, which is more than one claim", None)
    found = nearest(claim, places)
    if found is None:
        return _reply(TOO_FAR, 0.5, "no sentence of the context shares a word with it", None)
    place, alignment = found
    pairing = Pairing(claim, place, alignment, lambda: frozenset().union(*{each.whole for each in places}))
    near = alignment.score >= _NEAR
    findings = list(against(pairing) if near else against_far(pairing))
    if findings:
        worst = max(findings, key=lambda each: each.sure)
        return _reply(worst.verdict, worst.sure, worst.reason, place)
    if not near or not (pairing.tells or alignment.share >= 0.9):
        sure = 0.3 + 0.3 * alignment.share
        return _reply(TOO_FAR, sure, "its wording is too far from the nearest sentence to tell", place)
    sure = 0.55 + 0.2 * min(1.0, alignment.ordered) + 0.2 * min(1.0, max(alignment.runs, alignment.score - SURE + 0.3))
    return _reply(SUPPORTED, sure, "a sentence says it in nearly the same words", place)


def _reply(verdict: str, sure: float, reason: str, place: ContextPlace | None) -> dict[str, Any]:
    quotes = [{"item": place.item, "quote": text} for text in place.texts] if place is not None else []
    return {"verdict": verdict, "confidence": round(sure, 3), "reason": reason, "quotes": quotes}
