"""Every passage of a corpus with the title and headings over it, indexed by its words."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from ...chunking import chunk
from ...documents import Document
from ...documents.spans import Range, by_document
from ...indexing.keyword import KeywordIndex, build
from ...text import content_terms
from .. import Question, Quoted
from ..hiding import hidden
from .sampling import CUTTING

_LOOKED_AT = 100


@dataclass(frozen=True)
class Passages:
    """Passages by their places: where plain keyword search finds evidence, and what proves that something is absent."""

    index: KeywordIndex
    places: list[tuple[str, int, int]]

    @classmethod
    def over(
        cls, places: list[tuple[str, int, int]], fetch: Callable[[str], Document], hide: Iterable[Quoted] = ()
    ) -> Passages:
        """The passages at some places (documents in order) as they are searched while some words are hidden."""
        ranges = by_document(quoted.span for quoted in hide)
        return cls(build(_headed(places, fetch, ranges)), places)

    def with_all(self, terms: Sequence[str]) -> npt.NDArray[np.int32]:
        """The numbers of the passages that hold every one of the terms."""
        found: npt.NDArray[np.int32] | None = None
        for term in dict.fromkeys(terms):
            here = self.index.texts_with(term)
            found = here if found is None else np.intersect1d(found, here, assume_unique=True)
            if not len(found):
                break
        return np.empty(0, dtype=np.int32) if found is None else found

    def rank(self, question: str, evidence: Sequence[Quoted]) -> int:
        """The rank of the first passage that holds some of the evidence, under plain keyword search; 0 where none of
        the first hundred does."""
        wanted: dict[str, list[Range]] = by_document(quoted.span for quoted in evidence)
        for rank, (number, _) in enumerate(self.index.search(question, _LOOKED_AT), 1):
            doc, start, end = self.places[number]
            if any(left < end and start < right for left, right in wanted.get(doc, ())):
                return rank
        return 0

    def rarity(self, question: str) -> float:
        """The mean rarity of the question's content terms; 0 where it has none."""
        asked = set(content_terms(question))
        return sum(self.index.rarity(term) for term in asked) / len(asked) if asked else 0.0

    def together(self, name: Sequence[str], asked: Sequence[str]) -> float:
        """The largest share of the weight of the terms `asked` that a passage with all of `name` holds, 0 to 1."""
        with_name = self.with_all(name)
        whole = sum(self.index.rarity(term) for term in asked)
        if not len(with_name) or not whole:
            return 0.0
        held = np.zeros(len(with_name))
        for term in dict.fromkeys(asked):
            held += self.index.rarity(term) * np.isin(with_name, self.index.texts_with(term), assume_unique=True)
        return float(held.max()) / whole


def places_of(document: Document) -> list[tuple[str, int, int]]:
    """The passages that a document is cut into: name, start and end of each."""
    return [(document.name, ranges[0][0], ranges[-1][1]) for ranges in chunk(document, CUTTING)]


def ranks_of(questions: Sequence[Question], names: Iterable[str], fetch: Callable[[str], Document]) -> dict[str, int]:
    """The rank of each answerable question's evidence under plain keyword search, by its id, with all that the questions
    hide left out; 0 where it is not found."""
    places = [place for name in sorted(names) for place in places_of(fetch(name))]
    passages = Passages.over(places, fetch, [quoted for question in questions for quoted in question.hide])
    return {
        question.id: passages.rank(question.question, [quoted for need in question.needs for quoted in need.spans])
        for question in questions
        if question.needs
    }


def _headed(
    places: Sequence[tuple[str, int, int]], fetch: Callable[[str], Document], ranges: Mapping[str, Sequence[Range]]
) -> Iterator[str]:
    last = Document("", "")
    for name, start, end in places:
        document = last
        if name != last.name:
            document = last = hidden(fetch(name), ranges[name]) if name in ranges else fetch(name)
        yield "\n".join([document.title, *document.heading_path(start), document.text[start:end]])
