"""Asks a server what the call store does not have, and keeps every call as it is finished."""

from __future__ import annotations

from collections.abc import Awaitable, Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any, TypedDict, Unpack

import httpx

from .background import as_done
from .caller import Caller, Posted, Waiting, nobody
from .calls import Call, CallStore, Memory, Spent, turns
from .connection import Connection
from .limits import Shared

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
        self,
        keys: Sequence[str],
        items: Mapping[str, Any],
        work: Callable[[Any], Awaitable[Call]],
        earlier: Mapping[str, str] | None = None,
    ) -> dict[str, Call]:
        """The call of each key, made by `work(items[key])` where it is missing; equal ones are asked once. `earlier`: the
        key under which an earlier version of the program kept it."""
        unique = list(dict.fromkeys(keys))
        known = {} if self._fresh else found_of(self.calls, unique, earlier or {})
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


def found_of(calls: CallStore, keys: Sequence[str], earlier: Mapping[str, str]) -> dict[str, Call]:
    """The kept calls of some keys; what stands under an `earlier` key of one is kept under its own from now on."""
    known = calls.find(keys)
    missing = [key for key in keys if key not in known and key in earlier]
    if not missing:
        return known
    old = calls.find([earlier[key] for key in missing])
    taken = {key: replace(old[earlier[key]], key=key) for key in missing if earlier[key] in old}
    if taken:
        calls.keep(list(taken.values()))
    return known | taken


class Link(TypedDict, total=False):
    """What a process asks servers with, each with a default: where calls are kept (in memory), whether what is kept counts
    (`fresh`: only if it was made here), how bytes travel, who is told of progress and of waiting, and the limits that are
    kept together with other processes."""

    calls: CallStore | None
    fresh: bool
    transport: httpx.AsyncBaseTransport | None
    progress: Callable[[int, int], None]
    waiting: Waiting
    limits: Shared | None


class Server:
    """A model on a server as this process asks it; what is asked and how replies are read is each kind's own."""

    def __init__(self, connection: Connection, **link: Unpack[Link]) -> None:
        calls = link.get("calls")
        self.name = connection.name
        self.connection = connection
        self._kept: CallStore = Memory() if calls is None else calls
        self._fresh = link.get("fresh", False)
        self._asking = ModelCalls(
            self._kept, connection.concurrency, self._fresh, link.get("progress", lambda done, total: None)
        )
        self.cuts: set[str] = set()  # the questions, claims or texts for which something was cut since it was cleared
        self._link = link
        self._caller: Caller | None = None

    @property
    def spent(self) -> Spent:
        """What it has cost so far in this process."""
        return self._asking.spent

    @property
    def caller(self) -> Caller:
        """What posts requests, made when it is first needed."""
        if self._caller is None:
            self._caller = Caller(
                self.connection,
                self._link.get("transport"),
                waiting=self._link.get("waiting", nobody),
                limits=self._link.get("limits"),
            )
        return self._caller

    def finished(
        self,
        key: str,
        task: str,
        request: Any,
        reply: Any,
        failure: str,
        tokens: tuple[int, int],
        posted: Sequence[Posted],
    ) -> Call:
        """A call as it is kept, of `tokens` in and out, after all that was posted for it."""
        return Call(
            key=key,
            model=self.name,
            task=task,
            request=request,
            reply=reply,
            failure=failure,
            tokens_in=tokens[0],
            tokens_out=tokens[1],
            money=self.connection.price(*tokens),
            seconds=sum(each.seconds for each in posted),
            attempts=sum(each.attempts for each in posted),
        )
