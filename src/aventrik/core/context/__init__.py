"""What the answering model is shown: the first items that are handed on, as far as a budget of tokens reaches."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from ..documents.spans import Range


@dataclass(frozen=True)
class Served:
    """One item of a context: its number from 1, the text that is handed on, where it comes from, and its tokens."""

    number: int
    source: str
    text: str
    tokens: int
    doc: str = ""
    ranges: tuple[Range, ...] = ()

    @property
    def fields(self) -> dict[str, Any]:
        """What a model is shown of it."""
        return {"number": self.number, "source": self.source, "text": self.text}


@dataclass(frozen=True)
class Context:
    """The items, in order."""

    items: tuple[Served, ...] = ()

    @property
    def tokens(self) -> int:
        """Tokens of all items."""
        return sum(item.tokens for item in self.items)


def within_budget(sizes: Sequence[int], keep: int, budget: int) -> int:
    """How many of the first items fit: at most `keep`, and in all at most `budget` tokens, but always one."""
    total = 0
    for place, size in enumerate(sizes[:keep]):
        total += size
        if total > budget and place:
            return place
    return min(keep, len(sizes))
