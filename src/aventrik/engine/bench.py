"""Where work is done: hands a stage its inputs, by their keys, from the store or from what was just made."""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import Any

import orjson

from ..core.documents import Document
from ..core.errors import Unavailable
from ..storage.protocols import Collection, Columns, Kept, Made, Snapshot, Store
from ..workspace.workspace import Workspace
from .budget import Budget
from .corpus import Corpus
from .executors import Done, Executor, Home, Work
from .executors.local import LocalExecutor
from .filtering import fields_of
from .given import Documents, Given, Progress, Texts, nothing
from .graph import chain
from .keys import Keys
from .portions import portions
from .providers import Models
from .records import decode, digest, encode
from .resolved import Resolved
from .shards import SHARDED, make_shard, opened_shard
from .stage import CORPUS, DOCUMENT, QUESTION, SOURCE_RECORDS, SOURCES, Chain, Node
from .stages.corpus import open_part
from .stores import address_of

_OPEN = 24  # indexes and tables held open at a time
_DOCUMENTS = 512  # documents held in memory at a time
_VALUES = 40_000  # records of questions held in memory at a time


class Bench:
    """The store, the models and what is held open, for the work of one process."""

    def __init__(
        self, workspace: Workspace, store: Store, models: Models, progress: Progress = nothing, fresh: bool = False
    ) -> None:
        self.workspace = workspace
        self.store = store
        self.models = models
        self.progress = progress
        self.fresh = fresh
        self.executor: Executor = LocalExecutor(self.perform)
        self.budget = Budget()
        self.home = Home(address_of(workspace))
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

    # Work on questions and documents, as an executor asks for it.

    def perform(self, work: Work) -> Done:
        """Does a piece of work: the results of questions are kept."""
        place = self._placed(work)
        node = place.nodes[work.node]
        if work.step:
            make_shard(place, node, work.step, work.shard)
            return Done()
        if node.stage.scope == DOCUMENT:
            return Done(place.of_documents(node, work.documents))
        inputs = {
            name: self.values(source, [dict(row)[source] for row in work.questions], place.nodes)
            for name, source in node.inputs.items()
            if source is not None and place.keys.scope(source) == QUESTION
        }
        wide = place.wide(node, work.shard)  # opened before the clock of this stage starts
        before, began = self.models.whole(node.models.values()), time.perf_counter()
        records = place.of_questions(node, {**wide, **inputs})
        seconds = time.perf_counter() - began
        cost = [(now - then) / len(records) for now, then in zip(self.models.whole(node.models.values()), before)]
        rows = []
        for name, record in zip(work.names, records):
            body = encode(record)
            failed = bool(getattr(record, "failure", ""))
            costs = (cost[0], cost[1], cost[2], cost[3])
            rows.append(Kept(name, node.name, digest(body), body, failed, seconds / len(records), costs))
            self.remember(name, record)
        self.store.results.keep(rows)
        return Done(marks=[(row.digest, row.failed) for row in rows], seconds=seconds)

    def _placed(self, work: Work) -> Place:
        """The place that work is for: one that stands open, or a new one."""
        for place in reversed(self._places.values()):
            if place.snapshot.key == work.corpus and (
                place.resolved is work.resolved
                or (self.elsewhere and place.condition_key == work.condition and place.resolved == work.resolved)
            ):
                return place
        condition = None
        if work.condition:
            [names] = self.store.results.values([work.condition]).values() or [b"[]"]
            condition = frozenset(orjson.loads(names))
        nodes = chain(work.resolved)
        return Place(self, work.resolved, nodes, self.snapshot(work.corpus), condition, work.condition)

    def take_place(self, place: Place) -> None:
        """Lets work on a configuration use what stands open for it already."""
        if len(self._places) > _OPEN:
            self._places.clear()
        self._places[id(place.resolved)] = place

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


class Place:
    """One configuration over one corpus on a bench: opens what its stages are handed, making it when it is missing."""

    def __init__(
        self,
        bench: Bench,
        resolved: Resolved,
        nodes: Chain,
        snapshot: Snapshot,
        condition: frozenset[str] | None = None,
        condition_key: str = "",
    ) -> None:
        self.bench = bench
        self.resolved = resolved
        self.nodes = nodes
        self.snapshot = snapshot
        self.condition = condition
        self.keys = bench.keys(resolved, nodes, snapshot, condition_key)
        self.condition_key = condition_key
        self._documents: dict[str, Document] = {}
        self._contents = dict(zip(snapshot.names, snapshot.contents))
        bench.take_place(self)

    def documents(self) -> Documents:
        """The documents of the corpus by name."""
        return Documents(self.document, self._bring, self.snapshot.names)

    def document(self, name: str) -> Document:
        """A document as it was when the corpus was taken."""
        if name not in self._documents:
            if len(self._documents) > _DOCUMENTS:
                self._documents.clear()
            [self._documents[name]] = self._fetched([name])
        return self._documents[name]

    def rest(self) -> None:
        """Forgets the documents that it holds, when its turn comes again only later."""
        self._documents.clear()

    def _bring(self, names: Iterable[str]) -> None:
        missing = [name for name in dict.fromkeys(names) if name not in self._documents]
        if len(self._documents) + len(missing) > _DOCUMENTS:
            self._documents.clear()
        self._documents.update(zip(missing, self._fetched(missing)))

    def _fetched(self, names: Sequence[str]) -> list[Document]:
        try:
            return self.bench.store.documents.contents(names, [self._contents[name] for name in names])
        except KeyError:
            raise Unavailable(
                f"{names[0]}: its text of that time is no longer in the store; gather it and run again"
            ) from None

    def open(self, name: str, shard: int = -1) -> Any:
        """What a node or source of documents or the corpus hands to stages of a wider scope; of a searcher, or an index of
        words, that of one shard."""
        if name == "documents":
            return self.documents()
        if name == "condition":
            return self.condition
        if name == "metadata":
            return fields_of(Corpus(self.bench.workspace, self.bench.store))
        node = self.nodes[name]
        key = self.keys.corpus(name)
        if self.bench.shards and name in SHARDED:
            if name == "keyword":
                return opened_shard(self, key, shard)
            if name == "nearest" and shard >= 0:
                return open_part(self.bench.store.arrays.folder(key), shard)
            if shard >= 0:
                key = f"{key} {shard}"
        if self.bench.holds(key):
            return self.bench.held(key)
        if node.stage.scope == DOCUMENT:
            if not node.stage.kept:
                return Texts(self._counted(), lambda: (text for rows in self._all(node) for text in rows))
            assert node.stage.open is not None
            value = node.stage.open(self.snapshot.names, self.collection(name))
        else:
            value = self._of_corpus(node, key, shard)
        self.bench.hold(key, value)
        return value

    def _counted(self) -> int:
        """How many texts are matched."""
        if "written" in self.nodes:
            return len(self.open("written").owner)
        return len(self.open("chunks"))

    def _all(self, node: Node) -> Iterator[list[str]]:
        step = 256
        for first in range(0, len(self.snapshot), step):
            yield from self.of_documents(node, range(first, min(first + step, len(self.snapshot))))

    def collection(self, name: str) -> Collection:
        """What a document stage made of every document."""
        key = self.keys.corpus(name)
        node = self.nodes[name]
        arrays = self.bench.store.arrays
        try:
            return arrays.collection(key)
        except KeyError:
            self._collect(node, key, self.keys.family(name))
            return arrays.collection(key)

    def renew(self, name: str, failed: bool = False) -> None:
        """Makes a collection anew beside the one that stands, whose place it takes once it is whole; with `failed` only
        the documents of which the model gave nothing are made again, and nothing is done where there is none."""
        results = self.bench.store.results
        plain, present = self.keys.family(name, took=False), self.keys.family(name)
        again = (lambda columns: bool(columns["failed"].any())) if failed else None
        if failed and not self.collection(name).columns["failed"].any():
            return
        takes = results.next_takes([plain])
        after = f"{plain}.{takes[plain]}"
        self._collect(self.nodes[name], self.keys.corpus(name, after), after, present if failed else "", again)
        results.swap(takes)
        self.bench.forget_takes()
        self.keys = self.bench.keys(self.resolved, self.nodes, self.snapshot, self.condition_key)

    def _collect(
        self,
        node: Node,
        key: str,
        family: str,
        earlier: str = "",
        again: Callable[[Columns], bool] | None = None,
    ) -> None:
        bench = self.bench
        self._check_here(node)
        bench.store.documents.keep_snapshot(self.snapshot)
        for each in node.inputs.values():  # made first, so that their time is not counted here
            if each is not None and each not in SOURCES and self.nodes[each].stage.kept:
                if self.nodes[each].stage.scope == CORPUS:
                    self.open(each)
                else:
                    self.collection(each)
        began = time.perf_counter()

        def checked(work: list[Work]) -> Iterator[Work]:
            for each in work:
                bench.budget.check(node.models.values())
                yield each

        def make(places: Sequence[int]) -> Iterator[Made]:
            sizes = bench.store.documents.sizes([self.snapshot.contents[place] for place in places])
            groups = portions(places, sizes, node.stage.together)
            work = [self.work(node, documents=group, part=f"{key} {group[0]} {group[-1]}") for group in groups]
            taken: list[str] = []
            before = 0
            for each, done in zip(work, bench.executor.map(checked(work))):
                bench.progress(f"{node.name}{bench.executor.label}", before, len(places))
                before += len(each.documents)
                if done.rows:
                    yield done.rows
                    continue
                part = bench.store.arrays.part(each.part)
                if part is None:
                    raise Unavailable(
                        "what a worker made is not to be found here: [store] arrays must be a folder, or an address, that "
                        "this machine and all workers see"
                    )
                yield part
                taken.append(each.part)
            bench.store.arrays.drop_parts(taken)

        made = bench.store.arrays.collect(key, family, self.snapshot.contents, make, earlier, again)
        bench.timed(node.name, made, began)

    def work(self, node: Node, **what: Any) -> Work:
        """A piece of work of this place, for an executor."""
        bench = self.bench
        busy = max((bench.models.concurrency(wanted) for wanted in node.models.values()), default=0)
        return Work(
            bench.home, self.snapshot.key, self.resolved, node.name,
            condition=self.condition_key if self.condition is not None else "", fresh=bench.fresh, takes=bench.takes,
            busy=busy, shards=bench.shards, **what,
        )  # fmt: skip

    def _check_here(self, node: Node) -> None:
        """Refuses to make for another process what it must have made before: it does not see the same arrays."""
        if self.bench.elsewhere:
            raise Unavailable(
                f"what the stage '{node.name}' made is not to be found here: [store] arrays must be a folder, or an address, "
                "that the command's machine and all workers see"
            )

    def of_documents(self, node: Node, places: Sequence[int]) -> list[Any]:
        """What a document stage makes of some documents, here and now."""
        inputs: dict[str, Any] = {}
        for name, source in node.inputs.items():
            if source is None:
                inputs[name] = None
            elif source == "documents":
                keys = [self.snapshot.contents[place] for place in places]
                # Without names: what is made of a text must not depend on what its document is called.
                inputs[name] = self.bench.store.documents.contents([""] * len(keys), keys)
            elif self.keys.scope(source) == CORPUS:
                inputs[name] = self.open(source)
            else:
                inputs[name] = self._columns(self.nodes[source], places)
        return list(node.stage.function(self.given(node, inputs)))

    def _columns(self, node: Node, places: Sequence[int]) -> list[Any]:
        if not node.stage.kept:
            return self.of_documents(node, places)
        key = f"{self.keys.corpus(node.name)} collection"
        if not self.bench.holds(key):
            self.bench.hold(key, self.collection(node.name))
        collection: Collection = self.bench.held(key)
        return [collection.of(place) for place in places]

    def _of_corpus(self, node: Node, key: str, shard: int = -1) -> Any:
        bench = self.bench
        inputs = {name: None if source is None else self.open(source, shard) for name, source in node.inputs.items()}
        if not node.stage.kept:
            return node.stage.function(self.given(node, inputs, key, shard))
        assert node.stage.open is not None
        try:
            return node.stage.open(bench.store.arrays.folder(key))
        except KeyError:
            self._check_here(node)
            began = time.perf_counter()
            made = node.stage.function(self.given(node, inputs, key))
            folder = bench.store.arrays.keep(key, lambda draft: node.stage.write(made, draft))
            bench.timed(node.name, 1, began)
            return node.stage.open(folder)

    def of_questions(self, node: Node, inputs: Mapping[str, list[Any]]) -> list[Any]:
        """What a question stage makes of some questions, here and now, of all its inputs."""
        return list(node.stage.function(self.given(node, inputs)))

    def wide(self, node: Node, shard: int = -1) -> dict[str, Any]:
        """The inputs of a question stage that are wider than a question; those it does not have are None."""
        return {
            name: None if source is None else self.open(source, shard)
            for name, source in node.inputs.items()
            if source is None or self.keys.scope(source) != QUESTION
        }

    def given(self, node: Node, inputs: Mapping[str, Any], key: str = "", shard: int = -1) -> Given:
        """What a stage is handed."""
        models = {slot: self.bench.models.get(wanted) for slot, wanted in node.models.items()}
        part = (shard, self.bench.shards) if shard >= 0 else None
        return Given(node.settings, inputs, models, key, self.bench.progress, part)
