"""Cuts what was found smaller, so that the steps behind it look at less text at a time."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from ..chunking import Chunk
from ..documents import Document
from ..documents.spans import Range
from ..text import sentences
from . import Item, Refined, StepMeans, cut


def apply(questions: Sequence[str], items: Sequence[Sequence[Item]], means: StepMeans, size: int) -> list[Refined]:
    """Every item in pieces of whole sentences and table rows, as many together as `size` characters hold, at least one.
    A piece has the score of its item, and stands in its place; a piece of a table begins with the table's first row.

    What an item before it has served already is not cut once more.
    """
    assert means.document is not None
    made: list[Refined] = []
    known: dict[tuple[str, Chunk], list[Chunk]] = {}
    for row in items:
        pieces: Refined = []
        seen: set[tuple[str, Chunk]] = set()
        for item in row:
            name = (item.doc, item.ranges)
            if name in seen:
                continue
            seen.add(name)
            document = means.document(item.doc)
            if name not in known:
                known[name] = list(pieces_of(document, item.ranges, size))
            if len(known[name]) < 2:
                pieces.append(item)
            else:
                pieces.extend(cut(item, piece, document.text) for piece in known[name])
        made.append(pieces)
    return made


def pieces_of(document: Document, ranges: Chunk, size: int) -> Iterator[Chunk]:
    """The pieces of some ranges of a document, in order."""
    for start, end in ranges:
        waiting: list[Range] = []
        head: Range | None = None
        for sentence in sentences(document.text, start, end):
            over = document.header_row(sentence[0])
            length = sentence[1] - waiting[0][0] if waiting else 0
            if waiting and (length > size or over != head):
                yield _joined(waiting, head)
                waiting = []
            head = over
            waiting.append(sentence)
        if waiting:
            yield _joined(waiting, head)


def _joined(run: Sequence[Range], head: Range | None) -> Chunk:
    piece = (run[0][0], run[-1][1])
    return (piece,) if head is None or head[1] > piece[0] else (head, piece)
