"""Intervals drawn with characters."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from rich.text import Text

from ...report.figures import number
from .columns import Column, fitted_around, lines

if TYPE_CHECKING:
    from ...api.records import Difference


_LEAST, _MOST = 16, 36


@dataclass(frozen=True)
class BarScale:
    """From where to where bars are drawn, and with how many characters."""

    low: float
    high: float
    width: int

    def place(self, value: float) -> int:
        """The character at which a value is drawn."""
        share = (value - self.low) / (self.high - self.low)
        return min(self.width - 1, max(0, round(share * (self.width - 1))))

    @property
    def title(self) -> str:
        """Both ends, as far apart as they are drawn."""
        low, high = number(self.low), number(self.high)
        return low + " " * max(1, self.width - len(low) - len(high)) + high


def axis(values: Sequence[float], width: int, bounded: bool = False) -> BarScale:
    """An axis that holds all values and ends at round figures; `bounded`: within 0 and 1."""
    low, high = min(values), max(values)
    spread = high - low or abs(high) or 1.0
    step = 10.0 ** math.floor(math.log10(spread / 2))
    low, high = math.floor(low / step + 1e-9) * step, math.ceil(high / step - 1e-9) * step
    if bounded:
        low, high = max(0.0, low), min(1.0, high)
    return BarScale(low, high if high > low else low + step, width)


def bar(along: BarScale, low: float, mean: float, high: float, mark: float | None = None) -> Text:
    """A line from the low to the high end with a dot at the mean, and a thin mark such as at 0 or at the baseline."""
    drawn = [" "] * along.width
    if mark is not None and along.low <= mark <= along.high:
        drawn[along.place(mark)] = "┊"
    ends = along.place(low), along.place(high)
    for place in range(ends[0], ends[1] + 1):
        drawn[place] = "─" if drawn[place] == " " else "┼"
    drawn[ends[0]], drawn[ends[1]] = "├", "┤"
    drawn[along.place(mean)] = "●"
    return Text("".join(drawn))


def lines_with_differences(columns: Sequence[Column | None], gaps: Sequence[Difference], width: int) -> list[Text]:
    """A table whose column None is the interval of each row's difference, on an axis with a mark at 0."""
    kept, _, room = fitted_around(columns, width, _LEAST, _MOST)
    along = axis([0.0, *(end for gap in gaps for end in (gap.low, gap.high))], room)
    drawn = Column(along.title, [bar(along, gap.low, gap.mean, gap.high, 0.0) for gap in gaps])
    return lines([drawn if column is None else column for column in kept], width)
