"""Has a worker load what its work needs as it starts, not in the time of its first piece."""

from __future__ import annotations

from typing import Any

from distributed import WorkerPlugin

from .on_worker import program


class LoadingPlugin(WorkerPlugin):
    """Unpickling it on the worker imports what work needs."""

    name = "aventrik"
    idempotent = True

    def setup(self, worker: Any) -> None:
        """Works out what each piece of work is compared with."""
        program()
