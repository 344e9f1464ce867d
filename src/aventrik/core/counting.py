"""How often each term stands in each text, as a sparse table; texts are read once, in blocks, and not kept."""

from __future__ import annotations

import hashlib
import itertools
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from .text import WORD, stem

_BLOCK = 4096
_REMEMBERED = 400_000


class Vocabulary(dict[str, tuple[int, ...]]):
    """What stands between two white spaces, lower-cased → the numbers of the stems in it, those that do not count left
    out. Each such piece is taken apart once, as `text.terms` would, and remembered for a while.

    Numbers follow the order in which stems are met. `words_left_out` never count; once `closed`, no new stem does.
    """

    def __init__(self, stems: Sequence[str] = (), words_left_out: Iterable[str] = (), closed: bool = False) -> None:
        super().__init__()
        self._stems = {found: number for number, found in enumerate(stems)}
        self._words: dict[str, int] = dict.fromkeys(words_left_out, -1)
        self._closed = closed

    def __missing__(self, piece: str) -> tuple[int, ...]:
        if len(self) >= _REMEMBERED:
            self.clear()
        found = tuple(number for number in map(self._number, WORD.findall(piece)) if number >= 0)
        self[piece] = found
        return found

    def _number(self, word: str) -> int:
        number = self._words.get(word)
        if number is None:
            found = stem(word)
            number = self._stems.get(found, -1) if self._closed else self._stems.setdefault(found, len(self._stems))
            self._words[word] = number
        return number

    @property
    def stems_met(self) -> Mapping[str, int]:
        """The stems with their numbers, in order."""
        return self._stems

    def shown(self) -> list[str]:
        """For each number the shortest word that was met with that stem."""
        words = [""] * len(self._stems)
        for word, number in self._words.items():
            if number >= 0 and (not words[number] or (len(word), word) < (len(words[number]), words[number])):
                words[number] = word
        return words

    def hashes(self) -> npt.NDArray[np.uint64]:
        """The 64-bit hash of each stem."""
        return np.fromiter((hash_of(found) for found in self._stems), dtype=np.uint64, count=len(self._stems))


def hash_of(term: str) -> np.uint64:
    """A hash that is the same in every process."""
    return np.uint64(int.from_bytes(hashlib.blake2b(term.encode(), digest_size=8).digest(), "little"))


def count_terms(texts: Iterable[str], vocabulary: Vocabulary) -> Any:
    """A SciPy CSR table, shape (texts, terms), int32 counts, terms of a row in ascending order."""
    from scipy.sparse import csr_matrix

    columns: list[npt.NDArray[np.int32]] = []
    counts: list[npt.NDArray[np.int32]] = []
    sizes: list[npt.NDArray[np.int64]] = []
    waiting = iter(texts)
    numbers = vocabulary.__getitem__
    while block := list(itertools.islice(waiting, _BLOCK)):
        flat: list[int] = []
        first = [0]
        for text in block:
            flat.extend(itertools.chain.from_iterable(map(numbers, text.lower().split())))
            first.append(len(flat))
        width = max(1, len(vocabulary.stems_met))
        ones = np.ones(len(flat), dtype=np.int32)
        table = csr_matrix((ones, np.array(flat, dtype=np.int32), np.array(first)), shape=(len(block), width))
        table.sum_duplicates()
        columns.append(table.indices.astype(np.int32, copy=False))
        counts.append(table.data)
        sizes.append(np.diff(table.indptr))
    shape = (sum(map(len, sizes)), max(1, len(vocabulary.stems_met)))
    if not sizes:
        return csr_matrix(shape, dtype=np.int32)
    first_of = np.concatenate(([0], np.cumsum(np.concatenate(sizes))))
    return csr_matrix((np.concatenate(counts), np.concatenate(columns), first_of), shape=shape, copy=False)
