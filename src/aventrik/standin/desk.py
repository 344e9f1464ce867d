"""A stand-in for a question-answering system that is live: it answers from the documents of a workspace in a simple way,
and spoils a share of its answers, as such systems do."""

from __future__ import annotations

import random
import re
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import httpx
import orjson

from ..core.text import content_terms, sentences
from ..execution.open_workspace import OpenWorkspace
from ..results.asking import ask
from ..workspace.configuration import Configuration
from .replies import NotUnderstood

PATH = "/ask"
# How it searches and answers: fixed pieces by their words, three of them shown.
_SETTINGS: dict[str, Any] = {"search.stop_words": "keep", 
    "chunking.method": "fixed", "chunking.size": 600, "chunking.overlap": 0, "index.headings": False,
    "embedding.model": "none", "search.method": "keyword", "search.top": 10, "context.keep": 3,
    "answering.model": "offline",
}  # fmt: skip
_ADDED = (
    "A fine of £75 is charged otherwise.",
    "This does not hold for hire boats.",
    "The rule was last changed in March 2030.",
    "Ring the office a day before.",
    "No form is needed for it.",
    "It is free for members of the Trust.",
)


@dataclass(frozen=True)
class Said:
    """An answer with the passages that it was made from."""

    text: str
    declined: bool
    passages: tuple[tuple[str, str], ...]  # (where it is from, text)


class Desk:
    """Answers questions; `wrong` is the share of answers that are spoilt, 0 to 1, by a seed and the question."""

    def __init__(self, answer: Callable[[str], Said], wrong: float = 0.0, seed: int = 0) -> None:
        self._answer = answer
        self._wrong = wrong
        self._seed = seed
        self._desk = ThreadPoolExecutor(1)  # the store behind it is for one thread

    def reply(self, body: Mapping[str, Any]) -> dict[str, Any]:
        """The reply to a request; raises `NotUnderstood` for one without a question."""
        message = body.get("message")
        question = message.get("text") if isinstance(message, dict) else None
        if not isinstance(question, str) or not question.strip():
            raise NotUnderstood("message.text must be a question")
        said = self._desk.submit(self._answer, question).result()
        text = said.text
        draw = random.Random(f"{self._seed} {question}")
        if not said.declined and draw.random() < self._wrong:
            text = spoilt(text, draw)
        return {
            "reply": {"text": text, "declined": said.declined},
            "sources": [{"from": where, "passage": passage} for where, passage in said.passages],
        }


def most_alike(question: str, passages: Sequence[str], count: int = 2) -> list[str]:
    """The sentences that share most words with a question, rare ones counting more, in the order of the passages: what
    a system says that answers whatever it is asked."""
    wanted = set(content_terms(question))
    parts = list(
        dict.fromkeys(
            " ".join(text[start:end].split()).strip("|#-* ") for text in passages for start, end in sentences(text)
        )
    )
    parts = [part for part in parts if 25 <= len(part) <= 300]
    terms = [set(content_terms(part)) & wanted for part in parts]
    weight = {term: 1 / sum(term in each for each in terms) ** 0.5 for each in terms for term in each}
    ranked = sorted(range(len(parts)), key=lambda n: (-sum(weight[term] for term in terms[n]), n))
    best = [n for n in ranked[:count] if terms[n]]
    return [parts[n] if parts[n].endswith((".", "!", "?")) else parts[n] + "." for n in sorted(best)]


def spoilt(text: str, draw: random.Random) -> str:
    """An answer with a figure changed, a sentence added that nobody said, or a sentence left out."""
    figures = list(re.finditer(r"(?<![\w.\[])\d+(?![\w\]])", text))
    parts = [text[start:end] for start, end in sentences(text)]
    way = draw.choice(["figure", "figure", "added", "left out"])
    if way == "figure" and figures:
        found = draw.choice(figures)
        first = str((int(found[0][0]) + draw.randint(1, 8)) % 9 + 1)
        changed = first + found[0][1:] if first != found[0][0] else str(int(found[0]) + 1)
        return text[: found.start()] + changed + text[found.end() :]
    if way == "left out" and len(parts) > 1:
        del parts[draw.randrange(len(parts))]
        return " ".join(part.strip() for part in parts)
    return f"{text.rstrip()} {draw.choice(_ADDED)}"


def desk_of(workspace: Path, wrong: float = 0.0, seed: int = 0) -> Desk:
    """A desk that answers from the documents of a workspace."""
    configuration = Configuration(name="desk").with_settings(_SETTINGS)
    held: list[OpenWorkspace] = []

    def answer(question: str) -> Said:
        if not held:
            held.append(OpenWorkspace(workspace))
        found = ask(held[0], configuration, question, until="context").explanation.stages
        passages = tuple((item.source, item.text) for item in found["context"].items)
        said = most_alike(question, [text for _, text in passages])
        return Said(" ".join(said) or "I could not find anything about that.", not said, passages)

    return Desk(answer, wrong, seed)


class InProcess(httpx.AsyncBaseTransport):
    """A desk behind the address of a system, without a server."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk

    async def handle_async_request(self, request: httpx.Request) -> httpx.Response:
        """Answers as the server would."""
        try:
            return httpx.Response(200, json=self._desk.reply(orjson.loads(await request.aread())))
        except (NotUnderstood, orjson.JSONDecodeError) as error:
            return httpx.Response(400, json={"error": {"message": str(error)}})
