"""Pairs of texts that share much of their wording, found without comparing all with all.

MinHash signatures of word shingles (Broder, 1997), put into bands so that like texts meet in one of them (Leskovec,
Rajaraman and Ullman, Mining of massive datasets, chapter 3); every pair that meets is then compared exactly.
"""

from __future__ import annotations

import zlib
from collections.abc import Iterator, Sequence
from itertools import combinations, pairwise

import numpy as np
import numpy.typing as npt

from ..text import WORD

SHINGLE = 3
_BANDS = 42
_ROWS = 3
_BLOCK = 2000
_CROWD = 60  # a bucket with more texts than this is looked at in a chain, not pair by pair
_PRIME = np.uint64((1 << 61) - 1)


def shingles(text: str) -> npt.NDArray[np.uint64]:
    """Sorted, distinct hashes of every three words in a row (of all words, when there are fewer)."""
    codes = np.array([zlib.crc32(word.encode()) for word in WORD.findall(text.lower())], dtype=np.uint64)
    if not len(codes):
        return codes
    width = min(SHINGLE, len(codes))
    mixed = np.zeros(len(codes) - width + 1, dtype=np.uint64)
    for step in range(width):
        mixed = (mixed * np.uint64(0x9E3779B97F4A7C15)) ^ (codes[step : step + len(mixed)] + np.uint64(step))
    return np.unique(mixed)


def jaccard(a: npt.NDArray[np.uint64], b: npt.NDArray[np.uint64]) -> float:
    """Shared shingles ÷ all shingles of two texts, 0 to 1."""
    if not len(a) or not len(b):
        return 0.0
    shared = len(np.intersect1d(a, b, assume_unique=True))
    return shared / (len(a) + len(b) - shared)


def similar_pairs(sets: Sequence[npt.NDArray[np.uint64]], least: float) -> list[tuple[int, int, float]]:
    """(first, second, Jaccard) of pairs with at least `least` in common, in order.

    A pair with 0.5 in common is met with probability 0.997, one with 0.4 with 0.94, one with 0.3 with 0.68.
    """
    signatures = _signatures(sets)
    filled = np.array([len(each) > 0 for each in sets])
    seen: set[tuple[int, int]] = set()
    for band in range(_BANDS):
        part = np.ascontiguousarray(signatures[:, band * _ROWS : (band + 1) * _ROWS])
        for pair in _meetings(part, filled):
            seen.add(pair)
    found = []
    for a, b in seen:
        if min(len(sets[a]), len(sets[b])) < least * max(len(sets[a]), len(sets[b])):
            continue
        share = jaccard(sets[a], sets[b])
        if share >= least:
            found.append((a, b, share))
    return sorted(found)


def _signatures(sets: Sequence[npt.NDArray[np.uint64]]) -> npt.NDArray[np.uint64]:
    """The least of each of 126 hashes over a text's shingles: shape (texts, 126)."""
    draw = np.random.default_rng(1)
    count = _BANDS * _ROWS
    factors = draw.integers(1, 1 << 31, size=count, dtype=np.uint64) * np.uint64(2) + np.uint64(1)
    shifts = draw.integers(0, 1 << 61, size=count, dtype=np.uint64)
    made = np.zeros((len(sets), count), dtype=np.uint64)
    for start in range(0, len(sets), _BLOCK):
        block = sets[start : start + _BLOCK]
        rows = [n for n, each in enumerate(block) if len(each)]
        if not rows:
            continue
        flat = np.concatenate([block[n] for n in rows])
        flat ^= flat >> np.uint64(33)
        edges = np.cumsum([0, *(len(block[n]) for n in rows)])[:-1]
        for place in range(count):
            mixed = flat * factors[place] + shifts[place]
            mixed ^= mixed >> np.uint64(29)
            made[[start + n for n in rows], place] = np.minimum.reduceat(mixed, edges)
    return made


def _meetings(part: npt.NDArray[np.uint64], filled: npt.NDArray[np.bool_]) -> Iterator[tuple[int, int]]:
    """Pairs with the same values in a band."""
    codes = part[:, 0] * np.uint64(0x9E3779B97F4A7C15) ^ part[:, 1] * np.uint64(0xC2B2AE3D27D4EB4F) ^ part[:, 2]
    order = np.argsort(codes, kind="stable")
    ordered = codes[order]
    edges = np.flatnonzero(np.concatenate(([True], ordered[1:] != ordered[:-1], [True])))
    for left, right in pairwise(edges):
        if right - left < 2:
            continue
        members = sorted(int(n) for n in order[left:right] if filled[n])
        if len(members) <= _CROWD:
            yield from combinations(members, 2)
        else:
            yield from pairwise(members)
            yield from ((members[0], other) for other in members[2:])
