"""Does each task by the rules of the module that knows it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from ..protocols import Reply, Task
from . import answers, paraphrases, passages, questions, verdicts

_TASKS: dict[str, Callable[[Mapping[str, Any]], dict[str, Any]]] = {
    "paraphrases": paraphrases.paraphrase,
    "hypothetical": paraphrases.suppose,
    "subquestions": answers.take_apart,
    "questions": questions.ask,
    "joined": lambda fields: {"questions": []},  # its rules pair what they have written themselves
    "unanswered": lambda fields: {"said": "", "questions": []},
    "known": lambda fields: {"known": False, "answer": ""},
    "fitness": passages.grade,
    "asked": questions.ask_in_its_place,
    "summary": passages.summarise,
    "facts": passages.state_facts,
    "relevance": passages.is_relevant,
    "extract": passages.extract,
    "answer": answers.answer,
    "claims": verdicts.split_claims,
    "verdict": verdicts.verify,
    "stated": verdicts.stated,
}
_VERSION = 3


class OfflineModel:
    """A `LanguageModel` for every task; its replies depend on the fields alone. Calls cost nothing."""

    name = "offline"

    def identity(self, task: str) -> str:
        """The same for all tasks: raise the version when a rule changes what it returns."""
        return f"offline {_VERSION}"

    def perform(self, tasks: Sequence[Task]) -> list[Reply]:
        """A reply to each task, in order; raises KeyError for a task that is not in `core.protocols`."""
        return [Reply(_TASKS[task.name](task.fields)) for task in tasks]
