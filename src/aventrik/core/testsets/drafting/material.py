"""What a writer draws on: every document once, as sentences, passages, sections and tables, and how its words are used."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import cached_property

from ...documents import Document
from ...indexing.keyword import build
from ...text import sentences
from .. import Quoted
from ..hiding import hidden
from .checking import Checker
from .naming import Subject
from .passages import Passages, places_of
from .tables import Table, tables
from .usage import Usage

_HELD = 60_000_000  # characters of documents held at a time


@dataclass
class Material:
    """The documents of a corpus by name, and what was counted over all of them."""

    names: Sequence[str]
    fetch: Callable[[str], Document]
    usage: Usage = field(default_factory=Usage)
    subject: Subject = field(default_factory=Subject)
    tables: list[Table] = field(default_factory=list)
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
