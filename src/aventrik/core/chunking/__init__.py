"""Documents to chunks. A method is one module and one line in `METHODS`."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from importlib import import_module

import numpy as np
import numpy.typing as npt

from ..documents import Document
from ..spans import Range

METHODS = ("fixed", "paragraph")
UNITS = ("chars", "words", "tokens")

Chunk = tuple[Range, ...]


@dataclass(frozen=True)
class Cutting:
    """How to cut: `size` and `overlap` are counted in `unit`; 0 <= overlap < size."""

    method: str = "paragraph"
    size: int = 800
    unit: str = "chars"
    overlap: int = 80


def chunk(document: Document, cutting: Cutting) -> list[Chunk]:
    """The chunks of one document, in order: each an ordered list of ranges of its canonical text."""
    if cutting.size < 1 or not 0 <= cutting.overlap < cutting.size:
        raise ValueError("size must be at least 1 and overlap from 0 to size - 1")
    cut: Callable[[Document, Cutting], list[Chunk]] = import_module(f"{__name__}.{cutting.method}").cut
    return cut(document, cutting)


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

    def arrays(self) -> dict[str, npt.NDArray]:
        """The columns, for storage."""
        names = np.frombuffer("\n".join(self.docs).encode("utf-8", "surrogateescape"), dtype=np.uint8)
        return {"docs": names, "doc": self.doc, "first": self.first, "starts": self.starts, "ends": self.ends}

    @classmethod
    def from_arrays(cls, arrays: dict[str, npt.NDArray]) -> ChunkTable:
        """The inverse of `arrays`."""
        names = arrays["docs"].tobytes().decode("utf-8", "surrogateescape")
        columns = {name: arrays[name] for name in ("doc", "first", "starts", "ends")}
        return cls(docs=tuple(names.split("\n")) if names else (), **columns)
