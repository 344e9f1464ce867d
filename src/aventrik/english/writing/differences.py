"""Questions that compare two rows of a table in a column of figures; the answer is worked out from the cells."""

from __future__ import annotations

import random
import re
from collections.abc import Iterator, Sequence

from ...core.testsets import Need
from ...core.testsets.drafting.offers import Offer
from ...core.testsets.drafting.tables import DocumentTable, Row
from ...core.testsets.drafting.usage import Usage
from ...core.text import numbers
from ...core.wording.nouns import is_plural
from ..rows import RANGE

_MORE = {
    "length": "longer", "width": "wider", "breadth": "wider", "height": "higher", "depth": "deeper", "weight": "heavier",
    "age": "older", "duration": "longer", "price": "dearer", "fee": "dearer", "cost": "dearer", "charge": "dearer",
    "rise": "higher", "draught": "deeper", "speed": "faster", "size": "larger", "capacity": "larger", "distance": "farther",
}  # fmt: skip
_UNIT = re.compile(r"\s*[(,]\s*([^)]+?)\)?$|\s+in ([a-z]+)$")
_PLAIN = re.compile(r"[A-Za-z][A-Za-z '’-]*")
_NOT_A_SIZE = re.compile(
    r"number|no\.?$|id$|code|year|date|page|port|post|version|phone|line|key|grid|ref", re.IGNORECASE
)
_NO_NOUN = frozenset("from to at by of in on until with for usual normal new old free open closed used full".split())
_SERIES = re.compile(r"months?|days?|dates?|years?|weeks?|times?|hours?|quarters?", re.IGNORECASE)
_FIGURE = re.compile(r"^[£$€]?\s?-?\d[\d,.]*\s?(?P<unit>[A-Za-z%]{0,12})$")


def differences(tables: Sequence[DocumentTable], usage: Usage, seed: int) -> Iterator[Offer]:
    """For each column of figures, a pair of rows with different ones: 'Which is longer, A or B, and by how much?'"""
    for table in tables:
        if _SERIES.fullmatch(table.first.strip()):
            continue  # one thing over time: its rows are no things to set side by side
        columns = list(dict.fromkeys(name for row in table.rows for name in row.cells))
        for column in columns:
            rows = [(row, found) for row in table.rows if (found := figure(row.cells.get(column, ""))) is not None]
            if len(rows) < 2 or len(rows) < 0.6 * len(table.rows) or _NOT_A_SIZE.search(column):
                continue
            if any(usage.is_name(word) for word in re.findall(r"[A-Z]\w+", column)):
                continue  # a column for each place: the table's own subject is what is measured
            random.Random(f"{seed} {table.doc} {table.rows[0].quoted.start} {column}").shuffle(rows)
            for (one, ours), (other, theirs) in zip(rows[::2], rows[1::2]):
                offer = _compared(table, column, (one, ours), (other, theirs))
                if offer:
                    yield offer


def figure(cell: str) -> float | None:
    """The value of a cell that holds one figure, with a unit at the most; None for any other."""
    found = _FIGURE.match(cell.strip())
    if not found:
        return None
    try:
        return float(numbers(cell)[0])
    except (ValueError, IndexError):
        return None


def difference(ours: float, theirs: float) -> str:
    """How much more the larger is, without the noise of binary fractions."""
    return f"{abs(ours - theirs):.6f}".rstrip("0").rstrip(".")


def _compared(table: DocumentTable, column: str, one: tuple[Row, float], other: tuple[Row, float]) -> Offer | None:
    (first, ours), (second, theirs) = one, other
    unit = _UNIT.search(column)
    bare = (column[: unit.start()] if unit else column).strip()
    if ours == theirs or not _PLAIN.fullmatch(bare) or len(bare.split()) > 5 or not _names(first) or not _names(second):
        return None
    head = bare.split()[-1].lower()
    if head in _NO_NOUN or (head.endswith("ed") and head != "speed"):
        return None
    plural = is_plural(head)
    more = _MORE.get(head, "")
    words = " ".join(word if word.isupper() else word.lower() for word in bare.split())
    said = (
        f"Which is {more}"
        if more and len(bare.split()) == 1
        else f"Which has {'more' if plural else 'the higher'} {words}"
    )
    larger, smaller = (first, second) if ours > theirs else (second, first)
    by = difference(ours, theirs)
    told = f" ({unit[1] or unit[2]})" if unit else ""
    cells = f"{larger.cells[column]} against {smaller.cells[column]}"
    return Offer(
        f"{said}, {first.entity} or {second.entity}, and by how much?",
        f"{larger.entity}, by {by}{told}: {cells}.", "comparison",
        tuple(Need(f"{column} of {row.entity}: {row.cells[column]}", (row.quoted,)) for row in (first, second)),
        "difference of rows", topic=table.about,
    )  # fmt: skip


def _names(row: Row) -> bool:
    entity = row.entity
    return (
        1 <= len(entity.split()) <= 6
        and len(entity) > 3
        and not RANGE.match(entity)
        and bool(re.fullmatch(r"[^\W\d_][\w '’&./-]+", entity))
    )
