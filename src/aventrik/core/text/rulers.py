"""How long a stretch of text is: in characters, words, or tokens of a named tokenizer."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from ..errors import BadInput, MissingExtra
from . import TOKEN

UNITS = ("chars", "words", "tokens")
ESTIMATE = "estimate"
STATIC = "static"

_SPACES = np.array(
    [*range(9, 14), *range(28, 33), 0x85, 0xA0, 0x1680, *range(0x2000, 0x200B), 0x2028, 0x2029, 0x202F, 0x205F, 0x3000],
    dtype=np.uint32,
)
_INK_TABLE = np.ones(0x3002, dtype=bool)  # of a code point: it is no white space; all beyond the table are none
_INK_TABLE[_SPACES] = False


def word_edges(
    text: str, start: int = 0, end: int | None = None
) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]:
    """Starts and ends of the runs of characters other than white space (as `str.isspace` has it) in text[start:end]."""
    piece = text[start:end]
    inside = np.zeros(len(piece) + 2, dtype=bool)
    if piece.isascii():
        np.take(_INK_TABLE, np.frombuffer(piece.encode(), dtype=np.uint8), out=inside[1:-1])
    else:
        points = np.frombuffer(piece.encode("utf-32-le", "surrogatepass"), dtype=np.uint32)
        np.take(_INK_TABLE, np.minimum(points, 0x3001), out=inside[1:-1])
    edges = np.flatnonzero(inside[1:] != inside[:-1]) + start
    return edges[::2], edges[1::2]


@dataclass(frozen=True)
class Ruler:
    """Positions in one text, counted in a unit: [start, end) is `at(end) - at(start)` units long.

    `begins` (int64, ascending) are the offsets at which units begin; None when the unit is the character. A token
    counts where it stands in the whole text, so a piece by itself may come to a token more or less.
    """

    begins: npt.NDArray[np.int64] | None = None

    def at(self, offsets: npt.ArrayLike) -> npt.NDArray[np.int64]:
        """How many units begin before each offset."""
        if self.begins is None:
            return np.asarray(offsets, dtype=np.int64)
        return np.searchsorted(self.begins, offsets).astype(np.int64)

    def measure(self, start: int, end: int) -> int:
        """Units in [start, end)."""
        if self.begins is None:
            return end - start
        left, right = np.searchsorted(self.begins, (start, end))
        return int(right - left)

    def offset(self, count: int) -> int:
        """The least offset before which `count` units begin."""
        if self.begins is None or count <= 0:
            return count
        return int(self.begins[count - 1]) + 1 if count <= len(self.begins) else 1 << 62

    def reach(self, start: int, size: int) -> int:
        """The greatest offset that is at most `size` units from `start`; beyond the last unit without limit."""
        if self.begins is None:
            return start + size
        place = int(np.searchsorted(self.begins, start)) + size
        return int(self.begins[place]) if place < len(self.begins) else 1 << 62


def ruler(text: str, unit: str, tokenizer: str = ESTIMATE) -> Ruler:
    """A ruler for a text; raises `BadInput` or `MissingExtra` for a tokenizer that can't be had.

    `tokenizer` is "estimate" (a word counts one for each six letters begun, a mark one), "static" (that of the
    embedding model of this name) or the path of a `tokenizer.json`.
    """
    if unit == "chars":
        return Ruler()
    if unit == "words":
        return Ruler(word_edges(text)[0])
    if tokenizer == ESTIMATE:
        return Ruler(np.fromiter((found.start() for found in TOKEN.finditer(text)), dtype=np.int64))
    # A lone surrogate can't be handed over; it counts as the mark that stands for it.
    sound = text.encode("utf-16", "surrogatepass").decode("utf-16", "replace")
    offsets = _tokenizer(tokenizer).encode(sound, add_special_tokens=False).offsets
    return Ruler(np.fromiter((start for start, end in offsets if end > start), dtype=np.int64))


@lru_cache(maxsize=4)
def _tokenizer(name: str) -> Any:
    if name == STATIC:
        from ..embedding.static import tokenizer

        return tokenizer()
    try:
        from tokenizers import Tokenizer
    except ImportError:
        raise MissingExtra(f"the tokenizer '{name}'", "static") from None
    if not Path(name).is_file():
        raise BadInput(f"chunking.tokenizer: no file {name}; it may be 'estimate', 'static', or a tokenizer.json")
    try:
        return Tokenizer.from_file(name)
    except Exception as error:  # the library raises bare Exception
        raise BadInput(f"chunking.tokenizer: {name} is no tokenizer ({str(error)[:80]})") from None
