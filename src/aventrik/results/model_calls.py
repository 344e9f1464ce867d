"""The model calls behind one question of a run: each request as it was sent, and the raw reply, from the call store.

A stage asks the same of a model whenever it is given the same. So the stages of the question are gone through once more,
with models that ask nobody: they look up what was asked then, and note it.
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from ..core.protocols import Reply, Task
from ..execution.bench import Bench
from ..models.calls import Call
from ..models.language import HttpLanguageModel
from ..models.system import HttpSystem
from ..pipeline.inputs import Given
from ..pipeline.sources import sources_of
from ..pipeline.stage import QUESTION, SOURCES, needed
from ..storage.protocols import Run, Store
from .explaining import Explanation, place_of


@dataclass(frozen=True)
class Recalled:
    """A call of one stage; `call` is None where the store no longer has it, or its model was changed since."""

    stage: str
    model: str
    task: str
    call: Call | None


@dataclass
class _Replaying:
    """A language model that looks up what was asked, in the wording of the run, and asks nobody."""

    model: HttpLanguageModel
    wordings: Mapping[str, str]
    noted: list[tuple[str, Call | None]] = field(default_factory=list)

    @property
    def name(self) -> str:
        return self.model.name

    def identity(self, task: str) -> str:
        return self.model.identity(task)

    def perform(self, tasks: Sequence[Task]) -> list[Reply]:
        found = self.model.recall(tasks, self.wordings)
        self.noted.extend((task.name, call) for task, (call, _) in zip(tasks, found))
        return [reply for _, reply in found]


@dataclass
class _Asking:
    """A system that looks up what was asked."""

    system: HttpSystem
    noted: list[tuple[str, Call | None]] = field(default_factory=list)

    def ask(self, questions: Sequence[str]) -> list[Any]:
        self.noted.extend(("system", call) for call in self.system.recall(questions))
        return []


def messages_of(request: Any) -> list[tuple[str, str]]:
    """What was sent: (role, text) of each message, or the whole request where it is none of messages."""
    if isinstance(request, list) and all(isinstance(each, dict) and "content" in each for each in request):
        return [(str(each.get("role", "")), str(each["content"])) for each in request]
    return [("request", json.dumps(request, ensure_ascii=False, indent=2))]


def calls_of(store: Store, bench: Bench, run: Run, found: Explanation) -> list[Recalled]:
    """The calls of language models and systems behind a question, in the order of the stages; those of built-in models
    are none. What reranking servers and embedding servers were asked, which is many questions at once, is not among
    them."""
    place = place_of(store, bench, run)
    records: dict[str, Any] = {**sources_of(found.question, lambda doc: "in"), **found.stages}
    recalled: list[Recalled] = []
    for node in needed(place.nodes, QUESTION):
        models: dict[str, _Replaying | _Asking] = {}
        for slot, wanted in node.models.items():
            if wanted.name not in bench.workspace.settings.models:
                continue
            model = bench.models.get(wanted)
            if isinstance(model, HttpLanguageModel):
                models[slot] = _Replaying(model, run.made.get("prompts", {}))
            elif isinstance(model, HttpSystem):
                models[slot] = _Asking(model)
        if not models:
            continue
        inputs = {
            name: [records[source]]
            for name, source in node.inputs.items()
            if source is not None and (source in SOURCES or place.keys.scope(source) == QUESTION) and source in records
        }
        node.stage.function(Given(node.settings, {**place.wide(node), **inputs}, models))
        for each in models.values():
            name = each.model.name if isinstance(each, _Replaying) else each.system.name
            recalled.extend(Recalled(node.name, name, task, call) for task, call in each.noted)
    return recalled
