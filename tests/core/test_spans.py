"""Ranges and cover."""

from __future__ import annotations

import itertools

from hypothesis import given
from hypothesis import strategies as st

from aventrik.core.documents.spans import common, length, merge, trimmed

RANGES = st.lists(st.tuples(st.integers(0, 60), st.integers(0, 60)).map(sorted).map(tuple), max_size=12)


def test_merge_joins_overlapping_and_touching_ranges_and_drops_empty_ones() -> None:
    assert merge([(5, 7), (0, 3), (3, 4), (6, 9), (11, 11)]) == [(0, 4), (5, 9)]


@given(RANGES, st.integers(0, 60), st.integers(0, 60))
def test_ranges_agree_with_sets_of_positions(ranges: list[tuple[int, int]], a: int, b: int) -> None:
    start, end = sorted((a, b))
    positions = {place for left, right in ranges for place in range(left, right)}
    assert length(ranges) == len(positions)
    assert common(ranges, start, end) == len(positions & set(range(start, end)))
    merged = merge(ranges)
    assert all(left[1] < right[0] for left, right in itertools.pairwise(merged))


def test_trimming_leaves_the_words() -> None:
    assert trimmed("ab  cd  ", 1, 8) == (1, 6)
    assert trimmed("    ", 1, 3) == (3, 3)
