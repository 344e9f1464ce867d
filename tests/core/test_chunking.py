"""Chunkings: what holds for every one, and what each promises."""

from __future__ import annotations

import itertools
import multiprocessing
from concurrent.futures import ProcessPoolExecutor

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from aventrik.core.chunking import METHODS, ChunkTable, Cutting, chunk, chunks_from, chunks_of, columns_of
from aventrik.core.chunking.topic import _Deepest, _peaks, depths
from aventrik.core.chunking.units import CutSource
from aventrik.core.documents import Document
from aventrik.core.errors import BadInput
from aventrik.core.measures.evidence import EvidencePlace, held_whole
from aventrik.core.reading import read
from aventrik.core.reading.builder import TextBuilder
from aventrik.core.text.rulers import UNITS, ruler, word_edges

ALPHABET = "ab é́\u2003\u00a0.\n?ZΩ日🙂"
CUTTINGS = st.builds(
    lambda method, size, unit, share: Cutting(method, size, unit, int(size * share)),
    st.sampled_from(METHODS),
    st.integers(1, 60),
    st.sampled_from(UNITS),
    st.floats(0, 0.9),
)


BLOCK = st.one_of(
    st.tuples(st.just("heading"), st.text(alphabet=ALPHABET, max_size=20), st.integers(1, 3)),
    st.tuples(st.just("paragraph"), st.text(alphabet=ALPHABET, max_size=120), st.just(0)),
    st.tuples(st.just("table"), st.text(alphabet=ALPHABET, max_size=12), st.integers(1, 5)),
    st.tuples(st.just("page"), st.just(""), st.just(0)),
)


@st.composite
def structured(draw: st.DrawFn) -> Document:
    """A document with headings, paragraphs, captioned tables and pages."""
    builder, pages = TextBuilder(), [0]
    for kind, text, number in draw(st.lists(BLOCK, max_size=12)):
        if kind == "heading":
            builder.heading(text, number)
        elif kind == "paragraph":
            builder.paragraph(text)
        elif kind == "table":
            rows = [[f"{text} {row}. Next", "b"] for row in range(number)]
            builder.table(["A", "B"], rows, caption="Some caption" if number > 2 else "")
        else:
            pages.append(builder.next_start)
    return builder.finish("a", pages=pages)


DOCUMENTS = st.one_of(
    st.builds(lambda text: Document("a", text), st.text(alphabet=ALPHABET, max_size=300)), structured()
)


@settings(max_examples=400, deadline=None)
@given(DOCUMENTS, CUTTINGS)
def test_every_chunking_covers_the_text_in_order_and_stays_inside_it(document: Document, cutting: Cutting) -> None:
    text = document.text
    cut = chunk(document, cutting)
    spans = [span for ranges in cut for span in ranges]
    assert all(0 <= start < end <= len(text) for start, end in spans)
    assert all(ranges == tuple(sorted(ranges)) for ranges in cut)
    starts = [ranges[-1][0] for ranges in cut]  # what stands before the last range is a table's caption
    assert starts == sorted(set(starts))
    inside = {place for start, end in spans for place in range(start, end)}
    assert all(text[place].isspace() for place in set(range(len(text))) - inside)
    assert chunk(Document("b", text, document.parts), cutting) == cut


@settings(max_examples=300, deadline=None)
@given(structured(), CUTTINGS)
def test_no_chunking_cuts_through_a_word_or_a_row_that_fits(document: Document, cutting: Cutting) -> None:
    text, told = document.text, ruler(document.text, cutting.unit)
    edges = {edge for ranges in chunk(document, cutting) for span in ranges for edge in span}
    whole = [(part.start, part.end) for part in document.of_kind("row")]
    whole += list(zip(*(found.tolist() for found in word_edges(text)), strict=True))
    for start, end in whole:
        if told.measure(start, end) <= cutting.size:
            assert not any(start < edge < end for edge in edges), text[start:end]


@settings(max_examples=300, deadline=None)
@given(structured(), CUTTINGS)
def test_no_chunk_is_larger_than_the_size_but_for_a_cluster(document: Document, cutting: Cutting) -> None:
    told = ruler(document.text, cutting.unit)
    for ranges in chunk(document, cutting):
        assert sum(told.measure(*each) for each in ranges) <= cutting.size or ranges[-1][1] - ranges[-1][0] == 1


def cut_here(job: tuple[str, Cutting]) -> list[tuple[tuple[int, int], ...]]:
    return chunk(read("a.md", job[0].encode()), job[1])


def test_a_chunking_is_the_same_in_any_worker() -> None:
    text = "\n\n".join(
        f"## Part {n}\n\nThe gauge at Skelder reads {n}. Boats wait. Gates of lock {n} leak." for n in range(30)
    )
    jobs = [(text, Cutting(method, 150, "chars", 20)) for method in METHODS]
    with ProcessPoolExecutor(2, mp_context=multiprocessing.get_context("spawn")) as pool:
        assert list(pool.map(cut_here, jobs)) == [cut_here(job) for job in jobs]


@settings(max_examples=200, deadline=None)
@given(st.text(alphabet=ALPHABET, max_size=300))
def test_words_are_what_split_says(text: str) -> None:
    starts, ends = word_edges(text)
    assert [text[start:end] for start, end in zip(starts, ends, strict=True)] == text.split()


WORDS = "The keeper opens the gate. " * 40


@pytest.mark.parametrize("unit", UNITS)
@pytest.mark.parametrize("method", METHODS)
def test_no_chunk_is_over_the_size_when_words_are_shorter(method: str, unit: str) -> None:
    size = {"chars": 120, "words": 20, "tokens": 25}[unit]
    cut = chunk(Document("a", WORDS), Cutting(method, size, unit, 0))
    assert len(cut) > 5
    assert all(ruler(WORDS, unit).measure(*ranges[0]) <= size for ranges in cut)


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


def texts(document: Document, cutting: Cutting) -> list[str]:
    return ["|".join(document.text[a:b] for a, b in ranges) for ranges in chunk(document, cutting)]


def test_sentence_fills_chunks_across_paragraphs() -> None:
    document = Document("a", "One two three.\n\nFour five.\n\nSix seven eight nine. Ten.")
    assert texts(document, Cutting("sentence", 30, "chars", 0)) == [
        "One two three.\n\nFour five.",
        "Six seven eight nine. Ten.",
    ]


SECTIONS = b"""# Top

Words before.

## First

Alpha text of some length here.

### Deeper

Beta text that is longer still.

## Second

Gamma.
"""


def test_heading_keeps_a_section_together_and_splits_by_the_next_lower_level() -> None:
    document = read("a.md", SECTIONS)
    whole = texts(document, Cutting("heading", 1000, "chars", 0))
    assert whole == [document.text]
    # 96 characters hold First with what is below it, and Second, a left-over, too; with 60 Deeper comes off.
    assert [text.split("\n")[0] for text in texts(document, Cutting("heading", 96, "chars", 0))] == ["Top", "First"]
    assert [text.split("\n")[0] for text in texts(document, Cutting("heading", 60, "chars", 0))] == [
        "Top", "First", "Deeper",
    ]  # fmt: skip


def test_no_page_chunk_reaches_over_a_page() -> None:
    builder = TextBuilder()
    pages = []
    for number in range(3):
        pages.append(builder.next_start)
        builder.paragraph(f"Page {number} begins. It says this. And that.")
    document = builder.finish("a", pages=pages)
    assert texts(document, Cutting("page", 500, "chars", 0)) == [
        f"Page {number} begins. It says this. And that." for number in range(3)
    ]
    assert len(texts(document, Cutting("page", 25, "chars", 0))) == 6


WATER = ["The pound is low.", "Water in the pound drains.", "The pound lost water.", "Low water drains the pound."]
FEES = ["A licence fee is due.", "The fee for a licence rises.", "Pay the licence fee.", "The licence has a fee."]


def test_topic_cuts_where_sentences_drift_apart() -> None:
    assert int(depths(WATER + FEES).argmax()) == 3
    text = " ".join(WATER + FEES)
    cut = texts(Document("a", text), Cutting("topic", 150, "chars", 0))
    assert cut == [" ".join(WATER), " ".join(FEES)]


def test_the_depth_of_a_gap_is_worked_out_by_hand() -> None:
    # Terms: a b | a b | c. With windows of four, gap 0 sees {a b} and {a b, c}, gap 1 sees {a b, a b} and {c}.
    found = depths(["apple bread", "apple bread", "cheese"])
    first = 2 / (2**0.5 * 3**0.5)
    assert found == pytest.approx([0.0, first - 0.0])


def test_a_chunk_that_begins_inside_a_table_repeats_its_caption_and_every_row_its_header() -> None:
    builder = TextBuilder()
    builder.table(["Lock", "Beam"], [[f"Lock {n}", f"{n}.1"] for n in range(6)], caption="Lock sizes")
    cut = texts(builder.finish("a"), Cutting("paragraph", 50, "chars", 0))
    assert cut[0] == "Lock sizes\nLock: Lock 0; Beam: 0.1"
    assert cut[1] == "Lock sizes|Lock: Lock 1; Beam: 1.1"  # two rows would fit, but not behind the caption
    wider = texts(builder.finish("a"), Cutting("paragraph", 60, "chars", 0))
    assert wider[1] == "Lock sizes|Lock: Lock 2; Beam: 2.1\nLock: Lock 3; Beam: 3.1"
    assert all("Lock: " in text and "Beam: " in text for text in cut)


def test_a_small_last_chunk_is_joined_or_made_more_even() -> None:
    text = " ".join(["word"] * 21)  # 20 words fit into 100 characters, and one is left over
    lengths = [b - a for ((a, b),) in chunk(Document("a", text), Cutting("fixed", 100, "chars", 0))]
    assert lengths == [49, 54]


def test_tokens_are_those_of_a_named_tokenizer() -> None:
    pytest.importorskip("wordllama")
    from aventrik.core.embedding.static import tokenizer

    text = "Unlockable floodgates, 12.5 metres; préparé. " * 30
    measured = ruler(text, "tokens", "static")
    assert measured.measure(0, len(text)) == len(tokenizer().encode(text, add_special_tokens=False).ids)
    for ((a, b),) in chunk(Document("a", text), Cutting("fixed", 40, "tokens", 0, "static")):
        assert len(tokenizer().encode(text[a:b], add_special_tokens=False).ids) <= 42


def test_a_tokenizer_that_is_not_there_is_told() -> None:
    with pytest.raises(BadInput, match=r"no file nowhere\.json"):
        chunk(Document("a", "text"), Cutting("fixed", 10, "tokens", 0, "nowhere.json"))


@pytest.mark.parametrize("method", METHODS)
@pytest.mark.parametrize("text", ["مرحبا بالعالم هذا نص طويل " * 20, "👩‍👩‍👧‍👦👍🏽🇩🇪" * 60, "no end here " * 50])
def test_other_scripts_and_emoji_stay_whole(method: str, text: str) -> None:
    cut = texts(Document("a", text), Cutting(method, 40, "chars", 5))
    assert len(cut) > 5
    assert not any(piece[0] in "\u200d\U0001f3fd\ufe0f" or piece[-1] == "\u200d" for piece in cut)


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
    parts = [columns_of(chunks) for chunks in ([((0, 4),), ((4, 6), (8, 10))], [], [((0, 9),)])]
    columns = {name: np.concatenate([part[name] for part in parts]) for name in parts[0]}
    ends = {name: np.cumsum([0, *(len(part[name]) for part in parts)]) for name in parts[0]}
    again = ChunkTable.of_columns(["a", "empty", "b"], columns, ends)
    assert chunks_from(parts[0]) == [((0, 4),), ((4, 6), (8, 10))]
    assert again.ranges(1) == table.ranges(1)
    assert len(again) == 3
    assert [again.name(n) for n in range(3)] == ["a", "a", "b"]
    assert again.ranges(1) == ((4, 6), (8, 10))
    assert list(chunks_of(again, "a")) == [0, 1]
    assert list(chunks_of(again, "empty")) == list(chunks_of(again, "missing")) == []
    assert held_whole(again, (place("b", 2, 5),), 0.9)
    assert not held_whole(again, (place("a", 2, 6),), 0.9)
    assert held_whole(again, (place("a", 2, 6), place("a", 0, 3)), 0.9)


def place(doc: str, start: int, end: int) -> EvidencePlace:
    return EvidencePlace(doc, start, end, ((start, end),))


SENTENCES = st.lists(st.integers(1, 14), min_size=1, max_size=40).map(
    lambda sizes: " ".join("w" * size + ("." if size % 3 else "") for size in sizes).replace(". w", ". W")
)
TEXTS = st.lists(st.one_of(SENTENCES, st.integers(1, 120).map(lambda size: "x" * size)), min_size=1, max_size=6)


@given(TEXTS, st.integers(20, 100), st.integers(0, 99), st.sampled_from(METHODS))
@settings(max_examples=150, deadline=None)
def test_no_chunk_is_longer_than_its_size_with_its_overlap_and_none_ends_as_a_scrap(
    blocks: list[str], size: int, overlap: int, method: str
) -> None:
    document = read("a.txt", "\n\n".join(blocks).encode())
    chunks = chunk(document, Cutting(method, size, "chars", min(overlap, size - 1)))
    lengths = [ranges[-1][1] - ranges[-1][0] for ranges in chunks]
    assert max(lengths, default=0) <= size
    if method in ("sentence", "paragraph", "fixed") and len(document.text) > size:
        assert lengths[-1] > 2 or len(blocks[-1]) <= 2


@pytest.mark.parametrize("method", ["fixed", "sentence", "paragraph"])
def test_a_scrap_behind_a_table_parts_no_row(method: str) -> None:
    """A row of several sentences fits into a chunk; a last chunk of one sign takes over rows, not a part of one."""
    rows = "".join(f"| Is it {n}? So it is. Next {n} | b{n} |\n" for n in range(8))
    document = read("a.md", f"| A | B |\n|---|---|\n{rows}\n?".encode())
    whole = [(part.start, part.end) for part in document.of_kind("row")]
    for size in range(max(end - start for start, end in whole), 400):
        edges = {edge for ranges in chunk(document, Cutting(method, size, "chars", 0)) for edge in ranges[-1]}
        assert not [(start, end) for start, end in whole for edge in edges if start < edge < end], size


def test_a_word_larger_than_a_chunk_is_cut_evenly() -> None:
    document = Document("a", "x" * 101)
    assert [end - start for ((start, end),) in chunk(document, Cutting("fixed", 50, "chars", 0))] == [34, 34, 33]


@pytest.mark.parametrize("method", METHODS)
@pytest.mark.parametrize("words", [3, 40, 300])
def test_a_caption_counts_for_the_size_of_a_chunk(method: str, words: int) -> None:
    builder = TextBuilder()
    builder.table(["Lock", "Width"], [[f"Lock {n}", f"{n} ft"] for n in range(40)], caption="dues " * words)
    document = builder.finish("a")
    cutting = Cutting(method, size=60, overlap=0)
    chunks = chunk(document, cutting)
    ruler = CutSource(document, cutting).ruler
    assert max(sum(ruler.measure(*each) for each in ranges) for ranges in chunks) <= 60
    text = document.text
    served = "\n".join(text[start:end] for ranges in chunks for start, end in ranges)
    assert all(f"Width: {n} ft" in served or f"{n} ft" in served for n in range(40))
    within = [ranges for ranges in chunks if ranges[0][0] > 5 * words]
    assert all(len(ranges) == 1 for ranges in within) or words == 300
    assert any(len(ranges) > 1 and text[slice(*ranges[0])].startswith("dues") for ranges in chunks)


def test_slopes_and_deepest_gaps_are_those_of_the_definition() -> None:
    lot = np.random.default_rng(4)

    def top(values: np.ndarray) -> float:
        found = values[0]
        for value in values[1:]:
            if value < found:
                break
            found = value
        return float(found)

    for count in (1, 2, 7, 40):
        values = lot.integers(0, 4, count).astype(float)
        assert _peaks(values).tolist() == [top(values[place:]) for place in range(count)]
        deepest = _Deepest(values)
        for first in range(count):
            for last in range(first, count):
                assert deepest.among(first, last) == first + int(np.argmax(values[first : last + 1]))
