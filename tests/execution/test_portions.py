"""Portions of documents: by number, by bytes, none empty and none lost."""

from __future__ import annotations

import pytest

from aventrik.execution.portions import portions


@pytest.mark.parametrize(
    ("sizes", "together", "most", "expected"),
    [
        ([], 3, 10, []),
        ([1, 1, 1, 1], 3, 10, [(10, 11, 12), (13,)]),
        ([4, 6, 1, 9, 1], 3, 10, [(10, 11), (12, 13), (14,)]),
        ([99, 1, 99, 99], 3, 10, [(10,), (11,), (12,), (13,)]),  # what is too large goes alone
        ([0, 0, 0], 1, 0, [(10,), (11,), (12,)]),
    ],
)
def test_neighbours_come_together_up_to_a_number_and_a_weight(
    sizes: list[int], together: int, most: int, expected: list[tuple[int, ...]]
) -> None:
    places = list(range(10, 10 + len(sizes)))
    assert portions(places, sizes, together, most) == expected


def test_places_without_sizes_are_refused() -> None:
    with pytest.raises(ValueError, match="shorter"):
        portions([1, 2], [1], 3)
