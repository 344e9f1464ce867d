"""Topics, their words, samples in proportion, and two models' neighbourhoods."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from aventrik.core.surveying.neighbours import overlap
from aventrik.core.surveying.topics import find_topics, numbers_to_try, own_words, reduce, shares, stated_share


def three_groups(each: int = 30) -> np.ndarray:
    draw = np.random.default_rng(1)
    centres = np.eye(3, 12)
    rows = np.repeat(centres, [each, 2 * each, 3 * each], axis=0) + draw.normal(scale=0.05, size=(6 * each, 12))
    return (rows / np.linalg.norm(rows, axis=1, keepdims=True)).astype(np.float32)


@pytest.mark.parametrize("reduced", [False, True])
def test_the_number_of_topics_is_the_one_that_fits_and_the_largest_comes_first(reduced: bool) -> None:
    found = find_topics(three_groups(), numbers_to_try(180), reduced)
    assert found.count == 3
    assert max(found.silhouettes, key=lambda number: found.silhouettes[number]) == 3
    assert [len(found.members(topic)) for topic in range(3)] == [90, 60, 30]
    assert set(found.members(0)) == set(range(90, 180))


def test_typical_vectors_are_near_the_centre_and_border_ones_are_not() -> None:
    rows = three_groups()
    between = rows[0] + rows[40]
    rows = np.vstack([rows, between / np.linalg.norm(between)]).astype(np.float32)
    found = find_topics(rows, [3])
    topic = int(found.topic[180])
    assert found.border(topic, 1) == [180]
    assert 180 not in found.typical(topic, 5)
    assert found.nearness[found.typical(topic, 1)[0]] == found.nearness[found.members(topic)].max()


@pytest.mark.parametrize("count", [0, 1, 2, 3])
def test_fewer_chunks_than_topics(count: int) -> None:
    found = find_topics(three_groups()[:count], [8])
    assert found.count <= count
    assert len(found.topic) == count


def test_equal_vectors_are_one_topic() -> None:
    assert find_topics(np.ones((20, 4), np.float32) / 2, [2, 3, 4]).count == 1


def test_own_words_rank_by_the_log_likelihood_ratio() -> None:
    texts = ["lock lock gate water", "lock gate water", "fee licence water", "fee fee licence water 12"]
    words = own_words(texts, np.array([0, 0, 1, 1], dtype=np.int32), 3)
    # Of 7 words here and 8 there: lock 3 and 0, gate 2 and 0, water 2 and 2, which is a little more here than there.
    assert words == [["lock", "gate", "water"], ["fee", "licence"]]


@given(st.lists(st.integers(0, 50), min_size=1, max_size=8), st.integers(0, 120), st.integers(0, 5))
def test_shares_keep_to_sizes_floor_and_total(sizes: list[int], total: int, floor: int) -> None:
    given_ = shares(sizes, total, floor)
    assert all(min(size, floor) <= share <= size for size, share in zip(sizes, given_, strict=True))
    assert sum(given_) == max(min(total, sum(sizes)), sum(min(size, floor) for size in sizes))


def test_shares_are_in_proportion() -> None:
    assert shares([60, 30, 10], 20) == [12, 6, 2]
    assert shares([980, 10, 10], 20, floor=2) == [16, 2, 2]
    assert shares([5, 5], 1, floor=2) == [2, 2]


def test_navigation_and_lists_of_names_hold_few_sentences() -> None:
    assert stated_share("Home | About | Contact\nPage 3\nNext") == 0
    assert stated_share("Lock: Pellbeck; Beam: 2.1; Length: 17.5\nLock: Quarry; Beam: 2.1; Length: 17.6") == 1
    assert stated_share("The keeper opens the gate at eight. Home") > 0.8


def test_components_have_one_sign_and_as_many_columns_as_there_are() -> None:
    rows = three_groups()
    assert reduce(rows, 2).shape == (180, 2)
    assert np.allclose(reduce(-rows, 2), reduce(-rows, 2))
    assert reduce(rows[:1], 2).shape == (1, 2)


def test_a_model_agrees_with_itself_and_hardly_with_noise() -> None:
    rows = three_groups()
    draw = np.random.default_rng(2)
    noise = draw.normal(size=(180, 5)).astype(np.float32)
    noise /= np.linalg.norm(noise, axis=1, keepdims=True)
    assert overlap(rows, rows, 10).share.tolist() == [1.0] * 180
    apart = overlap(rows, noise, 10)
    assert apart.share.mean() < 0.2
    worst = apart.apart(1)[0]
    assert apart.share[worst] == apart.share.min()
    assert int(apart.asked[worst]) not in apart.first[worst]
    with pytest.raises(ValueError, match="180 and 3 rows"):
        overlap(rows, rows[:3])
