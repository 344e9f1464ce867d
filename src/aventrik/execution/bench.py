"""What the work of one process stands on: the store, the models, and what is held open."""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from ..core.errors import Unavailable
from ..pipeline.codec import decode
from ..pipeline.inputs import Progress, nothing
from ..pipeline.keys import Keys
from ..pipeline.resolved import Resolved
from ..pipeline.stage import SOURCE_RECORDS, SOURCES, Chain, Node
from ..storage.protocols import Snapshot, Store
from ..workspace.workspace import Workspace
from .budget import Budget
from .executors import Executor, Home
from .providers import Models

if TYPE_CHECKING:
    from .place import Place

_OPEN = 24  # indexes and tables held open at a time
_VALUES = 40_000  # records of questions held in memory at a time


class Bench:
    """The store, the models and what is held open, for the work of one process; `executor` does it (see `performing`)."""

    executor: Executor

    def __init__(
        self,
        workspace: Workspace,
        store: Store,
        models: Models,
        home: Home,
        progress: Progress = nothing,
        fresh: bool = False,
    ) -> None:
        self.workspace = workspace
        self.store = store
        self.models = models
        self.progress = progress
        self.fresh = fresh
        self.budget = Budget()
        self.home = home
        self.takes = 0  # how often what keys stand for has changed
        self.shards = 0  # into how many parts indexes are cut, for workers that hold one each; 0: not at all
        self.elsewhere = False  # whether it works for another process, which sees the store alone
        self.anew: set[str] = set()  # results that were made anew in this process
        self.seconds: dict[str, float] = {}
        self.made: dict[str, int] = {}
        self.sources: dict[str, Any] = {}  # what questions bring with them, by digest; it stands nowhere else
        self._open: OrderedDict[str, Any] = OrderedDict()
        self._values: OrderedDict[str, Any] = OrderedDict()
        self._places: dict[int, Place] = {}
        self._takes: dict[str, str] = {}
        self._some_takes: bool | None = None

    def keys(self, resolved: Resolved, nodes: Chain, snapshot: Snapshot, condition: str = "") -> Keys:
        """The keys of a chain over a corpus."""
        return Keys(nodes, snapshot, self.models.identity, self._take, condition)

    def _take(self, key: str) -> str:
        if key not in self._takes:
            [self._takes[key]] = self.store.results.ids([key])
        return self._takes[key]

    def any_takes(self) -> bool:
        """Whether any result was ever made anew."""
        if self._some_takes is None:
            self._some_takes = self.store.results.any_takes()
        return self._some_takes

    def forget_takes(self) -> None:
        """Looks up anew which results stand for keys, after some were swapped."""
        self._takes.clear()
        self._some_takes = None
        self.takes += 1

    def follow(self, takes: int) -> None:
        """Looks up anew what keys stand for where another process, for which it works, has changed that."""
        if takes != self.takes:
            self.forget_takes()
            self._places.clear()
            self.takes = takes

    def take_place(self, place: Place) -> None:
        """Lets work on a configuration use what stands open for it already."""
        if len(self._places) > _OPEN:
            self._places.clear()
        self._places[id(place.resolved)] = place

    def open_places(self) -> list[Place]:
        """The places that stand open, the latest first."""
        return list(reversed(self._places.values()))

    def snapshot(self, key: str) -> Snapshot:
        """A corpus by its key."""
        if key not in self._open:
            self.hold(key, self.store.documents.snapshot(key))
        found: Snapshot = self._open[key]
        return found

    def values(self, source: str, ids: Sequence[str], nodes: Chain) -> list[Any]:
        """The records that stand under ids, of a node or a source of questions."""
        if source in SOURCES and all(each in self.sources for each in ids):
            return [self.sources[each] for each in ids]
        missing = [each for each in dict.fromkeys(ids) if each not in self._values]
        if missing:
            kind = SOURCE_RECORDS[source] if source in SOURCES else nodes[source].stage.record
            assert kind is not None
            for name, body in self.store.results.values(missing).items():
                self.remember(name, decode(kind, body))
        try:
            found = [self._values[each] for each in ids]
        except KeyError as error:
            raise Unavailable(f"the store no longer has a result of '{source}' ({error}); run it again") from None
        while len(self._values) > _VALUES:
            self._values.popitem(last=False)
        return found

    def read(self, node: Node, names: Sequence[str]) -> list[Any]:
        """Records of a stage that another process has kept, which are not held here."""
        assert node.stage.record is not None
        found = self.store.results.values(names)
        try:
            return [decode(node.stage.record, found[name]) for name in names]
        except KeyError:
            raise Unavailable("what a worker made is not in this store: it works with another one") from None

    def remember(self, name: str, record: Any) -> None:
        """Holds a record in memory."""
        self._values[name] = record

    def forget(self, name: str) -> None:
        """No longer holds a record in memory."""
        self._values.pop(name, None)

    def held(self, key: str) -> Any:
        """What is held open under a key; raises KeyError."""
        self._open.move_to_end(key)
        return self._open[key]

    def holds(self, key: str) -> bool:
        """Whether something is held open under a key."""
        return key in self._open

    def hold(self, key: str, value: Any) -> None:
        """Holds something open."""
        self._open[key] = value
        if len(self._open) > _OPEN:
            self._open.popitem(last=False)

    def timed(self, stage: str, made: int, began: float) -> None:
        """Counts what was made of the corpus, and the seconds it took."""
        if made:
            self.seconds[stage] = self.seconds.get(stage, 0.0) + time.perf_counter() - began
            self.made[stage] = self.made.get(stage, 0) + made
