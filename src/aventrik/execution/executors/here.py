"""Does the work in this process, one piece after another."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator

from . import Done, Work


class LocalExecutor:
    """An `Executor` that hands each piece to one function."""

    remote = False
    label = ""
    width = 1

    def __init__(self, perform: Callable[[Work], Done]) -> None:
        self._perform = perform

    def map(self, work: Iterable[Work]) -> Iterator[Done]:
        """What each came to, as it is asked for."""
        return map(self._perform, work)

    def close(self) -> None:
        """Nothing to let go of."""
