"""How a person decides, whatever it is on: a sheet out, a sheet in, one decision after another, and what they come to.

Questions, passages and verdicts are each a `Review`: their fields and choices are data, the way is the same.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol

from ..core.errors import BadInput
from ..workspace.reviews import Decision
from ..workspace.tables import sheet_lines, write_table


class Review(Protocol):
    """What one person decides on, in an order; places count from 0. `columns` are those of its sheet, beside `said`: what may
    stand in the column 'decision'."""

    @property
    def columns(self) -> tuple[str, ...]: ...

    @property
    def said(self) -> tuple[str, ...]: ...

    def __len__(self) -> int: ...

    def cells(self, place: int) -> Sequence[str]:
        """What a sheet shows of one thing, column by column."""
        ...

    def mine(self, place: int) -> Decision | None:
        """The decision of this person that stands."""
        ...

    def places(self, rows: Iterable[Mapping[str, str]]) -> Mapping[str, int]:
        """The places of things by what a sheet calls them, as far as some rows name them."""
        ...

    def edits(self, row: Mapping[str, str]) -> bool:
        """Whether a row of a sheet changes something beside its decision."""
        ...

    def taken(self, place: int, said: str, reason: str, row: Mapping[str, str], where: str) -> Decision | None:
        """What a row of a sheet decides; None where that stands already. Raises `BadInput`, which begins with `where`."""
        ...

    def add(self, decisions: Sequence[Decision]) -> None:
        """Writes decisions down."""
        ...

    def result(self) -> Any:
        """What all decisions come to: how far people agree, with each other and with the judge."""
        ...


@dataclass(frozen=True)
class TakenSheet:
    """How many decisions of a sheet are new, and how many of its lines are of nothing that is known."""

    new: int
    strange: int


def write_sheet(review: Review, path: Path) -> int:
    """Writes a sheet to fill in (CSV or XLSX), a line a thing; returns how many."""
    write_table(path, [dict(zip(review.columns, review.cells(place))) for place in range(len(review))])
    return len(review)


def read_sheet(review: Review, path: Path) -> TakenSheet:
    """Takes the decisions of a sheet, all or none: raises `BadInput` with the line of what is wrong."""
    rows = list(sheet_lines(path, review.columns, ("item", "decision")))
    places = review.places(row for _, row in rows)
    made: list[Decision] = []
    strange = 0
    for line, row in rows:
        where = f"{path}, line {line}"
        said = " ".join(row["decision"].split()).lower().lstrip("'")
        if said and said not in review.said:
            raise BadInput(f"{where}: decision '{said[:40]}' is none of {', '.join(review.said)}")
        if not said and not review.edits(row):
            continue
        place = places.get(row["item"].strip(), -1)
        if place < 0:
            strange += 1
            continue
        one = review.taken(place, said, row["reason"].strip(), row, where)
        if one is not None:
            made.append(one)
    review.add(made)
    return TakenSheet(len(made), strange)
