"""Documents in portions that are worked on one after another, or by one worker each."""

from __future__ import annotations

from collections.abc import Sequence

MOST_BYTES = 1 << 24  # of packed text in a portion, unless a document alone has more


def portions(
    places: Sequence[int], sizes: Sequence[int], together: int, most: int = MOST_BYTES
) -> list[tuple[int, ...]]:
    """Neighbouring places, at most `together` in a portion and, by their `sizes`, at most `most` bytes; at least one."""
    made: list[tuple[int, ...]] = []
    some: list[int] = []
    weight = 0
    for place, size in zip(places, sizes, strict=True):
        if some and (len(some) == together or weight + size > most):
            made.append(tuple(some))
            some, weight = [], 0
        some.append(place)
        weight += size
    return [*made, tuple(some)] if some else made
