"""Builds canonical text and its parts side by side; every reader writes through it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ..documents import Document, Part
from ..surrogates import mended, mended_json
from ..text.composing import composed


def folded(text: str) -> str:
    """Text on one line: runs of white space become one blank, ends are trimmed, letters are in composed form (NFC)."""
    return composed(" ".join(text.split()))


class TextBuilder:
    """Collects blocks. Blocks are a blank line apart; a newline never stands inside a sentence."""

    def __init__(self) -> None:
        self._pieces: list[str] = []
        self._length = 0
        self._parts: list[Part] = []

    @property
    def next_start(self) -> int:
        """Where the next block will begin."""
        return self._length + 2 if self._length else 0

    def _write(self, text: str) -> tuple[int, int]:
        start = self._length
        self._pieces.append(text)
        self._length += len(text)
        return start, self._length

    def _gap(self, newline: str = "\n\n") -> None:
        if self._length:
            self._write(newline)

    def _add(self, part: Part) -> int:
        self._parts.append(part)
        return len(self._parts) - 1

    def _block(self, kind: str, text: str, level: int = 0) -> None:
        """A block of one part; `text` is not empty."""
        start = self._length
        if start:
            self._pieces.append("\n\n")
            start += 2
        self._pieces.append(text)
        self._length = start + len(text)
        self._parts.append(Part(kind, start, self._length, -1, level))

    def heading(self, text: str, level: int) -> None:
        text = folded(text)
        if text:
            self._block("heading", text, max(1, min(6, level)))

    def paragraph(self, text: str) -> None:
        text = folded(text)
        if text:
            self._block("paragraph", text)

    def code(self, text: str) -> None:
        text = composed(text.strip("\n").expandtabs(4).rstrip())
        if text.strip():
            self._block("code", text)

    def items(self, rows: Sequence[tuple[int, str]]) -> None:
        """A list: each row is (depth from 0, text)."""
        owner = -1
        for depth, each in rows:
            text = folded(each)
            if not text:
                continue
            if owner < 0:
                self._gap()
                owner = self._add(Part("list", self._length, self._length))
                lead = "  " * depth + "- "
            else:
                lead = "\n" + "  " * depth + "- "
            start = self._length + len(lead)
            self._pieces += (lead, text)
            self._length = start + len(text)
            self._parts.append(Part("item", start, self._length, owner, depth))
        if owner >= 0:
            self._close(owner)

    def table(self, header: Sequence[str], rows: Sequence[Sequence[str]], caption: str = "") -> None:
        """A table, a row a line, each cell behind its header word: 'Lock: Hexley; Width: 14 ft'."""
        names = [folded(cell) for cell in header]
        body = [[folded(cell) for cell in row] for row in rows]
        body = [row for row in body if any(row)]
        if not body:
            if any(names):
                self.paragraph(" | ".join(name for name in names if name))
            return
        self._gap()
        owner = self._add(Part("table", self._length, self._length, label=folded(caption)))
        if caption:
            self._write(folded(caption) + "\n")
        for place, cells in enumerate(body):
            if place:
                self._write("\n")
            self._row(owner, names, cells)
        self._close(owner)

    def _row(self, table: int, names: list[str], cells: list[str]) -> None:
        row = self._add(Part("row", self._length, self._length, parent=table))
        written = False
        for column, cell in enumerate(cells):
            if not cell:
                continue
            name = names[column] if column < len(names) else ""
            if written:
                self._write("; ")
            if name:
                self._write(name + ": ")
            self._add(Part("cell", *self._write(cell), parent=row, level=column, label=name))
            written = True
        self._close(row)

    def _close(self, owner: int) -> None:
        old = self._parts[owner]
        self._parts[owner] = Part(old.kind, old.start, self._length, old.parent, old.level, old.label)

    def finish(
        self, name: str, title: str = "", meta: dict[str, Any] | None = None, pages: Sequence[int] = ()
    ) -> Document:
        """The document; its title is the given one or else its first heading.

        `pages` says where each page begins; -1 for one after the last text.
        """
        text = mended("".join(self._pieces))
        starts = [len(text) if start < 0 else min(start, len(text)) for start in pages]
        ends = [*starts[1:], len(text)]
        numbered = [Part("page", *pair, label=str(n)) for n, pair in enumerate(zip(starts, ends), 1)]
        parts = (*self._parts, *numbered)
        if not title:
            first = next((p for p in parts if p.kind == "heading"), None)
            title = text[first.start : first.end] if first else ""
        kept: dict[str, Any] = mended_json(dict(meta or {}))
        return Document(name=mended(name), text=text, parts=parts, title=mended(folded(title)), meta=kept)
