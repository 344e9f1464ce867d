"""The seam between the program and any language model: named tasks with fields in and a record out.

A model gets a list of tasks and returns a reply to each, in order. The built-in offline model works from the
fields; a server gets a prompt made from them. No other code knows which of the two it talks to.

| task | fields | record of the reply |
|---|---|---|
| paraphrases | question, count | paraphrases: list of str |
| hypothetical | question | passage: str, what a passage that answers would say |
| subquestions | question | questions: list of str, one for each thing that is asked |
| questions | title, headings, passage | questions: list of {question, answer, quote, kind} |
| summary | title, headings, passage | summary: str |
| facts | title, headings, passage | facts: list of str, each of which stands by itself |
| relevance | question, passage | relevant: bool, reason: str |
| extract | question, passage | quotes: list of str, the sentences that help to answer |
| answer | question, context, style | declined: bool, statements: list of {text, cites, quotes} |
| claims | question, answer | claims: list of {text, cites: list of int} |
| verdict | claim, context | verdict, reason, quotes: list of {item: int, quote: str} |
| stated | facts, answer | stated: list of bool |

`context` is a list of {number, source, text}, numbered from 1; `cites` are such numbers.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Protocol

# task: its fields, in the order in which a prompt shows them
TASKS: dict[str, tuple[str, ...]] = {
    "paraphrases": ("question", "count"),
    "hypothetical": ("question",),
    "subquestions": ("question",),
    "questions": ("title", "headings", "passage"),
    "summary": ("title", "headings", "passage"),
    "facts": ("title", "headings", "passage"),
    "relevance": ("question", "passage"),
    "extract": ("question", "passage"),
    "answer": ("question", "context", "style"),
    "claims": ("question", "answer"),
    "verdict": ("claim", "context"),
    "stated": ("facts", "answer"),
}


@dataclass(frozen=True)
class Task:
    """One piece of work for a language model."""

    name: str
    fields: Mapping[str, Any]


@dataclass(frozen=True)
class Reply:
    """What came back: a record, or the reason why there is none.

    `notes` tell what was done to get it, such as material that was cut to fit the model's context.
    """

    value: dict[str, Any] | None
    failure: str = ""
    notes: tuple[str, ...] = field(default_factory=tuple)


class LanguageModel(Protocol):
    """Anything that does tasks."""

    name: str

    def identity(self, task: str) -> str:
        """What a reply to this task hangs on beside its fields: model, settings, prompt. Part of content keys."""
        ...

    def perform(self, tasks: Sequence[Task]) -> list[Reply]:
        """A reply to each task, in the same order; raises `Unavailable` when the model can't be used at all."""
        ...
