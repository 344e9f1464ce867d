"""Whatever a result rests on is told when it differs: every stage, model, prompt, criterion, filter and setting in turn."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest

from aventrik.core.criteria import Criterion, Level
from aventrik.kept.provenance import among, is_of_list, premises_of, unexplained
from aventrik.pipeline.basis import ANSWER, LIST, Premise, as_made, basis, from_made
from aventrik.pipeline.judges import JOINED
from aventrik.pipeline.registry import GRAPH, chain
from aventrik.pipeline.resolved import Resolved, WantedModel
from aventrik.pipeline.stage import Chain
from aventrik.storage.protocols import RUN_FORMAT, Run

from ..opened_world import configured
from .test_registry import BASE

KIND = Criterion("kind", "Is it kind?", "answer", (Level(0, "no", 0.0), Level(1, "yes", 1.0)))
ALL = (
    BASE,
    {"search": {"method": "keyword", "where": "document = 'bridges.txt'"}, "answering": {"again": 1}},
    {"rewriting": [{"method": "conversation"}, {"method": "expanded"}], "embedding": {"bits": 1}},
    {"reranking": [{"step": "cross-encoder", "model": "ranker"}], "embedding": {"model": "house"}},
    {"search": {"place": "postgres", "method": "both"}},
)


def pieces(wanted: WantedModel, **changed: str) -> dict[tuple[str, str], str]:
    """A model that is one, and each of its prompts; `changed` has another value for some names."""
    found = {("models", f"the model '{wanted.name}'"): "one"}
    if wanted.kind == "language":
        found |= {("prompts", f"the prompt '{task}'"): "one" for task in wanted.use}
    return {(kind, name): changed.get(name, value) for (kind, name), value in found.items()}


def resolved(settings: dict[str, Any]) -> Resolved:
    return Resolved(configured(settings, "c"), ("offline", "house"), criteria=(KIND,))


def premises(nodes: Chain, how: Resolved, condition: str = "", **changed: str) -> dict[str, Premise]:
    return basis(nodes, how, lambda wanted: pieces(wanted, **changed), condition)


def differing(one: dict[str, Premise], other: dict[str, Premise]) -> list[str]:
    return [each.what for each in among([one, other])]


@pytest.mark.parametrize("settings", ALL)
def test_every_stage_model_and_prompt_of_a_chain_is_told_when_it_changes(settings: dict[str, Any]) -> None:
    how = resolved(settings)
    nodes = chain(how)
    before = premises(nodes, how)
    assert differing(before, premises(nodes, how)) == []
    for name, node in nodes.items():
        newer = replace(node.stage, version=node.stage.version + 1)
        after = premises(
            {key: replace(each, stage=newer) if each.stage is node.stage else each for key, each in nodes.items()}, how
        )
        assert differing(before, after) == [f"the stage '{node.stage.name}' of the program"], name
    for name in [name for name, premise in before.items() if premise.kind in ("models", "prompts")]:
        assert differing(before, premises(nodes, how, **{name: "another"})) == [name]


def test_all_stages_of_the_graph_are_among_those_that_were_changed() -> None:
    seen = {node.stage.name for settings in ALL for node in chain(resolved(settings)).values()}
    assert {stage.name for stage in (*GRAPH, *JOINED)} - seen == set()


def test_a_criterion_and_what_a_filter_lets_pass_are_told() -> None:
    how = resolved(ALL[1])
    nodes = chain(how)
    stricter = replace(how, criteria=(replace(KIND, about="Is it very kind?"),))
    assert differing(premises(nodes, how), premises(chain(stricter), stricter)) == ["the criterion 'kind'"]
    told = "the documents that the filter 'document = 'bridges.txt'' lets pass"
    assert differing(premises(nodes, how, "some"), premises(nodes, how, "others")) == [told]


def test_what_a_setting_explains_is_not_told() -> None:
    """Another model, other criteria, another filter by the settings: these have names of their own."""
    one, other = (
        resolved(ALL[1]),
        resolved(ALL[1] | {"answering": {"again": 1, "model": "house"}, "search": {"method": "keyword"}}),
    )
    other = replace(other, criteria=(replace(KIND, name="polite"),))
    assert differing(premises(chain(one), one, "some"), premises(chain(other), other)) == []


def test_what_lies_behind_the_list_can_change_no_measure_of_it() -> None:
    how = resolved(BASE)
    found = premises(chain(how), how)
    assert found["the prompt 'answer'"].of == ANSWER
    assert found["the prompt 'paraphrases'"].of == LIST
    assert found["the stage 'retrieval scores' of the program"].of == LIST
    assert found["the stage 'verdicts' of the program"].of == ANSWER
    [answering] = among([found, found | {"the prompt 'answer'": Premise("prompts", "two", ANSWER)}])
    assert [answering.concerns(name) for name in ("hit@5", "reciprocal-rank", "groundedness", "kind")] == [
        False,
        False,
        True,
        True,
    ]
    [listing] = among([found, found | {"the prompt 'paraphrases'": Premise("prompts", "two")}])
    assert listing.concerns("hit@5")
    assert listing.concerns("groundedness")
    assert is_of_list("ndcg@10")
    assert not is_of_list("hallucinated")


def made(**more: Any) -> Run:
    kept = {
        "format": RUN_FORMAT, "judge": "offline", "cover": 0.9, "cut_offs": [5], "corpus": "c",
        "configuration": configured({}, "c").model_dump(mode="json"), "stages": {"chunks": 5}, "criteria": [], "models": {},
    }  # fmt: skip
    return Run(1, "c", "t", kept | more, 1, "", "2031-05-01", {})


def test_parts_come_back_as_they_were_kept() -> None:
    how = resolved(BASE)
    found = premises(chain(how), how, "some")
    kept = made(basis=as_made(found))
    assert from_made(kept.made["basis"]) == found
    assert {name: premise for name, premise in premises_of(kept).items() if name in found} == found


@pytest.mark.parametrize(
    ("more", "told"),
    [
        ({"corpus": "d"}, "the documents"),
        ({"judge": "house"}, "the judge"),
        ({"cover": 0.5}, "cover"),
        ({"cut_offs": [5, 10]}, "the cut-offs"),
        ({"stages": {"chunks": 6}}, "the stage 'chunks' of the program"),
        ({"criteria": [{"name": "kind", "about": "other"}]}, "the criterion 'kind'"),
        (
            {"models": {"answer: answerer": {"name": "gpt", "kind": "language", "identity": "two"}}},
            "the model 'gpt' (answer)",
        ),
    ],
)
def test_runs_of_earlier_versions_tell_what_they_can(more: dict[str, Any], told: str) -> None:
    old = {
        "models": {"answer: answerer": {"name": "gpt", "kind": "language", "identity": "one"}},
        "criteria": [{"name": "kind", "about": "this"}],
    }
    assert [each.what for each in unexplained([made(**old), made(**(old | more))])] == [told]
    new = made(**(old | more), basis={"the prompt 'answer'": ["prompts", "one", "answer"]})
    assert [each.what for each in unexplained([made(**old), new])] == [told]  # one of each is compared as both can be
