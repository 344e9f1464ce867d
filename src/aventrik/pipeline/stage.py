"""What a stage is, and what of it one configuration has: the parts of which graphs are made."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from ..core.brought import Brought
from ..core.judging import Reference
from .resolved import Resolved, WantedModel
from .sources import Evidence, Standing, Turns, Wording
from .stages import corpus

DOCUMENT, CORPUS, QUESTION = "document", "corpus", "question"

# What the chain begins with: where each comes from is no stage's work.
SOURCES: dict[str, str] = {
    "documents": DOCUMENT,  # the canonical texts
    "condition": CORPUS,  # which documents a filter lets pass
    "metadata": CORPUS,  # what is known of each document beside its text
    "wording": QUESTION,
    "turns": QUESTION,  # the questions before it, of a conversation
    "reference": QUESTION,
    "evidence": QUESTION,
    "standing": QUESTION,
    "brought": QUESTION,  # what another system gave, from a file
}
SOURCE_RECORDS: dict[str, type] = {
    "wording": Wording,
    "turns": Turns,
    "reference": Reference,
    "evidence": Evidence,
    "standing": Standing,
    "brought": Brought,
}


@dataclass(frozen=True)
class Stage:
    """One stage.

    `function` is given the `inputs` (a `Given`) of some documents or questions, or of the whole corpus, and returns a
    result for each, or one. `settings` picks what it reads, `models` which models it uses under which names, and
    `used` whether a configuration has it at all. What is not `kept` is made again when it is asked for. `record` is
    what a question stage returns; `open` makes of what was kept, for documents or the corpus, what other stages are
    handed, and `write` keeps a corpus stage's value. `called` is what its node is called where that is not its name, and
    `build` how its nodes are made where that takes more than one, or other inputs.
    """

    name: str
    version: int
    scope: str
    inputs: tuple[str, ...]
    function: Callable[..., Any]
    settings: Callable[[Resolved], Any] = lambda resolved: None
    models: Callable[[Resolved], Mapping[str, WantedModel]] = lambda resolved: {}
    used: Callable[[Resolved], bool] = lambda resolved: True
    kept: bool = True
    record: type | None = None
    open: Callable[..., Any] | None = None
    write: Callable[..., Any] = corpus.write_arrays
    together: int = 64  # documents or questions that are handed over at a time
    called: str = ""
    build: Callable[[Stage, Resolved, SoFar], Iterable[Node]] | None = None

    def nodes(self, resolved: Resolved, before: SoFar) -> Iterable[Node]:
        """The nodes that a configuration has of this stage, behind those `before`."""
        if not self.used(resolved):
            return ()
        return [self.node(resolved, before)] if self.build is None else self.build(self, resolved, before)

    def node(self, resolved: Resolved, before: SoFar, **inputs: str | None) -> Node:
        """The one node of this stage; `inputs` are other ones than the chain gives it, by what the stage calls them."""
        traced = {name: before.source(name) for name in self.inputs} | inputs
        return Node(self.called or self.name, self, traced, self.settings(resolved), self.models(resolved))


@dataclass(frozen=True)
class Node:
    """A stage as one configuration has it: under a name of its own (a reranking step has one a step), with each input
    traced to the node or source that gives it, None where the configuration has none."""

    name: str
    stage: Stage
    inputs: dict[str, str | None]
    settings: Any
    models: Mapping[str, WantedModel] = field(default_factory=dict)


Chain = dict[str, Node]


@dataclass
class SoFar:
    """A chain as far as it is built: its nodes, and which of them goes by a name that moves along the chain (the list so
    far, the question as it stands by now)."""

    nodes: Chain = field(default_factory=dict)
    moving: dict[str, str] = field(default_factory=dict)

    def source(self, name: str) -> str | None:
        """The node or source that gives what a stage calls by a name; None where the chain has none."""
        known = self.moving.get(name, name)
        return known if known in self.nodes or known in SOURCES else None

    def numbered(self, word: str) -> dict[str, str | None]:
        """The nodes of a stage that has several, as inputs: "step 1", "step 2", …"""
        return {name: name for name in self.nodes if name.startswith(f"{word} ")}


def needed(nodes: Chain, scope: str) -> Iterator[Node]:
    """The nodes of a scope, in order."""
    return (node for node in nodes.values() if node.stage.scope == scope)


def chained(stages: Iterable[Stage], resolved: Resolved, moving: Mapping[str, str], last: str = "") -> Chain:
    """The nodes of some stages in their order, as far as the one that is called `last` when it is given."""
    before = SoFar(moving=dict(moving))
    for stage in stages:
        for node in stage.nodes(resolved, before):
            before.nodes[node.name] = node
        if stage.name == last:
            break
    return before.nodes
