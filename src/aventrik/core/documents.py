"""A document: one canonical text, and the tree of parts that are ranges of it."""

from __future__ import annotations

import bisect
import hashlib
import json
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

from .spans import Range


@dataclass(frozen=True, slots=True)
class Part:
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
    parts: tuple[Part, ...] = ()
    title: str = ""
    meta: dict[str, Any] = field(default_factory=dict)

    @cached_property
    def key(self) -> str:
        """Content key of text, title and parts: what chunks and indexes hang on. Metadata is no part of it."""
        body = json.dumps([self.text, self.title, pack_parts(self.parts)])
        return hashlib.sha256(body.encode("utf-8", "surrogatepass")).hexdigest()

    @cached_property
    def headings(self) -> tuple[Part, ...]:
        return tuple(part for part in self.parts if part.kind == "heading")

    @cached_property
    def _heading_starts(self) -> list[int]:
        return [heading.start for heading in self.headings]

    def of_kind(self, *kinds: str) -> list[Part]:
        """Parts of the given kinds, in document order."""
        return [part for part in self.parts if part.kind in kinds]

    def heading_path(self, offset: int) -> tuple[str, ...]:
        """The texts of the headings that stand over an offset, outermost first."""
        last = bisect.bisect_right(self._heading_starts, offset) - 1
        path: list[str] = []
        level = 99
        for place in range(last, -1, -1):
            heading = self.headings[place]
            if heading.level < level:
                path.append(self.text[heading.start : heading.end])
                level = heading.level
            if level <= 1:
                break
        return tuple(reversed(path))

    def section(self, offset: int) -> Range:
        """The range from the innermost heading over an offset to the next heading of any level."""
        last = bisect.bisect_right(self._heading_starts, offset)
        start = self._heading_starts[last - 1] if last else 0
        end = self._heading_starts[last] if last < len(self.headings) else len(self.text)
        return (start, end)


def pack_parts(parts: tuple[Part, ...]) -> list[list[Any]]:
    """Parts as plain lists, for storage."""
    return [[p.kind, p.start, p.end, p.parent, p.level, p.label] for p in parts]


def unpack_parts(rows: list[list[Any]]) -> tuple[Part, ...]:
    """The inverse of `pack_parts`."""
    return tuple(Part(*row) for row in rows)
