"""Questions of a log: what is one, which ask the same, which lean on another; where they are answered; what is not."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import pytest

from aventrik.core.documents import Document
from aventrik.core.reading import read
from aventrik.core.testsets.deciding import doubt_of, order_of
from aventrik.core.testsets.locating.cleaning import masked, no_question, plain
from aventrik.core.testsets.locating.folding import fold, gist_of, same
from aventrik.core.testsets.locating.gaps import Unanswered, gaps
from aventrik.core.testsets.locating.gathering import LogEntry, gathered
from aventrik.core.testsets.locating.leaning import leans
from aventrik.core.testsets.locating.ranking import rank
from aventrik.core.text.spelling import Speller, nearest_known, one_apart
from aventrik.english.answering.standing import completed


@pytest.mark.parametrize(
    ("one", "other"),
    [
        ("How long may I stay at Oxmere?", "how long may I stay at oxmere ??"),
        ("What is a winding hole?", "winding hole - what is it"),
        ("How do I book the staircase?", "booking the staircase please"),
        ("Where can I buy a bridge key?", "where do you buy bridge keys"),
        ("Why can't the gate be opened?", "why can the gate not be opened"),
        ("price of a bridge key", "what does a bridge key cost"),
    ],
)
def test_other_wordings_ask_the_same(one: str, other: str) -> None:
    assert fold([one, other]) == [0, 0]


@pytest.mark.parametrize(
    ("one", "other"),
    [
        ("How long may I stay at Oxmere?", "How long may I stay at Hexley?"),
        ("When is Quarry Lock closed?", "Why is Quarry Lock closed?"),
        ("How many boats may pass?", "Which boats may pass?"),
        ("May I fish at night?", "May I not fish at night?"),
        ("Is there a lock at post 12?", "Is there a lock at post 14?"),
        ("How do I go from Oxmere to Hexley?", "How do I go from Hexley to Oxmere?"),
        ("What does a key cost?", "What does a licence cost?"),
        ("water in january", "water in february"),
    ],
)
def test_another_thing_number_form_or_direction_asks_something_else(one: str, other: str) -> None:
    assert fold([one, other]) == [0, 1]


def test_the_wording_asked_most_stands_for_its_repeats() -> None:
    texts = ["a bridge key costs what", "price of a bridge key", "What is the price of a bridge key?", "may i fish"]
    assert fold(texts, [1, 5, 2, 9]) == [1, 1, 1, 3]
    assert fold(["Where is it?", "where is it", "Why is it?"]) == [0, 0, 2]  # no word of meaning: the words themselves
    assert fold([]) == []


def test_a_misspelt_word_is_read_as_the_word_of_the_documents() -> None:
    assert fold(["what is the tarowby fee", "tarrowby fee"], known=["tarrowby"]) == [0, 0]
    assert fold(["what is the tarowby fee", "tarrowby fee"]) == [0, 1]  # nothing says that it is a word
    assert not same(gist_of("one fee"), gist_of("two fees each"), {})


def test_letters_apart() -> None:
    pairs = [("lock", "lok"), ("lock", "locks"), ("lock", "lick"), ("lock", "lokc")]
    assert all(one_apart(*pair) and one_apart(*pair[::-1]) for pair in pairs)
    assert not any(one_apart(*pair) for pair in [("lock", "lock"), ("lock", "clocks"), ("lock", "kcol"), ("a", "abc")])
    speller = Speller({"mooring": 5, "morning": 9, "locks": 1})
    assert speller.mended("moorng") == "mooring"
    assert speller.mended("mornin") == "morning"
    assert speller.mended("lock") == "lock"  # too short to be sure
    assert speller.mended("noorings") == "noorings"  # another first letter
    counts = {"licence": 4, "license": 1}
    assert nearest_known("lisence", lambda word: counts.get(word, 0)) == "licence"
    assert nearest_known("licence", lambda word: counts.get(word, 0)) == "licence"
    assert nearest_known("zzzzz", lambda word: 0) == "zzzzz"


@pytest.mark.parametrize(
    "question", ["and this year?", "what about Oxmere", "when?", "how much is it", "why not", "who do i ring then"]
)
def test_questions_that_lean_on_the_one_before(question: str) -> None:
    assert leans(question)


@pytest.mark.parametrize(
    "question",
    [
        "is there wifi at the moorings",
        "How long may a boat stay at Oxmere?",
        "price of a bridge key",
        "can i fish at night",
    ],
)
def test_questions_that_stand_alone(question: str) -> None:
    assert not leans(question)


def test_the_built_in_model_puts_what_was_named_before_behind_a_question() -> None:
    assert completed("and this year?", ["when was the regatta last year"]) == "and this year (regatta last)?"
    before = ["how long can i stop at skelder bridge", "and at hexley?"]
    assert completed("what about winter", before) == "what about winter (hexley stop skelder bridge)?"
    assert completed("when?", ["why?"]) == "when?"


def test_what_is_no_question() -> None:
    assert plain("  a\x00b\u200b\r\n c\t") == "a b c"
    assert no_question("may i fish") == ""
    assert no_question("???") == "it has no words"
    assert no_question("12345 77") == "it has figures alone"
    assert no_question("Hello there!") == no_question("thanks a lot") == "it only greets, thanks or tries out"
    assert "longer than" in no_question("why " * 600)


def test_personal_data_is_masked() -> None:
    text, kinds = masked("write to ada.sallow@example.org or ring 01632 960143 about my key")
    assert text == "write to [e-mail address] or ring [telephone number] about my key"
    assert kinds == ("e-mail address", "telephone number")
    assert masked("My name is Corin Wetherby, may I fish?") == ("My name is [name], may I fish?", ("name",))
    assert masked("may I fish at Hexley Bottom Lock") == ("may I fish at Hexley Bottom Lock", ())


def test_a_log_becomes_enquiries_with_counts_months_and_conversations() -> None:
    stood: list[Any] = []

    def standing(rows: Sequence[tuple[str, Sequence[str]]]) -> list[str]:
        stood.extend(rows)
        return ["how long may i stay at hexley"] * len(rows)

    entries = [
        LogEntry("how long may i stay at oxmere", "2031-05-02", "c1"),
        LogEntry("and at hexley?", "2031-05-02", "c1"),
        LogEntry("How long may I stay at Hexley?", "2031-06-01", "c2", 3),
        LogEntry("and this year?", "2031-06-03", "c3"),
        LogEntry("hello", "2031-06-03", "c3"),
        LogEntry("may i fish", "2031-06-03", "", 0),
    ]
    found = gathered(entries, standing)
    assert stood == [("and at hexley?", ("how long may i stay at oxmere",))]
    first, *others = found.enquiries
    assert (first.question, first.asked, first.months) == (
        "How long may I stay at Hexley?",
        4,
        {"2031-05": 1, "2031-06": 3},
    )
    assert [each.question for each in others] == ["how long may i stay at oxmere", "and this year?"]
    assert found.passed_over == {"it only greets, thanks or tries out": 1, "its count is 0": 1}
    assert (found.leaning, found.unfounded, found.masked) == (1, 1, 0)
    alone = gathered(entries[:2], standing).enquiries[1]
    assert (alone.as_asked, alone.after) == ("and at hexley?", "how long may i stay at oxmere")


TEXT = """# Moorings

A boat may stay at Oxmere for 48 hours. An overstay is charged at £25 for each day.

# Keys

A bridge key costs £12 and is sold at the help desk.

# Fishing

Anglers may not fish within 25 metres of a lock.
"""


@pytest.fixture
def documents() -> dict[str, Document]:
    copy = "# Fees\n\nA bridge key costs £12 and is sold at the help desk.\n"
    return {name: read(name, text.encode()) for name, text in {"a.md": TEXT, "b.md": copy}.items()}


def passages(documents: dict[str, Document]) -> list[tuple[str, int, int]]:
    found = []
    for name, document in documents.items():
        for line in document.text.split("\n"):
            if line.endswith("."):
                start = document.text.index(line)
                found.append((name, start, start + len(line)))
    return found


def test_the_place_that_answers_comes_first_with_its_sentence_and_its_copies(documents: dict[str, Document]) -> None:
    pool = passages(documents)
    found = rank("how much is a bridge key", "", [pool, pool[::-1]], documents.__getitem__, 9)
    first = found.proposals[0]
    assert documents[first.doc].text[slice(*first.evidence)] == "A bridge key costs £12 and is sold at the help desk."
    assert [copy[0] for copy in first.copies] == ["b.md" if first.doc == "a.md" else "a.md"]
    assert len(found.proposals) == 3
    assert found.first <= found.answerable
    assert len(rank("how much is a bridge key", "", [pool], documents.__getitem__, 2).proposals) == 2


def test_what_nothing_answers_is_less_likely_to_be_answered(documents: dict[str, Document]) -> None:
    pool = passages(documents)

    def chance(question: str) -> float:
        return rank(question, "", [pool], documents.__getitem__, 9).answerable

    assert chance("how much is a bridge key") > 0.5 > chance("is there a cafe with wifi for wedding guests")
    assert rank("anything?", "", [[]], documents.__getitem__, 9).proposals == ()
    leant = rank("and at night?", "may anglers fish near a lock", [pool], documents.__getitem__, 9)
    assert "Anglers" in documents["a.md"].text[slice(*leant.proposals[0].evidence)]


def test_likeness_is_one_more_order(documents: dict[str, Document]) -> None:
    pool = passages(documents)

    def likeness(question: str, texts: Sequence[str]) -> Any:
        return np.array([1.0 if "overstay" in text else 0.0 for text in texts], dtype=np.float32)

    plain_ = rank("penalty", "", [pool], documents.__getitem__, 9)
    read_ = rank("penalty", "", [pool], documents.__getitem__, 9, likeness)
    assert read_.answerable > plain_.answerable
    assert "overstay" in documents["a.md"].text[slice(*read_.proposals[0].evidence)]


def asked(*texts: str) -> list[Unanswered]:
    return [Unanswered(f"r{n}", text, n + 1, {"2031-05": n + 1}) for n, text in enumerate(texts)]


def test_gaps_are_groups_by_words() -> None:
    rows = asked(
        "is there wifi at the basin", "what is the wifi password", "how fast is the wifi",
        "can i charge my electric car", "where do electric cars charge",
    )  # fmt: skip
    found = gaps(rows)
    assert [sorted(each.id for each in gap.members) for gap in found] == [["r3", "r4"], ["r0", "r1", "r2"]]
    assert (found[0].asked, found[0].months) == (9, {"2031-05": 9})
    assert "wifi" in found[1].words
    assert gaps([]) == []
    assert len(gaps(rows[:1])) == 1


def test_gaps_are_groups_by_vectors_without_what_all_questions_share() -> None:
    """The largest axis is boat or river, on which questions differ most; what they are about stands on two smaller ones."""

    def embed(texts: Sequence[str]) -> Any:
        rows = [[5.0 * ("boat" in t) - 5.0 * ("river" in t), float("net" in t), float("park" in t)] for t in texts]
        table = np.array(rows, dtype=np.float32)
        return table / np.maximum(1e-9, np.linalg.norm(table, axis=1, keepdims=True))

    found = gaps(asked("net boat", "net river", "park boat", "park river"), ["boat stay", "river stay"], embed)
    assert sorted(sorted(each.id for each in gap.members) for gap in found) == [["r0", "r1"], ["r2", "r3"]]


def test_a_doubtful_question_joins_the_group_that_it_is_like() -> None:
    rows = asked("is there wifi at the basin", "what is the wifi password", "can i marry here")
    found = gaps(
        rows, perhaps=[Unanswered("p1", "how fast is the wifi", 9), Unanswered("p2", "can i fish at night", 9)]
    )
    assert [[each.id for each in gap.members] for gap in found] == [["r1", "r0", "p1"], ["r2"]]


def test_doubtful_questions_come_first_with_a_sure_one_after_every_four() -> None:
    rows = [
        {"kind": "one-fact", "meta": {"confidence": c, "asked": n}}
        for n, c in enumerate([0.9, 0.1, 0.2, 0.2, 0.3, 0.4, 0.95])
    ]
    order = order_of(rows)
    assert [place for place in order if place not in (0, 6)] == [1, 3, 2, 4, 5]  # of equals the one asked more
    assert order.index(5) == 5
    assert {order[4], order[6]} == {0, 6}
    assert order_of(rows, 1)[:4] == order[:4]
    assert doubt_of({"kind": "unanswerable", "meta": {}}) > doubt_of({"kind": "joined"}) > doubt_of({"kind": "table"})
    assert doubt_of({"meta": {"confidence": True}}) == doubt_of({"meta": None})
