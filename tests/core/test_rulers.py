"""Rulers: how long a stretch of text is."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from aventrik.core.errors import BadInput
from aventrik.core.text import count_tokens
from aventrik.core.text.rulers import UNITS, ruler

TEXT = "The keeper's gate, 12.5 metres wide: préparé! 🙂 extraordinary"


@pytest.mark.parametrize(("unit", "whole"), [("chars", len(TEXT)), ("words", 9), ("tokens", count_tokens(TEXT))])
def test_the_whole_text_is_as_long_as_its_units(unit: str, whole: int) -> None:
    assert ruler(TEXT, unit).measure(0, len(TEXT)) == whole


def test_a_word_counts_where_it_begins() -> None:
    told = ruler("alpha beta gamma", "words")
    assert told.measure(0, 5) == 1
    assert told.measure(1, 5) == 0
    assert told.measure(5, 7) == 1
    assert told.at([0, 1, 6, 16]).tolist() == [0, 1, 1, 3]


def test_reach_and_offset_by_hand() -> None:
    told = ruler("alpha beta gamma", "words")
    assert told.reach(0, 2) == 11
    assert told.reach(0, 3) > 16
    assert told.offset(1) == 1
    assert told.offset(2) == 7
    assert told.offset(9) > 16
    chars = ruler("alpha", "chars")
    assert (chars.reach(1, 3), chars.offset(4)) == (4, 4)


@given(st.text(alphabet="ab é.\n🙂", max_size=60), st.sampled_from(UNITS), st.integers(0, 60), st.integers(1, 9))
def test_reach_is_the_furthest_that_fits_and_offset_the_nearest_that_counts(
    text: str, unit: str, start: int, size: int
) -> None:
    told = ruler(text, unit)
    start = min(start, len(text))
    reach = told.reach(start, size)
    inside = min(reach, len(text))
    assert told.measure(start, inside) <= size
    if reach < len(text):
        assert told.measure(start, reach + 1) > size
    offset = told.offset(size)
    if offset <= len(text):
        assert told.measure(0, offset) >= size
        assert told.measure(0, offset - 1) < size


@pytest.mark.parametrize("body", ["", "{}", '{"version": 3}'])
def test_a_file_that_is_no_tokenizer_is_told(tmp_path: object, body: str) -> None:
    path = f"{tmp_path}/tokenizer.json"
    with open(path, "w", encoding="utf-8") as file:
        file.write(body)
    with pytest.raises(BadInput, match="is no tokenizer"):
        ruler("text", "tokens", path)


def test_a_lone_surrogate_can_be_measured_in_tokens() -> None:
    pytest.importorskip("wordllama")
    assert ruler("a \ud800 b", "tokens", "static").measure(0, 5) >= 2
