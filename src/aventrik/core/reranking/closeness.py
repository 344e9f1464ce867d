"""Puts candidates first in which the question's words stand close together.

The idea of scoring term proximity beside term weight: Rasolofo and Savoy (2003), Term proximity scoring for
keyword-based retrieval systems; the window measure here is this project's own.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from ..text import content_terms, terms
from . import Item, Rarity, Refined, StepMeans

_WINDOW = 40


def apply(questions: Sequence[str], items: Sequence[Sequence[Item]], means: StepMeans, weight: float) -> list[Refined]:
    """Orders by (1 − weight) · old score scaled to 0…1 + weight · closeness; equal ones keep their order.

    Closeness is the greatest share of the question's term weight inside any window of 40 words of the
    candidate, where a word of its title or headings counts half.
    """
    assert means.rarity is not None
    rarity = means.rarity
    known: dict[str, list[str]] = {}  # the terms of texts that stand in several lists
    for row in items:
        for item in row:
            for text in (item.text, item.source):
                if text not in known:
                    known[text] = terms(text)
    return [_ordered(question, row, rarity, weight, known) for question, row in zip(questions, items)]


def _ordered(
    question: str, items: Sequence[Item], rarity: Rarity, weight: float, known: dict[str, list[str]]
) -> Refined:
    if not items:
        return []
    wanted = {term: rarity(term) for term in dict.fromkeys(content_terms(question))}
    whole = sum(wanted.values())
    low = min(item.score for item in items)
    high = max(item.score for item in items)
    ranked = []
    for place, item in enumerate(items):
        old = (item.score - low) / (high - low) if high > low else 1.0
        new = _closest(wanted, known[item.text], known[item.source]) / whole if whole else 0.0
        ranked.append((round((1 - weight) * old + weight * new, 9), place))
    return [replace(items[place], score=score) for score, place in sorted(ranked, key=lambda each: (-each[0], each[1]))]


def closeness(wanted: dict[str, float], text: str, source: str) -> float:
    """The greatest weight of distinct wanted terms in a window, plus half that of absent ones in the source."""
    return _closest(wanted, terms(text), terms(source))


def _closest(wanted: dict[str, float], found: Sequence[str], above: Sequence[str]) -> float:
    places = [(place, term) for place, term in enumerate(found) if term in wanted]
    headings = wanted.keys() & set(above)
    best = sum(weight / 2 for term, weight in wanted.items() if term in headings)
    left = 0
    inside: dict[str, int] = {}
    for place, term in places:
        inside[term] = inside.get(term, 0) + 1
        while places[left][0] <= place - _WINDOW:
            gone = places[left][1]
            inside[gone] -= 1
            if not inside[gone]:
                del inside[gone]
            left += 1
        value = sum(
            weight if term in inside else weight / 2 if term in headings else 0.0 for term, weight in wanted.items()
        )
        best = max(best, value)
    return best
