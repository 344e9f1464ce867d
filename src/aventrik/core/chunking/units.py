"""What chunks are put together from: words, sentences with table rows whole, and blocks."""

from __future__ import annotations

import re
from bisect import bisect_left, bisect_right
from collections.abc import Iterator
from functools import cached_property

import regex

from ..documents import Document
from ..documents.spans import Range, trimmed
from ..text import sentences
from ..text.rulers import Ruler, ruler, word_edges
from .table import Cutting

_CLUSTER = regex.compile(r"\X")
_GAP = re.compile(r"\n(?:[^\S\n]*\n)+")
_REACH = 64  # characters in which the end of a cluster is looked for
_LOOK_BACK = 32  # characters before an offset that decide whether a sentence begins there


class CutSource:
    """A document that is being cut, with the ruler that its sizes are told by."""

    def __init__(self, document: Document, cutting: Cutting) -> None:
        self.document = document
        self.text = document.text
        self.cutting = cutting
        self.ruler: Ruler = ruler(document.text, cutting.unit, cutting.tokenizer)

    @cached_property
    def rows(self) -> list[Range]:
        """Table rows, in order."""
        return sorted((row.start, row.end) for row in self.document.of_kind("row") if row.start < row.end)

    @cached_property
    def _row_ends(self) -> list[int]:
        return [end for _, end in self.rows]

    def fits(self, start: int, end: int) -> bool:
        """Whether a range is no larger than a chunk may be."""
        return self.ruler.measure(start, end) <= self.cutting.size

    def rows_in(self, start: int, end: int) -> list[Range]:
        """The rows that lie wholly in a range."""
        if not self.rows:
            return []
        left = bisect_left(self.rows, (start, 0))
        right = bisect_right(self._row_ends, end)
        return self.rows[left:right]

    def sentences(self, start: int, end: int) -> Iterator[Range]:
        """Sentences and table rows of a range; a row is whole however many sentences it holds."""
        left = start
        for row in self.rows_in(start, end):
            if row[0] >= left:
                yield from sentences(self.text, left, row[0])
                yield row
                left = row[1]
        yield from sentences(self.text, left, end)

    def words(self, start: int, end: int) -> list[Range]:
        """Words of a range; one that is larger than a chunk is cut into pieces that are not."""
        begins, ends = word_edges(self.text, start, end)
        found = list(zip(begins.tolist(), ends.tolist()))
        large = self.ruler.at(ends) - self.ruler.at(begins) > self.cutting.size
        if not large.any():
            return found
        return [piece for word, over in zip(found, large) for piece in (self.pieces(*word) if over else [word])]

    def pieces(self, start: int, end: int) -> list[Range]:
        """A range in pieces of at most the size of a chunk and of about the same length, cut between what a reader takes
        for characters: no combining mark, joiner or modifier is parted from what it belongs to (grapheme clusters of
        Unicode)."""
        found: list[Range] = []
        count = max(1, -(-self.ruler.measure(start, end) // self.cutting.size))
        even = -(-self.ruler.measure(start, end) // count)  # no left-over of a letter or two
        while start < end:
            right = min(end, max(start + 1, self.ruler.reach(start, even)))
            if right < end:
                left = max(start, right - _REACH)
                edges = [m.start() for m in _CLUSTER.finditer(self.text, left, min(end, right + _REACH))]
                place = bisect_right(edges, right) - 1
                if edges[place] > left:
                    right = edges[place]
            found.append((start, right))
            start = right
        return found

    def words_and_rows(self, start: int, end: int) -> list[Range]:
        """Words of a range, but a table row that fits into a chunk whole."""
        left, found = start, []
        for row in self.rows_in(start, end):
            if row[0] >= left and self.fits(*row):
                found.extend([*self.words(left, row[0]), row])
                left = row[1]
        return [*found, *self.words(left, end)]

    def fine(self, start: int, end: int) -> list[Range]:
        """Sentences and rows of a range; those larger than a chunk by their words."""
        return [
            piece
            for found in self.sentences(start, end)
            for piece in ([found] if self.fits(*found) else self.words(*found))
        ]

    def blocks(self, start: int, end: int) -> Iterator[Range]:
        """Paragraphs, lists, tables and headings of a range: what blank lines part."""
        left = start
        for gap in _GAP.finditer(self.text, start, end):
            block = trimmed(self.text, left, gap.start())
            if block[0] < block[1]:
                yield block
            left = gap.end()
        block = trimmed(self.text, left, end)
        if block[0] < block[1]:
            yield block

    def paragraphs(self, start: int, end: int) -> tuple[list[Range], list[bool]]:
        """Blocks of a range, those larger than a chunk by their sentences; and whether a cut after each is good:
        not after a heading, and not inside a block."""
        headings = self._heading_ends
        units: list[Range] = []
        stops: list[bool] = []
        for block in self.blocks(start, end):
            pieces = [block] if self.fits(*block) else self.fine(*block)
            units.extend(pieces)
            stops.extend([False] * (len(pieces) - 1))
            stops.append(block[1] not in headings)
        return units, stops

    @cached_property
    def _heading_ends(self) -> set[int]:
        return {heading.end for heading in self.document.headings}

    def trimmed(self, start: int, end: int) -> Range:
        """A range without the white space at its ends."""
        return trimmed(self.text, start, end)

    def sentence_starts(self, unit: Range, least: int) -> list[int]:
        """Where the sentences and rows of a unit begin, from an offset on."""
        start, end = unit
        edge = least - _LOOK_BACK
        if edge > start and not self.rows_in(start, end):
            # What stands before decides only whether a sentence begins at the edge itself.
            return [left for left, _ in sentences(self.text, edge, end) if left >= least]
        return [left for left, _ in self.sentences(start, end) if left >= least]
