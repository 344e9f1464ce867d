"""Workers of Dask that a command starts on its own machine, and looks after: one that nobody starts again is replaced."""

from __future__ import annotations

import itertools
import logging
import time
from collections.abc import Iterable
from contextlib import suppress
from typing import Any

import dask
from distributed import LocalCluster

_DUE = 0.5  # seconds between looks at the workers
_UNSEEN = 5.0  # seconds without a look after which nothing is known of how long one has been away
_AWAY = 10.0  # seconds after which a worker that is not there is replaced; twice as long each time that it did not help


class StartedWorkers:
    """`count` processes that work, of one thread each. Raises `OSError`, `RuntimeError` or `TimeoutError` where they
    can't be started."""

    def __init__(self, count: int) -> None:
        self._count = count
        self._names = itertools.count(count)  # of those that are started later; the cluster gives a name twice
        # A worker is one core, with libraries that would take all of them too.
        before = dask.config.get("distributed.nanny.pre-spawn-environ", {})
        own = {
            "distributed.scheduler.allowed-failures": 0,
            "distributed.nanny.pre-spawn-environ": {**before, "RAYON_NUM_THREADS": 1},
        }
        with dask.config.set(own):
            self.cluster: Any = LocalCluster(
                n_workers=count, threads_per_worker=1, silence_logs=logging.CRITICAL, memory_limit=0,
                # Its pages are not shown. Some port is opened even so: a free one, for this machine alone.
                dashboard_address="127.0.0.1:0", scheduler_kwargs={"dashboard": False},
            )  # fmt: skip
        # When all of them were last there or replaced, when that was looked at, and how long one may be away.
        self._whole_at = self._looked = time.monotonic()
        self._away = _AWAY

    def due(self) -> bool:
        """Whether it is time to look at them again."""
        return time.monotonic() - self._looked >= _DUE

    def heal(self, there: set[Any]) -> None:
        """Replaces those that have been away for a while: one that dies while it is starting is started by nobody else.
        `there` are the names of the workers that may have work."""
        now = time.monotonic()
        unseen, self._looked = now - self._looked > _UNSEEN, now
        if len(there) >= self._count:
            self._whole_at, self._away = now, _AWAY
        elif unseen:  # it may have gone just now
            self._whole_at = now
        elif now - self._whole_at > self._away:
            self._whole_at, self._away = now, 2 * self._away  # a slow machine may only need longer to start one
            with suppress(Exception):
                self.replace(set(self.cluster.worker_spec) - there)

    def replace(self, names: Iterable[Any]) -> None:
        """Ends workers by name, and starts as many others."""
        for name in names:
            del self.cluster.worker_spec[name]
            self.cluster.worker_spec[next(self._names)] = self.cluster.new_spec
        self.cluster.scale(self._count)

    def replaced(self, name: Any) -> bool:
        """Whether the worker of that name was replaced."""
        return name not in self.cluster.worker_spec

    def close(self, seconds: float) -> None:
        """Ends them."""
        self.cluster.close(timeout=seconds)
