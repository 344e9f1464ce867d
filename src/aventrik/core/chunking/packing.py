"""Puts neighbouring units (words, sentences, paragraphs) together into chunks of a size."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Callable, Sequence

from ..documents.spans import Range
from ..text.rulers import Ruler

LEFT_OVER = 4  # a last chunk under a quarter of the size is a left-over
_SCRAP = 8  # under an eighth it is a scrap, for which even a unit is parted


def pack(
    units: Sequence[Range],
    ruler: Ruler,
    size: int,
    overlap: int = 0,
    stops: Sequence[bool] = (),
    finer: Callable[[Range, int], Sequence[int]] | None = None,
    words: Callable[[int, int], Sequence[Range]] | None = None,
) -> list[Range]:
    """Ranges of at most `size`, each from the start of a unit to the end of one.

    A unit larger than `size` makes a range by itself. `stops` marks the units after which a cut is best: the
    last of them that still fits wins over the last unit that fits. A range repeats at most `overlap` of the end of
    the one before it, from the earliest start of a unit, or of a piece of a unit that `finer` names (given the unit
    and an offset, the starts of pieces in it from there on), and begins later than that one. A small last range is
    joined to the one before it where both fit into one, else the two are made more even; one that stays a scrap of
    less than an eighth takes over the last of the `words` of the one before it.
    """
    if not units:
        return []
    ranges = _Packer(units, ruler, size, overlap, stops, finer).packed()
    return ranges if words is None else _without_scrap(ranges, ruler, size, words)


def _without_scrap(
    ranges: list[Range], ruler: Ruler, size: int, words: Callable[[int, int], Sequence[Range]]
) -> list[Range]:
    if len(ranges) < 2 or ruler.measure(*ranges[-1]) * _SCRAP >= size:
        return ranges
    start, end = ranges[-2][0], ranges[-1][1]
    found = words(start, end)
    cuts = [
        n
        for n in range(1, len(found))
        if ruler.measure(start, found[n - 1][1]) <= size and ruler.measure(found[n][0], end) <= size
    ]
    if not cuts:
        return ranges
    cut = min(cuts, key=lambda n: abs(ruler.measure(start, found[n - 1][1]) - ruler.measure(found[n][0], end)))
    return [*ranges[:-2], (start, found[cut - 1][1]), (found[cut][0], end)]


class _Packer:
    def __init__(
        self,
        units: Sequence[Range],
        ruler: Ruler,
        size: int,
        overlap: int,
        stops: Sequence[bool],
        finer: Callable[[Range, int], Sequence[int]] | None,
    ) -> None:
        self.units, self.ruler, self.size, self.overlap, self.finer = units, ruler, size, overlap, finer
        self.starts = [start for start, _ in units]
        if ruler.begins is None:
            self.before, self.after = self.starts, [end for _, end in units]
        else:
            self.before = ruler.at(self.starts).tolist()
            self.after = ruler.at([end for _, end in units]).tolist()
        self.stops = [place for place, stop in enumerate(stops) if stop]

    def packed(self) -> list[Range]:
        """The ranges, in order."""
        final = len(self.units) - 1
        chunks: list[tuple[int, int, int, int]] = []  # start, where it is on the ruler, first new unit, last unit
        start, at, new = self.starts[0], self.before[0], 0
        while True:
            last = max(new, bisect_right(self.after, at + self.size, new) - 1)
            if self.stops and last < final:
                place = bisect_right(self.stops, last) - 1
                if place >= 0 and self.stops[place] >= new:
                    last = self.stops[place]
            chunks.append((start, at, new, last))
            if last == final:
                break
            new = last + 1
            start, at = self._begin(new, start)
        if len(chunks) > 1 and (self.after[final] - chunks[-1][1]) * LEFT_OVER < self.size:
            self._even_out(chunks)
        return [(start, self.units[last][1]) for start, _, _, last in chunks]

    def _begin(self, new: int, previous: int, through: int | None = None) -> tuple[int, int]:
        """Where a chunk whose first new unit is `new` begins, behind one that began at `previous`."""
        start, at = self.starts[new], self.before[new]
        # What is repeated must leave room for the first new unit, or for all units up to `through`.
        least = max(self.after[new - 1] - self.overlap, self.after[new if through is None else through] - self.size)
        if not self.overlap or least >= at:
            return start, at
        place = max(bisect_left(self.before, least, 0, new), bisect_right(self.starts, previous))
        if place < new:
            start, at = self.starts[place], self.before[place]
        if self.finer and place and self.before[place - 1] < least:
            for offset in self.finer(self.units[place - 1], max(self.ruler.offset(least), previous + 1)):
                if offset < start:
                    return offset, int(self.ruler.at([offset])[0])
        return start, at

    def _even_out(self, chunks: list[tuple[int, int, int, int]]) -> None:
        """Joins the last two chunks, or moves the cut between them to where they are most even."""
        start, at, new, _ = chunks[-2]
        final = len(self.units) - 1
        end = self.after[final]
        if end - at <= self.size:
            chunks[-2:] = [(start, at, new, final)]
            return

        def closest(cuts: Sequence[int]) -> int | None:
            good = [
                cut
                for cut in cuts
                if new < cut <= final
                and self.after[cut - 1] - at <= self.size
                and (end - self.before[cut]) * LEFT_OVER >= self.size >= end - self.before[cut]
            ]
            return min(good, key=lambda cut: abs(2 * self.before[cut] - at - end), default=None)

        left = bisect_left(self.stops, new)
        near = bisect_left(self.before, (at + end) / 2)
        cut = closest([stop + 1 for stop in self.stops[left:]])
        if cut is None:
            cut = closest(range(near - 2, near + 3))
        if cut is not None:
            chunks[-2:] = [(start, at, new, cut - 1), (*self._begin(cut, start, final), cut, final)]
