"""Keyword search: BM25 and, over title and body, BM25F, with postings that are laid out a term at a time."""

from __future__ import annotations

import math
from collections import Counter, OrderedDict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import numpy.typing as npt

from ..text import terms
from ..text.counting import hash_of
from . import Hit, Narrowing, best
from .terms import Columns, count, table_of

Terms = tuple[Columns, dict[str, npt.NDArray[np.int64]]]

_SLICE = 1 << 20  # postings that are weighed at a time
_OFTEN = 20  # a term in more than one of so many texts is frequent
_ROW_BYTES = 50_000_000


@dataclass(frozen=True)
class KeywordIndex:
    """Postings of each term: text numbers and BM25 weights.

    Term t's postings are `texts[first[t]:first[t + 1]]` (int32, ascending) and the same part of `weights`
    (float32). `hashes` (uint64, ascending) are the terms' 64-bit hashes, by which a term is found.

    The weight of a term in a text (Robertson and Zaragoza, 2009, sections 3.4 and 3.6) is
    idf · tf · (k1 + 1) / (tf + k1), where tf is the sum over the fields of
    field weight · count / (1 − b + b · length ÷ mean length), each with the field's own b and lengths,
    and idf = ln(1 + (N − n + 0.5) / (n + 0.5)), which is never negative.
    """

    size: int
    hashes: npt.NDArray[np.uint64]
    first: npt.NDArray[np.int64]
    texts: npt.NDArray[np.int32]
    weights: npt.NDArray[np.float32]

    def search(self, query: str, top: int, narrowing: Narrowing | None = None) -> list[Hit]:
        """The `top` texts (or, narrowed, chunks) that share a term with the query, as (number, score), best first."""
        scores = self.scores(terms(query))
        if narrowing is not None:
            scores = narrowing.of_chunks(scores)
        return best(scores, top, floor=0.0)

    def scores(self, query_terms: Sequence[str]) -> npt.NDArray[np.float32]:
        """The score of every text; a term that stands twice in the query counts twice."""
        scores = np.zeros(self.size, dtype=np.float32)
        for term, times in Counter(query_terms).items():
            left, right = self._postings(term)
            if (right - left) * _OFTEN > self.size:
                row = self._row(term, left, right)
                scores += row * np.float32(times) if times > 1 else row
            elif left < right:
                weights = self.weights[left:right]
                scores[self.texts[left:right]] += weights * np.float32(times) if times > 1 else weights
        return scores

    @cached_property
    def _rows(self) -> OrderedDict[str, npt.NDArray[np.float32]]:
        return OrderedDict()

    def _row(self, term: str, left: int, right: int) -> npt.NDArray[np.float32]:
        """The weights of a frequent term with a place for every text, which are quicker to add; the last few are held."""
        row = self._rows.get(term)
        if row is None:
            row = np.zeros(self.size, dtype=np.float32)
            row[self.texts[left:right]] = self.weights[left:right]
            self._rows[term] = row
            if len(self._rows) > max(8, _ROW_BYTES // row.nbytes):
                self._rows.popitem(last=False)
        else:
            self._rows.move_to_end(term)
        return row

    def document_frequency(self, term: str) -> int:
        """In how many texts a term (already stemmed) stands."""
        left, right = self._postings(term)
        return right - left

    def texts_with(self, term: str) -> npt.NDArray[np.int32]:
        """The numbers of the texts in which a (stemmed) term stands, ascending."""
        left, right = self._postings(term)
        return self.texts[left:right]

    def rarity(self, term: str) -> float:
        """The weight of a (stemmed) term by itself: ln(1 + N ÷ (n + ½)); greatest for one that stands nowhere."""
        return math.log1p(self.size / (self.document_frequency(term) + 0.5))

    def _postings(self, term: str) -> tuple[int, int]:
        wanted = hash_of(term)
        place = int(np.searchsorted(self.hashes, wanted))
        if place == len(self.hashes) or self.hashes[place] != wanted:
            return (0, 0)
        return (int(self.first[place]), int(self.first[place + 1]))

    def arrays(self) -> dict[str, npt.NDArray]:
        """The columns, for storage."""
        return {
            "size": np.array([self.size], dtype=np.int64),
            "hashes": self.hashes,
            "first": self.first,
            "texts": self.texts,
            "weights": self.weights,
        }

    @classmethod
    def from_arrays(cls, arrays: dict[str, npt.NDArray]) -> KeywordIndex:
        """The inverse of `arrays`."""
        columns = {name: arrays[name] for name in ("hashes", "first", "texts", "weights")}
        return cls(size=int(arrays["size"][0]), **columns)


def build(
    texts: Iterable[str],
    k1: float = 1.2,
    b: float = 0.75,
    titles: Iterable[str] = (),
    title_weight: float = 0.0,
    title_b: float = 0.75,
) -> KeywordIndex:
    """An index over texts; `titles`, one a text, are their second field."""

    def whole(one: Iterable[str]) -> Terms:
        [columns] = count([list(one)])
        return columns, {name: np.array([0, len(column)], dtype=np.int64) for name, column in columns.items()}

    return merge(whole(texts), k1, b, whole(titles) if title_weight > 0 else None, title_weight, title_b)


def merge(
    body: Terms,
    k1: float = 1.2,
    b: float = 0.75,
    titles: Terms | None = None,
    title_weight: float = 0.0,
    title_b: float = 0.75,
) -> KeywordIndex:
    """An index from the terms of all documents, each field as (columns, where each document's begin and end)."""
    fields = [body] if titles is None else [body, titles]
    hashes = np.unique(np.concatenate([columns["vocabulary"] for columns, _ in fields]))
    counts = table_of(*body, hashes)
    size = counts.shape[0]
    if not size or not counts.nnz:
        nothing = np.zeros(0)
        first = np.zeros(1, np.int64)
        return KeywordIndex(
            size, nothing.astype(np.uint64), first, nothing.astype(np.int32), nothing.astype(np.float32)
        )
    table = _by_length(counts, b)
    if titles is not None:
        table = table + np.float32(title_weight) * _by_length(table_of(*titles, hashes), title_b)
    columns = table.tocsc()  # of each term the texts in ascending order
    frequency = np.diff(columns.indptr)
    idf = np.log1p((size - frequency + 0.5) / (frequency + 0.5))
    weights = columns.data
    of_posting = np.repeat(idf.astype(np.float32), frequency)
    for left in range(0, len(weights), _SLICE):
        some = weights[left : left + _SLICE].astype(np.float64)
        weights[left : left + _SLICE] = of_posting[left : left + _SLICE] * (some * (k1 + 1) / (some + k1))
    texts_of = columns.indices.astype(np.int32, copy=False)
    return KeywordIndex(size, hashes, columns.indptr.astype(np.int64), texts_of, weights)


def _by_length(counts: Any, b: float) -> Any:
    """Counts divided by how long their text is beside the mean, as float32."""
    lengths = np.asarray(counts.sum(axis=1)).ravel()
    norm = 1 - b + b * lengths / max(float(lengths.mean()), 1e-9)
    table = counts.astype(np.float32)
    table.data /= np.repeat(np.maximum(norm, 1e-9), np.diff(counts.indptr)).astype(np.float32)
    return table
