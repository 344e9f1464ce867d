"""Does each task by the rules of the module that knows it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from ..tasks import Reply, Task
from . import answers, paraphrases, questions, verdicts

_TASKS: dict[str, Callable[[Mapping[str, Any]], dict[str, Any]]] = {
    "paraphrases": paraphrases.paraphrase,
    "questions": questions.ask,
    "answer": answers.answer,
    "claims": verdicts.split_claims,
    "verdict": verdicts.verify,
    "stated": verdicts.stated,
}


class OfflineModel:
    """A `LanguageModel` for every task; its replies hang on the fields alone. Calls cost no tokens."""

    name = "offline"
    version = "1"

    def perform(self, tasks: Sequence[Task]) -> list[Reply]:
        """A reply to each task, in order; raises KeyError for a task that is not in `core.tasks`."""
        return [Reply(_TASKS[task.name](task.fields)) for task in tasks]
