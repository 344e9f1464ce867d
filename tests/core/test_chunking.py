"""Chunkings: what holds for every one, and what each promises."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from aventrik.core.chunking import METHODS, UNITS, ChunkTable, Cutting, chunk
from aventrik.core.chunking.lookup import chunks_of, held_whole
from aventrik.core.chunking.packing import measure, word_ranges
from aventrik.core.documents import Document
from aventrik.core.reading import read
from aventrik.core.spans import Span

ALPHABET = "ab é́\u2003\u00a0.\n?ZΩ日🙂"
CUTTINGS = st.builds(
    lambda method, size, unit, share: Cutting(method, size, unit, int(size * share)),
    st.sampled_from(METHODS),
    st.integers(1, 60),
    st.sampled_from(UNITS),
    st.floats(0, 0.9),
)


@settings(max_examples=300, deadline=None)
@given(st.text(alphabet=ALPHABET, max_size=300), CUTTINGS)
def test_every_chunking_covers_the_text_in_order_and_stays_inside_it(text: str, cutting: Cutting) -> None:
    cut = chunk(Document("a", text), cutting)
    spans = [span for ranges in cut for span in ranges]
    assert all(0 <= start < end <= len(text) for start, end in spans)
    assert [start for start, _ in spans] == sorted({start for start, _ in spans})
    inside = {place for start, end in spans for place in range(start, end)}
    assert all(text[place].isspace() for place in set(range(len(text))) - inside)
    assert chunk(Document("b", text), cutting) == cut


@settings(max_examples=200, deadline=None)
@given(st.text(alphabet=ALPHABET, max_size=300))
def test_words_are_what_split_says(text: str) -> None:
    assert [text[start:end] for start, end in word_ranges(text)] == text.split()


WORDS = "The keeper opens the gate. " * 40


@pytest.mark.parametrize("unit", UNITS)
@pytest.mark.parametrize("method", METHODS)
def test_no_chunk_is_over_the_size_when_words_are_shorter(method: str, unit: str) -> None:
    size = {"chars": 120, "words": 20, "tokens": 25}[unit]
    cut = chunk(Document("a", WORDS), Cutting(method, size, unit, 0))
    assert len(cut) > 5
    assert all(measure(WORDS, *ranges[0], unit) <= size for ranges in cut)


def test_overlap_repeats_at_most_what_was_asked_for_and_something() -> None:
    cut = chunk(Document("a", WORDS), Cutting("fixed", 100, "chars", 30))
    repeated = [before[0][1] - after[0][0] for before, after in itertools.pairwise(cut)]
    assert all(0 < shared <= 30 for shared in repeated)


def test_fixed_cuts_between_words() -> None:
    text = "alpha beta gamma delta"
    assert [text[a:b] for ((a, b),) in chunk(Document("a", text), Cutting("fixed", 12, "chars", 0))] == [
        "alpha beta",
        "gamma delta",
    ]


def test_paragraphs_stay_whole_and_a_heading_goes_with_what_follows() -> None:
    document = read("a.md", b"# Top\n\nFirst paragraph here.\n\n## Next\n\nSecond one. It has two sentences.\n")
    cut = chunk(document, Cutting("paragraph", 42, "chars", 0))
    assert [document.text[a:b] for ((a, b),) in cut] == [
        "Top\n\nFirst paragraph here.",
        "Next\n\nSecond one. It has two sentences.",
    ]


def test_a_paragraph_too_long_is_cut_between_sentences() -> None:
    text = "One two three four. Five six seven eight. Nine ten."
    cut = chunk(Document("a", text), Cutting("paragraph", 25, "chars", 0))
    assert [text[a:b] for ((a, b),) in cut] == ["One two three four.", "Five six seven eight.", "Nine ten."]


def test_one_word_of_100_000_letters_is_cut_to_size() -> None:
    for method in METHODS:
        cut = chunk(Document("a", "x" * 100_000), Cutting(method, 1000, "chars", 100))
        assert max(end - start for ((start, end),) in cut) <= 1000


def test_a_combining_mark_stays_with_its_letter() -> None:
    text = "e\u0301" * 40
    for ((start, _),) in chunk(Document("a", text), Cutting("fixed", 7, "chars", 0)):
        assert text[start] == "e"


@pytest.mark.parametrize(("size", "overlap"), [(0, 0), (10, 10), (10, -1)])
def test_a_size_or_overlap_that_can_not_work_is_refused(size: int, overlap: int) -> None:
    with pytest.raises(ValueError, match="overlap"):
        chunk(Document("a", "text"), Cutting("fixed", size, "chars", overlap))


def test_a_table_of_chunks_survives_storage_and_finds_spans() -> None:
    table = ChunkTable.build([("a", [((0, 4),), ((4, 6), (8, 10))]), ("empty", []), ("b", [((0, 9),)])])
    again = ChunkTable.from_arrays(table.arrays())
    assert len(again) == 3
    assert [again.name(n) for n in range(3)] == ["a", "a", "b"]
    assert again.ranges(1) == ((4, 6), (8, 10))
    assert list(chunks_of(again, "a")) == [0, 1]
    assert list(chunks_of(again, "empty")) == list(chunks_of(again, "missing")) == []
    assert held_whole(again, [Span("b", 2, 5)], 0.9)
    assert not held_whole(again, [Span("a", 2, 6)], 0.9)
    assert held_whole(again, [Span("a", 2, 6), Span("a", 0, 3)], 0.9)
