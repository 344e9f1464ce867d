"""How far a rewrite has drifted from the question that it was made of."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy.typing as npt

from ..offline.synonyms import leader
from ..protocols import Hit
from ..text import WORD, content_terms, numbers, plain_number, stem
from ..text.names import names_in

_FIRST = 10  # of a rewrite's list, what is looked for in the question's
_NAME = 1.5  # how often more a name weighs than another word of its rarity


@dataclass(frozen=True)
class Drifted:
    """A rewrite: the number of its rewriting, its likeness to the question (0 to 1), which names and figures it has lost
    and which it has added, and whether it is dropped for its likeness."""

    text: str
    origin: int
    likeness: float
    lost: tuple[str, ...] = ()
    added: tuple[str, ...] = ()
    dropped: bool = False


@dataclass(frozen=True)
class Drift:
    """The rewrites of a question, in the order of its queries."""

    rewrites: tuple[Drifted, ...] = ()

    def kept(self, queries: int) -> list[bool]:
        """Of each query whether it is searched for; the question always is."""
        return [True, *(not each.dropped for each in self.rewrites)][:queries]


@dataclass(frozen=True)
class Found:
    """What the queries of a question came to, the question's first: their vectors, shape (queries, d), and the lists that
    each method found for them; None without that method."""

    vectors: npt.NDArray | None = None
    words: Sequence[Sequence[Hit]] | None = None
    near: Sequence[Sequence[Hit]] | None = None


def likenesses(texts: Sequence[str], found: Found, rarity: Callable[[str], float]) -> list[float]:
    """The likeness of each rewrite to the question, the first of the texts, from 0 to 1: the mean of the cosine of their
    vectors, the cosine of their terms weighed by rarity (synonyms count as one, names more), and the share of a
    rewrite's first ten hits that stand in the question's own list, of what is there of these."""
    made = []
    asked = _weights(texts[0], rarity)
    for place in range(1, len(texts)):
        parts = [_cosine(asked, _weights(texts[place], rarity))]
        if found.vectors is not None:
            parts.append(max(0.0, float(found.vectors[0] @ found.vectors[place])))
        for lists in (found.words, found.near):
            if lists is not None:
                parts.append(_shared(lists[0], lists[place]))
        made.append(round(min(1.0, math.fsum(parts) / len(parts)), 4))
    return made


def _shared(question: Sequence[Hit], rewrite: Sequence[Hit]) -> float:
    first = [place for place, _ in rewrite[:_FIRST]]
    known = {place for place, _ in question[: 4 * _FIRST]}
    return sum(place in known for place in first) / len(first) if first else 0.0


def _weights(text: str, rarity: Callable[[str], float]) -> dict[str, float]:
    names = {stem(word.lower()) for word in names_in(text)}
    found: dict[str, float] = {}
    for term in content_terms(text):
        weight = rarity(term) * (_NAME if term in names else 1.0)
        found[leader(term)] = max(found.get(leader(term), 0.0), weight)
    return found


def _cosine(one: dict[str, float], other: dict[str, float]) -> float:
    shared = math.fsum(weight * other[term] for term, weight in one.items() if term in other)
    sizes = [math.sqrt(math.fsum(weight * weight for weight in each.values())) for each in (one, other)]
    return shared / (sizes[0] * sizes[1]) if all(sizes) else 0.0


def changes(question: str, rewrite: str) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """(lost, added): names and figures of a question that a rewrite does not have, and the other way round, as they are
    written. A name counts as there in any spelling of capitals."""
    return _missing(question, rewrite), _missing(rewrite, question)


def _missing(one: str, other: str) -> tuple[str, ...]:
    there = {stem(word.lower()) for word in WORD.findall(other)}
    figures = set(numbers(other))
    lost = [word for word in names_in(one) if stem(word.lower()) not in there]
    lost.extend(figure for figure in _figures(one) if plain_number(figure) not in figures)
    return tuple(dict.fromkeys(lost))


def _figures(text: str) -> list[str]:
    return [word for word in WORD.findall(text) if word[0].isdigit() and not any(letter.isalpha() for letter in word)]
