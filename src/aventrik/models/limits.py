"""Keeps within a server's limits, and stops when it stays down."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Awaitable, Callable

Clock = Callable[[], float]
Sleep = Callable[[float], Awaitable[None]]


class TokenBucket:
    """Lets `rate` units a minute through, at most a tenth of a minute's worth at once; 0 means no limit."""

    def __init__(self, rate: float, clock: Clock = time.monotonic, sleep: Sleep = asyncio.sleep) -> None:
        self._rate = rate / 60
        self._most = max(1.0, rate / 10)
        self._level = self._most
        self._clock = clock
        self._sleep = sleep
        self._seen = clock()

    async def take(self, amount: float) -> None:
        """Waits until so much may go. More than fits at once is let go on credit, and paid back by those after."""
        if not self._rate:
            return
        now = self._clock()
        self._level = min(self._most, self._level + (now - self._seen) * self._rate)
        self._seen = now
        self._level -= amount
        if self._level < 0:
            await self._sleep(-self._level / self._rate)


class Breaker:
    """Opens when `most` attempts in a row have failed, whoever made them; a success closes it."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._failed = 0

    def failure(self) -> bool:
        """Counts a failed attempt; true when that was one too many."""
        self._failed += 1
        return self._failed >= self._most

    def success(self) -> None:
        """Counts a good one."""
        self._failed = 0
