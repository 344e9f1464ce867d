"""What a worker does: opens the store that work names, does the work, and leaves in the store what it came to."""

from __future__ import annotations

import atexit
import multiprocessing
import shutil
import tempfile
import threading
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path
from typing import Any

import orjson

from ... import __version__
from ...core.errors import AventrikError, BadInput, Damaged, Unavailable
from ...core.keys import content_key
from ...core.reading import Reading
from ...models.calls import COUNTED, WHOLE, Spent
from ...pipeline.codec import digest, encode
from ...pipeline.registry import STAGES
from ...storage import open_store
from ...storage.protocols import Kept, Store
from ...storage.tables.schema import FORMAT
from ...workspace.settings import SETTINGS
from ...workspace.workspace import Workspace
from ..bench import Bench
from ..performing import perform as perform_here
from ..performing import work_here
from ..providers import Models
from ..reading_workers import FileToRead, Readers, ReadOne, grouped
from . import Done, Home, Work

_ERRORS: dict[str, type[AventrikError]] = {each.__name__: each for each in (BadInput, Unavailable, Damaged)}


@lru_cache(maxsize=1)
def program() -> str:
    """What must be the same here and there for results to be the same: the version of the program and its stages."""
    return content_key(__version__, {name: stage.version for name, stage in STAGES.items()}, FORMAT)


@dataclass(frozen=True)
class Failure:
    """Why a piece of work could not be done, for the other side to raise."""

    kind: str
    message: str

    def error(self) -> AventrikError:
        """The error itself."""
        return _ERRORS.get(self.kind, Unavailable)(self.message)


@dataclass(frozen=True)
class OtherVersion:
    """The worker has another version of the program, whose results could differ."""

    version: str


def publish(workspace: Workspace, store: Store) -> str:
    """Keeps the files of a workspace that work depends on in its store; returns their key."""
    files = _files(workspace.folder)
    body = encode({"folder": str(workspace.folder), "files": files})
    key = content_key("files of the workspace", digest(body))
    if key not in store.results.digests([key]):
        store.results.keep([Kept(key, "files of the workspace", digest(body), body)])
    return key


def _files(folder: Path) -> dict[str, str]:
    """The files of a workspace that work depends on: settings, prompts, metadata."""
    paths = [folder / SETTINGS, *sorted((folder / "prompts").rglob("*.txt")), folder / "metadata.csv"]
    texts = ((path, path.read_text("utf-8-sig", "surrogateescape")) for path in paths if path.is_file())
    return {path.relative_to(folder).as_posix(): text for path, text in texts}


def perform(version: str, work: Work) -> Done | Failure | OtherVersion:
    """Does a piece of work. What a user can mend comes back as a value: an error's class need not survive the way."""
    if version != program():
        return OtherVersion(__version__)
    try:
        _let_readers_go()
        bench = _bench(work.home, work.fresh)
        bench.follow(work.takes)
        bench.shards = work.shards
        if work.part and bench.store.arrays.has_part(work.part):  # made before a command was stopped
            return Done()
        before = bench.models.accounts()
        done = perform_here(bench, work)
        if work.part:
            bench.store.arrays.keep_part(work.part, done.rows)
            done.rows = []
        done.spent = _more(bench.models.accounts(), before)
        return done
    except AventrikError as error:
        return _failure(error)


def read(
    version: str, home: Home, wanted: Sequence[FileToRead], reading: Reading, seconds: int, megabytes: int
) -> list[ReadOne] | Failure | OtherVersion:
    """Reads files; what stands in them is kept, and the rows that come back are without it."""
    if version != program():
        return OtherVersion(__version__)
    try:
        store = _bench(home, False).store
        made = [one for some in _readers(seconds, megabytes).read(grouped(wanted), reading) for one in some]
        rows = [row for one in made for row in one.rows]
        store.documents.keep_texts(rows)
        for one in made:
            one.rows = [replace(row, text=None, parts=None) for row in one.rows]
        return made
    except AventrikError as error:
        return _failure(error)


def _failure(error: AventrikError) -> Failure:
    return Failure(next((name for name, kind in _ERRORS.items() if isinstance(error, kind)), "Unavailable"), str(error))


_own = threading.local()


def _readers(seconds: int, megabytes: int) -> Readers:
    """The process that reads for this thread. It is kept from one piece of work to the next: to begin one takes as long as
    to read two dozen small files."""
    held: Readers | None = getattr(_own, "readers", None)
    if held is None or held.limits != (seconds, megabytes):
        _let_readers_go()
        # A worker of Dask is a process that may not have others, unless it is told that it may.
        multiprocessing.current_process()._config.pop("daemon", None)  # type: ignore[attr-defined]
        held = _own.readers = Readers(1, seconds, megabytes)
    return held


def _let_readers_go() -> None:
    held: Readers | None = getattr(_own, "readers", None)
    if held is not None:
        _own.readers = None
        held.close()


def _bench(home: Home, fresh: bool) -> Bench:
    """The bench of a command in this thread; that of the command before is let go."""
    held: tuple[Any, Bench] | None = getattr(_own, "held", None)
    if held is not None and held[0] == (home, fresh):
        return held[1]
    if held is not None:
        _own.held = None  # should the next one not open
        held[1].store.close()
    store = open_store(home.store)
    workspace = _workspace(home.files, store)
    models = Models(workspace, store.calls, fresh, limits=store.limits, requests=dict(home.requests))
    bench = work_here(Bench(workspace, store, models, home, fresh=fresh))
    bench.elsewhere = True
    _own.held = ((home, fresh), bench)
    return bench


def _workspace(key: str, store: Store) -> Workspace:
    """The workspace as its files were published: its own folder where this machine sees the same, or a copy."""
    found = store.results.values([key])
    if not found:
        raise Unavailable("the store of a worker does not have the workspace's files: it is not the command's store")
    pack = orjson.loads(found[key])
    folder = Path(pack["folder"])
    if (folder / SETTINGS).is_file() and _files(folder) == pack["files"]:
        return Workspace(folder)
    copy = Path(tempfile.mkdtemp(prefix="aventrik-"))
    atexit.register(shutil.rmtree, copy, True)
    for name, text in pack["files"].items():
        (copy / name).parent.mkdir(parents=True, exist_ok=True)
        (copy / name).write_text(text, encoding="utf-8", errors="surrogateescape")
    return Workspace(copy)


def _more(now: dict[str, Spent], before: dict[str, Spent]) -> dict[str, Spent]:
    """What each model has cost between two accounts."""
    made = {}
    for name, one in now.items():
        old = before.get(name, Spent())
        change = {each: getattr(one, each) - getattr(old, each) for each in (*COUNTED, *WHOLE)}
        notes = {note: count - old.notes.get(note, 0) for note, count in one.notes.items()}
        made[name] = replace(Spent(), **change, notes={note: count for note, count in notes.items() if count})
    return made
