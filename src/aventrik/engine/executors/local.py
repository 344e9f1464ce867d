"""Does the work in this process, one piece after another."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import Any

from . import Work


class LocalExecutor:
    """An `Executor` that hands each piece to one function."""

    def __init__(self, perform: Callable[[Work], list[Any]]) -> None:
        self._perform = perform

    def map(self, work: Iterable[Work]) -> Iterator[list[Any]]:
        """The results, as they are asked for."""
        return map(self._perform, work)
