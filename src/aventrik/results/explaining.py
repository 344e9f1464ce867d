"""One question of a run, taken apart: what each stage held, and where each need was lost. All of it is read from what
the run keeps, whatever settings, models and documents are now."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any

from ..core.chunking import Chunk, chunks_of
from ..core.comparing.account import worst_question
from ..core.comparing.spread import moved
from ..core.documents.spans import Range, text_of, without
from ..core.errors import BadInput
from ..core.measures.evidence import best_cover, evidence_of
from ..core.testsets import Question
from ..execution.bench import Bench
from ..execution.chunk_texts import ChunkTexts
from ..execution.performing import work_here
from ..execution.place import Place
from ..kept.run_records import criteria_of
from ..kept.sides import check_known, side_of, sides_of
from ..pipeline.codec import decode
from ..pipeline.keys import Keys
from ..pipeline.registry import STAGES, chain, record_of
from ..pipeline.resolved import Outside, Resolved, WantedModel
from ..pipeline.stage import Chain
from ..pipeline.stages.lists import pieces, scored, source
from ..storage.protocols import Run, Store
from ..workspace.configuration import Configuration
from ..workspace.testsets import question_from

if TYPE_CHECKING:
    import pandas


@dataclass(frozen=True)
class ListItem:
    """An item of a list as it stands behind the search or a step: its chunk, its score, what would be served for it with
    whether a step has changed that, and the share of each need that it covers. `cut`: the text that would have been
    served for its chunk in order, each stretch with whether it is still there; empty where nothing was changed."""

    chunk: int
    score: float
    ranges: Chunk
    text: str
    covers: tuple[float, ...]
    changed: bool = False
    cut: tuple[tuple[str, bool], ...] = ()


@dataclass(frozen=True)
class Explanation:
    """All stages of one question, the chunks they speak of, and each need's fate.

    `stages` has the record of each stage by its name. `needs`: for each need its fact, where it is, the stage at which
    it was lost, and `best`: (rank, cover) of the refined item that covers it most, rank 0 when none does. `chunks`:
    number → document, source, text, and the share of each need that it covers. `run` is None for a question that was
    asked just now. `lists`: by the name of its stage, the list that search found and that behind each step.
    """

    configuration: Configuration
    question: Question
    stages: dict[str, Any]
    needs: list[dict[str, Any]]
    chunks: dict[int, dict[str, Any]]
    run: Run | None = None
    prompts: dict[str, str] = field(default_factory=dict)
    lists: dict[str, list[ListItem]] = field(default_factory=dict)

    def to_pandas(self) -> pandas.DataFrame:
        """The refined list: rank, score, document, where in it, the text, and the share of each need that it covers."""
        import pandas

        rows = []
        for rank, (number, score) in enumerate(self.ranked, 1):
            chunk = self.chunks[number]
            rows.append(
                {
                    "rank": rank, "score": score, "document": chunk["doc"], "source": " › ".join(chunk["source"]),
                    "text": chunk["text"], **{f"need {n}": cover for n, cover in enumerate(chunk["covers"], 1)},
                }
            )  # fmt: skip
        return pandas.DataFrame(rows)

    @property
    def outside(self) -> bool:
        """Whether the run was brought: it has no queries and candidates."""
        return "candidates" not in self.stages

    @property
    def ranked(self) -> list[tuple[int, float]]:
        """The refined list: (chunk, score), best first."""
        if self.outside:
            return [(item.chunk, 0.0) for item in self.stages["served"].items]
        return scored(self.stages[last_list(self.stages)])


def last_list(stages: Mapping[str, Any]) -> str:
    """The name of the stage that gives the refined list."""
    return list_names(stages)[-1]


def list_names(stages: Mapping[str, Any]) -> list[str]:
    """The names of the stages that give a list, in order: the search, then each step."""
    steps = [name for name in stages if name.startswith("step ")]
    return ["candidates", *sorted(steps, key=lambda name: int(name.split()[1]))]


def explain(store: Store, bench: Bench, run: Run, name: str) -> Explanation:
    """What happened to a question; raises `BadInput` when the run does not have it, or is of an earlier version."""
    check_known(run)
    if not run.made.get("format"):
        raise BadInput(
            f"run {run.id} was made by an earlier version, of which scores alone are kept; run '{run.name}' again"
        )
    kept = next((each for each in store.runs.questions(run.id) if each.id == name), None)
    if kept is None:
        raise BadInput(f"run {run.id} has no question '{name}'")
    question = question_from(kept.body)
    values = store.results.values(list(kept.results.values()))
    stages: dict[str, Any] = {}
    for stage, found in kept.results.items():
        record = record_of(stage)
        if found not in values or record is None:
            raise BadInput(f"run {run.id}: the store no longer has its stage '{stage}'; run '{run.name}' again")
        stages[stage] = decode(record, values[found])
    place = place_of(store, bench, run)
    outside = place.resolved.outside
    if not outside:
        _check_cuts(place, stages, run)
    chunks = brought_items(place, stages, question) if outside else shown(place, stages, question)
    lists = {} if outside else lists_of(place, stages, question)
    prompts = run.made.get("prompts", {})
    whole = Explanation(
        configuration=place.resolved.configuration,
        question=question,
        stages=stages,
        needs=[],
        chunks=chunks,
        run=run,
        prompts=prompts,
        lists=lists,
    )
    return replace(whole, needs=_needs(whole))


class _AsMade(Bench):
    """A bench on which models have the identities that a run noted, so that its keys are found again without them."""

    def __init__(self, bench: Bench, run: Run) -> None:
        super().__init__(bench.workspace, bench.store, bench.models, bench.home, bench.progress)
        work_here(self)
        self._run = run

    def keys(self, resolved: Resolved, nodes: Chain, snapshot: Any, condition: str = "") -> Keys:
        """The keys of the run's chain."""
        noted: dict[WantedModel, str] = {
            wanted: self._run.made["models"][f"{node.name}: {slot}"]["identity"]
            for node in nodes.values()
            for slot, wanted in node.models.items()
        }
        return Keys(nodes, snapshot, noted.__getitem__, self._take, condition)


def place_of(store: Store, bench: Bench, run: Run) -> Place:
    """The place of a run, with the chunks that it was made with, or where the store no longer has these, as this version
    cuts them (see `_check_cuts`); raises `BadInput` where its documents are no longer in the store."""
    made = run.made
    outside = made.get("outside")
    resolved = Resolved(
        configuration=Configuration.kept(made["configuration"]),
        judges=tuple(made.get("judges", (made["judge"],))),
        cut_offs=tuple(made["cut_offs"]),
        cover=made["cover"],
        together=made.get("together", "majority"),
        criteria=criteria_of(run),
        outside=Outside(**outside) if outside else None,
        metadata=made.get("metadata", ""),
    )
    try:
        snapshot = store.documents.snapshot(run.corpus)
    except KeyError:
        raise BadInput(f"run {run.id}: the store no longer has its documents; run '{run.name}' again") from None
    nodes = chain(resolved, made.get("until", ""))
    as_made = dict(nodes)
    for name in ("chunks", "units"):
        version = made["stages"].get(name, STAGES[name].version)
        if name in nodes and version != STAGES[name].version:
            as_made[name] = replace(nodes[name], stage=replace(nodes[name].stage, version=version))
    place = Place(_AsMade(bench, run), resolved, as_made, snapshot)
    try:
        for name in ("chunks", "units"):
            if as_made.get(name) != nodes.get(name):
                store.arrays.collection(place.keys.corpus(name))
    except KeyError:
        return Place(_AsMade(bench, run), resolved, nodes, snapshot)
    return place


def _check_cuts(place: Place, stages: Mapping[str, Any], run: Run) -> None:
    """Raises `BadInput` where the chunks of a place are not those that a question's list was made of."""
    chunks = ChunkTexts(place)
    for item in stages["served"].items:
        there = item.chunk < len(chunks) and chunks.table.name(item.chunk) == item.doc
        if not there or without(item.ranges, [*chunks.served(item.chunk), *_own(stages, item.chunk)]):
            raise BadInput(
                f"run {run.id}: this version cuts documents otherwise, and the store no longer has how they were cut, so its "
                f"chunks can't be shown; run '{run.name}' again"
            )


def _own(stages: Mapping[str, Any], chunk: int) -> list[Range]:
    """What reranking steps have made of a chunk's text."""
    found = pieces(stages[last_list(stages)])
    return [each for number, _, ranges in found if number == chunk for each in ranges]


def _needs(found: Explanation) -> list[dict[str, Any]]:
    lost = found.stages["losses"].lost if "losses" in found.stages else ()
    if found.outside:
        rows = [found.chunks[number]["covers"] for number, _ in found.ranked]
    else:
        rows = [item.covers for item in found.lists[last_list(found.stages)]]
    needs = []
    for place, need in enumerate(found.question.needs):
        covers = [(row[place], -rank) for rank, row in enumerate(rows, 1)]
        best = max(covers, default=(0.0, 0))
        needs.append(
            {
                "fact": need.fact,
                "spans": need.spans,
                "lost": lost[place] if place < len(lost) else "",
                "best": (-best[1] if best[0] > 0 else 0, best[0]),
            }
        )
    return needs


def shown(place: Place, stages: dict[str, Any], question: Question) -> dict[int, dict[str, Any]]:
    """The chunks that the candidates of a question name, by number."""
    chunks = ChunkTexts(place)
    needs = evidence_of(question)
    found = {}
    for number in sorted(stages["candidates"].chunks):
        name = chunks.table.name(number)
        served = chunks.served(number)
        found[number] = {
            "doc": name,
            "ranges": chunks.table.ranges(number),
            "served": served,
            "source": chunks.source(number),
            "text": chunks.text(number),
            "place": number - chunks_of(chunks.table, name).start + 1,
            "covers": [best_cover(need, {name: list(served)}) for need in needs],
        }
    return found


def lists_of(place: Place, stages: Mapping[str, Any], question: Question) -> dict[str, list[ListItem]]:
    """The list that search found, and that behind each step."""
    chunks = ChunkTexts(place)
    needs = evidence_of(question)
    known: dict[tuple[int, Chunk], tuple[str, tuple[float, ...], tuple[tuple[str, bool], ...]]] = {}
    found: dict[str, list[ListItem]] = {}
    for name in list_names(stages):
        rows = []
        for number, score, own in pieces(stages[name]):
            ranges = own or chunks.served(number)
            if (number, ranges) not in known:
                doc = chunks.table.name(number)
                covers = tuple(best_cover(need, {doc: list(ranges)}) for need in needs)
                known[number, ranges] = chunks.text_of(number, ranges), covers, chunks.cut(number, own) if own else ()
            text, covers, cut = known[number, ranges]
            rows.append(ListItem(number, score, ranges, text, covers, bool(own), cut))
        found[name] = rows
    return found


def brought_items(place: Place, stages: dict[str, Any], question: Question) -> dict[int, dict[str, Any]]:
    """The items of a brought list, by number."""
    documents = place.documents()
    needs = evidence_of(question)
    shown_texts = {item.number - 1: item.text for item in stages["context"].items} if "context" in stages else {}
    ranked = bool(stages["found again"].ranked)
    found = {}
    for item in stages["served"].items:
        text = text_of(documents[item.doc].text, item.ranges) if item.ranges else ""
        found[item.chunk] = {
            "doc": item.doc or "not found in the documents",
            "ranges": item.ranges,
            "served": item.ranges,
            "source": list(source(documents[item.doc], item.ranges)) if item.ranges else [],
            "text": text or ("" if ranked else shown_texts.get(item.chunk, "")),
            "place": item.chunk + 1,
            "covers": [best_cover(need, {item.doc: list(item.ranges)}) for need in needs],
        }
    return found


def worst_of(store: Store, run: Run, measure: str) -> str | None:
    """The id of the question that a run serves worst by a measure; None where none has a score for it."""
    found = side_of(store, run)
    key = worst_question(found.side, measure)
    return None if key is None else found.ids[key]


def most_worse_of(store: Store, first: Run, second: Run, measure: str) -> str:
    """The id of the question on which the second run is most worse than the first; raises `BadInput` where both score
    every question alike."""
    one, other = sides_of(store, [first, second])
    changes = moved(one.side, other.side, measure)
    if not changes:
        raise BadInput(
            f"the runs {first.id} and {second.id} score every question that both have alike by '{measure}'; name a "
            "question, or another --measure"
        )
    return one.ids[changes[0].key]
