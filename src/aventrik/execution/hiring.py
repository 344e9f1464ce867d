"""Workers for a command, where the settings or an option ask for them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager

from ..core.errors import BadInput
from ..workspace.settings import EngineSettings, check_scheduler
from .executors import Work
from .open_workspace import OpenWorkspace
from .reading_workers import Reader


def engine_of(settings: EngineSettings, on: str) -> EngineSettings:
    """Who does the work: as the settings say, or `on` a scheduler, so many workers on this machine, or "here"."""
    if not on:
        return settings
    if on == "here":
        return EngineSettings()
    if on.isdecimal() and 0 < int(on) <= 4096:
        return settings.model_copy(update={"kind": "dask", "workers": int(on), "scheduler": ""})
    try:
        check_scheduler(on)
    except ValueError as error:
        raise BadInput(f"--on: {error}; or a number of workers on this machine, or 'here'") from None
    return settings.model_copy(update={"kind": "dask", "workers": 0, "scheduler": on})


@contextmanager
def workers(
    opened: OpenWorkspace, on: str = "", tell: Callable[[str], None] = lambda note: None
) -> Iterator[Reader | None]:
    """Has the work of a workspace done by workers while it lasts, where that is asked for; notes for the user are told.
    Gives what reads files there, None where that is done here."""
    engine = engine_of(opened.workspace.settings.engine, on)
    if engine.kind == "local":
        yield None
        return
    if opened.store.read_only:
        raise BadInput("workers leave what they make in the store, which can't be written here")
    from .executors.on_worker import publish
    from .executors.workers import DaskExecutor

    bench = opened.bench

    def about(work: Work) -> str:
        """The stage, and the documents or the number of questions."""
        if not work.documents:
            return f"stage '{work.node}', {len(work.questions)} questions"
        names = bench.snapshot(work.corpus).names
        first, last = names[work.documents[0]], names[work.documents[-1]]
        return f"stage '{work.node}', {first if first == last else f'{first} to {last}'}"

    if not engine.scheduler:
        opened.progress(f"starting {engine.workers} worker{'s' if engine.workers != 1 else ''}", 0, engine.workers)
    executor = DaskExecutor(engine.scheduler, engine.workers, engine.seconds, about, tell)
    before = bench.executor, bench.home
    try:
        requests = {
            name: model.concurrency for name, model in opened.workspace.settings.models.items() if model.kind == "http"
        }
        home = executor.home(bench.home, requests)
        files = publish(opened.workspace, opened.store)
        bench.home = type(home)(home.store, files, home.command, home.requests)
        bench.executor = executor
        bench.shards = engine.shards if engine.shards > 1 else 0
        yield lambda wanted, *how: executor.read(bench.home, wanted, *how)
    finally:
        bench.executor, bench.home = before
        bench.shards = 0
        executor.close()
