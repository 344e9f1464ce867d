"""Other wordings of the question, searched for beside it."""

from __future__ import annotations

from collections.abc import Sequence

from ..tasks import LanguageModel, Task
from . import Rewritten


def rewrite(questions: Sequence[str], count: int, model: LanguageModel) -> list[Rewritten]:
    """The question and up to `count` paraphrases by the model."""
    tasks = [Task("paraphrases", {"question": question, "count": count}) for question in questions]
    found: list[Rewritten] = []
    for question, reply in zip(questions, model.perform(tasks)):
        others = [] if reply.value is None else [str(text) for text in reply.value["paraphrases"]][:count]
        found.append(([question, *others], reply.failure))
    return found
