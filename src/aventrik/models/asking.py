"""Asks a server what the call store does not have, and keeps every call as it is finished."""

from __future__ import annotations

from collections.abc import Awaitable, Callable, Iterator, Mapping, Sequence
from typing import Any

from .background import as_done
from .calls import Call, CallStore, Spent, turns

_TAKEN_ON = 64  # calls that a process takes on at a time


class ModelCalls:
    """The calls of one model in this process; with `fresh` what the store has counts only if it was made here."""

    def __init__(self, calls: CallStore, concurrency: int, fresh: bool, progress: Callable[[int, int], None]) -> None:
        self.calls = calls
        self.spent = Spent()
        self._concurrency = concurrency
        self._fresh = fresh
        self._progress = progress
        self._made: set[str] = set()

    def all(
        self, keys: Sequence[str], items: Mapping[str, Any], work: Callable[[Any], Awaitable[Call]]
    ) -> dict[str, Call]:
        """The call of each key, made by `work(items[key])` where it is missing; equal ones are asked once."""
        unique = list(dict.fromkeys(keys))
        known = {} if self._fresh else self.calls.find(unique)
        known.update(self.calls.find([key for key in unique if key in self._made]))
        self.spent.kept += sum(key in known for key in keys)
        todo = [key for key in unique if key not in known]
        done = 0
        for mine, found in self._turns(todo):
            for key in found:  # another process was quicker
                known[key] = found[key]
                self.spent.kept += 1
            done += len(found)
            for finished in as_done(work, [items[key] for key in mine], self._concurrency) if mine else ():
                self.calls.keep(finished)
                for call in finished:
                    known[call.key] = call
                    self._made.add(call.key)
                    self.spent.add(call)
                done += len(finished)
                self._progress(done, len(todo))
        for key in keys:
            self.spent.used(known[key])
        return known

    def _turns(self, todo: Sequence[str]) -> Iterator[tuple[list[str], dict[str, Call]]]:
        if self._fresh:  # what stands already does not count
            return iter([(list(todo), {})] if todo else [])
        return turns(self.calls, todo, max(_TAKEN_ON, 4 * self._concurrency))
