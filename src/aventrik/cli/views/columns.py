"""Tables with a line a row that fit the width there is: what matters least is left out, and told."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from rich.cells import cell_len
from rich.text import Text

_GAP = 2


@dataclass(frozen=True)
class Column:
    """A column: its title, a cell a row, on which side it is flush; the one with the highest `rank` is left out first,
    none with 0."""

    title: str
    cells: Sequence[str | Text]
    right: bool = False
    rank: int = 0
    style: str = ""

    @property
    def width(self) -> int:
        """The room that it takes."""
        return max([cell_len(self.title), *(cell_len(str(cell)) for cell in self.cells)])


def fitted(columns: Sequence[Column], width: int) -> tuple[list[Column], list[Column]]:
    """The columns that fit side by side, in order, and those that were left out for it."""
    kept = list(columns)
    out: list[Column] = []
    while sum(column.width + _GAP for column in kept) - _GAP > width:
        least = max(kept, key=lambda column: (column.rank, kept.index(column)))
        if not least.rank:
            break
        kept = [column for column in kept if column is not least]
        out.append(least)
    return kept, out


def fitted_around(
    columns: Sequence[Column | None], width: int, least: int, most: int
) -> tuple[list[Column | None], list[Column], int]:
    """The same of columns of which one, None, is still to be drawn, `least` to `most` characters wide; and how wide that
    may be."""
    blank = Column(" " * least, ())
    kept, out = fitted([blank if column is None else column for column in columns], width)
    room = width - sum(column.width + _GAP for column in kept if column is not blank)
    return [None if column is blank else column for column in kept], out, max(least, min(most, room))


def lines(columns: Sequence[Column], width: int) -> list[Text]:
    """The head and the rows, each on one line, cut at the width."""
    rows = len(columns[0].cells) if columns else 0
    made = [Text((" " * _GAP).join(_set(column.title, column) for column in columns), style="bold")]
    for row in range(rows):
        line = Text()
        for place, column in enumerate(columns):
            cell = column.cells[row]
            text = cell.copy() if isinstance(cell, Text) else Text(cell, style=column.style)
            room = column.width - cell_len(text.plain)
            if column.right:
                line.append(" " * room)
            line.append_text(text)
            if not column.right:
                line.append(" " * room)
            line.append(" " * _GAP if place < len(columns) - 1 else "")
        made.append(line)
    for line in made:
        line.rstrip()
        line.truncate(width, overflow="ellipsis")
    return made


def _set(title: str, column: Column) -> str:
    room = " " * (column.width - cell_len(title))
    return room + title if column.right else title + room
