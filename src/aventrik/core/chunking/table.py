"""Chunks as records: how a document is cut, the chunks of a corpus as one table, and as columns that are kept."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from ..documents.spans import Range

Chunk = tuple[Range, ...]


@dataclass(frozen=True)
class Cutting:
    """How to cut: `size` and `overlap` are counted in `unit` (see `core.text.rulers`); 0 <= overlap < size."""

    method: str = "paragraph"
    size: int = 800
    unit: str = "chars"
    overlap: int = 80
    tokenizer: str = "estimate"


@dataclass(frozen=True)
class ChunkTable:
    """All chunks of a corpus as columns.

    `docs`: document names. For chunk i, `doc[i]` is an index into them and its ranges are
    `starts[j]:ends[j]` for j in `first[i]:first[i + 1]`. Chunks stand in document order.
    """

    docs: tuple[str, ...]
    doc: npt.NDArray[np.int32]
    first: npt.NDArray[np.int64]
    starts: npt.NDArray[np.int64]
    ends: npt.NDArray[np.int64]

    def __len__(self) -> int:
        return len(self.doc)

    @cached_property
    def places(self) -> dict[str, int]:
        """The index of each document in `docs`."""
        return {name: place for place, name in enumerate(self.docs)}

    def name(self, number: int) -> str:
        """The document that a chunk belongs to."""
        return self.docs[self.doc[number]]

    def ranges(self, number: int) -> Chunk:
        """The ranges of one chunk."""
        left, right = int(self.first[number]), int(self.first[number + 1])
        return tuple(zip(self.starts[left:right].tolist(), self.ends[left:right].tolist()))

    @classmethod
    def build(cls, cut: Sequence[tuple[str, Sequence[Chunk]]]) -> ChunkTable:
        """The table of (document name, its chunks), in the given order."""
        flat = [ranges for _, chunks in cut for ranges in chunks]
        return cls(
            docs=tuple(name for name, _ in cut),
            doc=np.repeat(np.arange(len(cut), dtype=np.int32), [len(chunks) for _, chunks in cut]),
            first=np.cumsum([0, *(len(ranges) for ranges in flat)], dtype=np.int64),
            starts=np.array([start for ranges in flat for start, _ in ranges], dtype=np.int64),
            ends=np.array([end for ranges in flat for _, end in ranges], dtype=np.int64),
        )

    @classmethod
    def of_columns(
        cls, docs: Sequence[str], columns: dict[str, npt.NDArray], ends: dict[str, npt.NDArray[np.int64]]
    ) -> ChunkTable:
        """The table of the documents `docs`, from the `columns_of` each, laid end to end; document d has the entries
        `ends[name][d]:ends[name][d + 1]` of each."""
        sizes = columns["sizes"]
        return cls(
            docs=tuple(docs),
            doc=np.repeat(np.arange(len(docs), dtype=np.int32), np.diff(ends["sizes"])),
            first=np.concatenate(([0], np.cumsum(sizes, dtype=np.int64))),
            starts=np.asarray(columns["starts"]),
            ends=np.asarray(columns["ends"]),
        )


def columns_of(chunks: Sequence[Chunk]) -> dict[str, npt.NDArray]:
    """The chunks of one document as columns: `sizes` (int32), the ranges of each; `starts` and `ends` (int64)."""
    return {
        "sizes": np.array([len(ranges) for ranges in chunks], dtype=np.int32),
        "starts": np.array([start for ranges in chunks for start, _ in ranges], dtype=np.int64),
        "ends": np.array([end for ranges in chunks for _, end in ranges], dtype=np.int64),
    }


def chunks_from(columns: dict[str, npt.NDArray]) -> list[Chunk]:
    """The inverse of `columns_of`."""
    ranges = iter(zip(columns["starts"].tolist(), columns["ends"].tolist()))
    return [tuple(next(ranges) for _ in range(size)) for size in columns["sizes"].tolist()]


def chunks_of(table: ChunkTable, doc: str) -> range:
    """The chunk numbers of a document; empty for one that the table does not have."""
    place = table.places.get(doc)
    if place is None:
        return range(0)
    left, right = np.searchsorted(table.doc, [place, place + 1])
    return range(int(left), int(right))
