"""Does the work on workers of Dask, on this machine or others.

Only keys go to the workers, and only digests come back. A worker that dies, hangs or has another version of the program
loses its work to another; work that fails twice is told with what it was about. At most as many pieces that ask a server
are under way as it takes requests, and each asks no more than its share at a time.
"""

from __future__ import annotations

import logging
import secrets
import time
from asyncio import CancelledError
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from functools import partial
from typing import TYPE_CHECKING, Any

from ...core.errors import BadInput, MissingExtra, Unavailable
from ...core.reading import Reading
from ..reading_workers import FileToRead, ReadOne, spread
from . import Done, Home, Work
from .on_worker import Failure, OtherVersion, perform, program, read

if TYPE_CHECKING:
    from .own_workers import StartedWorkers

_LOOK = 1.0  # seconds between looks at what has become of the work
_AHEAD = 2  # pieces of work for each thread of a worker
_GONE = 10.0  # seconds after which a scheduler that does not answer counts as gone
_WORKERS = 120.0  # seconds that the first worker is waited for


@dataclass(frozen=True)
class _Call:
    """A function of `elsewhere` with what it is given: `busy` requests may be under way to a server at a time, 0 for none;
    `about` says what it is about."""

    function: Callable[..., Any]
    given: tuple[Any, ...]
    busy: int
    about: Callable[[], str]
    halves: Callable[[], Sequence[_Call]] = lambda: ()  # the same on less, to find out what it fails of


@dataclass
class _Task:
    """A call under way, and how often it failed."""

    call: _Call
    future: Any = None
    began: float = 0.0
    workers: list[str] | None = None  # those that may do it; None where all may
    failed: int = 0
    done: Any = None


class DaskExecutor:
    """An `Executor` over the workers of a scheduler, or over `workers` processes on this machine.

    `about` says what a piece of work was about; `tell` gets notes for the user. Raises `MissingExtra`, and
    `Unavailable` where no scheduler or no worker is to be had.
    """

    remote = True

    def __init__(
        self,
        scheduler: str,
        workers: int,
        seconds: float,
        about: Callable[[Work], str] = lambda work: work.node,
        tell: Callable[[str], None] = lambda note: None,
    ) -> None:
        try:
            from distributed import Client

            from .loading import LoadingPlugin
            from .own_workers import StartedWorkers
        except ImportError:
            raise MissingExtra("work on the workers of Dask ([engine])", "dask") from None
        for name in list(logging.root.manager.loggerDict):  # what they tell is told by this program
            if name.partition(".")[0] in ("distributed", "asyncio", "tornado"):
                logging.getLogger(name).setLevel(logging.CRITICAL)
        self._seconds = seconds
        self._about = about
        self._tell = tell
        self._started: StartedWorkers | None = None  # those of this machine
        self._avoid: set[str] = set()
        self._nthreads: dict[str, int] = {}
        self._looked = 0.0
        self._token = secrets.token_hex(6)
        self._count = 0
        self.where = scheduler or f"{workers} workers on this machine"
        try:
            if not scheduler:
                self._started = StartedWorkers(workers)
            self._client = Client(self._started.cluster if self._started else scheduler, timeout=_GONE)
            self._client.wait_for_workers(1, timeout=_WORKERS)
            # What the work needs is loaded as a worker starts, not in the time of its first piece.
            with suppress(OSError):  # a worker went meanwhile
                self._client.register_plugin(LoadingPlugin())
        except (OSError, TimeoutError, ValueError, RuntimeError) as error:
            self.close()
            raise Unavailable(
                f"{self.where}: no worker is to be had ({_line(error)}); is the scheduler running, and has it workers?"
            ) from None

    def home(self, home: Home, requests: dict[str, int]) -> Home:
        """Where work is done from, for this command; each worker gets its share of the requests that models take."""
        count = max(1, self.threads)
        shares = tuple(sorted((name, max(1, most // min(count, most))) for name, most in requests.items() if most))
        return replace(home, command=self._token, requests=shares)

    @property
    def threads(self) -> int:
        """The threads of all workers that may have work, as they were a moment ago."""
        if time.monotonic() - self._looked > _LOOK:
            self._nthreads = dict(self._asked(self._client.nthreads))
            self._heal()
            self._looked = time.monotonic()
        return sum(n for worker, n in self._nthreads.items() if worker not in self._avoid)

    def _asked(self, question: Callable[[], Any]) -> Any:
        """What the scheduler says; raises `Unavailable` where it is gone."""
        try:
            return question()
        except (OSError, RuntimeError, CancelledError) as error:  # a time-out is an OSError
            raise self._lost(error) from None

    @property
    def label(self) -> str:
        """How many workers there are, for the line of progress."""
        with suppress(Exception):  # it is only shown
            count = len(set(self._nthreads) - self._avoid) or len(self._workers())
            return f" on {count} worker{'s' if count != 1 else ''}"
        return ""

    @property
    def width(self) -> int:
        """How many pieces of work are done at the same time."""
        return max(1, self.threads)

    def map(self, work: Iterable[Work]) -> Iterator[Done]:
        """What each piece came to, in order; some are under way ahead of the one that is waited for."""
        return self._made(map(self._call, work))

    def _call(self, work: Work) -> _Call:
        return _Call(perform, (work,), work.busy, partial(self._about, work), partial(self._halves, work))

    def _halves(self, work: Work) -> Sequence[_Call]:
        """The same work on half of the documents each."""
        middle = len(work.documents) // 2
        if not middle:
            return ()
        parts = (work.documents[:middle], work.documents[middle:])
        return [self._call(replace(work, documents=part, part=f"{work.part} of {part[0]}")) for part in parts]

    def read(
        self, home: Home, wanted: Sequence[FileToRead], reading: Reading, seconds: int, megabytes: int
    ) -> Iterator[list[ReadOne]]:
        """Files read by the workers, which must see them under the same paths; what stands in them is kept in the
        store."""

        def call(group: Sequence[FileToRead]) -> _Call:
            return _Call(
                read, (home, group, reading, seconds, megabytes), 0, partial(_files, group), partial(halves, group)
            )

        def halves(group: Sequence[FileToRead]) -> Sequence[_Call]:
            middle = len(group) // 2
            return [call(half) for half in (group[:middle], group[middle:])] if middle else ()

        return self._made(map(call, spread(wanted, max(1, self.threads))))

    def _made(self, calls: Iterable[_Call]) -> Iterator[Any]:
        waiting = iter(calls)
        under: dict[int, _Task] = {}
        asked, given, more = 0, 0, True
        try:
            while more or under:
                while more and self._running(under) < self._most(under):
                    piece = next(waiting, None)
                    if piece is None:
                        more = False
                        break
                    under[asked] = self._begun(_Task(piece))
                    asked += 1
                if not under:
                    return
                self._look(under)
                while given in under and under[given].done is not None:
                    yield under.pop(given).done
                    given += 1
        finally:
            for task in under.values():
                if task.future is not None:
                    with suppress(Exception):
                        task.future.cancel()

    def _running(self, under: dict[int, _Task]) -> int:
        return sum(task.done is None for task in under.values())

    def _most(self, under: dict[int, _Task]) -> int:
        """How many pieces may be under way."""
        threads = max(1, self.threads)
        busy = max((task.call.busy for task in under.values()), default=0)
        if busy:
            return min(threads, busy)
        return threads * _AHEAD

    def _begun(self, task: _Task) -> _Task:
        self._count += 1
        task.workers = self._allowed()
        task.began = time.monotonic()
        try:
            task.future = self._client.submit(
                task.call.function, program(), *task.call.given, key=f"aventrik-{self._token}-{self._count}", pure=False, retries=0,
                workers=task.workers, allow_other_workers=False,
            )  # fmt: skip
        except Exception as error:
            raise self._lost(error) from None
        return task

    def _allowed(self) -> list[str] | None:
        """The workers that may have work; None where all may."""
        return sorted(self._wait_for_workers()) if self._avoid else None

    def _stranded(self, tasks: Iterable[_Task]) -> list[_Task]:
        """The pieces of work that wait for workers of which none is there any more: they would do so for ever."""
        bound = [task for task in tasks if task.workers is not None and task.done is None]
        there = set(self._workers()) if bound else set()
        return [
            task for task in bound if task.future.status == "pending" and not there.intersection(task.workers or ())
        ]

    def _workers(self) -> dict[str, Any]:
        """The address of each worker, and its name."""
        try:
            info = self._asked(lambda: self._client.scheduler_info(n_workers=-1))
        except TypeError:  # an older version gives all of them
            info = self._asked(self._client.scheduler_info)
        return {address: each.get("name") for address, each in info["workers"].items()}

    def _look(self, under: dict[int, _Task]) -> None:
        """Waits a moment for what is under way, and takes what has come."""
        from distributed import wait

        futures = [task.future for task in under.values() if task.done is None]
        if not futures:
            return
        try:
            wait(futures, timeout=_LOOK, return_when="FIRST_COMPLETED")
        except TimeoutError:  # which is an OSError too
            pass
        except (OSError, RuntimeError) as error:
            raise self._lost(error) from None
        except BaseException as error:
            if "Cancelled" not in type(error).__name__:  # because the scheduler went, which is told below
                raise
        if self._client.status not in ("running", "connecting") or self._client.scheduler is None:
            raise self._lost(None)
        if self._client.status == "connecting":
            self._wait_for_scheduler()
        self._heal()
        late = time.monotonic() - _AHEAD * self._seconds
        for task in under.values():
            if task.done is None:
                if task.future.status != "pending":
                    self._take(task)
                elif task.began < late:
                    self._hung(task)
        for task in self._stranded(under.values()):
            self._again(task)

    def _wait_for_scheduler(self) -> None:
        until = time.monotonic() + _GONE
        while self._client.status == "connecting" and time.monotonic() < until:
            time.sleep(0.2)
        if self._client.status != "running":
            raise self._lost(None)

    def _lost(self, error: BaseException | None) -> Unavailable:
        why = f" ({_line(error)})" if error is not None else ""
        return Unavailable(
            f"the scheduler at {self.where} went away{why}; what was finished is kept, the same command goes on"
        )

    def _take(self, task: _Task) -> None:
        """Takes what has come of a piece of work, or begins it again elsewhere."""
        status = task.future.status
        if status == "error":
            error = task.future.exception()
            if self._ended_here(error):
                self._again(task)
                return
            if type(error).__name__ == "KilledWorker":
                self._failed(task, "the worker died")
                return
            raise Unavailable(f"a worker could not do '{task.call.about()}' ({type(error).__name__}: {_line(error)})")
        if status != "finished":  # cancelled or lost: nobody here did that
            raise self._lost(None)
        found = self._asked(task.future.result)
        if isinstance(found, Failure):
            raise found.error()
        if isinstance(found, OtherVersion):
            self._other_version(task, found)
            return
        task.done = found
        task.future = None

    def _other_version(self, task: _Task, found: OtherVersion) -> None:
        """Passes over a worker whose program is another."""
        where = self._asked(lambda: self._client.who_has([task.future]))
        worker = next(iter(where.get(task.future.key, ())), "")
        if worker not in self._avoid:
            self._avoid.add(worker)
            self._tell(
                f"the worker at {worker} has another version of Aventrik ({found.version}, or other stages) and is passed over"
            )
        if not set(self._workers()) - self._avoid:
            raise BadInput(f"{self.where}: no worker has this version of Aventrik; install the same one there")
        self._begun(task)

    def _hung(self, task: _Task) -> None:
        """Gives work that takes too long to another worker, and has the one that had it started again; work that none has
        begun is begun anew."""
        under_way = self._asked(self._client.processing)
        worker = next((each for each, keys in under_way.items() if task.future.key in keys), "")
        if not worker:
            self._again(task)
            return
        with suppress(Exception):
            task.future.cancel()
        if not self._restarted(worker):
            self._avoid.add(worker)  # it goes on with what it should not
        self._failed(task, f"it took a worker over {self._seconds:,.0f} s (engine.seconds)")

    def _again(self, task: _Task) -> None:
        """Begins work anew that no worker has begun."""
        with suppress(Exception):
            task.future.cancel()
        self._wait_for_workers()
        self._begun(task)

    def _restarted(self, worker: str) -> bool:
        """Whether a worker could be started again, which takes one that has a nanny."""
        try:
            found = self._client.restart_workers([worker], timeout=_GONE, raise_for_error=False)
        except Exception:
            return False
        return "OK" in found.values()

    def _heal(self) -> None:
        """Has workers of this machine replaced that have been away, or hung, for a while."""
        if self._started is not None and self._started.due():
            self._started.heal({name for address, name in self._workers().items() if address not in self._avoid})

    def _wait_for_workers(self) -> set[str]:
        """The workers that may have work, once there is one; raises `Unavailable` where none comes."""
        until = time.monotonic() + _WORKERS
        while not (there := set(self._workers()) - self._avoid):
            if time.monotonic() > until:
                raise Unavailable(
                    f"{self.where}: no worker is left; what was finished is kept, the same command goes on"
                )
            self._heal()
            time.sleep(0.2)
        return there

    def _failed(self, task: _Task, why: str) -> None:
        self._heal()
        # A scheduler of others lets several workers die of a piece of work before it says so.
        task.failed += 1 if self._started is not None or "died" not in why else 2
        if task.failed > 1:
            task.done = self._alone(task.call)  # it may only have been where another was that kills workers
            if task.done is not None:
                return
            raise Unavailable(
                f"{self._blamed(task.call).about()}: failed on two workers ({why}); what was finished is kept. Where a document is "
                "the reason, 'aventrik vet NAME --leave-out' leaves it out"
            )
        self._tell(f"{task.call.about()}: {why}; another one gets it")
        self._begun(task)

    def _blamed(self, call: _Call) -> _Call:
        """What of a piece of work it fails of: of two halves always the one that does."""
        while halves := call.halves():
            for half in halves:
                if self._alone(half) is None:
                    call = half
                    break
            else:
                return call
        return call

    def _alone(self, call: _Call) -> Any:
        """What a piece of work comes to; None where two more workers could not do it."""
        tries = 0
        while tries < 2:
            self._wait_for_workers()
            task = self._begun(_Task(call))
            try:
                found = self._waited_for(task)
                while isinstance(found, OtherVersion):
                    self._other_version(task, found)
                    found = self._waited_for(task)
            except (BadInput, Unavailable):
                raise
            except (Exception, CancelledError) as error:
                with suppress(Exception):
                    task.future.cancel()
                tries += not self._ended_here(error)
                continue
            if isinstance(found, Failure):
                raise found.error()
            return found
        return None

    def _ended_here(self, error: BaseException | None) -> bool:
        """Whether the worker that something failed on died of nothing but its being replaced."""
        last = getattr(error, "last_worker", None)  # of a KilledWorker
        return self._started is not None and last is not None and self._started.replaced(last.name)

    def _waited_for(self, task: _Task) -> Any:
        """What comes of a piece of work; raises what went wrong with it, and TimeoutError where it takes too long."""
        from distributed import wait

        while True:
            if task.future.status != "pending" or time.monotonic() > task.began + _AHEAD * self._seconds:
                return task.future.result(timeout=_LOOK)
            with suppress(TimeoutError):
                wait(task.future, timeout=_LOOK)
            self._heal()
            if self._stranded([task]):
                self._again(task)

    def close(self) -> None:
        """Lets go of the workers; those that were started here end."""
        with suppress(Exception):
            self._client.close(timeout=_GONE)  # which there is not, where they could not be started
        if self._started is not None:
            with suppress(Exception):
                self._started.close(_GONE)


def _files(group: Sequence[FileToRead]) -> str:
    first, last = group[0].path, group[-1].path
    return f"reading {first if first == last else f'{first} to {last}'}"


def _line(error: BaseException | None) -> str:
    return " ".join(str(error).split())[:200] or type(error).__name__
