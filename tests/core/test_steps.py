"""Reranking steps: each on small lists whose outcome is worked out by hand."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import numpy as np
import pytest

from aventrik.core.documents import Document
from aventrik.core.protocols import Reply, Task
from aventrik.core.reading import read
from aventrik.core.reranking import STEPS, Item, Ranked, StepMeans, apply, check_setting, settings_of

DOCUMENT = b"""# Visitor moorings

A stay is limited to 48 hours. An overstay is charged at 25 pounds. The desk opens at nine.

# Keys

A bridge key costs 12 pounds. It is sold at the desk. Spare keys are rare.
"""


def document() -> Document:
    return read("a.md", DOCUMENT)


def item(doc: Document, start: str, end: str, score: float = 1.0, chunk: int = 0) -> Item:
    """The item from one phrase to the end of another."""
    left, right = doc.text.index(start), doc.text.index(end) + len(end)
    return Item(chunk, score, doc.text[left:right], "", doc.name, ((left, right),))


def means(doc: Document, **more: Any) -> StepMeans:
    return StepMeans(rarity=lambda term: 1.0, document={doc.name: doc}.__getitem__, **more)


def texts_of(doc: Document, ranked: Ranked) -> list[str]:
    return ["|".join(doc.text[a:b] for a, b in ranges) for _, _, ranges in ranked.pieces]


def settings(step: str, **changes: Any) -> dict[str, Any]:
    return settings_of({"step": step, **changes})


class Vectors:
    """Vectors of texts as a test gives them; and the texts that were asked for."""

    def __init__(self, known: dict[str, Sequence[float]]) -> None:
        self.known = known
        self.asked: list[tuple[tuple[str, ...], str]] = []

    def __call__(self, texts: Sequence[str], use: str) -> np.ndarray:
        self.asked.append((tuple(texts), use))
        rows = np.array([self.known[text] for text in texts], dtype=np.float32)
        return rows / np.linalg.norm(rows, axis=1, keepdims=True)


class Quoting:
    """A language model that quotes what a test says."""

    name = "quoting"

    def __init__(self, *quotes: list[str] | None) -> None:
        self.quotes = list(quotes)
        self.tasks: list[Task] = []

    def identity(self, task: str) -> str:
        return "quoting"

    def perform(self, tasks: Sequence[Task]) -> list[Reply]:
        self.tasks.extend(tasks)
        return [
            Reply(None, "no reply") if (found := self.quotes.pop(0)) is None else Reply({"quotes": found})
            for _ in tasks
        ]


def test_split_cuts_at_sentences_and_keeps_score_and_place() -> None:
    doc = document()
    whole = item(doc, "A stay", "nine.", 0.7, chunk=4)
    [ranked] = apply("split", ["q"], [[whole, item(doc, "A bridge", "rare.", 0.2, chunk=5)]], {"size": 60}, means(doc))
    assert texts_of(doc, ranked) == [
        "A stay is limited to 48 hours.", "An overstay is charged at 25 pounds. The desk opens at nine.",
        "A bridge key costs 12 pounds. It is sold at the desk.", "Spare keys are rare.",
    ]  # fmt: skip
    assert [(chunk, score) for chunk, score, _ in ranked.pieces] == [(4, 0.7), (4, 0.7), (5, 0.2), (5, 0.2)]


def test_a_split_larger_than_the_chunk_changes_nothing_and_what_is_served_twice_is_cut_once() -> None:
    doc = document()
    one = item(doc, "A stay", "nine.")
    [ranked] = apply(
        "split", ["q"], [[one, Item(9, 0.5, one.text, "", doc.name, one.ranges)]], {"size": 5000}, means(doc)
    )
    assert ranked.items == ((0, 1.0),)
    assert ranked.texts == ()


def test_a_split_table_keeps_its_first_row_with_each_piece() -> None:
    rows = "".join(f"| Lock {n} | {n} m |\n" for n in range(1, 7))
    doc = read("t.md", f"| Lock | Rise |\n|---|---|\n{rows}".encode())
    tables = doc.of_kind("table")
    assert len(tables) == 1
    whole = Item(0, 1.0, doc.text, "", doc.name, ((tables[0].start, tables[0].end),))
    [ranked] = apply("split", ["q"], [[whole]], {"size": 40}, means(doc))
    first = doc.of_kind("row")[0]
    pieces = [ranges for _, _, ranges in ranked.pieces]
    assert len(pieces) > 1
    assert all(ranges[0] == (first.start, first.end) for ranges in pieces[1:])
    assert "".join(texts_of(doc, ranked)).count("Lock 6") == 1


def test_extract_by_its_own_rule_takes_the_weightiest_sentences_within_the_budget() -> None:
    doc = document()
    row = [item(doc, "A stay", "nine.", chunk=0), item(doc, "A bridge", "rare.", chunk=1)]
    # Of "bridge key cost" the first sentence under Keys holds all three terms (fee, charge, cost are one).
    [ranked] = apply("extract", ["what does a bridge key cost"], [row], settings("extract", share=0.25), means(doc))
    assert texts_of(doc, ranked)[-1].startswith("A bridge key costs 12 pounds.")
    assert "Spare keys are rare" not in " ".join(texts_of(doc, ranked))
    # A share so small that nothing fits still leaves the best sentence; with "least" at 1 it is the only one.
    [one] = apply("extract", ["what does a bridge key cost"], [row], settings("extract", share=0.0), means(doc))
    assert texts_of(doc, one) == ["A bridge key costs 12 pounds."]
    [best] = apply(
        "extract", ["what does a bridge key cost"], [row], settings("extract", share=1.0, least=1.0), means(doc)
    )
    assert texts_of(doc, best) == ["A bridge key costs 12 pounds."]
    [near] = apply("extract", ["bridge key cost"], [row], settings("extract", share=0.0, around=1), means(doc))
    assert texts_of(doc, near) == ["A bridge key costs 12 pounds. It is sold at the desk."]


def test_extract_of_a_question_that_nothing_speaks_of_leaves_nothing() -> None:
    doc = document()
    [ranked] = apply("extract", ["zebra"], [[item(doc, "A stay", "nine.")]], settings("extract"), means(doc))
    assert ranked.items == ()
    [empty] = apply("extract", ["zebra"], [[]], settings("extract"), means(doc))
    assert empty.items == ()


def test_extract_by_a_model_keeps_what_it_quotes_and_counts_what_stands_nowhere() -> None:
    doc = document()
    model = Quoting(["An overstay is charged at 25 pounds.", "A fee of 99 pounds."], [], None)
    row = [
        item(doc, "A stay", "nine.", 0.9, 0), item(doc, "It is sold", "the desk.", 0.8, 1), item(doc, "Spare", "rare.", 0.7, 2),
    ]  # fmt: skip
    [ranked] = apply(
        "extract",
        ["overstay"],
        [row],
        settings("extract"),
        means(doc, language=model, wording="own $question $passage"),
    )
    assert texts_of(doc, ranked) == ["An overstay is charged at 25 pounds.", ""]  # the failed one stays as it was
    assert [chunk for chunk, _ in ranked.items] == [0, 2]
    assert (ranked.failure, ranked.unfound) == ("no reply", 1)
    assert {task.wording for task in model.tasks} == {"own $question $passage"}


def test_a_quote_is_found_in_the_items_own_ranges_alone() -> None:
    doc = document()
    model = Quoting(["It is sold at the desk."])
    [ranked] = apply(
        "extract", ["q"], [[item(doc, "A stay", "nine.")]], settings("extract"), means(doc, language=model)
    )
    assert (ranked.items, ranked.unfound) == ((), 1)


@pytest.mark.parametrize(
    ("changes", "kept"),
    [
        ({"least": 0.5}, [0, 1]),
        ({"least": 0.9, "spare": 2}, [0, 1]),
        ({"least": 0.55, "of": "share"}, [0, 1]),  # 0.5 ÷ 0.9 = 0.556, 0.4 ÷ 0.9 = 0.444
        ({"least": 0.56, "of": "share"}, [0]),
        ({"least": 5.0}, []),
    ],
)
def test_floor_drops_what_scores_too_low(changes: dict[str, Any], kept: list[int]) -> None:
    doc = document()
    row = [Item(n, score, "x", "", doc.name, ((0, 1),)) for n, score in enumerate([0.9, 0.5, 0.4])]
    [ranked] = apply("floor", ["q"], [row], settings("floor", **changes), means(doc))
    assert [chunk for chunk, _ in ranked.items] == kept


def test_floor_by_likeness_is_the_cosine_of_terms_or_of_vectors() -> None:
    doc = document()
    row = [
        Item(0, 1.0, "bridge key", "", doc.name, ((0, 1),)),
        Item(1, 1.0, "bridge swan heron", "", doc.name, ((0, 1),)),
    ]
    # cos("bridge key", "bridge key") = 1; cos with three words of which one is shared = 1 / √(2 · 3) = 0.408
    [ranked] = apply("floor", ["bridge key"], [row], settings("floor", of="likeness", least=0.41), means(doc))
    assert [chunk for chunk, _ in ranked.items] == [0]
    [both] = apply("floor", ["bridge key"], [row], settings("floor", of="likeness", least=0.40), means(doc))
    assert [chunk for chunk, _ in both.items] == [0, 1]
    vectors = Vectors({"bridge key": (1, 0), "bridge swan heron": (0, 1)})
    [one] = apply(
        "floor", ["bridge key"], [row], settings("floor", of="likeness", least=0.5), means(doc, vectors=vectors)
    )
    assert [chunk for chunk, _ in one.items] == [0]


def test_embedding_orders_by_cosine_and_embeds_each_text_once() -> None:
    doc = document()
    known = {"a": (1.0, 0.0), "b": (3.0, 4.0), "q": (0.0, 1.0), "r": (1.0, 0.0)}
    vectors = Vectors(known)
    a, b = (Item(n, 0.5, text, "", doc.name, ((0, 1),)) for n, text in enumerate("ab"))
    one, other = apply(
        "embedding", ["q", "r"], [[a, b], [b, a]], settings("embedding", least=0.1), means(doc, vectors=vectors)
    )
    assert one.items == ((1, 0.8),)
    assert other.items == ((0, 1.0), (1, 0.6))
    assert vectors.asked == [(("a", "b"), "passage"), (("q", "r"), "query")]
    assert apply("embedding", ["q"], [[]], settings("embedding"), means(doc, vectors=vectors))[0].items == ()


def test_distinct_drops_repeats_above_the_bound() -> None:
    doc = document()
    row = [
        Item(n, 1.0 - n / 10, text, "", doc.name, ((0, 1),))
        for n, text in enumerate(["lock gate", "gate lock", "lock swan", "heron"])
    ]
    [ranked] = apply("distinct", ["q"], [row], settings("distinct", above=0.5), means(doc))
    assert [chunk for chunk, _ in ranked.items] == [0, 2, 3]  # cos(lock gate, lock swan) = 1/2, not above it
    [few] = apply("distinct", ["q"], [row], settings("distinct", above=0.5, keep=2), means(doc))
    assert [chunk for chunk, _ in few.items] == [0]


def test_marginal_relevance_by_hand() -> None:
    """Carbonell and Goldstein, 1998: λ · relevance − (1 − λ) · greatest likeness to what was taken."""
    doc = document()
    vectors = Vectors({"a": (1.0, 0.0), "b": (1.0, 0.0), "c": (0.0, 1.0)})
    row = [
        Item(n, score, text, "", doc.name, ((0, 1),))
        for n, (text, score) in enumerate([("a", 1.0), ("b", 0.9), ("c", 0.0)])
    ]
    # Relevance scaled: 1, 0.9, 0. After a: b is worth 0.5·0.9 − 0.5·1 = −0.05, c 0.5·0 − 0.5·0 = 0.
    [ranked] = apply(
        "distinct", ["q"], [row], settings("distinct", way="marginal", balance=0.5), means(doc, vectors=vectors)
    )
    assert [chunk for chunk, _ in ranked.items] == [0, 2, 1]
    [greedy] = apply(
        "distinct", ["q"], [row], settings("distinct", way="marginal", balance=1.0), means(doc, vectors=vectors)
    )
    assert [chunk for chunk, _ in greedy.items] == [0, 1, 2]


@pytest.mark.parametrize(
    ("way", "wanted"),
    [("best-first", [3, 0, 2, 1, 4]), ("both-ends", [3, 2, 1, 0, 4]), ("document", [0, 2, 1, 3, 4])],
)
def test_order_of_the_first_few(way: str, wanted: list[int]) -> None:
    doc = document()
    rows = [(0, 0.8, "b", 50), (1, 0.2, "a", 90), (2, 0.5, "b", 80), (3, 0.9, "a", 95), (4, 1.0, "b", 0)]
    items = [Item(n, score, "x", "", name, ((start, start + 1),)) for n, score, name, start in rows]
    [ranked] = apply("order", ["q"], [items], settings("order", way=way, keep=4), means(doc))
    assert [chunk for chunk, _ in ranked.items] == wanted


def test_neighbours_add_sentences_or_chunks_and_stop_at_the_ends() -> None:
    doc = document()
    middle = item(doc, "An overstay", "pounds.", chunk=1)
    [ranked] = apply("neighbours", ["q"], [[middle]], settings("neighbours"), means(doc))
    assert texts_of(doc, ranked) == [
        "A stay is limited to 48 hours. An overstay is charged at 25 pounds. The desk opens at nine."
    ]
    last = item(doc, "Spare", "rare.", chunk=2)
    [end] = apply("neighbours", ["q"], [[last]], settings("neighbours", before=0, after=5), means(doc))
    assert end.texts == ()  # nothing stands behind it
    chunks = {0: item(doc, "A stay", "hours.").ranges, 2: item(doc, "The desk", "nine.").ranges}
    beside = lambda number, away: chunks.get(number + away, ())  # noqa: E731
    [wide] = apply("neighbours", ["q"], [[middle]], settings("neighbours", unit="chunks"), means(doc, beside=beside))
    assert texts_of(doc, wide) == texts_of(doc, ranked)


def test_relevance_by_grades_orders_by_level_and_a_failure_is_no_opinion() -> None:
    doc = document()

    class Grading(Quoting):
        def perform(self, tasks: Sequence[Task]) -> list[Reply]:
            assert {task.name for task in tasks} == {"answered"}
            assert tasks[0].fields["title"] == "T"
            assert tasks[0].fields["headings"] == ["H"]
            return [
                Reply({"quotes": [], "reason": "", "level": 0}),
                Reply(None, "no reply"),
                Reply({"quotes": [], "reason": "", "level": 3}),
            ]

    row = [Item(n, 1.0, "x", "T › H", doc.name, ((0, 1),)) for n in range(4)]
    [ranked] = apply(
        "relevance", ["q"], [row], settings("relevance", keep=3, scale="graded"), means(doc, language=Grading())
    )
    assert ranked.items == ((2, 3.0), (1, 1.0), (0, 0.0), (3, -1.0))
    assert ranked.failure == "no reply"


@pytest.mark.parametrize("name", sorted(set(STEPS) - {"cross-encoder", "relevance", "embedding"}))
def test_an_empty_list_stays_empty(name: str) -> None:
    doc = document()
    assert [ranked.items for ranked in apply(name, ["q", ""], [[], []], settings(name), means(doc))] == [(), ()]


@pytest.mark.parametrize(
    ("step", "key", "value", "told"),
    [
        ("split", "size", 0, "whole number from 1"), ("split", "size", 2.5, "whole number"), ("split", "size", True, "number"),
        ("extract", "share", 1.5, "from 0 to 1"), ("extract", "around", 101, "0 to 100"), ("floor", "of", "luck", "score, share, likeness"),
        ("order", "way", 3, "text in quotes"), ("embedding", "least", -2, "-1 to 1"), ("floor", "least", math.inf, "number"),
    ],
)  # fmt: skip
def test_a_setting_out_of_range_is_told(step: str, key: str, value: Any, told: str) -> None:
    with pytest.raises(ValueError, match=told):
        check_setting(step, key, value)
