"""What can't be had better without paying more."""

from __future__ import annotations

from collections.abc import Sequence


def front(quality: Sequence[float | None], cost: Sequence[float | None]) -> list[int]:
    """The places of those that no other one beats: better at no higher cost, or as good at a lower one; the cheapest
    first. More quality is better; what has no quality or no cost takes no part. Of equal ones the first."""
    have = [(c, -q, place) for place, (q, c) in enumerate(zip(quality, cost)) if q is not None and c is not None]
    found: list[int] = []
    best = float("inf")
    for _, less, place in sorted(have):
        if less < best - 1e-12:
            found.append(place)
            best = less
    return found
