"""The built-in answerer: which sentence or row it quotes, and when it declines."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt
import pytest

from aventrik.core.protocols import Task
from aventrik.core.wording.asking import read, spelt
from aventrik.core.wording.parts import parts
from aventrik.english.answering.answering import answer
from aventrik.english.reading_model import ReadingModel

CONTEXT = [
    {
        "number": 1,
        "source": "Moorings › Visitor moorings",
        "text": "Visitor moorings\n\nMooring: Oxmere; Stay from April to October: 48 hours; Berths: 6\n"
        "Mooring: Hexley; Stay from April to October: 7 days; Berths: 10\n\n"
        "Stay limits apply day and night. An overstay is charged at £25 for each day.",
    },
    {
        "number": 2,
        "source": "Locks",
        "text": "A staircase is a flight of locks without a pound between them. The staircase at Withy Junction is booked by "
        "telephone. Barbecues are forbidden on the towpath. Boats from 8 to 12 metres pay £19. Children under 16 pay £3.",
    },
]


def said(question: str, **fields: Any) -> list[str]:
    found = answer({"question": question, "context": CONTEXT, "style": "quote"} | fields)
    assert found["declined"] == (not found["statements"])
    assert all(
        statement["quotes"][0] in CONTEXT[statement["cites"][0] - 1]["text"] for statement in found["statements"]
    )
    return [statement["text"] for statement in found["statements"]]


@pytest.mark.parametrize(
    ("question", "part"),
    [
        ("How long may I stay at Oxmere?", "Mooring: Oxmere"),
        ("how many berths does Hexley have", "Mooring: Hexley"),
        ("What is charged for an overstay?", "£25"),
        ("what is meant by a staircase?", "A staircase is a flight"),
        ("What is a staircase?", "A staircase is a flight"),
        ("can i have a bbq on the towpath", "Barbecues are forbidden"),
        ("what does a 10 metre boat pay", "8 to 12 metres"),
        ("what does a child of 12 pay", "under 16"),
        ("is the stiarcase booked by phone", "booked by telephone"),
    ],
)
def test_the_sentence_that_answers_is_quoted(question: str, part: str) -> None:
    assert any(part in text for text in said(question)), said(question)


@pytest.mark.parametrize(
    "question",
    [
        "Who won the regatta in Tarrowby?",
        "What are the opening hours of the library?",
        "How much is a fishing permit for pensioners?",
        "",
        "?",
        "how do i",
    ],
)
def test_what_the_context_does_not_hold_is_declined(question: str) -> None:
    assert said(question) == []


def test_without_a_context_or_with_an_empty_one_it_declines() -> None:
    assert said("How long may I stay at Oxmere?", context=[]) == []
    assert answer({"question": "How long?", "context": [{"number": 1, "source": "", "text": ""}]})["declined"]


def test_a_title_and_a_header_are_no_answers() -> None:
    context = [{"number": 1, "source": "Fees", "text": "Fees of bridge keys\n\nA bridge key costs £12 at the desk."}]
    [statement] = answer({"question": "What are the fees of bridge keys?", "context": context, "style": "quote"})[
        "statements"
    ]
    assert statement["text"] == "A bridge key costs £12 at the desk."


def test_the_short_style_gives_the_figure_with_the_questions_words() -> None:
    [text] = said("What is charged for an overstay?", style="short")
    assert text == "£25 (charged overstay)."


@pytest.mark.parametrize(
    ("question", "found"),
    [
        ("How long may I stay, and what does it cost?", ["How long may I stay", "what does it cost stay"]),
        ("What is a pound?", ["What is a pound?"]),
        ("what does WBD mean and what is it now", ["what does WBD mean", "what is it now wbd"]),
        ("Which is longer, Moss Cut or Main Line, and by how much?", ["longer Moss Cut", "longer Main Line"]),
        ("Are dogs and horses allowed?", ["Are dogs and horses allowed?"]),
        ("My boat sank. How long do I have?", ["How long do I have boat sank"]),
        ("e bike ok? and how fast", ["e bike ok", "how fast e bike"]),
    ],
)
def test_a_question_is_taken_into_its_parts(question: str, found: list[str]) -> None:
    assert parts(question) == found


@pytest.mark.parametrize(
    ("word", "known", "found"),
    [
        ("lisence", {"licence", "lock"}, "licence"),
        ("lissense", {"licence", "lock"}, ""),
        ("licnece", {"licence", "lock"}, "licence"),
        ("moorng", {"mooring"}, "mooring"),
        ("moorings", {"mooring"}, "mooring"),
        ("lock", {"lick"}, ""),
        ("gates", {"gases", "gater"}, ""),
    ],
)
def test_a_word_is_respelt_by_one_letter_where_one_word_fits(word: str, known: set[str], found: str) -> None:
    assert spelt(word, frozenset(known)) == found


def test_frame_words_name_nothing_but_adjectives_do_where_nobody_asks_how() -> None:
    assert [asked.word for asked in read("How long may I stay?").about] == ["stay"]
    assert [asked.word for asked in read("What does a long mooring cost?").about] == ["long", "mooring", "cost"]


class Meaning:
    """An embedding model that knows that 'pets' are dogs."""

    def __init__(self) -> None:
        self.asked: list[tuple[str, tuple[str, ...]]] = []

    def fit(self, texts: Any) -> dict[str, Any]:
        return {}

    def embed(self, texts: Sequence[str], state: Any, kind: str = "passage") -> npt.NDArray[np.float32]:
        self.asked.append((kind, tuple(texts)))
        rows = [[1.0, 0.0] if "pets" in text or "Dogs" in text else [0.0, 1.0] for text in texts]
        return np.array(rows, dtype=np.float32)


def test_an_embedding_model_finds_what_words_do_not() -> None:
    context = [
        {"number": 1, "source": "Towpath", "text": "Dogs are kept on a lead. Horses need a permit on the towpath."}
    ]
    fields = {"question": "May pets use the towpath?", "context": context, "style": "quote"}
    embedder = Meaning()
    model = ReadingModel("reader", embedder, lambda: "meaning 1")
    [reply] = model.perform([Task("answer", fields)])
    assert reply.value is not None
    assert reply.value["statements"][0]["text"] == "Dogs are kept on a lead."
    assert answer(fields)["declined"]
    assert [kind for kind, _ in embedder.asked] == ["passage", "query"]
    model.perform([Task("answer", fields)])
    assert len(embedder.asked) == 2  # its vectors are kept in mind
    assert model.identity("answer") != ReadingModel("reader", embedder, lambda: "meaning 2").identity("answer")
    assert model.identity("verdict").startswith("offline")
    assert model.test() == {"known": True}


def test_what_a_question_turns_on_has_to_stand_there() -> None:
    context = [
        {
            "number": 1,
            "source": "Locks",
            "text": "Quarry Lock is closed to boats for repairs. Quarry Lock has a rise of 2 metres.",
        }
    ]
    fields = {"context": context, "style": "quote"}
    assert answer({"question": "What is the rise of Quarry Lock?"} | fields)["statements"][0]["text"].endswith(
        "2 metres."
    )
    assert answer({"question": "What is the headroom of Quarry Lock?"} | fields)["declined"]
    assert read("How many passages did Quarry Lock have?").focus == "passages"
    assert read("Which paddles are raised first?").focus == "paddles"
    assert read("On which day does it open?").focus == ""


def test_the_day_that_is_asked_for_goes_before_another() -> None:
    text = "On 2 June 2031 the deficit stood at 212 megalitres. On 12 May 2031 the deficit stood at 198 megalitres."
    context = [{"number": 1, "source": "Levels", "text": text}]
    [statement] = answer({"question": "How high was the deficit on May 12?", "context": context, "style": "quote"})[
        "statements"
    ]
    assert "198" in statement["text"]
