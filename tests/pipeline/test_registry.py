"""Keys tell the truth: every setting in turn, against results that are made without any store to take them from."""

from __future__ import annotations

import pickle
import shutil
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from aventrik.core.errors import Damaged
from aventrik.core.reranking import STEPS
from aventrik.execution import bench
from aventrik.execution.executors import Done, Work
from aventrik.execution.executors import on_worker as elsewhere
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.execution.passing import Passing, PosedQuestions
from aventrik.execution.performing import perform
from aventrik.pipeline.brought import OUTSIDE
from aventrik.pipeline.codec import decode, encode
from aventrik.pipeline.inputs import Given
from aventrik.pipeline.keys import non_defaults
from aventrik.pipeline.registry import GRAPH, chain
from aventrik.pipeline.resolved import Resolved
from aventrik.pipeline.stage import DOCUMENT, QUESTION, SOURCES, Node
from aventrik.workspace.configuration import Configuration, settings_known

from ..opened_world import configured, questions_of

STATIC = "static"
OWN = "own wording of $question\n"  # as it stands in a resolved configuration
BASE: dict[str, Any] = {
    "chunking": {"size": 60, "overlap": 10, "serve": "neighbours"},
    "index": {"text": "facts", "title_weight": 1.0},
    "embedding": {"model": "lsa", "dimensions": 8},
    "rewriting": [{"method": "paraphrases", "count": 1}, {"method": "broader"}],
    "search": {"blend": "scores", "nearest": "graph"},
    "reranking": [
        {"step": "closeness"},
        {"step": "relevance"},
        {"step": "split", "size": 40},
        {"step": "neighbours"},
        {"step": "embedding", "model": "lsa"},
        {"step": "extract", "share": 0.2},
        {"step": "distinct", "above": 0.9},
        {"step": "order"},
        {"step": "floor"},
    ],
    "context": {"keep": 3},
}
# Every setting with another value than the base's, and what must be set beside for it to be read at all.
OTHER: dict[str, tuple[Any, dict[str, Any]]] = {
    "chunking.method": ("sentence", {}),
    "chunking.size": (90, {}),
    "chunking.unit": ("words", {}),
    "chunking.tokenizer": (STATIC, {"chunking.unit": "tokens"}),
    "chunking.overlap": (0, {}),
    "chunking.serve": ("document", {}),
    "chunking.around": (2, {}),
    "chunking.larger_method": ("sentence", {"chunking.serve": "larger"}),
    "chunking.larger_size": (200, {"chunking.serve": "larger"}),
    "index.text": ("summary", {}),
    "index.model": ("house", {}),
    "index.headings": (False, {"index.title_weight": 0.0}),
    "index.k1": (0.4, {}),
    "index.b": (0.1, {}),
    "index.title_weight": (5.0, {}),
    "index.title_b": (0.1, {}),
    "embedding.model": (STATIC, {}),
    "embedding.dimensions": (3, {}),
    "index.scoring": ("bm25+", {}),
    "index.delta": (3.0, {"index.scoring": "bm25+"}),
    "index.mu": (5.0, {"index.scoring": "dirichlet"}),
    "index.language": ("german", {}),
    "embedding.keep": (4, {"search.nearest": "exact"}),
    "embedding.bits": (1, {"search.nearest": "exact"}),
    "embedding.rescore": (2, {"search.nearest": "exact", "embedding.bits": 1}),
    "rewriting": ([{"method": "parts"}], {}),
    "rewriting.paraphrases.count": (2, {}),
    "rewriting.paraphrases.model": ("house", {}),
    "rewriting.paraphrases.prompt": (OWN, {"rewriting.paraphrases.model": "house"}),
    "rewriting.paraphrases.weight": (3.0, {}),
    "rewriting.paraphrases.least": (0.95, {}),
    "rewriting.broader.model": ("house", {}),
    "rewriting.broader.prompt": (OWN, {"rewriting.broader.model": "house"}),
    "rewriting.broader.weight": (0.0, {}),
    "rewriting.broader.least": (0.99, {}),
    "search.stop_words": ("keep", {}),
    "search.feedback": (2, {}),
    "search.feedback_terms": (2, {"search.feedback": 2}),
    "search.feedback_weight": (0.9, {"search.feedback": 2}),
    "search.method": ("keyword", {}),
    "search.place": (None, {}),  # takes a server, as all that counts there alone: see tests/storage/test_searching.py
    "search.match": (None, {}),
    **{
        f"search.table.{name}": (None, {})
        for name in ("name", "id", "text", "source", "vector", "words", "language", "distance")
    },
    "search.top": (2, {}),
    "search.least": (0.9, {}),
    "search.where": ("document = 'bridges.txt'", {}),
    "search.blend": ("ranks", {}),
    "search.scaling": ("z-score", {}),
    "search.weight": (0.9, {}),
    "search.nearest": ("lists", {}),
    "search.links": (8, {}),
    "search.build_effort": (8, {}),
    "search.effort": (9, {}),
    "search.parts": (2, {}),
    "search.lists": (2, {"search.nearest": "lists"}),
    "search.probes": (1, {"search.nearest": "lists"}),
    "reranking": ([{"step": "closeness"}], {}),
    "reranking.closeness.weight": (1.0, {}),
    "reranking.relevance.keep": (1, {}),
    "reranking.relevance.model": ("house", {}),
    "reranking.relevance.scale": ("graded", {}),
    "reranking.relevance.prompt": (OWN, {"reranking.relevance.model": "house"}),
    "reranking.embedding.model": (STATIC, {}),
    "reranking.embedding.keep": (2, {}),
    "reranking.embedding.least": (0.5, {}),
    "reranking.split.size": (200, {}),
    "reranking.extract.model": ("house", {}),
    "reranking.extract.prompt": (OWN, {"reranking.extract.model": "house"}),
    "reranking.extract.keep": (1, {}),
    "reranking.extract.share": (0.9, {}),
    "reranking.extract.first": (1, {}),
    "reranking.extract.least": (1.0, {}),
    "reranking.extract.around": (1, {}),
    "reranking.distinct.way": ("marginal", {}),
    "reranking.distinct.above": (0.1, {}),
    "reranking.distinct.balance": (0.1, {"reranking.distinct.way": "marginal"}),
    "reranking.distinct.keep": (1, {}),
    "reranking.distinct.model": ("lsa", {}),
    "reranking.floor.least": (0.9, {}),
    "reranking.floor.of": ("share", {}),
    "reranking.floor.model": ("lsa", {"reranking.floor.of": "likeness"}),
    "reranking.floor.spare": (1, {"reranking.floor.least": 0.99}),
    "reranking.order.way": ("document", {}),
    "reranking.order.keep": (1, {}),
    "reranking.neighbours.before": (0, {}),
    "reranking.neighbours.after": (2, {}),
    "reranking.neighbours.unit": ("chunks", {}),
    "reranking.neighbours.keep": (1, {}),
    "reranking.cross-encoder.keep": (None, {}),  # takes a model of its own; what it keeps is a step's like the others
    "reranking.cross-encoder.model": (None, {}),
    "context.keep": (1, {}),
    "context.budget": (5, {}),
    "answering.model": ("house", {}),
    "answering.style": ("short", {}),
    "answering.again": (2, {}),
}


def changed(base: Configuration, name: str, value: Any) -> Configuration:
    return base.with_settings({name: value})


@dataclass
class Made:
    """What a configuration came to: of each stage the keys and what stands under them."""

    keys: dict[str, list[str]]
    values: dict[str, list[Any]]
    computed: set[str]


def made(folder: Path, configuration: Configuration) -> Made:
    """Takes the questions through a configuration, and looks at every stage."""
    opened = OpenWorkspace(folder)
    for name in ("house", "other"):
        opened.models._made[name] = _house(name)
    place = opened.place(configuration)
    passing = Passing(place, PosedQuestions(questions_of(opened), opened.standing))
    passing.pass_all()
    keys: dict[str, list[str]] = {}
    values: dict[str, list[Any]] = {}
    for node in place.nodes.values():
        if node.stage.scope == QUESTION:
            keys[node.name] = [one.ids[node.name] for one in passing.underway]
            values[node.name] = [one.digests[node.name] for one in passing.underway]
        elif node.stage.kept and node.stage.scope == DOCUMENT:
            keys[node.name] = [place.keys.family(node.name)]
            columns = place.collection(node.name).columns
            values[node.name] = [{name: column.tobytes() for name, column in columns.items()}]
    return Made(keys, values, set(passing.computed) | set(opened.bench.made))


def _house(mark: str) -> Any:
    from aventrik.core.protocols import Reply, Task

    from ..opened_world import Speaker

    def say(task: Task) -> Reply:
        """As the built-in model, but for a word more."""
        from aventrik.english import OfflineModel

        [reply] = OfflineModel().perform([task])
        assert reply.value is not None
        if task.name == "facts":
            return Reply({"facts": [*reply.value["facts"], f"said by {mark}"]})
        if task.name == "paraphrases":
            return Reply({"paraphrases": [f"a {mark} of boats {task.wording}"]})
        if task.name == "broader":
            return Reply({"question": f"{mark} rules {task.wording}"})
        if task.name == "extract":
            return Reply({"quotes": [str(task.fields["passage"])[: 30 + len(task.wording)]]})
        if task.name == "relevance":
            return Reply({"relevant": ("Lock" in str(task.fields["passage"])) != bool(task.wording), "reason": mark})
        if task.name == "answer":
            return Reply({"declined": False, "statements": [{"text": f"{mark}.", "cites": [1], "quotes": []}]})
        return reply

    return Speaker(say, mark)


@pytest.fixture
def apart(folder: Path, tmp_path: Path) -> Path:
    """The same workspace with a store of its own, in which nothing is computed yet."""
    shutil.copytree(folder, tmp_path / "apart")
    return tmp_path / "apart"


def test_every_setting_has_a_case() -> None:
    own = configured(BASE).settings()
    for name in STEPS:
        own |= configured({"reranking": [{"step": name}]}).settings()
    assert set(OTHER) == set(own)
    assert {name for name in OTHER if name.startswith("reranking.")} == {
        f"reranking.{name}.{setting}" for name in STEPS for setting in settings_known("reranking", name)
    }


@pytest.mark.parametrize("name", [name for name, (value, _) in OTHER.items() if value is not None])
def test_what_a_setting_changes_has_another_key_and_nothing_else_is_computed_again(
    name: str, folder: Path, apart: Path
) -> None:
    value, beside = OTHER[name]
    if value == STATIC:
        pytest.importorskip("wordllama")
    base = configured(BASE)
    for other, wanted in beside.items():
        base = changed(base, other, wanted)
    before = made(folder, base)
    after = made(folder, changed(base, name, value))  # may take what stands in the store
    true = made(apart, changed(base, name, value))  # can't
    assert after.values == true.values
    assert after.keys == true.keys
    for stage in true.values.keys() & before.values.keys():
        for old, new, key_before, key_after in zip(
            before.values[stage], true.values[stage], before.keys[stage], true.keys[stage], strict=True
        ):
            assert old == new or key_before != key_after, f"{stage}: another result under the same key"
    for stage in after.computed & before.keys.keys():
        assert before.keys[stage] != after.keys.get(stage, before.keys[stage]), f"{stage}: computed again"


@pytest.mark.parametrize(("name", "value"), [("cover", 0.5), ("cut_offs", (1, 2)), ("judges", ("house",))])
def test_what_a_run_is_measured_by_reaches_the_stages_that_read_it_and_no_others(name: str, value: Any) -> None:
    nodes = [chain(Resolved(configured(BASE), **how)) for how in ({}, {name: value})]
    found = {
        node.name
        for node in nodes[0].values()
        if (non_defaults(node.settings), node.models)
        != (non_defaults(nodes[1][node.name].settings), nodes[1][node.name].models)
    }
    assert found == {
        "cover": {"retrieval scores", "reached", "losses", "gains", "chain", "answer scores"},
        "cut_offs": {"retrieval scores"}, "judges": {"verdicts"},
    }[name]  # fmt: skip


def test_a_stage_can_reach_only_what_it_declares() -> None:
    given = Given(None, {"wording": []})
    with pytest.raises(KeyError):
        given["evidence"]
    for stage in GRAPH:
        known = {*SOURCES, "ranked", *(each.name for each in GRAPH)}
        assert set(stage.inputs) <= known, stage.name
    for stage in OUTSIDE:
        assert set(stage.inputs) <= {*SOURCES, *(each.called for each in OUTSIDE)}, stage.name


def test_the_order_of_the_graph_is_that_of_its_inputs() -> None:
    seen = {*SOURCES, "ranked"}
    for stage in GRAPH:
        assert set(stage.inputs) <= seen, stage.name
        seen.add(stage.name)


def test_a_new_setting_with_a_default_leaves_keys_alone_and_another_value_does_not() -> None:
    @dataclass(frozen=True)
    class Before:
        keep: int = 5

    @dataclass(frozen=True)
    class After:
        keep: int = 5
        new: str = "as ever"

    assert non_defaults(Before(3)) == non_defaults(After(3)) == {"keep": 3}
    assert non_defaults(After(3, "otherwise")) != non_defaults(After(3))


def test_a_chain_ends_where_it_is_told_to() -> None:
    resolved = Resolved(configured(BASE))
    assert list(chain(resolved, "served"))[-1] == "reached"
    assert "context" not in chain(resolved, "served")
    assert "answer" not in chain(resolved, "context")
    assert {"answer", "verdicts"} & set(chain(resolved, "answer")) == {"answer"}
    silent = configured({**BASE, "answering": {"model": "none"}})
    assert {"answer", "verdicts"}.isdisjoint(chain(Resolved(silent)))
    assert "losses" in chain(Resolved(silent))


def test_work_is_done_the_same_in_another_process(opened: OpenWorkspace) -> None:
    """Work names keys and the store: pickled, and done by a process that sees nothing else, it gives the same."""
    place = opened.place(configured({"chunking": {"size": 60}}))
    passing = Passing(place, PosedQuestions(questions_of(opened), opened.standing))
    passing.pass_all()
    opened.bench.home = replace(opened.bench.home, files=elsewhere.publish(opened.workspace, opened.store))
    for name in SOURCES:  # what questions bring along stands in the store where others do the work
        if all(name in one.ids for one in passing.underway):
            passing._publish([("", each) for each in passing.underway], {name: name})
    with ProcessPoolExecutor(1, mp_context=get_context("spawn")) as pool:
        for name in ("chunks", "keyword hits", "served", "verdicts", "losses"):
            node = place.nodes[name]
            work = _work(place, node, passing)
            here = perform(opened.bench, work)
            sent = pickle.loads(pickle.dumps(work))
            there = pool.submit(elsewhere.perform, elsewhere.program(), sent).result()
            assert isinstance(there, Done), there
            if node.stage.scope == DOCUMENT:
                part = opened.store.arrays.part(work.part)
                assert part is not None
                assert there.rows == []
                assert part.documents == len(here.rows)
                assert all(np.array_equal(a[each], part.of(n)[each]) for n, a in enumerate(here.rows) for each in a)
            else:
                assert here.marks == there.marks


def _work(place: bench.Place, node: Node, passing: Passing) -> Work:
    if node.stage.scope == DOCUMENT:
        return place.work(node, documents=(0, 1, 2), part="a part")
    sources = [each for each in node.inputs.values() if each is not None and place.keys.scope(each) == QUESTION]
    rows = tuple(tuple((each, one.ids[each]) for each in sources) for one in passing.underway)
    return place.work(node, questions=rows, names=tuple(one.ids[node.name] for one in passing.underway))


def test_records_come_back_as_they_were() -> None:
    from aventrik.core.answering import Answer, Statement
    from aventrik.core.searching import Candidate, Candidates

    for record in (
        Answer("é\udcff 🙂", False, (Statement("a", (1, 2), ("q",)),), ""),
        Candidates((Candidate(3, 0.25, 1, 0.5), Candidate(4, 0.125, None, None, 2, 0.75))),
    ):
        assert decode(type(record), encode(record)) == record
        assert encode(record) == encode(decode(type(record), encode(record)))
    with pytest.raises(Damaged, match="no Candidates"):
        decode(Candidates, b'{"found": [{"chunk": "no number"}]}')


def test_a_corpus_is_known_by_the_names_and_contents_of_its_documents(opened: OpenWorkspace) -> None:
    before = opened.corpus.snapshot()
    assert before.names == ("bridges.txt", "locks.md", "moorings.md")
    opened.corpus.leave_out({"locks.md": "not now"})
    without = opened.corpus.snapshot()
    assert without.names == ("bridges.txt", "moorings.md")
    assert without.key != before.key
    opened.corpus.take_back(["locks.md"])
    assert opened.corpus.snapshot() == before
