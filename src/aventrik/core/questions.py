"""Questions, their needs, and the test set that holds them."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass, field
from typing import Any

from .spans import Span


@dataclass(frozen=True)
class Quoted:
    """Where a fact stands: a span and the text that is quoted there.

    `start` is -1 while the place is not known yet; `relocated` finds it by the quote.
    """

    doc: str
    start: int
    end: int
    quote: str

    @property
    def span(self) -> Span:
        return Span(self.doc, self.start, self.end)


@dataclass(frozen=True)
class Need:
    """A fact that an answer takes, and the alternative places where it stands: any one serves."""

    fact: str
    spans: tuple[Quoted, ...]


@dataclass(frozen=True)
class Question:
    """One line of a test set."""

    id: str
    question: str
    answer: str = ""
    needs: tuple[Need, ...] = ()
    kind: str = "one-fact"
    status: str = "draft"
    by: str = "person"
    tags: tuple[str, ...] = ()
    meta: dict[str, Any] = field(default_factory=dict)

    @property
    def answerable(self) -> bool:
        return bool(self.needs)

    @property
    def key(self) -> str:
        """Content key of what a run depends on: wording, reference answer and needs."""
        needs = [[need.fact, [[s.doc, s.start, s.end] for s in need.spans]] for need in self.needs]
        body = json.dumps([self.id, self.question, self.answer, needs, self.kind])
        return hashlib.sha256(body.encode("utf-8", "surrogatepass")).hexdigest()
