"""How far a rewrite has drifted from the question that it was made of."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from ..text import WORD, content_terms, numbers, plain_number, stem
from ..text.names import names_in
from ..wording.synonyms import leader

FIRST = 10  # passages of a list that are looked at
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
class QueriesFound:
    """What the queries of a question came to, the question's first: of each the first passages that it found, best first,
    and the cosine of its vector with the nearest one (None without vectors of a ready-made embedding model: one that has
    learnt from the corpus knows no word that is not there)."""

    passages: Sequence[Sequence[int]]
    nearest: Sequence[float] | None = None


def likenesses(
    texts: Sequence[str], found: QueriesFound, terms_of: Callable[[int], frozenset[str]], rarity: Callable[[str], float]
) -> list[float]:
    """The likeness of each rewrite to the question, the first of the texts, from 0 to 1: how far it belongs where the
    question leads. It is the mean of

    - home: of the weight of the rewrite's terms, the share that the question or its first ten passages hold;
    - held: the greatest share of that weight that one of the rewrite's own first ten passages holds;
    - near: the cosine of the rewrite and its nearest passage ÷ that of the question and its own, at most 1, where there
      are vectors.

    Terms weigh what they are rare, names half as much more, and synonyms count as one. `terms_of` gives the terms of a
    passage by their leaders. Words in common with the question count for nothing by themselves: what has drifted to
    another thing of the same name has many, and a good rewrite few.
    """
    asked = _weights(texts[0], rarity)
    home = frozenset(asked).union(*(terms_of(place) for place in found.passages[0][:FIRST]))
    made = []
    for place in range(1, len(texts)):
        weights = _weights(texts[place], rarity)
        whole = math.fsum(weights.values())
        if not whole:  # nothing but function words
            made.append(0.0)
            continue
        held = [_share(weights, terms_of(each)) for each in found.passages[place][:FIRST]]
        parts = [_share(weights, home), max(held, default=0.0)]
        if found.nearest is not None:
            best = found.nearest[0]
            parts.append(min(1.0, max(0.0, found.nearest[place]) / best) if best > 0 else 0.0)
        made.append(round(math.fsum(parts) / len(parts), 4))
    return made


def _share(weights: dict[str, float], there: frozenset[str]) -> float:
    return math.fsum(weight for term, weight in weights.items() if term in there) / math.fsum(weights.values())


def _weights(text: str, rarity: Callable[[str], float]) -> dict[str, float]:
    names = {stem(word.lower()) for word in names_in(text)}
    found: dict[str, float] = {}
    for term in content_terms(text):
        weight = rarity(term) * (_NAME if term in names else 1.0)
        found[leader(term)] = max(found.get(leader(term), 0.0), weight)
    return found


def leaders(text: str) -> frozenset[str]:
    """The content terms of a text by the leaders of their synonyms."""
    return frozenset(map(leader, content_terms(text)))


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
