"""The seam between the program and any language model: named tasks with fields in and a record out.

A model gets a list of tasks and returns a reply to each, in order. The built-in offline model works from the
fields; a server gets a prompt made from them. No other code knows which of the two it talks to.

| task | fields | record of the reply |
|---|---|---|
| paraphrases | question, count | paraphrases: list of str |
| questions | title, headings, passage | questions: list of {question, answer, quote, kind} |
| answer | question, context, style | declined: bool, statements: list of {text, cites: list of int, quotes: list of str} |
| claims | question, answer | claims: list of {text, cites: list of int} |
| verdict | claim, context | verdict, reason, quotes: list of {item: int, quote: str} |
| stated | facts, answer | stated: list of bool |

`context` is a list of {number, source, text}, numbered from 1.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Protocol


@dataclass(frozen=True)
class Task:
    """One piece of work for a language model."""

    name: str
    fields: Mapping[str, Any]


@dataclass(frozen=True)
class Reply:
    """What came back: a record, or the reason why there is none; tokens are the model's own count."""

    value: dict[str, Any] | None
    failure: str = ""
    tokens_in: int = 0
    tokens_out: int = 0
    details: dict[str, Any] = field(default_factory=dict)


class LanguageModel(Protocol):
    """Anything that does tasks."""

    name: str
    version: str

    def perform(self, tasks: Sequence[Task]) -> list[Reply]:
        """A reply to each task, in the same order."""
        ...
