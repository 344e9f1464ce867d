"""Finds texts in documents again, whatever stands around them, was left out between, or was done to white space, case
and punctuation: by the stretches of letters and figures that both have."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt

from ..documents import Document
from ..documents.spans import Range, merge

GRAM = 24  # letters and figures of the shortest stretch by which a longer text is found
ENOUGH = 0.5  # share of a text's letters and figures that must stand in a document
_ANCHORS = 400  # stretches of one text that are looked for
_TURN = np.uint64(0x9E3779B97F4A7C15)

_Codes = npt.NDArray[np.uint32]


@dataclass(frozen=True)
class RecognisedPlace:
    """Where a text was found: the ranges in a document, and the share of the text's letters and figures in them."""

    doc: str
    ranges: tuple[Range, ...]
    share: float


class _Plain:
    """The letters and figures of a text in lower case but for those in some ranges, and the place of each in it."""

    def __init__(self, text: str, without: Sequence[Range] = ()) -> None:
        codes = np.frombuffer(text.encode("utf-32-le", "surrogatepass"), dtype=np.uint32)
        small = np.minimum(codes, 0xFFFF)
        letters, lower = _tables()
        wanted = letters[small] | (codes > 0xFFFF)
        for start, end in without:
            wanted[start:end] = False
        self.places = np.flatnonzero(wanted)
        kept = codes[self.places]
        self.codes: _Codes = np.where(kept <= 0xFFFF, lower[np.minimum(kept, 0xFFFF)], kept).astype(np.uint32)

    def __len__(self) -> int:
        return len(self.codes)

    def grams(self, size: int) -> npt.NDArray[np.uint64]:
        """A number for each stretch of `size`, equal for equal ones."""
        count = len(self.codes) - size + 1
        if count <= 0:
            return np.zeros(0, np.uint64)
        found = np.zeros(count, np.uint64)
        with np.errstate(over="ignore"):
            for step in range(size):
                found = found * _TURN + self.codes[step : step + count]
        return found


@lru_cache(maxsize=1)
def _tables() -> tuple[npt.NDArray[np.bool_], _Codes]:
    """Of each code point below 65,536 whether it is a letter or figure, and its lower case."""
    letters = np.array([chr(code).isalnum() for code in range(0x10000)])
    lower = np.array([ord(low) if len(low := chr(code).lower()) == 1 else code for code in range(0x10000)], np.uint32)
    return letters, lower


def recognised(
    texts: Sequence[str],
    documents: Iterable[tuple[str, str]],
    better: Callable[[int, str], int] = lambda number, doc: 0,
    without: Callable[[str], Sequence[Range]] = lambda doc: (),
) -> list[RecognisedPlace | None]:
    """Where each text stands among (name, text) of documents, which are gone through once; None where less than half of
    it stands in any of them. `without(document)` gives ranges that do not count, such as the names of columns that are
    repeated in every row. Of several documents one for which `better(number of the text, document)` is 2 or more,
    then the one that holds most of it, then the better one, then the first. A text of fewer letters than `GRAM` must
    stand there whole."""
    wanted = [_Plain(text) for text in texts]
    long = {number: plain for number, plain in enumerate(wanted) if len(plain) >= GRAM}
    short = {number: plain for number, plain in enumerate(wanted) if 0 < len(plain) < GRAM}
    anchors, owners, offsets = _anchors(long)
    best: dict[int, tuple[tuple[int, float, int], RecognisedPlace]] = {}

    def keep(number: int, place: RecognisedPlace) -> None:
        prefer = better(number, place.doc)
        rank = (prefer // 2, round(place.share, 6), prefer)
        if place.share >= ENOUGH and (number not in best or rank > best[number][0]):
            best[number] = (rank, place)

    for name, text in documents:
        plain = _Plain(text, without(name))
        for number, runs in _shared(plain, long, anchors, owners, offsets):
            keep(number, _place(name, text, plain, runs, len(wanted[number])))
        if short:
            whole = plain.codes.tobytes()
            for number, each in short.items():
                at = _aligned(whole, each.codes.tobytes())
                if at >= 0:
                    keep(number, _place(name, text, plain, [(0, at, len(each))], len(each)))
    return [best[number][1] if number in best else None for number in range(len(texts))]


def _anchors(
    texts: dict[int, _Plain],
) -> tuple[npt.NDArray[np.uint64], npt.NDArray[np.int64], npt.NDArray[np.int64]]:
    """Stretches of each text, in the order of their numbers: that number, whose it is, and where it begins."""
    numbers, owners, offsets = [], [], []
    for owner, plain in texts.items():
        grams = plain.grams(GRAM)
        step = max(GRAM // 2, -(-len(grams) // _ANCHORS))
        at = np.unique(np.append(np.arange(0, len(grams), step), len(grams) - 1))
        numbers.append(grams[at])
        owners.append(np.full(len(at), owner))
        offsets.append(at)
    if not numbers:
        return np.zeros(0, np.uint64), np.zeros(0, np.int64), np.zeros(0, np.int64)
    every = np.concatenate(numbers)
    order = np.argsort(every, kind="stable")
    return every[order], np.concatenate(owners)[order], np.concatenate(offsets)[order]


def _shared(
    plain: _Plain,
    texts: dict[int, _Plain],
    anchors: npt.NDArray[np.uint64],
    owners: npt.NDArray[np.int64],
    offsets: npt.NDArray[np.int64],
) -> Iterator[tuple[int, list[tuple[int, int, int]]]]:
    """For each text that shares a stretch with a document the stretches: (start in the text, in the document, length),
    no part of the text twice, longest first."""
    grams = plain.grams(GRAM)
    if not len(grams) or not len(anchors):
        return
    first, last = np.searchsorted(anchors, grams, "left"), np.searchsorted(anchors, grams, "right")
    diagonals: dict[int, dict[int, list[int]]] = defaultdict(lambda: defaultdict(list))
    for at in np.flatnonzero(last > first).tolist():
        for anchor in range(first[at], last[at]):
            offset = int(offsets[anchor])
            diagonals[int(owners[anchor])][at - offset].append(offset)
    for number, found in diagonals.items():
        runs: list[tuple[int, int, int]] = []
        for shift, starts in found.items():
            runs.extend(_runs(texts[number].codes, plain.codes, shift, starts))
        taken = np.zeros(len(texts[number]), dtype=bool)
        kept = []
        for start, at, size in sorted(runs, key=lambda run: (-run[2], run[1])):
            free = ~taken[start : start + size]
            if free.all():
                kept.append((start, at, size))
            elif free.sum() >= GRAM:  # what is left of it at one of its ends
                left = int(np.argmax(free))
                length = int(np.argmin(np.append(free[left:], False)))
                if length >= GRAM:
                    kept.append((start + left, at + left, length))
            if kept:
                begin, _, length = kept[-1]
                taken[begin : begin + length] = True
        yield number, kept


def _runs(text: _Codes, document: _Codes, shift: int, starts: list[int]) -> Iterator[tuple[int, int, int]]:
    """The equal stretches around some starts of a text, laid over a document at one shift."""
    low, high = max(0, -shift), min(len(text), len(document) - shift)
    same = text[low:high] == document[low + shift : high + shift]
    different = np.flatnonzero(~same) + low
    done = -1
    for start in sorted(starts):
        if start < done:
            continue
        place = int(np.searchsorted(different, start))
        begin = int(different[place - 1]) + 1 if place else low
        end = int(different[place]) if place < len(different) else high
        if end - begin >= GRAM:  # equal numbers of unequal stretches
            yield begin, begin + shift, end - begin
        done = max(end, start + 1)


def _aligned(whole: bytes, wanted: bytes) -> int:
    """Where some codes stand among others, four bytes each; -1 for nowhere."""
    at = whole.find(wanted)
    while at >= 0 and at % 4:
        at = whole.find(wanted, at + 1)
    return at // 4 if at >= 0 else -1


def _place(name: str, text: str, plain: _Plain, runs: Sequence[tuple[int, int, int]], size: int) -> RecognisedPlace:
    ranges = []
    for _, at, length in runs:
        start, end = int(plain.places[at]), int(plain.places[at + length - 1]) + 1
        while start and not text[start - 1].isspace() and not text[start - 1].isalnum():
            start -= 1
        while end < len(text) and not text[end].isspace() and not text[end].isalnum():
            end += 1
        ranges.append((start, end))
    return RecognisedPlace(name, tuple(_closed(text, merge(ranges))), sum(length for _, _, length in runs) / size)


def _closed(text: str, ranges: Sequence[Range]) -> list[Range]:
    """Ranges with no letter or figure between them, joined."""
    joined: list[Range] = []
    for start, end in ranges:
        if joined and start - joined[-1][1] < GRAM and not any(map(str.isalnum, text[joined[-1][1] : start])):
            joined[-1] = (joined[-1][0], end)
        else:
            joined.append((start, end))
    return joined


def repeated_names(document: Document) -> list[Range]:
    """What stands in the rows of a document's tables beside the cells themselves: the name of each column, in every row.
    Another reader's text of a table has it once, or not at all."""
    found = []
    cells = iter(document.of_kind("cell"))
    cell = next(cells, None)
    for row in document.of_kind("row"):
        at = row.start
        while cell is not None and cell.start < row.end:
            if cell.start >= row.start:
                found.append((at, cell.start))
                at = cell.end
            cell = next(cells, None)
        if at > row.start:
            found.append((at, row.end))
    return [(start, end) for start, end in found if start < end]
