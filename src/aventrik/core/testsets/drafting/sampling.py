"""Which passages to draft from: every document in turn, each one's passages in shuffled order."""

from __future__ import annotations

import random
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from ...chunking import Cutting, chunk
from ...documents import Document
from ...keys import content_key

CUTTING = Cutting("paragraph", size=1500, unit="chars", overlap=0)


@dataclass(frozen=True)
class Passage:
    """A stretch of a document that a writer is shown."""

    doc: str
    start: int
    text: str
    title: str
    headings: tuple[str, ...]

    @property
    def key(self) -> str:
        """Content key of its words alone, so that it keeps what people said of it where it moves."""
        return content_key("passage", " ".join(self.text.split()))[:16]

    @property
    def fields(self) -> dict[str, Any]:
        """The fields of the task `questions`."""
        return {"title": self.title, "headings": list(self.headings), "passage": self.text}


def spread(names: Sequence[str], fetch: Callable[[str], Document], seed: int) -> Iterator[Passage]:
    """Passages over the whole corpus: one of each document, then a second of each, and so on.

    Documents and each one's passages come in an order that depends on the seed alone.
    """
    order = sorted(names)
    random.Random(seed).shuffle(order)
    places: dict[str, list[tuple[int, int]]] = {}
    while order:
        left = []
        for name in order:
            document = fetch(name)
            if name not in places:
                places[name] = [(ranges[0][0], ranges[-1][1]) for ranges in chunk(document, CUTTING)]
                random.Random(f"{seed} {name}").shuffle(places[name])
            if places[name]:
                start, end = places[name].pop()
                yield Passage(name, start, document.text[start:end], document.title, document.heading_path(start))
            if places[name]:
                left.append(name)
            else:
                places[name] = []
        order = left
