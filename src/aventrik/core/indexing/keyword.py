"""Keyword search: BM25 over postings that are laid out a term at a time."""

from __future__ import annotations

import hashlib
import math
from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from ..text import WORD, stem, terms
from . import Hit, best

_BLOCK = 4096


@dataclass(frozen=True)
class KeywordIndex:
    """Postings of each term: chunk numbers and BM25 weights.

    Term t's postings are `chunks[first[t]:first[t + 1]]` (int32, ascending) and the same part of `weights`
    (float32). `hashes` (uint64, ascending) are the terms' 64-bit hashes, by which a term is found.

    The weight of a term in a chunk (Robertson and Zaragoza, 2009, section 3.4) is
    idf · tf · (k1 + 1) / (tf + k1 · (1 − b + b · length ÷ mean length)),
    with idf = ln(1 + (N − n + 0.5) / (n + 0.5)), which is never negative.
    """

    size: int
    hashes: npt.NDArray[np.uint64]
    first: npt.NDArray[np.int64]
    chunks: npt.NDArray[np.int32]
    weights: npt.NDArray[np.float32]

    def search(self, query: str, top: int) -> list[Hit]:
        """The `top` chunks that share a term with the query, as (number, score), best first."""
        scores = self.scores(terms(query))
        return best(scores, top, floor=0.0)

    def scores(self, query_terms: Sequence[str]) -> npt.NDArray[np.float32]:
        """BM25 score of every chunk; a term that stands twice in the query counts twice."""
        scores = np.zeros(self.size, dtype=np.float32)
        for term, count in Counter(query_terms).items():
            left, right = self._postings(term)
            weights = self.weights[left:right]
            scores[self.chunks[left:right]] += weights * np.float32(count) if count > 1 else weights
        return scores

    def document_frequency(self, term: str) -> int:
        """In how many chunks a term (already stemmed) stands."""
        left, right = self._postings(term)
        return right - left

    def rarity(self, term: str) -> float:
        """The weight of a (stemmed) term by itself: ln(1 + N ÷ (n + ½)); greatest for one that stands nowhere."""
        return math.log1p(self.size / (self.document_frequency(term) + 0.5))

    def _postings(self, term: str) -> tuple[int, int]:
        wanted = _hash(term)
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
            "chunks": self.chunks,
            "weights": self.weights,
        }

    @classmethod
    def from_arrays(cls, arrays: dict[str, npt.NDArray]) -> KeywordIndex:
        """The inverse of `arrays`."""
        columns = {name: arrays[name] for name in ("hashes", "first", "chunks", "weights")}
        return cls(size=int(arrays["size"][0]), **columns)


def build(texts: Iterable[str], k1: float = 1.2, b: float = 0.75) -> KeywordIndex:
    """An index over texts, which are read once and not kept."""
    lookup = _Vocabulary()
    found_terms: list[npt.NDArray] = []
    found_chunks: list[npt.NDArray] = []
    found_counts: list[npt.NDArray] = []
    lengths: list[int] = []
    block: list[list[int]] = []

    def close() -> None:
        if not block:
            return
        sizes = [len(ids) for ids in block]
        offset = len(lengths)
        lengths.extend(sizes)
        width = max(1, len(lookup))
        flat = np.fromiter((i for ids in block for i in ids), dtype=np.int64, count=sum(sizes))
        rows = np.repeat(np.arange(len(block), dtype=np.int64), sizes)
        pairs, counts = np.unique(rows * width + flat, return_counts=True)
        found_chunks.append((pairs // width + offset).astype(np.int32))
        found_terms.append((pairs % width).astype(np.int32))
        found_counts.append(counts.astype(np.int32))
        block.clear()

    for text in texts:
        block.append([lookup[word] for word in WORD.findall(text.lower())])
        if len(block) == _BLOCK:
            close()
    close()
    if not lengths:
        empty = np.zeros(0)
        return KeywordIndex(
            0, empty.astype(np.uint64), np.zeros(1, np.int64), empty.astype(np.int32), empty.astype(np.float32)
        )
    return _lay_out(
        lookup.hashes(),
        np.concatenate(found_terms),
        np.concatenate(found_chunks),
        np.concatenate(found_counts),
        np.array(lengths, dtype=np.float64),
        k1,
        b,
    )


def _lay_out(
    hashes: npt.NDArray[np.uint64],
    term: npt.NDArray,
    chunk: npt.NDArray,
    count: npt.NDArray,
    lengths: npt.NDArray[np.float64],
    k1: float,
    b: float,
) -> KeywordIndex:
    """Sorts postings by hash of term, then chunk, and works out their weights."""
    by_hash = np.argsort(hashes, kind="stable")
    place = np.empty(len(hashes), dtype=np.int32)
    place[by_hash] = np.arange(len(hashes), dtype=np.int32)
    term = place[term]
    order = np.argsort(term, kind="stable")
    term, chunk, count = term[order], chunk[order], count[order]
    frequency = np.bincount(term, minlength=len(hashes))
    total = len(lengths)
    idf = np.log1p((total - frequency + 0.5) / (frequency + 0.5))
    mean = max(float(lengths.mean()), 1e-9)
    norm = k1 * (1 - b + b * lengths / mean)
    weights = idf[term] * count * (k1 + 1) / (count + norm[chunk])
    first = np.concatenate(([0], np.cumsum(frequency))).astype(np.int64)
    return KeywordIndex(total, hashes[by_hash], first, chunk.astype(np.int32), weights.astype(np.float32))


class _Vocabulary(dict[str, int]):
    """Lower-cased word → number of its stem; a word met for the first time is stemmed once."""

    def __init__(self) -> None:
        super().__init__()
        self._stems: dict[str, int] = {}

    def __missing__(self, word: str) -> int:
        number = self._stems.setdefault(stem(word), len(self._stems))
        self[word] = number
        return number

    def __len__(self) -> int:
        return len(self._stems)

    def hashes(self) -> npt.NDArray[np.uint64]:
        return np.fromiter((_hash(term) for term in self._stems), dtype=np.uint64, count=len(self._stems))


def _hash(term: str) -> np.uint64:
    return np.uint64(int.from_bytes(hashlib.blake2b(term.encode(), digest_size=8).digest(), "little"))
