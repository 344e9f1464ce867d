"""Takes questions through the stages of a chain: what is there is found by its key, what is missing is made and kept."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from ..core.brought import Brought
from ..core.embedding import MODELS
from ..core.testsets import Question
from ..pipeline.codec import digest, encode
from ..pipeline.resolved import WantedModel
from ..pipeline.sources import sources_of
from ..pipeline.stage import QUESTION, SOURCES, Node, needed
from ..storage.protocols import FAILED, Kept
from .bench import Bench
from .executors import Done, Work
from .place import Place
from .shards import joined_hits, make_parts, make_shards, shards_of, work_by_shard

TOGETHER = 2000  # questions that are on their way at a time
_LEAST = 8  # questions that a worker gets at a time
_KNOWN = 200_000  # results whose digests are kept in mind


@dataclass
class Underway:
    """A question on its way: under the name of each source and stage, the id of its result and the digest of that."""

    question: Question
    ids: dict[str, str] = field(default_factory=dict)
    digests: dict[str, str] = field(default_factory=dict)


class PosedQuestions:
    """Questions with the records of their sources, which are the same for every configuration.

    `marked`: each with the digests of these by name; `standing` says of a document "in", "left out" or "gone";
    `brought`: what another system gave, by the id of the question.
    """

    def __init__(
        self,
        questions: Sequence[Question],
        standing: Callable[[str], str],
        brought: Mapping[str, Brought] | None = None,
    ) -> None:
        self.records: dict[str, Any] = {}
        self.marked: list[tuple[Question, dict[str, str]]] = []
        for question in questions:
            marks = {}
            sources = sources_of(question, standing)
            if brought is not None:
                sources["brought"] = brought[question.id]
            for name, record in sources.items():
                marks[name] = digest(encode(record))
                self.records[marks[name]] = record
            self.marked.append((question, marks))


def asks(wanted: WantedModel) -> bool:
    """Whether a model is one that is asked, and may answer otherwise another time."""
    return wanted.kind != "tokenizer" and wanted.name not in ("offline", *MODELS)


class Passing:
    """The questions of one configuration. `failed` makes what came of a failed model call again."""

    def __init__(
        self,
        place: Place,
        asked: PosedQuestions,
        fresh: bool = False,
        failed: bool = False,
        progress: Callable[[int, int], None] = lambda done, total: None,
        known: dict[str, tuple[str, int]] | None = None,
    ) -> None:
        self.place = place
        self.bench: Bench = place.bench
        self.computed: dict[str, int] = {}
        self.seconds: dict[str, float] = {}
        self._fresh = fresh
        self._failed = failed
        self._progress = progress
        self._through = 0  # questions that the stage under way is done with
        self._done = self._whole = 0  # stages that questions are through, one for each question; all of them
        # ids that are known to have a result, with its digest and its flaws: shared between runs
        self._known: dict[str, tuple[str, int]] = {} if known is None else known
        self.underway = [Underway(question, dict(marks), dict(marks)) for question, marks in asked.marked]
        self.bench.sources.update(asked.records)

    def pass_all(self) -> None:
        """Takes all questions through all stages: so many at a time that what is held in memory does not grow with their
        number, these a stage after another."""
        nodes = list(needed(self.place.nodes, QUESTION))
        self._whole = len(nodes) * len(self.underway)
        self._done = 0
        for first in range(0, len(self.underway), TOGETHER):
            some = self.underway[first : first + TOGETHER]
            for node in nodes:
                self.stage(node, some)
                self._done += len(some)
                self._progress(self._done, self._whole)
            if len(self.underway) > TOGETHER:
                self._let_go(some)

    def _let_go(self, underway: Sequence[Underway]) -> None:
        """Forgets of questions that are through what only their own later stages needed."""
        for one in underway:
            one.digests.clear()
        if len(self._known) > _KNOWN:
            self._known.clear()

    def stage(self, node: Node, underway: Sequence[Underway]) -> None:
        """Takes some questions through one stage."""
        keys = self._keys(node, underway)
        ids = self.bench.store.results.ids(keys) if self.bench.any_takes() else keys
        present = dict(zip(keys, ids))
        self._look_up(ids)
        missing = {key: one for key, one in zip(keys, underway) if self._is_missing(node, present[key])}
        if missing:
            present.update(self._make(node, missing, present, len(underway)))
        for key, one in zip(keys, underway):
            one.ids[node.name] = present[key]
            one.digests[node.name] = self._known[present[key]][0]

    def foresee(self, node: Node, seen: set[str]) -> tuple[int, int]:
        """How many results of a stage stand already, and how many are to be made beside those in `seen`, which grows by
        them. What depends on a result that is not there yet is counted as if nothing later were the same by chance."""
        keys = self._keys(node, self.underway)
        ids = self.bench.store.results.ids(keys) if self.bench.any_takes() else keys
        self._look_up(ids)
        known = 0
        missing: set[str] = set()
        for one, key, name in zip(self.underway, keys, ids):
            if self._is_missing(node, name):
                one.digests[node.name] = f"not made: {key}"
                missing.add(key)
            else:
                known += 1
                one.ids[node.name], one.digests[node.name] = name, self._known[name][0]
        new = missing - seen
        seen |= new
        return known, len(new)

    def _keys(self, node: Node, underway: Sequence[Underway]) -> list[str]:
        sources = list(self._inputs(node).values())
        key = self.place.keys.question
        return [key(node.name, [one.digests[source] for source in sources]) for one in underway]

    def _inputs(self, node: Node) -> dict[str, str]:
        """The inputs of a question's scope, by what the stage calls them."""
        return {
            name: source
            for name, source in node.inputs.items()
            if source is not None and self.place.keys.scope(source) == QUESTION
        }

    def _look_up(self, ids: Sequence[str]) -> None:
        unknown = [each for each in ids if each not in self._known]
        if unknown:
            self._known.update(self.bench.store.results.digests(unknown))

    def _is_missing(self, node: Node, name: str) -> bool:
        if name not in self._known:
            return True
        if self._fresh and any(asks(wanted) for wanted in node.models.values()):
            return name not in self.bench.anew
        return self._failed and bool(self._known[name][1] & FAILED) and name not in self.bench.anew

    def _make(
        self, node: Node, missing: Mapping[str, Underway], present: Mapping[str, str], count: int
    ) -> dict[str, str]:
        """Makes the results of some keys. Those that stand already are made under a new id, and take the place of the
        old ones when all are there."""
        if self.bench.executor.remote:  # before anything is made: work on documents opens the place that questions use
            self._publish_condition()
        again = [key for key in missing if present[key] in self._known]
        takes = self.bench.store.results.next_takes(again) if again else {}
        names = {key: f"{key}.{takes[key]}" if key in takes else present[key] for key in missing}
        count_of_shards = shards_of(self.place, node)
        if not count_of_shards:
            self.place.wide(node)  # made when missing, before the clock of this stage starts
        else:
            if node.stage.name == "keyword hits":
                make_shards(self.place)
            elif "nearest" in self.place.nodes:
                make_parts(self.place)
            for each in node.inputs.values():
                if each in ("words", "near"):
                    self._open_below(each)
        passed = self._done + count - len(missing)
        parts: deque[list[tuple[str, Underway]]] = deque()

        def work() -> Iterator[Work]:
            for part in self._parts(node, list(missing.items())):
                parts.append(part)
                yield self._work(node, part, names)

        self._through = 0
        one = self.bench.executor.map
        for done in self._of_shards(node, work(), count_of_shards) if count_of_shards else one(work()):
            part = parts.popleft()
            self._through += len(part)
            for (key, _), mark in zip(part, done.marks):
                self._known[names[key]] = mark
            self.bench.models.absorb(done.spent)
            self.computed[node.name] = self.computed.get(node.name, 0) + len(part)
            self.seconds[node.name] = self.seconds.get(node.name, 0.0) + done.seconds
            self._progress(passed + self._through, self._whole)
        if takes:
            self.bench.store.results.swap(takes)
            self.bench.forget_takes()
            self.bench.anew.update(names.values())
        return names

    def _parts(self, node: Node, missing: list[tuple[str, Underway]]) -> Iterator[list[tuple[str, Underway]]]:
        busy = max((self.bench.models.concurrency(wanted) for wanted in node.models.values()), default=0)
        size = max(16, 4 * busy) if busy else node.stage.together
        if self.bench.executor.remote:  # something for each worker; what is made does not depend on it
            size = max(_LEAST, min(size, -(-len(missing) // self.bench.executor.width)))
        wanted, budget = list(node.models.values()), self.bench.budget
        models = self.bench.models
        first, before = 0, models.whole(wanted)[-1]
        while first < len(missing):
            budget.check(wanted)
            each = (models.whole(wanted)[-1] - before) / self._through if self._through else 0.0
            count = budget.at_once(wanted, size, each)
            yield missing[first : first + count]
            first += count

    def _work(self, node: Node, part: Sequence[tuple[str, Underway]], names: Mapping[str, str]) -> Work:
        """The work of one stage on some questions, for an executor."""
        inputs = self._inputs(node)
        if self.bench.executor.remote:
            self._publish(part, inputs)
        return self.place.work(
            node,
            questions=tuple(tuple((s, one.ids[s]) for s in inputs.values()) for _, one in part),
            names=tuple(names[key] for key, _ in part),
        )

    def _open_below(self, name: str) -> None:
        """Has what a searcher stands on made, which workers only open."""
        for source in self.place.nodes[name].inputs.values():
            if source in self.place.nodes and source != "keyword":
                self.place.open(source)

    def _of_shards(self, node: Node, work: Iterator[Work], count: int) -> Iterator[Done]:
        """What work comes to that is done shard by shard: the lists of all shards merged."""
        whole: deque[Work] = deque()

        def pieces() -> Iterator[Work]:
            for each in work:
                whole.append(each)
                yield from work_by_shard(each, count)

        results, some = self.bench.store.results, []
        for done in self.bench.executor.map(pieces()):
            some.append(done)
            if len(some) < count:
                continue
            each = whole.popleft()
            top = node.settings if node.stage.name == "vector hits" else node.settings.depth
            began = time.perf_counter()
            rows = [self.bench.read(node, piece.names) for piece in work_by_shard(each, count)]
            kept = []
            for name, lists in zip(each.names, zip(*rows)):
                record = joined_hits(lists, top)
                body = encode(record)
                kept.append(Kept(name, node.name, digest(body), body))
                self.bench.remember(name, record)
            results.keep(kept)
            results.drop([name for piece in work_by_shard(each, count) for name in piece.names])
            seconds = sum(one.seconds for one in some) + time.perf_counter() - began
            some = []
            yield Done(marks=[(row.digest, 0) for row in kept], seconds=seconds)

    def _publish_condition(self) -> None:
        """Keeps the names that a filter lets pass among the results, for an executor that works elsewhere."""
        key, condition = self.place.condition_key, self.place.condition
        if condition is not None and key not in self._known:
            body = encode(sorted(condition))
            self.bench.store.results.keep([Kept(key, "condition", digest(body), body)])
            self._known[key] = (digest(body), 0)

    def _publish(self, part: Sequence[tuple[str, Underway]], inputs: Mapping[str, str]) -> None:
        """Keeps the sources of questions among the results, for an executor that works elsewhere."""
        rows: dict[str, Kept] = {}
        for _, one in part:
            for source in inputs.values():
                if source in SOURCES:
                    name = one.ids[source]
                    [record] = self.bench.values(source, [name], self.place.nodes)
                    rows[name] = Kept(name, source, name, encode(record))
        self.bench.store.results.keep(list(rows.values()))

    def records(self, name: str) -> list[Any]:
        """The records of a stage, a question each, in order."""
        return self.bench.values(name, [one.ids[name] for one in self.underway], self.place.nodes)
