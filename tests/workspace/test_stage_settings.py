"""Settings say of themselves when they count, what they may be, and how the starter shows them."""

from __future__ import annotations

import tomllib
from typing import Any

import pytest

from aventrik.workspace.configuration import Configuration
from aventrik.workspace.stage_settings import about, choices_of, settings_of
from aventrik.workspace.starter import starter_configuration


def idle(content: dict[str, Any]) -> set[str]:
    """The settings that count for nothing in a configuration."""
    made = Configuration.model_validate({"name": "x", **content}, strict=False)
    return {name for name, value in made.used_settings().items() if value is None} - {
        "chunking.overlap", "chunking.larger_size", "search.least",  # None is their default
    }  # fmt: skip


def test_words_alone_leave_vectors_idle_and_the_other_way_round() -> None:
    words, vectors = idle({"search": {"method": "keyword"}}), idle({"search": {"method": "vector"}})
    assert {name for name in words if name.startswith("embedding.")} == {
        f"embedding.{name}" for name in ("model", "dimensions", "keep", "bits", "rescore")
    }
    assert {"index.k1", "index.scoring", "index.language", "search.stop_words", "search.feedback"} <= vectors
    assert {"search.nearest", "search.weight", "search.blend"} <= words
    assert {"search.weight", "search.blend"} <= vectors
    assert not {"index.k1", "index.b"} & words
    assert "search.nearest" not in vectors


@pytest.mark.parametrize(
    ("content", "counts", "not_yet"),
    [
        ({"index": {"scoring": "dirichlet"}}, {"index.mu"}, {"index.k1", "index.b", "index.delta"}),
        ({"index": {"scoring": "bm25+"}}, {"index.k1", "index.b", "index.delta"}, {"index.mu"}),
        ({"index": {"title_weight": 2.0}}, {"index.title_b"}, set()),
        ({"index": {"title_weight": 2.0, "scoring": "dirichlet"}}, {"index.title_weight"}, {"index.title_b"}),
        ({"chunking": {"serve": "larger"}}, {"chunking.larger_method"}, {"chunking.around"}),
        ({"chunking": {"unit": "tokens"}}, {"chunking.tokenizer"}, {"chunking.around"}),
        ({"embedding": {"model": "static"}}, {"embedding.model"}, {"embedding.dimensions"}),
        ({"embedding": {"bits": 8}}, {"embedding.rescore"}, set()),
        ({"embedding": {"keep": 64}}, {"embedding.rescore"}, set()),
        ({"embedding": {"keep": 64}, "search": {"nearest": "graph"}}, {"search.links"}, {"embedding.rescore"}),
        ({"search": {"nearest": "lists"}}, {"search.probes", "search.parts"}, {"search.links"}),
        (
            {"search": {"method": "keyword"}, "rewriting": {"method": "paraphrases"}},
            {"search.blend"},
            {"search.weight"},
        ),
        ({"search": {"blend": "scores"}}, {"search.scaling"}, set()),
        ({"search": {"feedback": 5}}, {"search.feedback_terms"}, set()),
        ({"search": {"place": "postgres"}}, {"search.match"}, {"search.stop_words", "search.table.id"}),
        ({"answering": {"model": "none"}}, {"answering.model"}, {"context.keep", "answering.style"}),
    ],
)
def test_a_setting_counts_where_another_makes_use_of_it(
    content: dict[str, Any], counts: set[str], not_yet: set[str]
) -> None:
    assert not counts & idle(content)
    assert not_yet <= idle(content)
    assert not_yet <= {name for name, _ in settings_of(Configuration)}


def test_every_setting_says_what_it_means() -> None:
    for name, field in settings_of(Configuration):
        assert field.description, name
    assert {name for name, _ in settings_of(Configuration)} | {"rewriting", "reranking"} == set(
        Configuration(name="x").settings()
    )


def test_choices_are_those_of_the_registries() -> None:
    fields = dict(settings_of(Configuration))
    assert choices_of(fields["search.method"]) == ["keyword", "vector", "both"]
    assert choices_of(fields["search.match"]) == ["any", "all"]
    assert choices_of(fields["chunking.size"]) == []


def test_the_starter_is_the_defaults_and_shows_what_else_there_is() -> None:
    text = starter_configuration()
    made, plain = Configuration.model_validate(tomllib.loads(text)), Configuration(name="starter")
    differing = {
        name for name, value in made.settings().items() if value != plain.settings()[name]
    }  # written out, though they are what is taken without them
    assert differing == {"chunking.overlap", "answering.model"}
    offered = text.replace("# [[", "[[").replace("# ", "")
    for name, field in settings_of(Configuration):
        if about(field).starter is not None:
            assert f"\n{name.split('.')[-1]} " in offered, name
