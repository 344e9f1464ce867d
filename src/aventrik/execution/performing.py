"""Does a piece of work in this process, as an executor asks for it: of documents, of a shard, of questions."""

from __future__ import annotations

import time
from functools import partial

import orjson

from ..pipeline.codec import digest, encode
from ..pipeline.registry import chain
from ..pipeline.stage import DOCUMENT, QUESTION
from ..storage.protocols import Kept
from .bench import Bench
from .executors import Done, Work
from .executors.here import LocalExecutor
from .place import Place
from .shards import make_shard


def work_here(bench: Bench) -> Bench:
    """Has the work of a bench done in this process."""
    bench.executor = LocalExecutor(partial(perform, bench))
    return bench


def perform(bench: Bench, work: Work) -> Done:
    """Does a piece of work: the results of questions are kept."""
    place = _placed(bench, work)
    node = place.nodes[work.node]
    if work.step:
        make_shard(place, node, work.step, work.shard)
        return Done()
    if node.stage.scope == DOCUMENT:
        return Done(place.of_documents(node, work.documents))
    inputs = {
        name: bench.values(source, [dict(row)[source] for row in work.questions], place.nodes)
        for name, source in node.inputs.items()
        if source is not None and place.keys.scope(source) == QUESTION
    }
    wide = place.wide(node, work.shard)  # opened before the clock of this stage starts
    before, began = bench.models.whole(node.models.values()), time.perf_counter()
    records = place.of_questions(node, {**wide, **inputs})
    seconds = time.perf_counter() - began
    cost = [(now - then) / len(records) for now, then in zip(bench.models.whole(node.models.values()), before)]
    rows = []
    for name, record in zip(work.names, records):
        body = encode(record)
        failed = bool(getattr(record, "failure", ""))
        costs = (cost[0], cost[1], cost[2], cost[3])
        rows.append(Kept(name, node.name, digest(body), body, failed, seconds / len(records), costs))
        bench.remember(name, record)
    bench.store.results.keep(rows)
    return Done(marks=[(row.digest, row.failed) for row in rows], seconds=seconds)


def _placed(bench: Bench, work: Work) -> Place:
    """The place that work is for: one that stands open, or a new one."""
    for place in bench.open_places():
        if place.snapshot.key == work.corpus and (
            place.resolved is work.resolved
            or (bench.elsewhere and place.condition_key == work.condition and place.resolved == work.resolved)
        ):
            return place
    condition = None
    if work.condition:
        [names] = bench.store.results.values([work.condition]).values() or [b"[]"]
        condition = frozenset(orjson.loads(names))
    return Place(bench, work.resolved, chain(work.resolved), bench.snapshot(work.corpus), condition, work.condition)
