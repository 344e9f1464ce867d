"""How the nodes of a stage are made where a configuration has several of it, or its inputs depend on what came before."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import Any

from ..core.embedding import MODELS
from ..core.reranking import STEPS, settings_of
from ..core.rewriting import METHODS
from .resolved import Resolved, WantedModel
from .sources import Wording
from .stage import QUESTION, Node, SoFar, Stage
from .stages import retrieval

ALONE = Stage(
    "alone", 1, QUESTION, ("wording", "rewrite"), retrieval.standing_alone, record=Wording, together=1024,
    used=lambda resolved: False,  # by itself: `rewrite_nodes` puts it behind a rewriting that reads the turns
)  # fmt: skip
_SLOTS = {"language": "language", "reranking": "reranker", "embedding": "embedder"}


def rewrite_nodes(stage: Stage, resolved: Resolved, before: SoFar) -> Iterator[Node]:
    """A node "rewrite N" for each way of rewriting; behind one that reads the turns, "alone N", which is the question from
    there on."""
    for number, settings in enumerate(resolved.configuration.rewriting, 1):
        method = METHODS[settings["method"]]
        inputs = {
            "wording": before.source("wording"),
            "turns": "turns" if method.turns else None,
            "definitions": before.source("definitions") if method.glossary else None,
        }
        how = retrieval.Rewriting(settings["method"], settings.get("count", method.count), settings.get("prompt", ""))
        models = {"rewriter": WantedModel("language", settings.get("model", ""), (method.task,))}
        name = f"rewrite {number}"
        yield Node(name, stage, inputs, how, models)
        if method.turns:
            yield Node(f"alone {number}", ALONE, {"wording": before.source("wording"), "rewrite": name}, None)
            before.moving["wording"] = f"alone {number}"


def query_nodes(stage: Stage, resolved: Resolved, before: SoFar) -> Iterable[Node]:
    """The queries are of the question as it was asked, and of every rewrite."""
    return [stage.node(resolved, before, wording="wording", **before.numbered("rewrite"))]


def searched_by(index: str) -> Callable[[Stage, Resolved, SoFar], Iterable[Node]]:
    """Hits come from an index of ours, or from the server that searches in its place."""

    def nodes(stage: Stage, resolved: Resolved, before: SoFar) -> Iterable[Node]:
        return [stage.node(resolved, before, **({index: "server"} if "server" in before.nodes else {}))]

    return nodes


def drift_nodes(stage: Stage, resolved: Resolved, before: SoFar) -> Iterable[Node]:
    """The turns before a question count only where a rewriting reads them."""
    turns = any(METHODS[each["method"]].turns for each in resolved.configuration.rewriting)
    return [stage.node(resolved, before, **({} if turns else {"turns": None}))]


def account_nodes(stage: Stage, resolved: Resolved, before: SoFar) -> Iterable[Node]:
    """The account of a chain of steps is given the list behind each."""
    return [stage.node(resolved, before, **before.numbered("step"))]


def step_nodes(stage: Stage, resolved: Resolved, before: SoFar) -> Iterator[Node]:
    """A node "step N" for each reranking step, which gives the ranked list from there on."""
    for number, settings in enumerate(resolved.configuration.reranking, 1):
        kind = STEPS[settings["step"]]
        named = settings.get("model", kind.settings.get("model", ""))
        embeds = kind.model == "embedding" and kind.asks(settings)
        inputs = {each: before.source(each) for each in stage.inputs}
        if not kind.rarity:
            inputs["words"] = None
        if not kind.whole:
            inputs["units"] = None
        if not (embeds and MODELS.get(named)):
            inputs["fitted"] = None
        name = f"step {number}"
        yield Node(
            name, stage, inputs, _how(settings), _models(settings, named, resolved) if kind.asks(settings) else {}
        )
        before.moving["ranked"] = name


def _models(settings: Mapping[str, Any], named: str, resolved: Resolved) -> dict[str, WantedModel]:
    """The model of a step that asks one."""
    kind = STEPS[settings["step"]]
    if kind.model == "embedding":
        dimensions = resolved.configuration.embedding.dimensions if MODELS.get(named, False) else 0
        return {"embedder": WantedModel("embedding", named, ("passage", "query"), dimensions)}
    return {_SLOTS[kind.model]: WantedModel(kind.model, named, (kind.task(settings),))}


def _how(settings: Mapping[str, Any]) -> retrieval.StepSettings:
    """A step with those of its settings that are not at their default."""
    known = STEPS[settings["step"]].settings
    own = {key: value for key, value in settings_of(settings).items() if value != known[key]}
    return retrieval.StepSettings(settings["step"], own, settings.get("prompt", ""))
