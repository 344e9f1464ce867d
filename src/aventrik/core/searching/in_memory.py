"""The `Searcher` of one machine: postings and vectors in memory, or mapped from the disk."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt

from ..chunking import ChunkTable
from ..indexing import Narrowing
from ..indexing.keyword import KeywordIndex
from ..protocols import Hit
from .words import PLAIN, WordSearch, search

# (queries of shape (q, d), how many, which index texts may be found) → for each query the nearest index texts
Nearest = Callable[[npt.NDArray[np.float32], int, "npt.NDArray[np.bool_] | None"], list[list[Hit]]]


@dataclass(frozen=True)
class ShardSpan:
    """A shard of a corpus: its chunks from `first` to before `last`, and its index texts."""

    first: int
    last: int
    first_text: int
    last_text: int


def span_of(table: ChunkTable, owner: npt.NDArray[np.int32] | None, number: int, count: int) -> ShardSpan:
    """The shard of that number (from 0) of so many, which hold whole documents and about as many chunks each."""
    documents = len(table.docs)
    # Where each document's chunks begin; a shard begins with the document that is nearest to its share.
    firsts = np.searchsorted(table.doc, np.arange(documents + 1))
    edges = [int(firsts[np.searchsorted(firsts, len(table) * part // count)]) for part in (number, number + 1)]
    texts = edges if owner is None else np.searchsorted(owner, edges).tolist()
    return ShardSpan(edges[0], edges[1], int(texts[0]), int(texts[1]))


@dataclass(frozen=True, eq=False)
class InMemory:
    """Searches the chunks of `table`; `owner` gives the chunk of each index text, None where text i is chunk i, and
    `text_of` the text of a chunk with the headings over it, in which phrases are looked for. With a `span` the index and
    `nearest` are of that shard alone, and number its texts from 0."""

    identity: str
    table: ChunkTable
    owner: npt.NDArray[np.int32] | None = None
    keyword: KeywordIndex | None = None
    nearest: Nearest | None = None
    text_of: Callable[[int], str] = lambda chunk: ""
    span: ShardSpan | None = None

    def by_words(
        self, queries: Sequence[str], top: int, condition: frozenset[str] | None, how: WordSearch = PLAIN
    ) -> list[list[Hit]]:
        """For each query the `top` chunks that share a term with it and hold its phrases."""
        if self.keyword is None:
            return [[] for _ in queries]
        narrowing = self._narrowing(condition)
        before = self.span.first if self.span is not None else 0
        found = [
            search(self.keyword, text, top, narrowing, how, lambda chunk: self.text_of(chunk + before))
            for text in queries
        ]
        return self._placed(found)

    def by_vectors(
        self, queries: npt.NDArray[np.float32], top: int, condition: frozenset[str] | None
    ) -> list[list[Hit]]:
        """For each row the nearest chunks; where a chunk has several index texts, as many texts more are asked for as
        that takes."""
        if self.nearest is None:
            return [[] for _ in queries]
        narrowing = self._narrowing(condition)
        wanted = top
        while True:
            found = self.nearest(queries, wanted, narrowing.texts_allowed)
            chunks = [narrowing.hits(row, top) for row in found]
            short = any(len(row) < top and len(texts) == wanted for row, texts in zip(chunks, found))
            if not short or wanted >= top * narrowing.most_texts:
                return self._placed(chunks)
            wanted = min(wanted * 4, top * narrowing.most_texts)

    def _placed(self, lists: list[list[Hit]]) -> list[list[Hit]]:
        """Lists of a shard's chunks by their numbers among all."""
        if self.span is None:
            return lists
        return [[(chunk + self.span.first, score) for chunk, score in found] for found in lists]

    def document_frequency(self, term: str) -> int:
        """In how many index texts a stemmed term occurs."""
        return self.keyword.document_frequency(term) if self.keyword is not None else 0

    def rarity(self, term: str) -> float:
        """The weight of a stemmed term by itself."""
        return self.keyword.rarity(term) if self.keyword is not None else 0.0

    def texts_allowed(self, condition: frozenset[str] | None) -> npt.NDArray[np.bool_] | None:
        """For each index text whether its document may be found; None where all may."""
        return self._narrowing(condition).texts_allowed

    def _narrowing(self, condition: frozenset[str] | None) -> Narrowing:
        return _narrowed(self, condition)


@lru_cache(maxsize=4)
def _narrowed(searcher: InMemory, condition: frozenset[str] | None) -> Narrowing:
    owner, doc, span = searcher.owner, searcher.table.doc, searcher.span
    if span is not None:
        owner = None if owner is None else owner[span.first_text : span.last_text] - np.int32(span.first)
        doc = doc[span.first : span.last]
    if condition is None:
        return Narrowing(owner, None)
    may = np.array([name in condition for name in searcher.table.docs], dtype=bool)[doc]
    return Narrowing(owner, may)
