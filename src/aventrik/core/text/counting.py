"""How often each term stands in each text, as a sparse table; texts are read once, in blocks, and not kept."""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Mapping, Sequence
from functools import lru_cache
from typing import Any

import numpy as np
import numpy.typing as npt

from . import WORD, pieces_of, stems_of

_BLOCK = 8192
_REMEMBERED = 400_000
_NONE = -1
_BASE = 0x9E3779B97F4A7C15  # odd, so that it has an inverse mod 2^64
_INK = np.ones(256, dtype=bool)
_INK[[*range(9, 14), *range(28, 33)]] = False
_WHOLE = (1 << 64) - 1


class Vocabulary:
    """The stems of words, by number, and what each piece between two white spaces holds of them.

    A piece is known by a 64-bit hash of its bytes, taken apart once, as `text.terms` would, and remembered for a while.
    Numbers follow the order in which stems are met. `words_left_out` never count; once `closed`, no new stem does.
    """

    def __init__(
        self,
        stems: Sequence[str] = (),
        words_left_out: Iterable[str] = (),
        closed: bool = False,
        language: str = "english",
    ) -> None:
        self._language = language
        self._stems = {found: number for number, found in enumerate(stems)}
        self._words: dict[str, int] = dict.fromkeys(words_left_out, _NONE)
        self._closed = closed
        self._pieces: dict[int, int] = {}  # a stem's number, _NONE, or −2 − n for the n-th of `_several`
        self._several: list[list[int]] = []

    def numbers(self, texts: Sequence[str]) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int32]]:
        """(owners, numbers): the text and the stem of every word that counts, texts in order."""
        bodies = [text.lower().encode("utf-8", "surrogatepass") for text in texts]
        joined = b" ".join(bodies)
        starts, ends = _pieces(joined)
        different, first, place = np.unique(_hashes(joined, starts, ends), return_index=True, return_inverse=True)
        marks = different.tolist()
        if len(self._pieces) > _REMEMBERED:
            self._pieces.clear()
            self._several.clear()
        fresh = [n for n, mark in enumerate(marks) if mark not in self._pieces]
        begin, end = starts[first[fresh]].tolist(), ends[first[fresh]].tolist()
        self._learn([(marks[n], joined[a:b].decode("utf-8", "surrogatepass")) for n, a, b in zip(fresh, begin, end)])
        found = np.fromiter(map(self._pieces.__getitem__, marks), dtype=np.int64, count=len(marks))[place]
        after = np.cumsum(np.fromiter(map(len, bodies), dtype=np.int64, count=len(bodies)) + 1)
        owners = np.searchsorted(after, starts, side="right")
        many = np.flatnonzero(found < _NONE)
        if len(many):
            rows = [self._several[-2 - code] for code in found[many].tolist()]
            sizes = np.ones(len(found), dtype=np.int64)
            sizes[many] = np.fromiter(map(len, rows), dtype=np.int64, count=len(rows))
            owners, found = np.repeat(owners, sizes), np.repeat(found, sizes)
            found[found < _NONE] = list(itertools.chain.from_iterable(rows))
        counts = found >= 0
        return owners[counts], found[counts].astype(np.int32)

    def _learn(self, fresh: list[tuple[int, str]]) -> None:
        """Takes new pieces, each with its hash, apart."""
        plain = [pair for pair in fresh if _is_word(pair[1])]
        mixed = [
            (mark, [each for word in WORD.findall(piece) for each in pieces_of(word)])
            for mark, piece in fresh
            if not _is_word(piece)
        ]
        met = itertools.chain((word for _, word in plain), (word for _, row in mixed for word in row))
        self._number([word for word in dict.fromkeys(met) if word not in self._words])
        self._pieces.update((mark, self._words[word]) for mark, word in plain)
        for mark, row in mixed:
            if len(row) == 1:
                self._pieces[mark] = self._words[row[0]]
            elif row:
                self._pieces[mark] = -2 - len(self._several)
                self._several.append([self._words[word] for word in row])
            else:
                self._pieces[mark] = _NONE

    def _number(self, words: list[str]) -> None:
        """Gives each new word the number of its stem."""
        for word, found in zip(words, stems_of(words, self._language)):
            known = self._stems.get(found, _NONE)
            if known == _NONE and not self._closed:
                known = self._stems[found] = len(self._stems)
            self._words[word] = known

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
        """The `hash_of` each stem."""
        bodies = [found.encode("utf-8", "surrogatepass") for found in self._stems]
        ends = np.cumsum(np.fromiter(map(len, bodies), dtype=np.int64, count=len(bodies)))
        return _hashes(b"".join(bodies), np.concatenate(([0], ends[:-1])).astype(np.int64), ends)


def _is_word(piece: str) -> bool:
    """Whether a piece between white spaces is one word, matched by itself."""
    return piece.isalpha() and (piece.isascii() or pieces_of(piece) == [piece])


def _pieces(body: bytes) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]:
    """Starts and ends of the runs of bytes that are no ASCII white space."""
    inside = np.zeros(len(body) + 2, dtype=bool)
    np.take(_INK, np.frombuffer(body, dtype=np.uint8), out=inside[1:-1])
    edges = np.flatnonzero(inside[1:] != inside[:-1])
    return edges[::2], edges[1::2]


def _hashes(body: bytes, starts: npt.NDArray[np.int64], ends: npt.NDArray[np.int64]) -> npt.NDArray[np.uint64]:
    """A hash of each piece: Σ (byte + 1) · P^place mod 2^64 with places counted from the start of the piece, so that
    equal pieces are equal wherever they stand; the sums of all pieces come of one running sum (Rabin and Karp, 1987)."""
    powers, inverses = _powers(1 << max(16, len(body).bit_length()))
    sums = np.zeros(len(body) + 1, dtype=np.uint64)
    np.cumsum((np.frombuffer(body, dtype=np.uint8) + np.uint64(1)) * powers[: len(body)], out=sums[1:])
    found: npt.NDArray[np.uint64] = (sums[ends] - sums[starts]) * inverses[starts]
    return found ^ (found >> np.uint64(29))


@lru_cache(maxsize=2)
def _powers(count: int) -> tuple[npt.NDArray[np.uint64], npt.NDArray[np.uint64]]:
    """P^n and P^−n mod 2^64 for n below `count`."""
    rows = []
    for base in (_BASE, pow(_BASE, -1, 1 << 64)):
        factors = np.full(count, base, dtype=np.uint64)
        factors[0] = 1
        rows.append(np.cumprod(factors, dtype=np.uint64))
    return rows[0], rows[1]


def hash_of(term: str) -> np.uint64:
    """The hash of one term, the same in every process: that of `_hashes`."""
    found = 0
    for byte in reversed(term.encode("utf-8", "surrogatepass")):
        found = (found * _BASE + byte + 1) & _WHOLE
    return np.uint64(found ^ (found >> 29))


def count_terms(texts: Iterable[str], vocabulary: Vocabulary) -> Any:
    """A SciPy CSR table, shape (texts, terms), int32 counts, terms of a row in ascending order."""
    from scipy.sparse import csr_matrix

    columns: list[npt.NDArray[np.int32]] = []
    counts: list[npt.NDArray[np.int32]] = []
    sizes: list[npt.NDArray[np.int64]] = []
    waiting = iter(texts)
    while block := list(itertools.islice(waiting, _BLOCK)):
        owners, numbers = vocabulary.numbers(block)
        first = np.searchsorted(owners, np.arange(len(block) + 1))
        width = max(1, len(vocabulary.stems_met))
        table = csr_matrix((np.ones(len(numbers), np.int32), numbers, first), shape=(len(block), width))
        table.sum_duplicates()
        columns.append(table.indices.astype(np.int32, copy=False))
        counts.append(table.data)
        sizes.append(np.diff(table.indptr))
    shape = (sum(map(len, sizes)), max(1, len(vocabulary.stems_met)))
    if not sizes:
        return csr_matrix(shape, dtype=np.int32)
    first_of = np.concatenate(([0], np.cumsum(np.concatenate(sizes))))
    return csr_matrix((np.concatenate(counts), np.concatenate(columns), first_of), shape=shape, copy=False)
