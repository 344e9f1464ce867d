"""A context to an answer with citations."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ..context import Served
from ..protocols import LanguageModel, Task


@dataclass(frozen=True)
class Statement:
    """A sentence of an answer with the numbers of the items it cites and the words it rests on."""

    text: str
    cites: tuple[int, ...] = ()
    quotes: tuple[str, ...] = ()


@dataclass(frozen=True)
class Answer:
    """`failure` tells why there is none; a declining answer has no statements."""

    text: str = ""
    declined: bool = False
    statements: tuple[Statement, ...] = ()
    failure: str = ""


STYLES = ("quote", "short")
DECLINE = "The documents do not say."


def answer(
    questions: Sequence[str],
    contexts: Sequence[Sequence[Served]],
    style: str,
    model: LanguageModel,
    time: int = 1,
) -> list[Answer]:
    """An answer to each question from its own context; with no context it declines without asking the model. `time`: which
    time the model is asked."""
    tasks = [
        Task("answer", {"question": question, "context": [item.fields for item in context], "style": style}, time=time)
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
    return Answer(_joined(statements), False, statements)


def _joined(statements: Sequence[Statement]) -> str:
    """The text of an answer: statements behind one another, a row or what else has no stop on a line of its own."""
    text = ""
    for before, statement in zip([None, *statements], statements):
        gap = "" if before is None else " " if before.text.endswith((".", "!", "?", ":")) else "\n"
        text += gap + _marked(statement)
    return text


def _statement(row: Mapping[str, Any]) -> Statement:
    return Statement(
        str(row["text"]).strip(), tuple(int(n) for n in row.get("cites", ())), tuple(map(str, row.get("quotes", ())))
    )


def _marked(statement: Statement) -> str:
    marks = f" [{', '.join(map(str, statement.cites))}]" if statement.cites else ""
    return statement.text + marks
