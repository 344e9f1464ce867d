"""Sections of a document as a writer sees them: a title, and a body that says something of its own."""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Iterator
from dataclasses import dataclass

from ...core.documents import Document
from ...core.documents.spans import Range, trimmed
from ...core.testsets.drafting.fitness import unfit
from ...core.text import WORD, sentences

SHORTEST, LONGEST = 60, 6000  # characters of a body that a question can be about
LEAST = 300  # characters of sentences from which a body is worth a question though it is mostly something else
_ENDS = ".!?:;)”\"’'"
_CELL = re.compile(r"\w: \S")
MARK = re.compile(r"^(?:[-*•+]\s+|\d+[.)]\s+)")


@dataclass(frozen=True)
class Section:
    """A heading with the text under it, as far as the next heading of any level. `path` are the headings over it,
    `sentences` those ranges of its body that say something, `items` how many of them are items or rows."""

    doc: str
    title: str
    heading: Range
    body: Range
    path: tuple[str, ...]
    sentences: tuple[Range, ...]
    items: int


def sections(document: Document) -> Iterator[Section]:
    """The sections of a document whose body can hold an answer: not empty, not longer than anyone would read."""
    headings = document.headings
    rows = sorted({(part.start, part.end) for part in document.of_kind("row", "item") if part.start < part.end})
    rows_only = sorted((part.start, part.end) for part in document.of_kind("row") if part.start < part.end)
    code = [(part.start, part.end) for part in document.of_kind("code")]
    for place, heading in enumerate(headings):
        end = headings[place + 1].start if place + 1 < len(headings) else len(document.text)
        if heading.start >= heading.end or not SHORTEST <= end - heading.end <= LONGEST:
            continue
        found = tuple(_telling(document.text, heading.end, end, code))
        if sum(_in_rows(place, rows_only) for place in found) > len(found) / 2:
            continue  # a table under a title: no row of it alone answers what the title asks
        said = sum(end - start for start, end in found)
        if not found or said < SHORTEST or (2 * said < len(document.text[heading.end : end].strip()) and said < LEAST):
            continue
        if unfit(document, heading.end, end):
            continue
        items = sum(heading.end <= start < end for start, _ in rows)
        path = document.heading_path(heading.start)[:-1]
        title = document.text[heading.start : heading.end]
        yield Section(
            document.name, title, (heading.start, heading.end), (heading.end, end), path, found, items
        )  # fmt: skip


def _in_rows(place: Range, rows: list[Range]) -> bool:
    at = bisect_right(rows, (place[0], 2**60)) - 1
    return at >= 0 and place[0] < rows[at][1]


def _telling(text: str, start: int, end: int, code: list[Range]) -> Iterator[Range]:
    """Sentences of at least three words, outside of code."""
    for left, right in sentences(text, start, end):
        left, right = trimmed(text, left, right)
        mark = MARK.match(text, left, right)
        words = WORD.findall(text, left, right)
        if len(words) < 3 or sum(map(len, words)) < 0.5 * (right - left):
            continue
        if text[right - 1] not in _ENDS and not mark and not _CELL.search(text, left, right):
            continue  # a line of a list of contents, a label, a heading that is none
        if any(start < right and left < end for start, end in code):
            continue
        yield (mark.end() if mark else left, right)
