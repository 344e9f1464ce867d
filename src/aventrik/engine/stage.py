"""What a stage is, and what of it one configuration has: the parts of which graphs are made."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from ..core.brought import Brought
from ..core.judging import Reference
from .resolved import Resolved, Wanted
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
    handed, and `write` keeps a corpus stage's value.
    """

    name: str
    version: int
    scope: str
    inputs: tuple[str, ...]
    function: Callable[..., Any]
    settings: Callable[[Resolved], Any] = lambda resolved: None
    models: Callable[[Resolved], Mapping[str, Wanted]] = lambda resolved: {}
    used: Callable[[Resolved], bool] = lambda resolved: True
    kept: bool = True
    record: type | None = None
    open: Callable[..., Any] | None = None
    write: Callable[..., Any] = corpus.write_arrays
    together: int = 64  # documents or questions that are handed over at a time


@dataclass(frozen=True)
class Node:
    """A stage as one configuration has it: under a name of its own (a reranking step has one a step), with each input
    traced to the node or source that gives it, None where the configuration has none."""

    name: str
    stage: Stage
    inputs: dict[str, str | None]
    settings: Any
    models: Mapping[str, Wanted] = field(default_factory=dict)


Chain = dict[str, Node]


def needed(nodes: Chain, scope: str) -> Iterator[Node]:
    """The nodes of a scope, in order."""
    return (node for node in nodes.values() if node.stage.scope == scope)


def found(name: str, nodes: Chain) -> str | None:
    """A node or source by its name; None where the chain has none."""
    return name if name in nodes or name in SOURCES else None
