"""Retrieval measures of one question, from overlap of served spans with the spans of its needs.

An item at rank r serves ranges of one document. A need is met at k when some alternative of it is covered to at least
`enough` by the union of the first k items.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from ..documents.spans import Range, common, length, merge
from .evidence import EvidencePlace, Needs, cover

COVER = 0.9
CUT_OFFS = (1, 3, 5, 10)


@dataclass(frozen=True)
class Retrieved:
    """One item of a ranked list: the ranges of a document that it serves, and its tokens."""

    doc: str
    ranges: tuple[Range, ...]
    tokens: int = 0


@dataclass(frozen=True)
class Walked:
    """A ranked list walked down once. Entry r of each list holds for the union of the first r items, r from 0.

    `covers`: of each need, 0 to 1; `gained`: Σ needs newly met at rank i ÷ log2(i + 1); `wanted` and `served`: characters
    of evidence, and of all items; `tokens`: of all items; `enough`: the cover from which a need is met.
    """

    covers: list[tuple[float, ...]]
    gained: list[float]
    wanted: list[int]
    served: list[int]
    tokens: list[int]
    enough: float

    def at(self, k: int) -> int:
        """The entry for the first k items of a list that may be shorter."""
        return min(k, len(self.covers) - 1)

    def met(self, k: int) -> list[bool]:
        """Which needs are met by the first k items."""
        return [value >= self.enough for value in self.covers[self.at(k)]]


def walk(needs: Needs, items: Sequence[Retrieved], enough: float = COVER) -> Walked:
    """Walks down a list; only items of documents that hold evidence take time."""
    places: dict[str, list[tuple[int, int, EvidencePlace]]] = {}
    for number, need in enumerate(needs):
        for choice, place in enumerate(need):
            places.setdefault(place.doc, []).append((number, choice, place))
    evidence = {doc: merge((place.start, place.end) for _, _, place in found) for doc, found in places.items()}
    best = [[0.0] * max(1, len(need)) for need in needs]
    seen: dict[str, list[Range]] = {}
    holding: dict[str, int] = {}
    covers = [tuple(0.0 for _ in needs)]
    gained, wanted, served, tokens = [0.0], [0], [0], [0]
    for rank, item in enumerate(items, start=1):
        if item.doc in places:
            union = seen[item.doc] = merge([*seen.get(item.doc, ()), *item.ranges])
            holding[item.doc] = sum(common(union, start, end) for start, end in evidence[item.doc])
            for number, choice, place in places[item.doc]:
                best[number][choice] = cover(place, union)
            covers.append(tuple(max(choices) for choices in best))
            newly = sum(now >= enough > before for now, before in zip(covers[-1], covers[-2]))
            gained.append(gained[-1] + newly / math.log2(rank + 1))
            wanted.append(sum(holding.values()))
        else:
            covers.append(covers[-1])
            gained.append(gained[-1])
            wanted.append(wanted[-1])
        served.append(served[-1] + length(item.ranges))
        tokens.append(tokens[-1] + item.tokens)
    return Walked(covers, gained, wanted, served, tokens, enough)


def hit(walked: Walked, k: int) -> float:
    """1 if every need is met at k, else 0."""
    return float(all(walked.met(k)))


def hit_any(walked: Walked, k: int) -> float:
    """1 if at least one need is met at k, else 0."""
    return float(any(walked.met(k)))


def need_recall(walked: Walked, k: int) -> float:
    """Needs met at k ÷ needs."""
    met = walked.met(k)
    return sum(met) / len(met)


def evidence_cover(walked: Walked, k: int) -> float:
    """Mean over needs of the best alternative's cover at k."""
    covers = walked.covers[walked.at(k)]
    return sum(covers) / len(covers)


def ndcg(walked: Walked, k: int) -> float:
    """Normalised discounted cumulative gain (Järvelin and Kekäläinen, 2002).

    The gain of an item is the number of needs that it newly meets, its discount 1 ÷ log2(rank + 1); the ideal list
    meets one need an item from rank 1, and a list that beats it, by meeting two at once, scores 1.
    """
    count = len(walked.covers[0])
    ideal = sum(1 / math.log2(rank + 1) for rank in range(1, min(count, k) + 1))
    return min(1.0, walked.gained[walked.at(k)] / ideal)


def density(walked: Walked, k: int) -> float:
    """Characters of evidence among the first k items ÷ characters served."""
    at = walked.at(k)
    return walked.wanted[at] / walked.served[at] if walked.served[at] else 0.0


def served_tokens(walked: Walked, k: int) -> float:
    """Tokens of the first k items: what a reader model has to read."""
    return float(walked.tokens[walked.at(k)])


def reciprocal_rank(walked: Walked, k: int = 0) -> float:
    """1 ÷ the rank at which the first need becomes met by the union of the items so far; 0 if none ever is."""
    for rank, covers in enumerate(walked.covers):
        if any(value >= walked.enough for value in covers):
            return 1 / rank
    return 0.0


Measured = Callable[[Walked, int], float]
