"""Answers of a model that is not deterministic, asked for several times a question: a node for each further time, and for the
verdicts on it and their scores."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from .judges import replicate_name, replicate_of, stage_name
from .stage import Chain

_ASKED = ("answer", "verdicts", "joined verdicts", "answer scores")


@dataclass(frozen=True)
class Replicate:
    """The style of an answer, and which time it is that the model is asked."""

    style: str
    time: int


def with_replicates(nodes: Chain, times: int) -> Chain:
    """A chain in which the answer is asked for so many times in all; 1 leaves it as it is."""
    made = dict(nodes)
    asked = [node for node in nodes.values() if node.stage.name in _ASKED or stage_name(node.name) in _ASKED]
    names = {node.name for node in asked}
    for time in range(2, times + 1):
        for node in asked:
            name = replicate_name(node.name, time)
            inputs = {
                each: replicate_name(source, time) if source in names else source
                for each, source in node.inputs.items()
            }
            settings = Replicate(node.settings, time) if node.name == "answer" else node.settings
            made[name] = replace(node, name=name, inputs=inputs, settings=settings)
    return made


def times_of(results: Mapping[str, str], node: str) -> list[str]:
    """The results of a node, of the first time and of all others."""
    return [
        found for name, found in results.items()
        if name == node or (name.startswith(node) and replicate_name(node, replicate_of(name)) == name)
    ]  # fmt: skip
