"""In which order a person looks at the questions of a test set: doubtful ones first, with some of the sure ones among them."""

from __future__ import annotations

import random
from collections.abc import Mapping, Sequence
from typing import Any

DOUBTFUL = 0.5  # a confidence below which a question is doubtful
_BETWEEN = 4  # doubtful questions after which a sure one comes
# Kinds of questions that are drafted worst, worst first; of a reading of 204 drafted questions by hand.
_KINDS = ("unanswerable", "joined", "comparison")


def doubt_of(row: Mapping[str, Any]) -> float:
    """How doubtful a question is, 0 to 1: 1 − its confidence where it has one; else by its kind, for order alone."""
    meta = row.get("meta")
    confidence = meta.get("confidence") if isinstance(meta, dict) else None
    if isinstance(confidence, (int, float)) and not isinstance(confidence, bool):
        return 1 - min(1.0, max(0.0, float(confidence)))
    kind = row.get("kind")
    return 0.9 - 0.1 * _KINDS.index(kind) if kind in _KINDS else 0.3


def order_of(rows: Sequence[Mapping[str, Any]], seed: int = 0) -> list[int]:
    """The places of the questions in the order in which a person looks: the doubtful ones, most doubtful first, of equally
    doubtful ones those asked most; after every four a sure one by lot; then the other sure ones by lot."""
    doubts = [doubt_of(row) for row in rows]
    doubtful = [place for place, doubt in enumerate(doubts) if doubt > 1 - DOUBTFUL]
    doubtful.sort(key=lambda place: (-doubts[place], -_asked(rows[place]), place))
    inside = set(doubtful)
    sure = [place for place in range(len(rows)) if place not in inside]
    random.Random(f"review {seed}").shuffle(sure)
    found: list[int] = []
    rest = iter(sure)
    for number, place in enumerate(doubtful, 1):
        found.append(place)
        if number % _BETWEEN == 0:
            found.extend(next(([each] for each in rest), []))
    return [*found, *rest]


def _asked(row: Mapping[str, Any]) -> int:
    meta = row.get("meta")
    asked = meta.get("asked", 1) if isinstance(meta, dict) else 1
    return asked if isinstance(asked, int) else 1
