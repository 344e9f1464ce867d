"""Reads files in worker processes, with limits on time and memory, so that one bad file can't stop the rest."""

from __future__ import annotations

import contextlib
import hashlib
import json
import multiprocessing
import os
import signal
import stat
import time
from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import TimeoutError as TookTooLong
from dataclasses import dataclass, field
from typing import Any

import orjson

from ..core.documents import Document
from ..core.errors import Unreadable
from ..core.reading import Reading, read_file
from ..core.reading.figures import reading_figures
from ..storage.packing import compressed
from ..storage.protocols import Gathering

_TOGETHER = 24  # small files that one worker reads in one go
_SMALL = 1_500_000  # bytes that they may have in all
_MOST_TIMES = 8  # as large a piece of work may be where it is done elsewhere
_LATELY = 2_000_000_000  # nanoseconds within which two changes of a file may bear the same time, on any file system
_SEVERAL = 4  # pieces of work, at the least, that each worker is to get


@dataclass(frozen=True, slots=True)
class FileToRead:
    """A file to read: the name its document gets, its path, and the key of its content when last read."""

    name: str
    path: str
    size: int
    known: str = ""


@dataclass
class ReadOne:
    """What came of one file: rows for the store, or why not; `same` when its content is what it was."""

    wanted: FileToRead
    key: str = ""
    mtime: int = 0
    size: int = 0
    same: bool = False
    failure: str = ""
    rows: list[Gathering] = field(default_factory=list)
    failed: list[tuple[str, str]] = field(default_factory=list)
    passed_over: int = 0


# (files, how they are read, seconds and megabytes for what is read in one go) → what came of them, some at a time
Reader = Callable[[Sequence[FileToRead], Reading, int, int], Iterator[list[ReadOne]]]


def document_row(document: Document) -> Gathering:
    """A document as the store takes it in."""
    return Gathering(
        name=document.name,
        key=document.key,
        title=document.title,
        meta=json.dumps(document.meta, ensure_ascii=False, sort_keys=True),
        chars=len(document.text),
        text=compressed(orjson.dumps(document.text)),
        parts=compressed(document.packed_parts),
        report=orjson.dumps(reading_figures(document)).decode(),
    )


def file_mark(status: os.stat_result) -> int:
    """What tells a file that was changed from one that was not, beside its size: the times of the last change of its bytes
    and of its entry, and which file it is. 0, which tells nothing, for one that changed so lately that a further change
    might bear the same time."""
    if time.time_ns() - max(status.st_mtime_ns, status.st_ctime_ns) < _LATELY:
        return 0
    told = f"{status.st_mtime_ns} {status.st_ctime_ns} {status.st_ino}".encode()
    return int.from_bytes(hashlib.sha256(told).digest()[:7], "big")


def read_one(wanted: FileToRead, reading: Reading) -> ReadOne:
    """Reads one file, here and now."""
    done = ReadOne(wanted)
    try:
        data, status = _bytes_of(wanted)
        done.key = hashlib.sha256(data).hexdigest()
        done.mtime, done.size = file_mark(status), status.st_size
        done.same = done.key == wanted.known
        if not done.same:
            found = read_file(wanted.name, data, reading)
            done.rows = [document_row(document) for document in found.documents]
            done.failed, done.passed_over = found.failed, found.passed_over
    except Unreadable as error:
        done.failure = str(error)
    except MemoryError:
        done.failure = "reading it takes more memory than is allowed (reading.megabytes)"
    except OSError as error:
        done.failure = f"can't be read ({error.strerror})"
    except Exception as error:  # a reader's own mistake must not stop the rest
        done.failure = f"the reader failed on it ({type(error).__name__}: {str(error)[:80]})"
    return done


def _bytes_of(wanted: FileToRead) -> tuple[bytes, os.stat_result]:
    """What stands in a file, and its status; raises `Unreadable` for what is no file (by now), or changes meanwhile."""
    number = os.open(wanted.path, os.O_RDONLY | getattr(os, "O_NONBLOCK", 0) | getattr(os, "O_BINARY", 0))
    with open(number, "rb") as file:
        before = os.fstat(number)
        if not stat.S_ISREG(before.st_mode):
            raise Unreadable("it is no regular file")
        data = file.read(before.st_size + 1)
        after = os.stat(wanted.path)
        if (before.st_size, before.st_mtime_ns) != (after.st_size, after.st_mtime_ns) or len(data) != after.st_size:
            raise Unreadable("it changed while it was read; gather it again")
        return data, before


def _read_some(wanted: Sequence[FileToRead], reading: Reading) -> list[ReadOne]:
    return [read_one(each, reading) for each in wanted]


_DEATH_SIGNAL = 1  # PR_SET_PDEATHSIG of Linux


def _limited(megabytes: int) -> None:
    """Makes a process one that reads files and nothing else: Ctrl-C is for its parent, with which it ends, and its
    memory is limited, where the system can do that."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    with contextlib.suppress(Exception):
        import ctypes

        ctypes.CDLL(None).prctl(_DEATH_SIGNAL, signal.SIGKILL)
    try:
        import resource

        resource.setrlimit(resource.RLIMIT_AS, (megabytes * 1_000_000, megabytes * 1_000_000))
    except (ImportError, ValueError, OSError):
        pass


class Readers:
    """Processes that read files, a few at a time, until `close`: a file that crashes them, hangs or grows is told and left
    behind.

    `count` of them (0: as many as there are cores), each with `seconds` for what it reads in one go and `megabytes` of
    memory.
    """

    def __init__(self, count: int = 0, seconds: int = 120, megabytes: int = 4000) -> None:
        from pebble import ProcessPool

        self.limits = (seconds, megabytes)
        self._count = count or os.cpu_count() or 1
        method = "fork" if "fork" in multiprocessing.get_all_start_methods() else "spawn"
        context: Any = multiprocessing.get_context(method)
        self._pool = ProcessPool(self._count, initializer=_limited, initargs=[megabytes], context=context)

    def read(self, groups: Iterable[list[FileToRead]], reading: Reading) -> Iterator[list[ReadOne]]:
        """What came of the files of each group, in the order given."""
        from pebble import ProcessExpired

        waiting: deque[tuple[list[FileToRead], Any]] = deque()
        left = iter(groups)

        def schedule(group: list[FileToRead]) -> Any:
            return self._pool.schedule(_read_some, args=[group, reading], timeout=float(self.limits[0]))

        for group in left:
            waiting.append((group, schedule(group)))
            if len(waiting) > 3 * self._count:
                break
        while waiting:
            group, future = waiting.popleft()
            try:
                yield future.result()
            except (TookTooLong, ProcessExpired) as error:
                if len(group) > 1:  # find out which of them it was
                    waiting.extendleft(reversed([([each], schedule([each])) for each in group]))
                else:
                    late = isinstance(error, TookTooLong)
                    reason = f"reading it took over {self.limits[0]} s" if late else "the reader crashed on it"
                    yield [ReadOne(group[0], failure=reason)]
            following = next(left, None)
            if following is not None:
                waiting.append((following, schedule(following)))

    def close(self) -> None:
        """Ends the processes, when what they read is read."""
        self._pool.close()
        self._pool.join()


def spread(wanted: Sequence[FileToRead], workers: int) -> Iterator[list[FileToRead]]:
    """Groups to read elsewhere: up to eight times as large where there are so many files that each worker still gets several."""
    return grouped(wanted, max(1, min(_MOST_TIMES, len(wanted) // (_TOGETHER * _SEVERAL * workers))))


def read_many(
    wanted: Sequence[FileToRead], reading: Reading, workers: int = 0, seconds: int = 120, megabytes: int = 4000
) -> Iterator[list[ReadOne]]:
    """What came of the files, some at a time, in the order given, by `Readers` of their own."""
    groups = list(grouped(wanted))
    if not groups:
        return
    with contextlib.closing(Readers(min(workers or os.cpu_count() or 1, len(groups)), seconds, megabytes)) as readers:
        yield from readers.read(groups, reading)


def grouped(wanted: Sequence[FileToRead], times: int = 1) -> Iterator[list[FileToRead]]:
    """Small files together, so many times what a process reads in one go, large ones and slow formats alone, in order."""
    group: list[FileToRead] = []
    size = 0
    for each in wanted:
        slow = each.name.lower().endswith((".pdf", ".zip", ".docx", ".pptx", ".gz", ".tgz"))
        if group and (slow or size + each.size > times * _SMALL or len(group) == times * _TOGETHER):
            yield group
            group, size = [], 0
        group.append(each)
        size += each.size
        if slow:
            yield group
            group, size = [], 0
    if group:
        yield group
