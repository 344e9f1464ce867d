"""Words on a PDF page to rows, columns and unruled tables."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from typing import Any

import numpy as np

_LEADER = re.compile(r"^[.·…_ ]{2,}$|^\.$")
_MONO = re.compile(r"mono|courier|consol|typewriter|(?:^|\+)(?:cmtt|sltt)|teletype", re.IGNORECASE)
_BOLD = re.compile(r"bold|black|heavy|cmbx|semibd", re.IGNORECASE)
_SAFE_GUTTER = 9.0  # points that no word may reach into on either side of a gutter, in all


@dataclass(frozen=True, slots=True)
class PdfWord:
    """One word with its box in points, from the top left of the page."""

    text: str
    x0: float
    x1: float
    top: float
    bottom: float
    size: float
    font: str


@dataclass(frozen=True)
class Line:
    """Words on one baseline, from left to right."""

    words: tuple[PdfWord, ...]

    @cached_property
    def x0(self) -> float:
        return self.words[0].x0

    @cached_property
    def x1(self) -> float:
        return max(word.x1 for word in self.words)

    @cached_property
    def top(self) -> float:
        return min(word.top for word in self.words)

    @cached_property
    def bottom(self) -> float:
        return max(word.bottom for word in self.words)

    @cached_property
    def size(self) -> float:
        """The size of most of its letters."""
        counts: dict[float, int] = {}
        for word in self.words:
            counts[round(word.size, 1)] = counts.get(round(word.size, 1), 0) + len(word.text)
        return max(counts, key=lambda size: (counts[size], size))

    @cached_property
    def bold(self) -> bool:
        return all(_BOLD.search(word.font) for word in self.words)

    @cached_property
    def mono(self) -> bool:
        return all(_MONO.search(word.font) for word in self.words)

    @cached_property
    def segments(self) -> tuple[Line, ...]:
        """Its stretches of words that stand further apart than words do."""
        found: list[list[PdfWord]] = [[self.words[0]]]
        for word in self.words[1:]:
            if word.x0 - found[-1][-1].x1 > max(1.1 * word.size, 6.0):
                found.append([])
            found[-1].append(word)
        return (self,) if len(found) == 1 else tuple(Line(tuple(each)) for each in found)

    @cached_property
    def leads(self) -> bool:
        """Whether dots lead the eye from a title to a page number."""
        return len(self.words) > 3 and sum(bool(_LEADER.match(word.text)) for word in self.words) > 0

    @cached_property
    def text(self) -> str:
        """The words with a blank between those that stand apart."""
        pieces: list[str] = []
        last: PdfWord | None = None
        for word in self.words:
            if _LEADER.match(word.text) and len(self.words) > 2:
                continue
            if last is not None and word.x0 - last.x1 > 0.12 * word.size:
                pieces.append(" ")
            pieces.append(word.text)
            last = word
        return "".join(pieces)


def words_of(page: Any, boxes: Sequence[tuple[float, float, float, float]] = ()) -> list[PdfWord]:
    """The upright words of a pdfplumber page outside the given boxes (x0, top, x1, bottom)."""
    found = []
    for word in page.extract_words(x_tolerance_ratio=0.15, y_tolerance=2, extra_attrs=["size", "fontname"]):
        if not word.get("upright", True) or not word["text"].strip():
            continue
        middle = ((word["x0"] + word["x1"]) / 2, (word["top"] + word["bottom"]) / 2)
        if any(box[0] <= middle[0] <= box[2] and box[1] <= middle[1] <= box[3] for box in boxes):
            continue
        found.append(
            PdfWord(word["text"], word["x0"], word["x1"], word["top"], word["bottom"], word["size"], word["fontname"])
        )
    return found


def rows_of(words: Iterable[PdfWord]) -> list[Line]:
    """Words gathered by baseline, top to bottom: a word belongs to a row when their middles are level."""
    rows: list[list[PdfWord]] = []
    for word in sorted(words, key=lambda each: (each.bottom, each.x0)):
        if rows:
            last = rows[-1]
            height = max(each.bottom - each.top for each in last)
            level = sum(each.bottom for each in last) / len(last)
            if abs(word.bottom - level) < 0.35 * max(height, word.bottom - word.top):
                last.append(word)
                continue
        rows.append([word])
    return [Line(tuple(sorted(row, key=lambda each: each.x0))) for row in rows]


def in_reading_order(rows: Sequence[Line]) -> list[list[Line]]:
    """Rows as streams to be read one after the other: where the page has two columns, the left before the right."""
    gutter = _gutter(rows)
    if gutter is None:
        return [list(rows)] if rows else []
    streams: list[list[Line]] = []
    band: list[Line] = []

    def close() -> None:
        if not band:
            return
        left = [Line(part) for row in band if (part := tuple(w for w in row.words if w.x1 <= gutter + 1))]
        right = [Line(part) for row in band if (part := tuple(w for w in row.words if w.x0 >= gutter - 1))]
        both = sum(row.x0 < gutter < row.x1 for row in band)
        if both >= 3 and left and right:
            streams.extend([left, right])
        else:
            streams.append(list(band))
        band.clear()

    for row in rows:
        if _clear(row, gutter):
            band.append(row)
        else:
            close()
            streams.append([row])
    close()
    return _joined(streams)


def _joined(streams: list[list[Line]]) -> list[list[Line]]:
    """Single full-width rows that follow each other make one stream."""
    found: list[list[Line]] = []
    single = False
    for stream in streams:
        if len(stream) == 1 and single:
            found[-1].extend(stream)
        else:
            found.append(list(stream))
        single = len(stream) == 1
    return found


def _clear(row: Line, gutter: float) -> bool:
    half = _SAFE_GUTTER / 2
    return all(word.x1 <= gutter - half + 1e-6 or word.x0 >= gutter + half - 1e-6 for word in row.words)


def _gutter(rows: Sequence[Line]) -> float | None:
    """The x of a gutter between two columns of running text; None when the page has none."""
    gaps = [(a.x1, b.x0) for row in rows for a, b in pairwise(row.words) if b.x0 - a.x1 >= _SAFE_GUTTER]
    if len(gaps) < 6:
        return None
    votes = np.zeros(int(max(right for _, right in gaps)) + 2, dtype=np.int64)
    for begin, end in gaps:
        votes[int(begin + _SAFE_GUTTER / 2) + 1 : int(end - _SAFE_GUTTER / 2) + 1] += 1
    best = np.flatnonzero(votes == votes.max())
    gutter = float(best[len(best) // 2])
    both = [row for row in rows if row.x0 < gutter < row.x1 and _clear(row, gutter)]
    if len(both) < 6 or len(both) < 0.35 * len(rows):
        return None
    left = [sum(word.x1 <= gutter for word in row.words) for row in both]
    right = [sum(word.x0 >= gutter for word in row.words) for row in both]
    wordy = min(sum(left), sum(right)) / len(both) >= 3.5
    width = max(row.x1 for row in rows) - min(row.x0 for row in rows)
    near = min(row.x0 for row in rows)
    return gutter if wordy and 0.3 < (gutter - near) / max(1.0, width) < 0.7 else None


def unruled_tables(rows: Sequence[Line]) -> list[tuple[int, int, list[list[str]]]]:
    """Stretches of rows that line up in columns: (first row, row after the last, cells)."""
    found = []
    start = 0
    while start < len(rows):
        end = _table_end(rows, start)
        cells = _cells(rows[start:end]) if end - start >= 3 else []
        if cells and len(cells) >= 3 and len(cells[0]) >= 2:
            found.append((start, end, cells))
            start = end
        else:
            start += 1
    return found


def _table_end(rows: Sequence[Line], start: int) -> int:
    """The row after the last of a table that would begin at `start`; `start` itself when none does."""
    parts = rows[start].segments
    if len(parts) < 2 or _is_item(rows[start]):
        return start
    end = start + 1
    while end < len(rows):
        gap = rows[end].top - rows[end - 1].bottom
        if gap > 1.8 * rows[end].size or _is_item(rows[end]):
            break
        pieces = rows[end].segments
        if len(pieces) < 2 and not _hangs_in(rows[start:end], rows[end]):
            break
        if not _fits(rows[start:end], pieces):
            break
        end += 1
    return end


def _is_item(row: Line) -> bool:
    """A bullet or number with its text is a list, not a table."""
    return bool(re.match(r"^(?:[•◦‣∙–*-]|\(?\d{1,2}[.)]|[a-z]\))$", row.words[0].text))


def _spans(rows: Sequence[Line]) -> list[tuple[float, float]]:
    """Column extents: overlapping segments of all rows that have several, merged."""
    parts = sorted((part.x0, part.x1) for row in rows if len(row.segments) > 1 for part in row.segments)
    merged: list[list[float]] = []
    for x0, x1 in parts:
        if merged and x0 < merged[-1][1] + 2:
            merged[-1][1] = max(merged[-1][1], x1)
        else:
            merged.append([x0, x1])
    return [(x0, x1) for x0, x1 in merged]


def _fits(rows: Sequence[Line], pieces: Sequence[Line]) -> bool:
    """Whether a row's segments leave the gaps between the columns open."""
    columns = _spans(rows)
    for piece in pieces:
        over = [column for column in columns if piece.x0 < column[1] and piece.x1 > column[0]]
        if len(over) > 1:
            return False
    return True


def _hangs_in(rows: Sequence[Line], row: Line) -> bool:
    """Whether a row with one segment is the rest of a cell above: under a column, and not under the first alone."""
    columns = _spans(rows)
    over = [n for n, column in enumerate(columns) if row.x0 < column[1] and row.x1 > column[0]]
    close = row.top - rows[-1].bottom < 0.7 * row.size
    return len(over) == 1 and over[0] > 0 and close


def _cells(rows: Sequence[Line]) -> list[list[str]]:
    """Cells by column; a row without a first cell, close under the one before, goes on with its cells."""
    columns = _spans(rows)
    if len(columns) < 2:
        return []
    table: list[list[str]] = []
    for place, row in enumerate(rows):
        cells = [""] * len(columns)
        for part in row.segments:
            middle = (part.x0 + part.x1) / 2
            at = min(range(len(columns)), key=lambda n: abs((columns[n][0] + columns[n][1]) / 2 - middle))
            over = [n for n, column in enumerate(columns) if part.x0 < column[1] and part.x1 > column[0]]
            at = over[0] if over else at
            cells[at] = f"{cells[at]} {part.text}".strip()
        goes_on = table and not cells[0] and row.top - rows[place - 1].bottom < 0.35 * row.size
        if goes_on and sum(map(bool, cells)) < len(columns):
            table[-1] = [f"{a} {b}".strip() for a, b in zip(table[-1], cells)]
        else:
            table.append(cells)
    return table
