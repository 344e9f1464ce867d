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


@dataclass(frozen=True, eq=False)
class InMemory:
    """Searches the chunks of `table`; `owner` gives the chunk of each index text, None where text i is chunk i, and
    `text_of` the text of a chunk with the headings over it, in which phrases are looked for."""

    identity: str
    table: ChunkTable
    owner: npt.NDArray[np.int32] | None = None
    keyword: KeywordIndex | None = None
    nearest: Nearest | None = None
    text_of: Callable[[int], str] = lambda chunk: ""

    def by_words(
        self, queries: Sequence[str], top: int, condition: frozenset[str] | None, how: WordSearch = PLAIN
    ) -> list[list[Hit]]:
        """For each query the `top` chunks that share a term with it and hold its phrases."""
        if self.keyword is None:
            return [[] for _ in queries]
        narrowing = self._narrowing(condition)
        return [search(self.keyword, text, top, narrowing, how, self.text_of) for text in queries]

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
                return chunks
            wanted = min(wanted * 4, top * narrowing.most_texts)

    def document_frequency(self, term: str) -> int:
        """In how many index texts a stemmed term occurs."""
        return self.keyword.document_frequency(term) if self.keyword is not None else 0

    def rarity(self, term: str) -> float:
        """The weight of a stemmed term by itself."""
        return self.keyword.rarity(term) if self.keyword is not None else 0.0

    def _narrowing(self, condition: frozenset[str] | None) -> Narrowing:
        return _narrowed(self, condition)


@lru_cache(maxsize=4)
def _narrowed(searcher: InMemory, condition: frozenset[str] | None) -> Narrowing:
    if condition is None:
        return Narrowing(searcher.owner, None)
    may = np.array([name in condition for name in searcher.table.docs], dtype=bool)[searcher.table.doc]
    return Narrowing(searcher.owner, may)
