"""Retrieval measures of one question, from overlap of served spans with the spans of its needs."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from ..spans import Span, by_document, common, cover, length

COVER = 0.9
CUT_OFFS = (1, 3, 5, 10)

Needs = Sequence[Sequence[Span]]


@dataclass(frozen=True)
class Retrieved:
    """One item of a ranked list: the spans it serves, and its tokens."""

    spans: tuple[Span, ...]
    tokens: int = 0


def best_cover(alternatives: Sequence[Span], served: dict[str, list[tuple[int, int]]]) -> float:
    """The cover of a need: that of its best alternative span, 0 to 1."""
    return max((cover(span, served) for span in alternatives), default=0.0)


def needs_met(needs: Needs, items: Sequence[Retrieved], enough: float = COVER) -> list[bool]:
    """Which needs the union of all items meets."""
    served = by_document(span for item in items for span in item.spans)
    return [best_cover(need, served) >= enough for need in needs]


def retrieval_scores(
    needs: Needs, items: Sequence[Retrieved], cut_offs: Sequence[int] = CUT_OFFS, enough: float = COVER
) -> dict[str, float]:
    """All retrieval measures of a question with at least one need; `items` are ranked from 1.

    hit@k, hit-any@k, need-recall@k, cover@k, ndcg@k and density@k lie in 0…1, as does reciprocal-rank;
    tokens@k counts tokens. nDCG (Järvelin and Kekäläinen, 2002) has as gain of an item the needs that it newly
    meets; the ideal list meets one need an item, and a list that beats it, by meeting two needs at once, scores 1.
    """
    if not needs:
        raise ValueError("an unanswerable question has no retrieval scores")
    steps = _walk(needs, items[: max(cut_offs)], enough)
    scores: dict[str, float] = {}
    for k in cut_offs:
        at = steps[min(k, len(steps) - 1)]
        met = sum(value >= enough for value in at.covers)
        ideal = sum(1 / math.log2(rank + 1) for rank in range(1, min(len(needs), k) + 1))
        scores[f"hit@{k}"] = float(met == len(needs))
        scores[f"hit-any@{k}"] = float(met > 0)
        scores[f"need-recall@{k}"] = met / len(needs)
        scores[f"cover@{k}"] = sum(at.covers) / len(needs)
        scores[f"ndcg@{k}"] = min(1.0, at.discounted / ideal)
        scores[f"density@{k}"] = at.wanted / at.handed_on if at.handed_on else 0.0
        scores[f"tokens@{k}"] = float(at.tokens)
    scores["reciprocal-rank"] = _reciprocal_rank(needs, items, enough)
    return scores


@dataclass(frozen=True)
class _Step:
    """What holds after the first r items."""

    covers: tuple[float, ...]
    discounted: float
    wanted: int
    handed_on: int
    tokens: int


def _walk(needs: Needs, items: Sequence[Retrieved], enough: float) -> list[_Step]:
    evidence = by_document(span for need in needs for span in need)
    steps = [_Step((0.0,) * len(needs), 0.0, 0, 0, 0)]
    seen: list[Span] = []
    for rank, item in enumerate(items, start=1):
        last = steps[-1]
        seen.extend(item.spans)
        served = by_document(seen)
        covers = tuple(best_cover(need, served) for need in needs)
        newly = sum(now >= enough > before for now, before in zip(covers, last.covers))
        wanted = sum(
            common(ranges, start, end) for doc, ranges in served.items() for start, end in evidence.get(doc, ())
        )
        handed_on = sum(length(ranges) for ranges in by_document(item.spans).values())
        steps.append(
            _Step(
                covers,
                last.discounted + newly / math.log2(rank + 1),
                wanted,
                last.handed_on + handed_on,
                last.tokens + item.tokens,
            )
        )
    return steps


def _reciprocal_rank(needs: Needs, items: Sequence[Retrieved], enough: float) -> float:
    """1 ÷ rank of the first item that alone meets a need, else of the one at which the first need becomes met."""
    for rank, item in enumerate(items, start=1):
        if any(needs_met(needs, [item], enough)):
            return 1 / rank
    for rank in range(1, len(items) + 1):
        if any(needs_met(needs, items[:rank], enough)):
            return 1 / rank
    return 0.0
