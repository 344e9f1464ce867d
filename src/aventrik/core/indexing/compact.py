"""Vectors that take less room: their first numbers alone, and eight bits or one bit a number; searched as they are, and
what is found scored again by the whole vectors where that is wanted."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from ..embedding import unit
from . import Hit, best
from .vectors import rescored
from .vectors import search as exact

BITS = (32, 8, 1)
_ROWS = 1 << 16  # rows that are looked at at a time


@dataclass(frozen=True)
class Coding:
    """How vectors are kept: how many of their first numbers (0: all), scaled to length 1 again; and how many bits each
    of these takes, one of `BITS`."""

    keep: int = 0
    bits: int = 32


@dataclass(frozen=True)
class Compact:
    """Vectors as they are kept. `rows`: float32 of shape (n, d) for 32 bits; int8 of shape (n, d) for 8, each number of
    row i in units of `scale[i]`; uint8 of shape (n, ⌈d / 8⌉) for one bit, set where a number is positive. `dimensions` is
    d."""

    coding: Coding
    rows: npt.NDArray
    scale: npt.NDArray[np.float32]
    dimensions: int

    def __len__(self) -> int:
        return len(self.rows)

    @property
    def bytes_each(self) -> float:
        """What a vector takes, in bytes."""
        return float(self.rows.itemsize * self.rows.shape[1] + (4 if self.coding.bits == 8 else 0))

    def decoded(self, first: int, last: int) -> npt.NDArray[np.float32]:
        """Some rows of an eight-bit coding as float32."""
        return self.rows[first:last].astype(np.float32) * self.scale[first:last, None]


def cut(vectors: npt.NDArray[np.float32], keep: int) -> npt.NDArray[np.float32]:
    """The first `keep` numbers of each vector (all for 0), scaled to length 1."""
    return unit(vectors[:, :keep]) if 0 < keep < vectors.shape[1] else np.asarray(vectors, dtype=np.float32)


def compacted(vectors: npt.NDArray[np.float32], coding: Coding) -> dict[str, npt.NDArray]:
    """The vectors of a document, shape (n, d), as columns: `rows` and `scale` (see `Compact`)."""
    kept = cut(vectors, coding.keep)
    scale = np.zeros(len(kept), np.float32)
    rows: npt.NDArray = kept
    if coding.bits == 8:
        scale = (np.abs(kept).max(axis=1, initial=0.0) / 127).astype(np.float32)
        rows = np.round(kept / np.where(scale > 0, scale, 1)[:, None]).astype(np.int8)
    elif coding.bits == 1:
        rows = np.packbits(kept > 0, axis=1)
    return {"rows": rows, "scale": scale, "width": np.array([kept.shape[1]], dtype=np.int32)}


def search(
    compact: Compact,
    vectors: npt.NDArray[np.float32],
    queries: npt.NDArray[np.float32],
    top: int,
    allowed: npt.NDArray[np.bool_] | None = None,
    rescore: int = 0,
) -> list[list[Hit]]:
    """For each query (a row of whole width) the `top` nearest rows, best first; `allowed` as in `vectors.search`.

    With `rescore` r the r · top nearest by their codes are scored again with the whole `vectors` they were made of; else
    a score is the cosine of the codes, and of one bit a number its estimate cos(π · different bits ÷ d) (Charikar, 2002).
    """
    if not len(compact) or not len(queries):
        return [[] for _ in queries]
    asked = cut(queries, compact.coding.keep)
    wanted = min(len(compact), top * rescore if rescore else top)
    if compact.coding.bits == 32:
        found = exact(compact.rows, asked, wanted, allowed)
    elif compact.coding.bits == 8:
        found = _by_eight(compact, asked, wanted, allowed)
    else:
        found = _by_one(compact, asked, wanted, allowed)
    if not rescore or compact.coding == Coding():
        return [row[:top] for row in found]
    places = np.full((len(found), max(map(len, found), default=0)), -1, dtype=np.int64)
    for row, hits in zip(places, found):
        row[: len(hits)] = [place for place, _ in hits]
    return rescored(vectors, np.ascontiguousarray(queries, dtype=np.float32), places, top)


def _by_eight(
    compact: Compact, queries: npt.NDArray[np.float32], top: int, allowed: npt.NDArray[np.bool_] | None
) -> list[list[Hit]]:
    """The nearest by the codes of eight bits, block by block."""
    near: list[list[Hit]] = [[] for _ in queries]
    for first, last in _blocks(len(compact)):
        some = None if allowed is None else allowed[first:last]
        found = exact(compact.decoded(first, last), queries, top, some)
        near = [[*row, *((place + first, score) for place, score in more)] for row, more in zip(near, found)]
    return [sorted(row, key=lambda hit: (-hit[1], hit[0]))[:top] for row in near]


def _by_one(
    compact: Compact, queries: npt.NDArray[np.float32], top: int, allowed: npt.NDArray[np.bool_] | None
) -> list[list[Hit]]:
    """The nearest by how many signs differ."""
    codes = np.packbits(queries > 0, axis=1)
    found = []
    for code in codes:
        likeness = np.empty(len(compact), dtype=np.float32)
        for first, last in _blocks(len(compact)):
            likeness[first:last] = -_different(compact.rows[first:last], code).astype(np.float32)
        if allowed is not None:
            likeness[~allowed] = -np.inf
        hits = best(likeness, top)
        angle = np.pi / compact.dimensions
        found.append([(place, round(float(np.cos(angle * -score)), 6)) for place, score in hits if score > -np.inf])
    return found


def _different(rows: npt.NDArray[np.uint8], code: npt.NDArray[np.uint8]) -> npt.NDArray[np.uint16]:
    """How many bits of each row differ from a code's."""
    wide = rows.shape[1] % 8 == 0
    words = np.ascontiguousarray(rows).view(np.uint64) if wide else rows
    asked = np.ascontiguousarray(code).view(np.uint64) if wide else code
    found = np.zeros(len(rows), dtype=np.uint16)
    for column, word in enumerate(asked):  # a column at a time is several times quicker than a sum over each row
        found += np.bitwise_count(words[:, column] ^ word)
    return found


def _blocks(count: int) -> Iterator[tuple[int, int]]:
    for first in range(0, count, _ROWS):
        yield first, min(count, first + _ROWS)
