"""One question of a run, taken apart: what each stage held, and where each need was lost."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from ..core.chunking import ChunkTable
from ..core.errors import BadInput
from ..core.measures.retrieval import best_cover
from ..core.questions import Question
from ..core.serving import ServedTable
from ..core.spans import Span
from ..workspace.configuration import Configuration
from ..workspace.runs import Run, Runs
from .resources import Resources


@dataclass(frozen=True)
class Explanation:
    """All stored stages of one question, the chunks they speak of, and each need's fate.

    `needs`: for each need its fact, where it stands, the stage at which it was lost, and `best`: (rank, cover)
    of the refined item that covers it most, rank 0 when none does. `chunks`: number → document, source, text,
    and the share of each need that it covers. `run` is None for a question that was asked just now.
    """

    configuration: Configuration
    question: Question
    stages: dict[str, Any]
    needs: list[dict[str, Any]]
    chunks: dict[int, dict[str, Any]]
    run: Run | None = None


def explain(resources: Resources, run: Run, question: Question) -> Explanation:
    """What happened to a question; raises `BadInput` when the run does not have it or its corpus is gone."""
    runs = Runs(resources.workspace.store)
    keys = runs.keys(run.id).get(question.id)
    if keys is None:
        raise BadInput(f"run {run.id} has no question '{question.id}'")
    store = resources.workspace.store
    stages = {name: store.result(key) for name, key in keys.items() if name not in ("question", "kind")}
    corpus = resources.keys(run.configuration)
    try:
        table = ChunkTable.from_arrays(store.arrays(corpus.chunks))
        units = ServedTable.from_arrays(store.arrays(corpus.served)) if corpus.served else None
    except KeyError:
        raise BadInput(f"the documents have changed since run {run.id}; run '{run.name}' again to explain it") from None
    lost = stages["scores"]["lost"]
    chunks = chunks_shown(resources, table, units, stages["candidates"], question)
    ranked = [pair[0] for pair in stages["refined"]["stages"][-1]]
    needs = []
    for place, need in enumerate(question.needs):
        covers = [(chunks[number]["covers"][place], -rank) for rank, number in enumerate(ranked, 1)]
        best = max(covers, default=(0.0, 0))
        needs.append(
            {
                "fact": need.fact,
                "spans": need.spans,
                "lost": lost[place] if place < len(lost) else "",
                "best": (-best[1] if best[0] > 0 else 0, best[0]),
            }
        )
    return Explanation(run.configuration, question, stages, needs, chunks, run)


def chunks_shown(
    resources: Resources, table: ChunkTable, units: ServedTable | None, candidates: dict[str, Any], question: Question
) -> dict[int, dict[str, Any]]:
    """The chunks that the candidates of a question name, by number."""
    spans = [[quoted.span for quoted in need.spans] for need in question.needs]
    shown = sorted({row[0] for row in candidates["list"]})
    return {number: _chunk(resources, table, units, number, spans) for number in shown}


def _chunk(
    resources: Resources, table: ChunkTable, units: ServedTable | None, number: int, needs: list[list[Span]]
) -> dict[str, Any]:
    """A chunk, with how much of each need is in what is served for it."""
    name = table.name(number)
    ranges = table.ranges(number) if units is None else units.units.ranges(int(units.unit[number]))
    return {
        "doc": name,
        "ranges": table.ranges(number),
        "served": ranges,
        "source": resources.source(table, number),
        "text": resources.text(table, number),
        "covers": [best_cover(need, {name: list(ranges)}) for need in needs],
    }
