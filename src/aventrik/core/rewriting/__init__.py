"""A question to the queries that are searched for. A method is one module and one line in `METHODS`."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from importlib import import_module
from typing import Any

from ..protocols import LanguageModel, Task

MOST_LETTERS = 4000  # of a rewrite; what is longer is cut at white space


@dataclass(frozen=True)
class Method:
    """What a way of rewriting is: the task of its model; `count`, how many rewrites it gives unless told otherwise, 0 for
    one that gives a single one; whether it reads the turns before, or the corpus's glossary."""

    task: str
    count: int = 0
    turns: bool = False
    glossary: bool = False


METHODS: dict[str, Method] = {
    "conversation": Method("standalone", turns=True),
    "paraphrases": Method("paraphrases", 3),
    "hypothetical": Method("hypothetical"),
    "parts": Method("subquestions", 3),
    "broader": Method("broader"),
    "keywords": Method("keywords"),
    "expanded": Method("expanded", glossary=True),
}
NUMBERS = {"weight": (1.0, 0.0, 100.0), "least": (0.0, 0.0, 1.0)}  # setting: its default, from, to
MOST = 20  # rewrites of one method


@dataclass(frozen=True)
class Posed:
    """A question with the questions before it in its conversation, and the entries of a glossary that speak of it."""

    question: str
    before: tuple[str, ...] = ()
    glossary: tuple[str, ...] = ()


@dataclass(frozen=True)
class Queries:
    """What is searched for: the question as it was asked first, then its rewrites; and why rewriting failed, if it
    did. `origins`: of each text the number of the rewriting that gave it, from 1, and 0 for the question; empty where
    there is one rewriting alone."""

    texts: tuple[str, ...]
    failure: str = ""
    origins: tuple[int, ...] = ()

    def origin(self, place: int) -> int:
        """The number of the rewriting that gave a text, 0 for the question."""
        return self.origins[place] if self.origins else min(place, 1)


def settings_of(rewriting: dict[str, Any]) -> dict[str, Any]:
    """The settings of one rewriting but for method and model, defaults filled in."""
    method = METHODS[rewriting["method"]]
    counted = {"count": rewriting.get("count", method.count)} if method.count else {}
    return counted | {key: rewriting.get(key, default) for key, (default, _, _) in NUMBERS.items()}


def rewrite(
    questions: Sequence[str | Posed], method: str, count: int, model: LanguageModel, wording: str = ""
) -> list[Queries]:
    """For each question its queries: itself first, then up to `count` rewrites (all that a method of one gives). A
    failure, or nothing to go by, leaves it alone. `wording` is the user's own prompt in place of the task's."""
    module: Any = import_module(f"{__name__}.{method}")
    posed = [each if isinstance(each, Posed) else Posed(each) for each in questions]
    wanted = [module.fields(each, count) for each in posed]
    tasks = [Task(METHODS[method].task, fields, wording) for fields in wanted if fields is not None]
    replies = iter(model.perform(tasks) if tasks else [])
    found: list[Queries] = []
    for each, fields in zip(posed, wanted):
        if fields is None:
            found.append(Queries((each.question,)))
            continue
        reply = next(replies)
        others = [] if reply.value is None else [_whole(str(text)) for text in module.queries(reply.value)]
        fresh = [text for text in dict.fromkeys(others) if text and text != each.question]
        found.append(Queries((each.question, *fresh[: count or 1]), reply.failure))
    return found


def joined(question: str, rewritten: Sequence[Queries]) -> Queries:
    """The queries of several rewritings as one, each text once."""
    texts: dict[str, int] = {question: 0}
    for number, queries in enumerate(rewritten, 1):
        for text in queries.texts[1:]:
            texts.setdefault(text, number)
    failures = dict.fromkeys(queries.failure for queries in rewritten if queries.failure)
    origins = tuple(texts.values()) if len(rewritten) > 1 else ()
    return Queries(tuple(texts), "; ".join(failures), origins)


def _whole(text: str) -> str:
    """A text without white space at its ends, cut behind a word where it is too long to be a query."""
    text = text.strip()
    if len(text) <= MOST_LETTERS:
        return text
    short = text[:MOST_LETTERS]
    return short[: short.rfind(" ")] if " " in short else short
