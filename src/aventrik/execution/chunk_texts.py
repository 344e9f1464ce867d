"""The chunks of a configuration, to look at: their text, and where they are."""

from __future__ import annotations

from ..core.chunking import Chunk, ChunkTable
from ..core.context.serving import ServedTable
from ..core.documents.spans import text_of, without
from ..pipeline.stages.lists import named_source, served_ranges
from .place import Place


class ChunkTexts:
    """The chunk table of a place, with the documents behind it."""

    def __init__(self, place: Place) -> None:
        self.table: ChunkTable = place.open("chunks")
        self.units: ServedTable | None = place.open("units") if "units" in place.nodes else None
        self._documents = place.documents()
        self._served = served_ranges(self.table, self.units)

    def __len__(self) -> int:
        return len(self.table)

    def text(self, number: int) -> str:
        """The text of a chunk."""
        return text_of(self._documents[self.table.name(number)].text, self.table.ranges(number))

    def source(self, number: int) -> list[str]:
        """Where a chunk is: its document's title (or name) and the headings over its beginning."""
        return named_source(self._documents, self.table.name(number), self.table.ranges(number))

    def served(self, number: int) -> Chunk:
        """The ranges that are served for a chunk."""
        return self._served(number)

    def text_of(self, number: int, ranges: Chunk) -> str:
        """The text of some ranges of a chunk's document."""
        return text_of(self._documents[self.table.name(number)].text, ranges)

    def cut(self, number: int, kept: Chunk) -> tuple[tuple[str, bool], ...]:
        """What would be served for a chunk and what a step has made of it, in the order of the text: each stretch with
        whether it is still there; white space between stretches left out."""
        text = self._documents[self.table.name(number)].text
        gone = [(start, end, False) for start, end in without(self.served(number), kept)]
        rows = sorted([*gone, *((start, end, True) for start, end in kept)])
        return tuple((piece, there) for start, end, there in rows if (piece := text[start:end].strip()))
