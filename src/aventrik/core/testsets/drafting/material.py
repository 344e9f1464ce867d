"""What a writer draws on: every document once, as sentences, passages, sections and tables, and how its words are used."""

from __future__ import annotations

from bisect import bisect_right
from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import cached_property

from ...documents import Document
from ...embedding.lsa import Lsa
from ...indexing.keyword import build
from ...surveying.topics import find_topics
from ...text import sentences
from .. import Quoted
from ..hiding import hidden
from .checking import Checker
from .naming import Subject
from .passages import Passages, places_of
from .tables import DocumentTable, tables
from .usage import Usage

_TOPICS = 40  # parts of the corpus that a test set is spread over
_DIMENSIONS, _FITTED_ON = 64, 6000  # of the space they are found in, and passages that it is learnt from at the most
_HELD = 60_000_000  # characters of documents held at a time


@dataclass
class Material:
    """The documents of a corpus by name, and what was counted over all of them."""

    names: Sequence[str]
    fetch: Callable[[str], Document]
    usage: Usage = field(default_factory=Usage)
    subject: Subject = field(default_factory=Subject)
    tables: list[DocumentTable] = field(default_factory=list)
    _places: list[tuple[str, int, int]] = field(default_factory=list)
    _texts: list[str] = field(default_factory=list, repr=False)
    _ranges: list[tuple[str, int, int]] = field(default_factory=list)

    @classmethod
    def over(cls, names: Sequence[str], fetch: Callable[[str], Document]) -> Material:
        """Reads every document once."""
        made = cls(sorted(names), held(fetch))
        for name in made.names:
            made._add(fetch(name))
        return made

    def _add(self, document: Document) -> None:
        text = document.text
        prose = hidden(document, [(heading.start, heading.end) for heading in document.headings]).text
        self.usage.add(prose)  # capitals of a heading say nothing of how a word is written
        self.subject.add(prose)
        self.tables.extend(tables(document))
        for start, end in sentences(text):
            self._places.append((document.name, start, end))
            self._texts.append(text[start:end])
        self._ranges.extend(places_of(document))

    @cached_property
    def checker(self) -> Checker:
        """Finds what else a question could be about."""
        return Checker(build(self._texts), self._places, self._texts)

    @cached_property
    def passages(self) -> Passages:
        """Every passage with the title and headings over it."""
        return Passages.over(self._ranges, self.fetch)

    @cached_property
    def _strata(self) -> dict[str, tuple[list[int], list[int]]]:
        """By document the starts of its passages and the topic of each."""
        made = Lsa(_DIMENSIONS)
        step = max(1, -(-len(self._ranges) // _FITTED_ON))
        texts = [self.fetch(name).text[start:end] for name, start, end in self._ranges]
        state = made.fit(lambda: iter(texts[::step]))
        found = find_topics(made.embed(texts, state), [max(1, min(_TOPICS, len(texts) // 4))])
        strata: dict[str, tuple[list[int], list[int]]] = {}
        for (name, start, _), topic in zip(self._ranges, found.topic.tolist()):
            starts, topics = strata.setdefault(name, ([], []))
            starts.append(start)
            topics.append(topic)
        return strata

    def topic_of(self, doc: str, start: int) -> int:
        """The topic, from 0, of the passage in which a place of a document lies."""
        starts, topics = self._strata[doc]
        return topics[max(0, bisect_right(starts, start) - 1)]

    def passages_without(self, hide: Sequence[Quoted]) -> Passages:
        """The passages as they are searched while some words are hidden."""
        return Passages.over(self._ranges, self.fetch, hide) if hide else self.passages


def held(fetch: Callable[[str], Document]) -> Callable[[str], Document]:
    """The same documents, of which those looked at last are held, with what was worked out of them."""
    kept: OrderedDict[str, Document] = OrderedDict()
    chars = 0

    def one(name: str) -> Document:
        nonlocal chars
        if name in kept:
            kept.move_to_end(name)
            return kept[name]
        kept[name] = found = fetch(name)
        chars += len(found.text)
        while chars > _HELD and len(kept) > 1:
            chars -= len(kept.popitem(last=False)[1].text)
        return found

    return one
