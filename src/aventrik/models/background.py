"""One event loop in a thread of its own, on which all connections live."""

from __future__ import annotations

import asyncio
import queue
import threading
from collections.abc import Awaitable, Callable, Iterator, Sequence
from functools import lru_cache
from typing import Any, TypeVar

Result = TypeVar("Result")


@lru_cache(maxsize=1)
def loop() -> asyncio.AbstractEventLoop:
    """The running loop; its thread ends with the process."""
    made = asyncio.new_event_loop()
    threading.Thread(target=made.run_forever, name="aventrik-models", daemon=True).start()
    return made


def run(work: Awaitable[Result]) -> Result:
    """The result of one piece of work on the loop."""

    async def wrapped() -> Result:
        return await work

    future = asyncio.run_coroutine_threadsafe(wrapped(), loop())
    try:
        return future.result()
    except BaseException:
        future.cancel()
        raise


def as_done(work: Callable[[Any], Awaitable[Result]], items: Sequence[Any], lead: int) -> Iterator[list[Result]]:
    """Results of `work` on each item as they are finished, those that are ready together.

    At most `lead` pieces are under way, so memory does not grow with the number of items. When one raises, the
    others are cancelled, what was finished before is still given out, and then it is raised here. Leaving the
    loop early cancels the rest.
    """
    finished: queue.Queue[tuple[bool, Any]] = queue.Queue()

    async def worker(waiting: Iterator[Any]) -> None:
        for item in waiting:
            finished.put((True, await work(item)))

    async def supervise() -> None:
        waiting = iter(items)
        workers = [asyncio.ensure_future(worker(waiting)) for _ in range(min(lead, len(items)))]
        try:
            await asyncio.gather(*workers)
            finished.put((False, None))
        except BaseException as error:
            for each in workers:
                each.cancel()
            await asyncio.gather(*workers, return_exceptions=True)
            finished.put((False, error))

    future = asyncio.run_coroutine_threadsafe(supervise(), loop())
    try:
        over = False
        while not over:
            ready = [finished.get()]
            while not finished.empty():
                ready.append(finished.get_nowait())
            results = [value for good, value in ready if good]
            if results:
                yield results
            for good, value in ready:
                if not good:
                    over = True
                    if isinstance(value, BaseException):
                        raise value
    finally:
        future.cancel()
