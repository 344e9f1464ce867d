"""One configuration over one corpus: opens what its stages are handed, by their keys, from the store or from what was just
made, and makes what is missing."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Any

from ..core.documents import Document
from ..core.errors import Unavailable
from ..pipeline.inputs import Documents, Given, Texts
from ..pipeline.resolved import Resolved
from ..pipeline.stage import CORPUS, DOCUMENT, QUESTION, SOURCES, Chain, Node
from ..pipeline.stages.corpus import open_part
from ..storage.protocols import Collection, Columns, Made, Snapshot
from .corpus import Corpus, fields_of
from .executors import Work
from .portions import portions
from .shards import SHARDED, opened_shard, searched_whole

if TYPE_CHECKING:
    from .bench import Bench

_DOCUMENTS = 512  # documents held in memory at a time


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
        key = held = self.keys.corpus(name)
        if self.bench.shards and name in SHARDED:
            if name == "keyword":
                return opened_shard(self, key, shard)
            if name == "nearest" and shard >= 0:
                return open_part(self.bench.store.arrays.folder(key), shard)
            held = f"{key} {shard} of {self.bench.shards}"  # what stands on shards is not what stands on the whole
        if self.bench.holds(held):
            return self.bench.held(held)
        if node.stage.scope == DOCUMENT:
            if not node.stage.kept:
                return Texts(self._counted(), lambda: (text for rows in self._all(node) for text in rows))
            assert node.stage.open is not None
            value = node.stage.open(self.snapshot.names, self.collection(name))
        else:
            value = self._of_corpus(node, key, shard)
        self.bench.hold(held, value)
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
        self._make_below(node)  # first, so that its time is not counted here, and workers find it
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

    def _make_below(self, node: Node) -> None:
        """Has all that a stage of documents rests on made, through stages that are not kept themselves."""
        for each in node.inputs.values():
            if each is None or each in SOURCES:
                continue
            below = self.nodes[each]
            if not below.stage.kept:
                self._make_below(below)
            elif below.stage.scope == CORPUS:
                self.open(each)
            else:
                self.collection(each)

    def work(self, node: Node, **what: Any) -> Work:
        """A piece of work of this place, for an executor."""
        bench = self.bench
        busy = max((bench.models.concurrency(wanted) for wanted in node.models.values()), default=0)
        return Work(
            bench.home, self.snapshot.key, self.resolved, node.name,
            condition=self.condition_key if self.condition is not None else "", fresh=bench.fresh, takes=bench.takes,
            busy=busy, shards=0 if searched_whole(node) else bench.shards,
            account=self.keys.account(node.name), **what,
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
        shards = self.bench.shards
        if searched_whole(node):
            self.bench.shards = 0
        try:
            return {
                name: None if source is None else self.open(source, shard)
                for name, source in node.inputs.items()
                if source is None or self.keys.scope(source) != QUESTION
            }
        finally:
            self.bench.shards = shards

    def given(self, node: Node, inputs: Mapping[str, Any], key: str = "", shard: int = -1) -> Given:
        """What a stage is handed."""
        models = {slot: self.bench.models.get(wanted) for slot, wanted in node.models.items()}
        part = (shard, self.bench.shards) if shard >= 0 else None
        return Given(node.settings, inputs, models, key, self.bench.progress, part)
