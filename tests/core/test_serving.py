"""What is handed on for a chunk, and that no text is handed on twice."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from aventrik.core.chunking import Chunk, Cutting, chunk
from aventrik.core.context.serving import Serving, handed_on, served
from aventrik.core.documents import Document
from aventrik.core.documents.spans import without
from aventrik.core.reading import read
from aventrik.core.reading.builder import TextBuilder
from aventrik.core.text import sentences

TEXT = b"# Top\n\nOne here.\n\n## Locks\n\nTwo here. Three here.\n\n### Deep\n\nFour here.\n\n## Fees\n\nFive here.\n"
DOCUMENT = read("a.md", TEXT)
CHUNKS: list[Chunk] = [(found,) for found in sentences(DOCUMENT.text)]


def shown(units: list[Chunk], text: str = DOCUMENT.text) -> list[str]:
    return ["|".join(" ".join(text[a:b].split()) for a, b in unit) for unit in units]


def test_the_chunks_that_these_tests_speak_of() -> None:
    found = "Top, One here., Locks, Two here., Three here., Deep, Four here., Fees, Five here."
    assert shown(CHUNKS) == found.split(", ")


def test_neighbours_are_joined_where_only_white_space_parts_them() -> None:
    units, place = served(DOCUMENT, CHUNKS, Serving("neighbours", 1))
    assert shown([units[place[3]]]) == ["Locks Two here. Three here."]
    assert shown([units[place[0]]]) == ["Top One here."]
    far, place = served(DOCUMENT, CHUNKS, Serving("neighbours", 2))
    assert shown([far[place[4]]]) == ["Locks Two here. Three here. Deep Four here."]


def test_a_section_reaches_to_the_next_heading_and_is_one_unit_for_all_its_chunks() -> None:
    units, place = served(DOCUMENT, CHUNKS, Serving("section"))
    assert shown(units) == ["Top One here.", "Locks Two here. Three here.", "Deep Four here.", "Fees Five here."]
    assert place == [0, 0, 1, 1, 1, 2, 2, 3, 3]


def test_pages_and_documents() -> None:
    builder = TextBuilder()
    pages = []
    for number in range(3):
        pages.append(builder.next_start)
        builder.paragraph(f"Page {number} says so. And that.")
    document = builder.finish("p", pages=pages)
    cut = chunk(document, Cutting("sentence", 16, "chars", 0))
    units, place = served(document, cut, Serving("page"))
    assert shown(units, document.text) == [f"Page {n} says so. And that." for n in range(3)]
    assert place == [0, 0, 1, 1, 2, 2]
    whole, place = served(document, cut, Serving("document"))
    assert (len(whole), set(place)) == (1, {0})
    alone, place = served(DOCUMENT, CHUNKS, Serving("page"))
    assert (len(alone), set(place)) == (1, {0})  # a document without pages is one


def test_a_larger_chunking_serves_the_chunk_that_holds_most_of_the_small_one() -> None:
    larger = Cutting("paragraph", 40, "chars", 0)
    units, place = served(DOCUMENT, CHUNKS, Serving("larger", 1, larger))
    assert units == chunk(DOCUMENT, larger)
    for ranges, unit in zip(CHUNKS, place, strict=True):
        assert units[unit][0][0] <= ranges[0][0]
        assert ranges[-1][1] <= units[unit][-1][1]


def test_text_that_was_handed_on_is_not_again() -> None:
    text = "aa bb cc dd"
    assert handed_on(text, ((0, 11),), []) == ((0, 11),)
    assert handed_on(text, ((0, 11),), [(3, 5)]) == ((0, 2), (6, 11))
    assert handed_on(text, ((3, 8),), [(0, 5), (5, 8)]) == ()
    assert handed_on(text, ((0, 5),), [(0, 2)]) == ((3, 5),)


RANGES = st.lists(
    st.tuples(st.integers(0, 40), st.integers(0, 40)).map(lambda pair: (min(pair), max(pair))), max_size=6
)


@given(RANGES, RANGES)
def test_without_is_the_difference_of_the_sets_of_places(
    ranges: list[tuple[int, int]], taken: list[tuple[int, int]]
) -> None:
    def places(some: list[tuple[int, int]]) -> set[int]:
        return {place for start, end in some for place in range(start, end)}

    left = without(ranges, taken)
    assert places(left) == places(ranges) - places(taken)
    assert left == sorted(left)


@pytest.mark.parametrize("way", ["neighbours", "section", "page", "document"])
def test_every_unit_holds_its_chunk(way: str) -> None:
    for size in (5, 14, 60):
        cut = chunk(DOCUMENT, Cutting("fixed", size, "chars", 0))
        units, place = served(DOCUMENT, cut, Serving(way))
        for ranges, unit in zip(cut, place, strict=True):
            assert without(ranges, units[unit]) == []


def test_an_empty_document_serves_nothing() -> None:
    assert served(Document("e", ""), [], Serving("section")) == ([], [])
