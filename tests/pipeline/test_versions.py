"""What each stage returns on a small corpus, pinned to its version: code that changes it without a new version fails.

When a stage is meant to return something else, raise its version in the graph, run this test, and put the new line in.
Figures are rounded before they are named, so that machines may differ in their last digits.
"""

from __future__ import annotations

import hashlib
import json
from dataclasses import asdict, is_dataclass, replace
from typing import Any

import numpy as np
import pytest

from aventrik.core.brought import Brought, BroughtItem
from aventrik.core.criteria import Criterion, Level
from aventrik.core.protocols import Reply, Task
from aventrik.core.searching import QueryVectors
from aventrik.english import OfflineModel
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.execution.passing import Passing, PosedQuestions
from aventrik.execution.place import Place
from aventrik.pipeline.brought import OUTSIDE
from aventrik.pipeline.judges import JOINED, stage_name
from aventrik.pipeline.registry import GRAPH, STAGES
from aventrik.pipeline.resolved import Outside
from aventrik.pipeline.stage import CORPUS, DOCUMENT, QUESTION

from ..opened_world import configured, questions_of

PINNED: dict[str, tuple[int, str]] = {
    "chunks": (6, "a09a1bbbd38f"),
    "units": (4, "71c7aa0971c3"),
    "written": (2, "bfabc754e244"),
    "matched": (1, "87e7ea97a4ff"),
    "body": (1, "4ee0d0457555"),
    "titles": (1, "e214594df049"),
    "terms": (2, "9dab575cd5e7"),
    "title terms": (2, "05bc785fa60a"),
    "keyword": (5, "713a0059258f"),
    "fitted": (5, "741d4f0694c2"),
    "vectors": (4, "1fcac971ba24"),
    "codes": (1, "139c8c2cb97a"),
    "definitions": (1, "ab6890d07d22"),
    "rewrite 1": (1, "38ce5f7c8d20"),
    "rewrite 2": (1, "8e02cb5005b5"),
    "alone 2": (1, "90547d04470f"),
    "rewrite 3": (1, "8e02cb5005b5"),
    "queries": (3, "2db7858b55a2"),
    "query vectors": (1, "dbeae77de670"),
    "keyword hits": (2, "c4464c9e9dde"),
    "vector hits": (1, "facc034d24fa"),
    "drift": (1, "3befddf895cb"),
    "candidates": (3, "1acafb8ba32e"),
    "gains": (1, "749f4b1ef063"),
    "step 1": (2, "079aa46eb9ca"),
    "step 2": (2, "c7914886ea79"),
    "step 3": (2, "68ef64f364d8"),
    "chain": (1, "ee7ec5b46670"),
    "served": (1, "c6cf86cd32e7"),
    "retrieval scores": (1, "c267b904673c"),
    "reached": (1, "40305173c1c7"),
    "context": (3, "d2387b961b63"),
    "answer": (3, "b1024e44c3b2"),
    "again": (1, "d5978d87e3db"),
    "verdicts": (4, "592376f113c8"),
    "criterion": (2, "ebce97856f13"),
    "agreement": (1, "2c3dd9ffe42f"),
    "answer scores": (4, "59081bbe3eaf"),
    "losses": (2, "06def1b88365"),
}
EVERYTHING = {
    "chunking": {"size": 60, "overlap": 10, "serve": "section"},
    "index": {"text": "facts", "title_weight": 1.0},
    "embedding": {"model": "lsa", "dimensions": 8, "keep": 6},
    "rewriting": [{"method": "paraphrases", "count": 1}, {"method": "conversation"}, {"method": "expanded"}],
    "search": {"blend": "scores", "nearest": "graph", "top": 6},
    "reranking": [{"step": "split", "size": 40}, {"step": "closeness"}, {"step": "extract"}],
    "context": {"keep": 2},
    "answering": {"again": 1},
}


def essence(value: Any) -> Any:
    """A value as JSON, figures rounded; of vectors how near they are to each other, which no sign or order changes."""
    if isinstance(value, QueryVectors):
        return essence(value.rows @ value.rows.T)
    if is_dataclass(value) and not isinstance(value, type):
        return essence(asdict(value))
    if isinstance(value, np.ndarray):
        return essence(value.tolist())
    if isinstance(value, float):
        return round(value, 2) + 0.0
    if isinstance(value, dict):
        return {key: essence(each) for key, each in value.items()}
    if isinstance(value, (list, tuple)):
        return [essence(each) for each in value]
    return value


def made(place: Place, passing: Passing, name: str) -> Any:
    node = place.nodes[name]
    if node.stage.scope == QUESTION:
        return [essence(record) for record in passing.records(name)]
    if name == "vectors":
        rows = place.open("vectors")
        return essence(rows @ rows.T)
    if name == "fitted":
        state = place.open("fitted")
        return essence({"words": state["vocabulary"], "idf": state["idf"], "rank": state["directions"].shape})
    if node.stage.scope == DOCUMENT and node.stage.kept:
        return essence(place.collection(name).columns)
    if node.stage.scope == DOCUMENT:
        return list(place.open(name))
    if name == "keyword":
        return essence(place.open("keyword").arrays())
    return None  # an approximate index and what searches are told by the hits


def named(value: Any) -> str:
    return hashlib.sha256(json.dumps(value, sort_keys=True).encode()).hexdigest()[:12]


@pytest.fixture
def found(opened: OpenWorkspace) -> dict[str, tuple[int, str]]:
    place = opened.placed(replace(opened.resolve(configured(EVERYTHING)), criteria=(DATED,)))
    passing = Passing(place, PosedQuestions(questions_of(opened), opened.standing))
    passing.pass_all()
    digests = {}
    for name, node in place.nodes.items():
        value = made(place, passing, name)
        if value is not None:
            digests[name.removesuffix(" dated")] = (node.stage.version, named(value))
    return digests


def test_a_stage_that_returns_something_else_has_another_version(found: dict[str, tuple[int, str]]) -> None:
    assert found == PINNED


def test_every_stage_with_a_result_is_pinned() -> None:
    untold = {name for name, stage in STAGES.items() if stage.scope == CORPUS and (not stage.kept or name == "nearest")}
    graph = {stage.name for stage in GRAPH}
    assert {stage_name(name) for name in PINNED} == graph - untold


# A brought run by two judges and a criterion: a node each, by the name of the node.
PINNED_OUTSIDE: dict[str, tuple[int, str]] = {
    "found again": (1, "008a2ea832a9"),
    "served": (1, "856aa872a713"),
    "retrieval scores": (1, "ba71401b09fb"),
    "context": (1, "6d36caea38cf"),
    "answer": (2, "43ff907546d7"),
    "verdicts of offline": (2, "79ce0f942e5b"),
    "verdicts of again": (2, "79ce0f942e5b"),
    "verdicts": (2, "79ce0f942e5b"),
    "criterion dated of offline": (2, "5b416281870f"),
    "criterion dated of again": (2, "5b416281870f"),
    "criterion dated": (1, "b85e2ce34536"),
    "answer scores": (3, "73bf503c0943"),
    "answer scores of offline": (3, "73bf503c0943"),
    "answer scores of again": (3, "73bf503c0943"),
    "losses": (1, "0b62a68530be"),
}
DATED = Criterion("dated", "?", "answer", (Level(0, "no figure", 0.0), Level(1, "a figure", 1.0, r"\d")))


def test_a_stage_of_a_brought_run_is_pinned_too(opened: OpenWorkspace) -> None:
    opened.models._made["again"] = OfflineModel()
    questions = questions_of(opened)
    brought = {
        question.id: Brought(
            "A boat may stay 48 hours. The key costs 15 pounds [1].",
            context=(BroughtItem("A bridge key costs 12 pounds and is sold at the help desk."),),
            ranked=(BroughtItem(doc="moorings.md"), BroughtItem(doc="locks.md", start=0, end=40)),
        )
        for question in questions
    }
    resolved = replace(
        opened.resolve(configured({})), judges=("offline", "again"), criteria=(DATED,), outside=Outside()
    )
    passing = Passing(place := opened.placed(resolved), PosedQuestions(questions, opened.standing, brought))
    passing.pass_all()
    found = {name: (node.stage.version, named(made(place, passing, name))) for name, node in place.nodes.items()}
    assert found == PINNED_OUTSIDE
    stages = {node.stage.name for node in place.nodes.values()}
    assert stages == {stage.name for stage in (*OUTSIDE, *JOINED)} - {
        "asked",
        "rows found",
    }  # what a live system or a table says is its own


# The built-in model's replies stand in results of stages, so its version is pinned along.
TASKS = [
    Task("answer", {"question": "What does a bridge key cost?", "style": "short", "context": [
        {"number": 1, "source": "s", "text": "A bridge key costs 12 pounds and is sold at the help desk."}]}),
    Task("verdict", {"claim": "A bridge key costs 12 pounds.", "context": [
        {"number": 1, "source": "s", "text": "A bridge key costs 12 pounds and is sold at the help desk."}]}),
    Task("verdict", {"claim": "A bridge key costs 15 pounds.", "context": [
        {"number": 1, "source": "s", "text": "A bridge key costs 12 pounds and is sold at the help desk."}]}),
    Task("claims", {"question": "", "answer": "A key costs 12 pounds [1], and it opens every bridge. Ask at the desk."}),
    Task("stated", {"question": "What does a key cost?", "facts": ["A key costs 12 pounds."], "answer": "12 pounds."}),
    Task("addressed", {"question": "What does a key cost?", "answer": "It costs 12 pounds."}),
    Task("consistent", {"question": "What does a key cost?", "first": "12 pounds.", "second": "It is 12 pounds."}),
    Task("paraphrases", {"question": "How long may a boat stay at a mooring?", "count": 2}),
]  # fmt: skip
REPLIES = ("offline 6", "9966ef2dfa98")


def test_the_built_in_model_says_something_else_only_under_another_version() -> None:
    replies: list[Reply] = OfflineModel().perform(TASKS)
    assert (OfflineModel().identity("answer"), named([essence(reply.value) for reply in replies])) == REPLIES
