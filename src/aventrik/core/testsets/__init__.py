"""Questions, their needs, and the test set that holds them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any

from ..documents.relocating import Near, occurrence, relocated
from ..documents.spans import Span
from ..keys import content_key

FACETS = ("kind", "style", "difficulty", "tag", "document", "writer")  # by what questions are told apart


@dataclass(frozen=True)
class Quoted:
    """Where a fact stands: a span and the text that is quoted there.

    `start` is -1 while the place is not known yet; `placed` finds it by the quote. `occurrence` counts how often the
    same words occur in the document before it. `near` is what stands around it, by which it is told from equal words
    elsewhere in the document; `copies` names the documents with the very same text.
    """

    doc: str
    start: int
    end: int
    quote: str
    occurrence: int = 0
    near: Near | None = None
    copies: tuple[str, ...] = ()

    @property
    def in_copies(self) -> tuple[Quoted, ...]:
        """The same place in each copy of the document."""
        return tuple(replace(self, doc=doc, copies=()) for doc in self.copies)

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
    """One line of a test set. What it has to `hide` is left out of all that is searched and served while the test set is
    used: the heading that became the question, say. `before` are the questions that were asked before it, in order, where
    it leans on them."""

    id: str
    question: str
    answer: str = ""
    needs: tuple[Need, ...] = ()
    kind: str = "one-fact"
    status: str = "draft"
    by: str = "person"
    tags: tuple[str, ...] = ()
    meta: dict[str, Any] = field(default_factory=dict)
    hide: tuple[Quoted, ...] = ()
    before: tuple[str, ...] = ()

    @property
    def answerable(self) -> bool:
        return bool(self.needs)

    @property
    def key(self) -> str:
        """Content key of what is asked, by which runs are paired: wording, reference answer, kind, and of each need its
        fact and where it is quoted. A name (`id`) is no part of it, nor a place that moves with its document."""
        needs = [
            [need.fact, [[s.doc, s.quote, s.occurrence] if s.quote else [s.doc, s.start, s.end] for s in need.spans]]
            for need in self.needs
        ]
        before = [list(self.before)] if self.before else []
        return content_key("question", self.question, self.answer, needs, self.kind, *before)

    @property
    def search_key(self) -> str:
        """Content key of what is searched for, and where it stands: the same when the reference answer alone was changed."""
        needs = [
            [[s.doc, s.quote, s.occurrence] if s.quote else [s.doc, s.start, s.end] for s in need.spans]
            for need in self.needs
        ]
        return content_key("searched", self.question, needs, bool(self.needs), list(self.before))


def placed(quoted: Quoted, text: str, under: Callable[[int], str] = lambda start: "") -> tuple[Quoted, bool] | None:
    """The quoted evidence at its present place in its document's text, and whether that is sure: its words may occur several
    times there, with nothing to tell which is meant. None when it occurs nowhere. `under` gives the heading over a place."""
    found = relocated(quoted.quote, quoted.start, quoted.end, text, quoted.near, under)
    if found is None:
        return None
    place = found.place
    now = Quoted(quoted.doc, *place, text[place[0] : place[1]], occurrence(place, text), quoted.near)
    return now, found.sure
