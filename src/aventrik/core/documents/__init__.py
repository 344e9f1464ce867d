"""A document: one canonical text, and the tree of parts that are ranges of it."""

from __future__ import annotations

import bisect
import hashlib
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, NamedTuple, overload

import orjson

from .spans import Range


class Part(NamedTuple):
    """A structural piece: page, heading, paragraph, list, item, table, row, cell or code.

    `parent` is an index into the document's parts, -1 at the top.

    `level` is the depth of a heading (1 to 6); `label` holds what a kind needs besides its text:
    the column name of a cell, the number of a page.
    """

    kind: str
    start: int
    end: int
    parent: int = -1
    level: int = 0
    label: str = ""


@dataclass(frozen=True)
class Document:
    """A source text as it was read. In `text` a newline always ends a block."""

    name: str
    text: str
    parts: Sequence[Part] = ()
    title: str = ""
    meta: dict[str, Any] = field(default_factory=dict)

    @cached_property
    def key(self) -> str:
        """Content key of text, title and parts: what chunks and indexes depend on. Metadata is no part of it."""
        digest = hashlib.sha256()
        for piece in (self.text.encode(), self.title.encode(), self.packed_parts):
            digest.update(len(piece).to_bytes(8, "little"))
            digest.update(piece)
        return digest.hexdigest()

    @cached_property
    def packed_parts(self) -> bytes:
        """The parts as JSON, for storage: a list of lists."""
        return orjson.dumps([tuple(part) for part in self.parts])

    @cached_property
    def headings(self) -> tuple[Part, ...]:
        return tuple(part for part in self.parts if part.kind == "heading")

    @cached_property
    def _heading_starts(self) -> list[int]:
        return [heading.start for heading in self.headings]

    def of_kind(self, *kinds: str) -> list[Part]:
        """Parts of the given kinds, in document order."""
        if kinds not in self._kinds:
            self._kinds[kinds] = [part for part in self.parts if part.kind in kinds]
        return list(self._kinds[kinds])

    @cached_property
    def _kinds(self) -> dict[tuple[str, ...], list[Part]]:
        return {}

    def heading_path(self, offset: int) -> tuple[str, ...]:
        """The texts of the headings that stand over an offset, outermost first."""
        last = bisect.bisect_right(self._heading_starts, offset) - 1
        if last not in self._paths:
            self._paths[last] = self._path_of(last)
        return self._paths[last]

    @cached_property
    def _paths(self) -> dict[int, tuple[str, ...]]:
        return {}

    def innermost_heading(self, offset: int) -> str:
        """The text of the nearest heading over an offset; "" before the first."""
        path = self.heading_path(offset)
        return path[-1] if path else ""

    def _path_of(self, last: int) -> tuple[str, ...]:
        path: list[str] = []
        level = 99
        for place in range(last, -1, -1):
            heading = self.headings[place]
            if heading.level < level:
                words = self.text[heading.start : heading.end]
                if words and not words.isspace():  # what is hidden is blank
                    path.append(words)
                level = heading.level
            if level <= 1:
                break
        return tuple(reversed(path))

    def heading_end(self, offset: int) -> int:
        """Where the innermost heading over an offset ends; 0 before the first. Inside a heading, where that ends."""
        last = bisect.bisect_right(self._heading_starts, offset) - 1
        return self.headings[last].end if last >= 0 else 0

    @cached_property
    def _tables(self) -> tuple[list[int], list[tuple[int, Range]]]:
        """Where tables begin, and of each its end and its first row."""
        starts: list[int] = []
        found: list[tuple[int, Range]] = []
        for part in self.of_kind("table", "row"):
            if part.kind == "table":
                starts.append(part.start)
                found.append((part.end, (part.start, part.start)))
            elif starts and part.start < found[-1][0] and found[-1][1][0] == found[-1][1][1]:
                found[-1] = (found[-1][0], (part.start, part.end))
        return starts, found

    def header_row(self, offset: int) -> Range | None:
        """The first row of the table that holds an offset; None outside of tables, and in that row itself."""
        starts, found = self._tables
        place = bisect.bisect_right(starts, offset) - 1
        if place < 0:
            return None
        end, first = found[place]
        return first if offset < end and first[1] > first[0] and offset >= first[1] else None

    def section(self, offset: int) -> Range:
        """The range from the innermost heading over an offset to the next heading of any level."""
        last = bisect.bisect_right(self._heading_starts, offset)
        start = self._heading_starts[last - 1] if last else 0
        end = self._heading_starts[last] if last < len(self.headings) else len(self.text)
        return (start, end)


class PackedParts(Sequence[Part]):
    """Parts that are unpacked when they are first looked at: many a stage wants the text alone."""

    def __init__(self, unpack: Callable[[], list[list[Any]]]) -> None:
        self._unpack = unpack

    @cached_property
    def _parts(self) -> tuple[Part, ...]:
        return tuple(Part(*row) for row in self._unpack())

    @overload
    def __getitem__(self, place: int) -> Part: ...
    @overload
    def __getitem__(self, place: slice) -> tuple[Part, ...]: ...
    def __getitem__(self, place: int | slice) -> Part | tuple[Part, ...]:
        return self._parts[place]

    def __len__(self) -> int:
        return len(self._parts)

    def __iter__(self) -> Iterator[Part]:
        return iter(self._parts)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Sequence) and tuple(self) == tuple(other)

    def __hash__(self) -> int:
        return hash(self._parts)
