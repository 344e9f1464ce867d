"""Whether what a run keeps fits together: each result has the key that the results before it make."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Mapping
from typing import Any

from ..pipeline.codec import digest, encode
from ..pipeline.sources import sources_of
from ..pipeline.stage import QUESTION, Chain
from ..storage.protocols import Progress, Run, RunQuestion, Store, nothing
from ..workspace.testsets import question_from

_UNTOLD = ("standing", "brought")  # sources that the question itself does not tell


def chain_as_made(nodes: Chain, bases: Mapping[str, str], scope_of: Any) -> dict[str, list[Any]]:
    """What a run keeps of its chain: of each node on questions what its key is made of beside them, and the inputs whose
    digests go into it, in their order."""
    return {
        node.name: [bases[node.name], [each for each in node.inputs.values() if each and scope_of(each) == QUESTION]]
        for node in nodes.values()
        if node.stage.scope == QUESTION
    }


def broken_chains(store: Store, progress: Progress = nothing) -> Iterator[str]:
    """A line for each run and stage whose results are not those that their keys speak of: something else was put in their
    place. Runs that were made by versions before this was kept are left out."""
    runs = [run for run in store.runs.all() if run.made.get("chain")]
    for number, run in enumerate(runs):
        progress("checking runs", number, len(runs))
        yield from _broken(store, run)


def _broken(store: Store, run: Run) -> Iterator[str]:
    rows = store.runs.questions(run.id)
    chain: dict[str, list[Any]] = run.made["chain"]
    known = store.results.digests(list({found for row in rows for found in row.results.values()}))
    wrong: dict[str, int] = {}
    for row in rows:
        digests = _sources(row) | {name: known[found][0] for name, found in row.results.items() if found in known}
        for node, (base, inputs) in chain.items():
            if node not in row.results or not all(each in digests for each in inputs):
                continue
            key = hashlib.sha256(" ".join([base, *(digests[each] for each in inputs)]).encode()).hexdigest()[:40]
            if row.results[node].partition(" ")[0].partition(".")[0] != key:
                wrong[node] = wrong.get(node, 0) + 1
    for node, count in wrong.items():
        yield (
            f"run {run.id} ({run.name}): '{node}' of {count} of {len(rows)} questions was made of something else than what "
            "stands before it"
        )


def _sources(row: RunQuestion) -> dict[str, str]:
    found = sources_of(question_from(row.body), lambda name: "in")
    return {name: digest(encode(record)) for name, record in found.items() if name not in _UNTOLD}
