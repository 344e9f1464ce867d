"""Does each task by the rules of the module that knows it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from ..core.protocols import Reply, Task
from ..core.wording import parts
from . import paraphrases, passages, questions
from .answering import answering, standing
from .judging import addressing, patterns, splitting, stating, weighing

_TASKS: dict[str, Callable[[Mapping[str, Any]], dict[str, Any]]] = {
    "paraphrases": paraphrases.paraphrase,
    "hypothetical": paraphrases.suppose,
    "subquestions": parts.take_apart,
    "broader": paraphrases.broaden,
    "keywords": paraphrases.reduce_to_keywords,
    "expanded": paraphrases.expand,
    "standalone": standing.stand_alone,
    "questions": questions.ask,
    "joined": lambda fields: {"questions": []},  # its rules pair what they have written themselves
    "unanswered": lambda fields: {"said": "", "questions": []},
    "known": lambda fields: {"known": False, "answer": ""},
    "fitness": passages.grade,
    "asked": questions.ask_in_its_place,
    "summary": passages.summarise,
    "facts": passages.state_facts,
    "relevance": passages.is_relevant,
    "answered": answering.answers,
    "extract": passages.extract,
    "answer": answering.answer,
    "claims": splitting.split_claims,
    "verdict": weighing.verify_all,
    "stated": stating.stated,
    "addressed": addressing.addresses,
    "consistent": addressing.agree,
    "criterion": patterns.grade_by_patterns,
}
_VERSION = 6


class OfflineModel:
    """A `LanguageModel` for every task; its replies depend on the fields alone. Calls cost nothing."""

    name = "offline"

    def identity(self, task: str) -> str:
        """The same for all tasks: raise the version when a rule changes what it returns."""
        return f"offline {_VERSION}"

    def perform(self, tasks: Sequence[Task]) -> list[Reply]:
        """A reply to each task, in order; raises KeyError for a task that is not in `core.protocols`."""
        return [_reply(task) for task in tasks]


def _reply(task: Task) -> Reply:
    try:
        return Reply(_TASKS[task.name](task.fields))
    except patterns.NoPatterns as error:
        return Reply(None, str(error))
