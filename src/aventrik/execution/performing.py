"""Does a piece of work in this process, as an executor asks for it: of documents, of a shard, of questions."""

from __future__ import annotations

import socket
import time
from collections.abc import Mapping, Sequence
from functools import partial
from typing import Any

import orjson

from ..core.errors import Damaged, Unavailable
from ..pipeline.codec import digest, encode
from ..pipeline.keys import condition_key
from ..pipeline.registry import chain
from ..pipeline.stage import DOCUMENT, QUESTION
from ..storage.protocols import CUT, FAILED, Kept
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
    if bench.elsewhere:
        _check_account(place, work)
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
    models = [bench.models.get(wanted) for wanted in node.models.values()]
    cuts = [found for model in models if (found := getattr(model, "cuts", None)) is not None]
    for found in cuts:
        found.clear()
    before, began = bench.models.whole(node.models.values()), time.perf_counter()
    records = place.of_questions(node, {**wide, **inputs})
    seconds = time.perf_counter() - began
    cost = [(now - then) / len(records) for now, then in zip(bench.models.whole(node.models.values()), before)]
    cut = _cut(set().union(*cuts), inputs, records) if cuts else [False] * len(records)
    rows = []
    for place_, (name, record) in enumerate(zip(work.names, records)):
        body = encode(record)
        flaws = FAILED * bool(getattr(record, "failure", "")) | CUT * cut[place_]
        costs = (cost[0], cost[1], cost[2], cost[3])
        rows.append(Kept(name, node.name, digest(body), body, flaws, seconds / len(records), costs))
        bench.remember(name, record)
    bench.store.results.keep(rows)
    stands = bench.store.results.digests([row.id for row in rows])
    for row in rows:
        if stands[row.id][0] != row.digest:  # another process was first, and what it kept counts
            bench.forget(row.id)
    return Done(marks=[stands[row.id] for row in rows], seconds=seconds)


def _cut(texts: set[str], inputs: Mapping[str, Sequence[Any]], records: Sequence[Any]) -> list[bool]:
    """Of each question whether something was cut for it: `texts` are the questions and claims for which models cut what they
    were given. Where none of these can be told to be a question's, all of them count."""
    if not texts:
        return [False] * len(records)
    found = []
    for place, record in enumerate(records):
        own = {each[place].text for name, each in inputs.items() if name == "wording"}
        own |= {text for name, each in inputs.items() if name == "queries" for text in each[place].texts}
        own |= {verdict.claim for verdict in getattr(record, "verdicts", ())}
        own |= {text for text in getattr(record, "texts", ()) if isinstance(text, str)}
        found.append(bool(own & texts))
    return found if any(found) else [True] * len(records)


def _check_account(place: Place, work: Work) -> None:
    """Raises `Unavailable` where this process would make something else than what the command's keys say."""
    own = place.keys.account(work.node)
    if own == work.account:
        return
    apart = [name for name in own.keys() | work.account.keys() if own.get(name) != work.account.get(name)]
    first = next(
        (name for name in (*work.account, *own) if name in apart and not name.startswith("what is kept")), apart[0]
    )
    more = f", and {len(apart) - 1} more" if len(apart) > 1 else ""
    raise Unavailable(
        f"a worker ({socket.gethostname()}) would not make of '{work.node}' what this command means; other there: {first}{more}. "
        "It must see the same files, models and prompts; nothing of it was kept"
    )


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
        found = bench.store.results.values([work.condition])
        if not found:
            raise Unavailable(
                "the store of a worker does not have what the filter lets pass: it is not the command's store"
            )
        condition = frozenset(orjson.loads(found[work.condition]))
        if condition_key(condition) != work.condition:
            raise Damaged(
                "the store: what a filter lets pass is not what its key says; 'aventrik store --check' tells more"
            )
    return Place(bench, work.resolved, chain(work.resolved), bench.snapshot(work.corpus), condition, work.condition)
