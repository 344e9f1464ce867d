"""Keeps within a server's limits, and stops when it stays down."""

from __future__ import annotations

import asyncio
import time
from collections import deque
from collections.abc import Awaitable, Callable
from typing import Protocol

Clock = Callable[[], float]
Sleep = Callable[[float], Awaitable[None]]


class Shared(Protocol):
    """What is left of limits, counted for all processes that use a store."""

    def take(self, name: str, rate: float, amount: float) -> float:
        """Draws on a bucket into which `rate` units a minute flow; returns the seconds to wait until so much may go."""
        ...


class SharedBucket:
    """A `TokenBucket` of which all processes that use a store have one together."""

    def __init__(self, name: str, rate: float, shared: Shared, sleep: Sleep = asyncio.sleep) -> None:
        self._name = name
        self._rate = rate
        self._shared = shared
        self._sleep = sleep

    async def take(self, amount: float) -> None:
        """Waits until so much may go."""
        if self._rate and (wait := self._shared.take(self._name, self._rate, amount)):
            await self._sleep(wait)


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


class Pace:
    """When requests to one server may go, as it asks: all of them wait until it wants to be asked again, and after that
    they come no quicker than it could bear; as replies come, the pace grows again."""

    def __init__(self, clock: Clock = time.monotonic, sleep: Sleep = asyncio.sleep) -> None:
        self._clock = clock
        self._sleep = sleep
        self._until = 0.0
        self._next = 0.0
        self._gap = 0.0
        self._good: deque[float] = deque(maxlen=_REMEMBERED)

    @property
    def gap(self) -> float:
        """Seconds between two requests, at least."""
        return self._gap

    async def take(self) -> None:
        """Waits for a turn."""
        while True:
            now, until = self._clock(), self._until
            start = max(now, until, self._next)
            self._next = start + self._gap
            if start > now:
                await self._sleep(start - now)
            if self._until <= until:  # nobody was told to wait longer in the meantime
                return

    def held_up(self, seconds: float) -> None:
        """The server asks to wait. The pace becomes that of the good replies of the last minute."""
        now = self._clock()
        self._until = max(self._until, now + seconds)
        lately = sum(when > now - 60 for when in self._good)
        self._gap = min(_LONGEST_GAP, 60 / max(1, lately))

    def good(self) -> None:
        """A good reply came."""
        self._good.append(self._clock())
        self._gap = self._gap * _QUICKER if self._gap > 0.001 else 0.0


_REMEMBERED = 10_000  # good replies
_LONGEST_GAP = 10.0  # seconds between two requests
_QUICKER = 0.99  # how the gap changes with each good reply


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
