"""Content keys of the nodes of a chain: what a result depends on, and nothing else."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Sequence
from dataclasses import MISSING, Field, fields, is_dataclass
from typing import Any

from ..core.keys import content_key
from ..storage.protocols import Snapshot
from .resolved import WantedModel
from .stage import CORPUS, QUESTION, SOURCES, Chain, Node


def non_defaults(settings: Any) -> Any:
    """Settings as they stand in a key: those at their default are left out, so that a new one leaves old keys alone."""
    if is_dataclass(settings) and not isinstance(settings, type):
        return {
            each.name: non_defaults(value)
            for each in fields(settings)
            if (value := getattr(settings, each.name)) != _default(each)
        }
    return [non_defaults(each) for each in settings] if isinstance(settings, tuple) else settings


def _default(each: Field[Any]) -> Any:
    return each.default_factory() if each.default_factory is not MISSING else each.default


def condition_key(names: Iterable[str]) -> str:
    """The key of the documents that a filter lets pass."""
    return content_key("allowed", sorted(names))


class Keys:
    """The keys of one chain over one corpus.

    `identity` gives that of a model, `take` how often what a key stands for was made anew, and `condition` names the
    documents that a filter lets pass.
    """

    def __init__(
        self,
        nodes: Chain,
        snapshot: Snapshot,
        identity: Callable[[WantedModel], str],
        take: Callable[[str], str],
        condition: str = "",
    ) -> None:
        self.nodes = nodes
        self.snapshot = snapshot
        self._identity = identity
        self._take = take
        self._condition = condition
        self._families: dict[str, str] = {}
        self._bases: dict[str, str] = {}
        self._accounts: dict[str, dict[str, str]] = {}

    def family(self, name: str, took: bool = True) -> str:
        """What a document stage makes of any document: the same for all corpora that differ in other documents."""
        if name not in self._families:
            node = self.nodes[name]
            self._families[name] = content_key(*self._own(node), [self._wide(each) for each in node.inputs.values()])
        plain = self._families[name]
        return self._take(plain) if took else plain

    def corpus(self, name: str, family: str = "") -> str:
        """The key of what a corpus stage makes, or of what a document stage makes of all documents; of another take of
        it when its `family` is given."""
        return content_key("of corpus", family or self.family(name), self.snapshot.key)

    def base(self, name: str) -> str:
        """What a question stage's results depend on beside the questions."""
        if name not in self._bases:
            node = self.nodes[name]
            wide = [self._given(each) for each in node.inputs.values() if each and self.scope(each) != QUESTION]
            self._bases[name] = content_key(*self._own(node), wide)
        return self._bases[name]

    def question(self, name: str, digests: Sequence[str]) -> str:
        """The key of a question stage's result, from the digests of its inputs of that scope, in order."""
        return hashlib.sha256(" ".join([self.base(name), *digests]).encode()).hexdigest()[:40]

    def account(self, name: str) -> dict[str, str]:
        """What the key of a node is made of beside a question's own inputs, part by part: of the node, and of all documents'
        and corpus nodes that it rests on. Whoever has the same parts makes the same."""
        if name not in self._accounts:
            node = self.nodes[name]
            found: dict[str, str] = {}
            for source in node.inputs.values():
                if source == "documents":
                    found["the documents"] = self.snapshot.key
                elif source == "condition":
                    found["the documents that the filter lets pass"] = self._condition
                elif source and source not in SOURCES and self.scope(source) != QUESTION:
                    found |= self.account(source)
            found[f"the version of the stage '{node.stage.name}'"] = str(node.stage.version)
            found[f"the settings of '{name}'"] = content_key(non_defaults(node.settings))
            for slot, wanted in node.models.items():
                found[f"{slot} '{wanted.name}' of '{name}': the model or its prompt"] = self._identity(wanted)
            if node.stage.scope != QUESTION:
                found[f"what is kept of '{name}'"] = self.family(name)
            self._accounts[name] = found
        return self._accounts[name]

    def scope(self, name: str) -> str:
        """The scope of a node or source."""
        return SOURCES[name] if name in SOURCES else self.nodes[name].stage.scope

    def _own(self, node: Node) -> tuple[Any, ...]:
        models = {slot: self._identity(wanted) for slot, wanted in node.models.items()}
        return node.stage.name, node.stage.version, non_defaults(node.settings), models

    def _wide(self, name: str | None) -> Any:
        """An input of a stage of a document or the corpus."""
        if name is None or name in SOURCES:
            return name
        return self.corpus(name) if self.scope(name) == CORPUS else self.family(name)

    def _given(self, name: str) -> str:
        """An input of a question stage that is wider than a question."""
        if name == "documents":
            return self.snapshot.key
        if name == "condition":
            return self._condition
        return self.corpus(name)
