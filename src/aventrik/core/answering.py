"""A refined list to a context, and a context to an answer with citations."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from .tasks import LanguageModel, Task


@dataclass(frozen=True)
class Served:
    """One item of a context: the text that is handed on, where it comes from, and its tokens."""

    number: int
    source: str
    text: str
    tokens: int

    @property
    def fields(self) -> dict[str, Any]:
        return {"number": self.number, "source": self.source, "text": self.text}


@dataclass(frozen=True)
class Statement:
    """A sentence of an answer with the numbers of the items it cites and the words it rests on."""

    text: str
    cites: tuple[int, ...] = ()
    quotes: tuple[str, ...] = ()


@dataclass(frozen=True)
class Answer:
    """`failure` tells why there is none; a declining answer has no statements."""

    text: str
    declined: bool
    statements: tuple[Statement, ...] = ()
    failure: str = ""


DECLINE = "The documents do not say."


def within_budget(sizes: Sequence[int], keep: int, budget: int) -> int:
    """How many of the first items fit: at most `keep`, and in all at most `budget` tokens, but always one."""
    total = 0
    for place, size in enumerate(sizes[:keep]):
        total += size
        if total > budget and place:
            return place
    return min(keep, len(sizes))


def answer(
    questions: Sequence[str], contexts: Sequence[Sequence[Served]], style: str, model: LanguageModel
) -> list[Answer]:
    """An answer to each question from its own context; with no context it declines without asking the model."""
    tasks = [
        Task("answer", {"question": question, "context": [item.fields for item in context], "style": style})
        for question, context in zip(questions, contexts)
        if context
    ]
    replies = iter(model.perform(tasks))
    return [_answer(next(replies)) if context else Answer(DECLINE, True) for context in contexts]


def _answer(reply: Any) -> Answer:
    if reply.value is None:
        return Answer("", False, failure=reply.failure)
    statements = tuple(_statement(row) for row in reply.value["statements"] if str(row["text"]).strip())
    if reply.value["declined"] or not statements:
        return Answer(DECLINE, True)
    return Answer(" ".join(_marked(statement) for statement in statements), False, statements)


def _statement(row: Mapping[str, Any]) -> Statement:
    return Statement(
        str(row["text"]).strip(), tuple(int(n) for n in row.get("cites", ())), tuple(map(str, row.get("quotes", ())))
    )


def _marked(statement: Statement) -> str:
    marks = f" [{', '.join(map(str, statement.cites))}]" if statement.cites else ""
    return statement.text + marks
