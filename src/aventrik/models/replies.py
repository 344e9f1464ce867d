"""Structured replies: the record that each task wants, and how it is found in what a model writes."""

from __future__ import annotations

import ast
import json
import re
from functools import cache
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from ..core.protocols import Task


class _Record(BaseModel):
    model_config = ConfigDict(extra="ignore")


class Paraphrases(_Record):
    """Reply to `paraphrases`."""

    paraphrases: list[str]


class Hypothetical(_Record):
    """Reply to `hypothetical`."""

    passage: str = Field(min_length=1)


class Asked(_Record):
    """Reply to `asked`."""

    questions: list[str]


class Subquestions(_Record):
    """Reply to `subquestions`."""

    questions: list[str] = Field(min_length=1)


class DraftedQuestion(_Record):
    """One question of a reply to `questions`."""

    question: str = Field(min_length=1)
    answer: str = Field(min_length=1)
    quote: str = Field(min_length=1)
    kind: Literal["one-fact", "table"] = "one-fact"


class Questions(_Record):
    """Reply to `questions`."""

    questions: list[DraftedQuestion]


class Summary(_Record):
    """Reply to `summary`."""

    summary: str = Field(min_length=1)


class Facts(_Record):
    """Reply to `facts`."""

    facts: list[str]


class Relevance(_Record):
    """Reply to `relevance`."""

    relevant: bool
    reason: str = ""


class Extract(_Record):
    """Reply to `extract`."""

    quotes: list[str]


class AnswerStatement(_Record):
    """One sentence of a reply to `answer`."""

    text: str
    cites: list[int] = []
    quotes: list[str] = []


class AnswerReply(_Record):
    """Reply to `answer`."""

    declined: bool
    statements: list[AnswerStatement] = []


class Claim(_Record):
    """One claim of a reply to `claims`."""

    text: str = Field(min_length=1)
    cites: list[int] = []


class Claims(_Record):
    """Reply to `claims`."""

    claims: list[Claim]


class VerdictQuote(_Record):
    """What a verdict rests on."""

    item: int
    quote: str


class VerdictReply(_Record):
    """Reply to `verdict`."""

    verdict: Literal["supported", "contradicted", "not found"]
    reason: str = ""
    quotes: list[VerdictQuote] = []


class Stated(_Record):
    """Reply to `stated`."""

    stated: list[bool]


RECORDS: dict[str, type[_Record]] = {
    "paraphrases": Paraphrases,
    "hypothetical": Hypothetical,
    "subquestions": Subquestions,
    "questions": Questions,
    "asked": Asked,
    "summary": Summary,
    "facts": Facts,
    "relevance": Relevance,
    "extract": Extract,
    "answer": AnswerReply,
    "claims": Claims,
    "verdict": VerdictReply,
    "stated": Stated,
}


class Unfit(ValueError):
    """A reply that does not hold the record that was asked for; the message is told to the model once."""


@cache
def schema(task: str) -> dict[str, Any]:
    """The JSON schema of a task's reply, without titles and defaults that only cost tokens. Not to be changed."""

    def slim(value: Any) -> Any:
        if isinstance(value, dict):
            return {key: slim(inner) for key, inner in value.items() if key not in ("title", "description", "default")}
        return [slim(inner) for inner in value] if isinstance(value, list) else value

    return dict(slim(RECORDS[task].model_json_schema()))


def understood(task: Task, text: str) -> dict[str, Any]:
    """The record in a model's text; raises `Unfit` with what is wrong."""
    found = found_object(text)
    try:
        record = RECORDS[task.name].model_validate(found).model_dump()
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise Unfit(f"{where}: {first['msg']}") from None
    _check(task, record)
    return record


def found_object(text: str) -> dict[str, Any]:
    """The JSON object in a text: bare, in a code fence, with words around it, with single quotes or trailing commas."""
    text = text.strip()
    if not text:
        raise Unfit("the reply is empty")
    fence = re.search(r"```(?:json)?\s*(.*?)```", text, re.DOTALL | re.IGNORECASE)
    for piece in (text, fence[1] if fence else "", _balanced(text)):
        for candidate in (piece, re.sub(r",(\s*[}\]])", r"\1", piece)):
            found = _loaded(candidate)
            if found is not None:
                return found
    raise Unfit("the reply is not a JSON object")


def _loaded(text: str) -> dict[str, Any] | None:
    try:
        found = json.loads(text, strict=False)
    except ValueError:
        try:
            plain = re.sub(
                r"\b(true|false|null)\b", lambda m: {"true": "True", "false": "False"}.get(m[0], "None"), text
            )
            found = ast.literal_eval(plain.strip())
        except (ValueError, SyntaxError, MemoryError, RecursionError):
            return None
    return found if isinstance(found, dict) else None


def _balanced(text: str) -> str:
    """The first stretch from a brace to the one that closes it; quoted braces do not count."""
    start = text.find("{")
    depth, quoted, escaped = 0, False, False
    for place in range(max(0, start), len(text)):
        char = text[place]
        if escaped:
            escaped = False
        elif char == "\\":
            escaped = True
        elif char == '"':
            quoted = not quoted
        elif not quoted and char in "{}":
            depth += 1 if char == "{" else -1
            if not depth:
                return text[start : place + 1]
    return ""


def _check(task: Task, record: dict[str, Any]) -> None:
    """What a schema can't say: as many entries as were asked for, and numbers of items that exist."""
    if task.name == "stated" and len(record["stated"]) != len(task.fields["facts"]):
        raise Unfit(f"stated: {len(record['stated'])} values for {len(task.fields['facts'])} facts")
    if task.name == "answer" and not record["declined"] and not record["statements"]:
        raise Unfit("statements: an answer that does not decline needs at least one")
    numbers = {item["number"] for item in task.fields.get("context", ())}
    if task.name == "answer":
        for statement in record["statements"]:
            wrong = [n for n in statement["cites"] if n not in numbers]
            if wrong:
                raise Unfit(f"cites: there is no context item {wrong[0]}")
    if task.name == "verdict":
        record["quotes"] = [quote for quote in record["quotes"] if quote["item"] in numbers]
