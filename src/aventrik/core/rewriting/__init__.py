"""A question to the queries that are searched for. A method is one module and one line in `METHODS`."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from importlib import import_module
from typing import Any

from ..protocols import LanguageModel, Task

# method: the task that its model does
METHODS = {"none": "", "paraphrases": "paraphrases", "hypothetical": "hypothetical", "parts": "subquestions"}


@dataclass(frozen=True)
class Queries:
    """What is searched for: the question as it was asked first, then its rewrites; and why rewriting failed, if it
    did."""

    texts: tuple[str, ...]
    failure: str = ""


def rewrite(questions: Sequence[str], method: str, count: int, model: LanguageModel | None = None) -> list[Queries]:
    """For each question its queries: itself first, then up to `count` rewrites. A failure leaves it alone."""
    if model is None:
        return [Queries((question,)) for question in questions]
    module: Any = import_module(f"{__name__}.{method}")
    tasks = [Task(METHODS[method], module.fields(question, count)) for question in questions]
    found: list[Queries] = []
    for question, reply in zip(questions, model.perform(tasks)):
        others = [] if reply.value is None else [str(text).strip() for text in module.queries(reply.value)]
        fresh = [text for text in dict.fromkeys(others) if text and text != question]
        found.append(Queries((question, *fresh[:count]), reply.failure))
    return found
