"""The built-in judge on claims about the Navigation: what is near in wording is told, what is far is said to be too far."""

from __future__ import annotations

from typing import Any

import pytest

from aventrik.core.protocols import Task
from aventrik.core.wording.figures import value_of
from aventrik.core.wording.notation import in_one_notation
from aventrik.core.wording.words import words_of
from aventrik.english import OfflineModel
from aventrik.english.judging.units import same_amount

LOCKS = (
    "Locks may be worked from 8 am to 8 pm. The lock keeper closes the lower gates before a boat enters the chamber. Boats that "
    "are longer than 21 metres must not pass Hexley Lock. If the gauge stands in the red band, the locks are closed; otherwise, they "
    "are worked by the crews. Ground paddles are raised first and gate paddles second."
)
MOORINGS = (
    "A boat may stay at the visitor mooring for 48 hours from April to October. An overstay is charged at £25 for each day. The "
    "harbour office at Tarrowby Basin sells bridge keys. They cost £12. Permits are usually issued within five working days. Only "
    "the duty engineer may open the safety gates. The pump-out at Skelder was repaired by Ostrow Brothers in 2029."
)
ROWS = "Lock: Hexley; Length in metres: 21; Width in metres: 4.2\nLock: Pellbeck; Length in metres: 17.5; Width in metres: 2.1"
CONTEXT = [
    {"number": 1, "source": "Handbook › Locks", "text": LOCKS},
    {"number": 2, "source": "Handbook › Moorings", "text": MOORINGS},
    {"number": 3, "source": "Tables › Locks", "text": ROWS},
]


def do(name: str, **fields: Any) -> dict[str, Any]:
    [reply] = OfflineModel().perform([Task(name, fields)])
    assert reply.value is not None
    return reply.value


def verdict(claim: str, context: list[dict[str, Any]] | None = None) -> dict[str, Any]:
    return do("verdict", claim=claim, context=CONTEXT if context is None else context)


@pytest.mark.parametrize(
    ("claim", "item"),
    [
        ("Locks may be worked from 8 am to 8 pm.", 1),
        ("The lock keeper closes the lower gates before a boat enters.", 1),
        ("Before a boat enters the chamber, the lock keeper closes the lower gates.", 1),
        ("An overstay is charged at £25 for each day.", 2),
        ("From April to October a boat may stay for 48 hours at the visitor mooring.", 2),
        ("Bridge keys cost £12.", 2),
        ("The pump-out at Skelder was repaired in 2029 by Ostrow Brothers.", 2),
        ("Ostrow Brothers repaired the pump-out at Skelder in 2029.", 2),
        ("Locks may be worked from 08:00 to 20:00.", 1),
        ("In June a boat may stay at the visitor mooring for 48 hours.", 2),
        ("A boat may stay at the visitor mooring for two days from April to October.", 2),
        ("Hexley Lock is 21 metres long.", 3),
        ("Pellbeck Lock is 2.1 metres wide.", 3),
    ],
)
def test_what_a_sentence_says_in_near_wording_is_supported(claim: str, item: int) -> None:
    found = verdict(claim)
    assert found["verdict"] == "supported", found
    assert found["quotes"][0]["item"] == item
    assert found["confidence"] > 0.6


@pytest.mark.parametrize(
    ("claim", "wanted"),
    [
        ("An overstay is charged at £35 for each day.", "contradicted"),
        ("Locks may be worked from 8 am to 10 pm.", "contradicted"),
        ("Ground paddles are raised second.", "contradicted"),
        ("The pump-out at Skelder was repaired by Quill and Sons in 2029.", "contradicted|not found"),
        ("The harbour office at Oxmere sells bridge keys.", "contradicted|not found"),
        ("Boats that are longer than 21 metres must pass Hexley Lock.", "contradicted"),
        ("An overstay is not charged at £25 for each day.", "contradicted"),
        ("The lock keeper opens the lower gates before a boat enters the chamber.", "contradicted"),
        ("The lock keeper closes the lower gates after a boat enters the chamber.", "contradicted"),
        ("Permits are always issued within five working days.", "contradicted"),
        ("Only boats that are longer than 21 metres must not pass Hexley Lock.", "not found|contradicted"),
        ("Locks must be worked from 8 am to 8 pm.", "contradicted"),
        ("Ostrow Brothers was repaired by the pump-out at Skelder in 2029.", "contradicted"),
        ("If the gauge stands in the red band, they are worked by the crews.", "contradicted"),
        ("An overstay is charged at £25 for each day unless the owner is ill.", "not found"),
        ("The harbour office at Tarrowby Basin sells bridge keys and fuel vouchers.", "not found"),
        ("Pellbeck Lock is 4.2 metres wide.", "contradicted|not found"),
        ("Hexley Lock is 4.2 metres long.", "contradicted"),
        ("In December a boat may stay at the visitor mooring for 48 hours.", "not found|contradicted"),
    ],
)
def test_what_a_sentence_does_not_say_is_not_supported(claim: str, wanted: str) -> None:
    found = verdict(claim)
    assert found["verdict"] in wanted.split("|"), found
    assert found["reason"]


@pytest.mark.parametrize(
    "claim",
    [
        "Whoever lingers beyond what is granted pays for it by the night.",
        "Nothing over a certain size gets through at Hexley.",
        "Der Schleusenwärter schließt die unteren Tore.",
        "水門は午前八時に開く。",
        "Trains run hourly.",
    ],
)
def test_what_is_far_in_wording_is_said_to_be_too_far(claim: str) -> None:
    found = verdict(claim)
    assert found["verdict"] == "too far to tell"
    assert 0 < found["confidence"] <= 0.6


def test_a_figure_that_stands_nowhere_counts_in_far_wording_too() -> None:
    assert verdict("The office at the basin charges visitors 990 pounds of deposit.")["verdict"] == "not found"


def test_the_nearest_sentence_decides_and_not_the_kindest() -> None:
    context = [
        {"number": 1, "source": "A", "text": "The weir at Skelder is closed in winter."},
        {
            "number": 2,
            "source": "B",
            "text": "In winter, the lock is closed. The weir at Skelder is never closed in summer.",
        },
    ]
    found = verdict("The weir at Skelder is closed in summer.", context)
    assert found["verdict"] == "contradicted"
    assert found["quotes"][0]["item"] == 2


@pytest.mark.parametrize(
    ("claim", "context"),
    [
        ("", CONTEXT),
        ("Yes.", CONTEXT),
        ("48", CONTEXT),
        ("[1] [2]", CONTEXT),
        ("lock " * 5000, CONTEXT),
        ("A boat may stay.", []),
        ("A boat may stay.", [{"number": 1, "source": "", "text": ""}]),
        ("x = gate.open(2)", [{"number": 1, "source": "c.py", "text": "def open(gate):\n    return gate.open(3)\n"}]),
        ("Moss, Reed, Quill", [{"number": 1, "source": "staff", "text": "Moss\nReed\nQuill\nOstrow"}]),
        ("<b>Boats</b> may **stay** &amp; wind", CONTEXT),
        ("A boat may stay.", [{"number": 1, "source": "long", "text": "boat " * 20_000}]),
    ],
)
def test_odd_claims_and_contexts_get_some_verdict(claim: str, context: list[dict[str, Any]]) -> None:
    found = verdict(claim, context)
    assert found["verdict"] in ("supported", "contradicted", "not found", "too far to tell")
    assert 0 <= found["confidence"] <= 1
    assert all(quote["item"] in {item["number"] for item in context} for quote in found["quotes"])


@pytest.mark.parametrize(
    ("word", "value"),
    [
        ("1,000", "1000"), ("1000.0", "1000"), ("1e3", "1000"), ("1,5", "1.5"), ("three", "3"), ("third", "#3"), ("3rd", "#3"),
        ("18m", "18"), ("4:30", "4:30"), ("2.33.0", "2.33.0"), ("gate", None), ("1.234.567", "1234567"),
    ],
)  # fmt: skip
def test_a_figure_is_the_same_however_it_is_written(word: str, value: str | None) -> None:
    assert value_of(word) == value


@pytest.mark.parametrize(
    ("text", "same"),
    [
        ("half past four", "4:30"),
        ("half past four pm", "16:30"),
        ("a quarter to nine", "8:45"),
        ("12 am", "0:00"),
        ("noon", "12:00"),
        ("May 3rd, 2031", "3 May 2031"),
        ("2031-05-03", "3 May 2031"),
        ("the 3rd of May", "the 3 May"),
        ("1 000 boats", "1000 boats"),
        ("10 %", "10 percent"),
        ("8.30 pm", "20:30"),
    ],
)
def test_times_dates_and_thousands_have_one_notation(text: str, same: str) -> None:
    assert " ".join(in_one_notation(text).split()) == same


def test_amounts_in_other_units_are_the_same() -> None:
    assert same_amount("1.2", "km", "1200", "metres")
    assert same_amount("48", "hours", "2", "days")
    assert same_amount("32", "KiB", "32768", "bytes")
    assert not same_amount("48", "hours", "2", "weeks")
    assert not same_amount("4", "metres", "4", "hours")
    assert not same_amount("v2", "km", "2", "km")


def test_words_of_a_figure_make_one_and_one_is_none() -> None:
    assert [word.figure for word in words_of("twenty-five boats, one of two hundred and three")] == [
        "25", "", "", "", "200", "", "3",
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("answer", "claims"),
    [
        ("Sure! A key costs £12 [1]. Let me know if you need more.", [("A key costs £12.", [1])]),
        ("[1] A key costs £12. [2] It opens every bridge.", [("A key costs £12.", [1, 2]), ("It opens every bridge.", [])]),
        ("A key costs £12.【1】 Bridges open at 8.¹ ²", [("A key costs £12.", [1]), ("Bridges open at 8.", [1, 2])]),
        ("A key costs £12 [Source 2], and the bridge opens at 8 am [3].", [
            ("A key costs £12", [2]), ("the bridge opens at 8 am.", [3]),
        ]),
        ("1. Close the gates.\n2. Raise the paddles. [1, 2]", [("Close the gates.", []), ("Raise the paddles.", [1, 2])]),
        ("| Lock | Width |\n|---|---|\n| Hexley | 4.2 m |\n", [("Lock: Hexley; Width: 4.2 m", [])]),
        ("**Fee:** £25\n\n## Locks\n", [("Fee: £25", [])]),
        ("The documents do not say what a key costs.", []),
        ("See section 3. Is that all?", []),
        ("Mr. Moss wrote it in Jan. 2031 and it is kept. It is short.", [
            ("Mr. Moss wrote it in Jan. 2031 and it is kept.", []), ("It is short.", []),
        ]),
        ("The lock, which was rebuilt in 1931, is 4.2 metres wide and takes boats of up to 21 metres.", [
            ("The lock was rebuilt in 1931", []), ("The lock is 4.2 metres wide", []), ("The lock takes boats of up to 21 metres.", []),
        ]),
        ("the gate is shut. it opens at eight.", [("the gate is shut.", []), ("it opens at eight.", [])]),
        ("", []),
        ("[1] [2]", []),
    ],
)  # fmt: skip
def test_an_answer_is_taken_apart_into_claims(answer: str, claims: list[tuple[str, list[int]]]) -> None:
    assert [(claim["text"], claim["cites"]) for claim in do("claims", question="", answer=answer)["claims"]] == claims


def test_a_pronoun_that_opens_a_sentence_is_put_back_into_its_subject() -> None:
    claims = do("claims", question="", answer="The pump is closed in winter. It opens again in March.")["claims"]
    assert [claim["text"] for claim in claims] == ["The pump is closed in winter.", "The pump opens again in March."]


def test_twenty_thousand_sentences_are_taken_apart() -> None:
    assert len(do("claims", question="", answer="The gate is shut. " * 20_000)["claims"]) == 20_000


@pytest.mark.parametrize(
    ("fact", "answer", "stated"),
    [
        ("48 hours from April to October", "A boat may stay for 48 hours from April to October.", True),
        ("A key costs £12.", "£12.", True),
        ("The limit of stay is 48 hours.", "You may stay for two days.", True),
        ("Hexley Lock is 4.2 metres wide.", "The lock at Hexley is 4.2 m wide and 21 m long.", True),
        ("A key costs £12.", "A key costs £15.", False),
        ("Hexley Lock is 4.2 metres wide.", "Hexley Lock is 21 metres long and rises 4.2 metres.", False),
        ("Barbecues are forbidden at Oxmere.", "Barbecues are not forbidden at Oxmere.", False),
        ("The weir was built by Moss.", "The weir was built by Reed.", False),
        ("A key costs £12.", "The documents do not say whether a key costs £12.", False),
        ("Upper gates open before lower gates.", "Lower gates open before upper gates.", False),
        ("A key costs £12.", "", False),
    ],
)
def test_whether_an_answer_states_a_fact(fact: str, answer: str, stated: bool) -> None:
    assert do("stated", question="What does it cost, and how long?", facts=[fact], answer=answer)["stated"] == [stated]


@pytest.mark.parametrize(
    ("question", "answer", "level"),
    [
        ("How long may I stay at Oxmere?", "48 hours.", 3),
        ("How long may I stay at Oxmere?", "A boat may stay at Oxmere for 48 hours.", 3),
        ("How long may I stay at Oxmere?", "The moorings at Oxmere have rings.", 1),
        ("What does a bridge key cost?", "Locks may be worked from 8 am.", 0),
        ("What does a bridge key cost?", "£12.", 3),
        ("What does a bridge key cost?", "12 pounds each.", 3),
        ("What does a bridge key cost?", "Dogs cost £5.", 0),
        ("When does the lock open?", "At 8 am.", 3),
        ("When does the lock open?", "The dredger came in 2029.", 0),
        ("Who opens the safety gates?", "The duty engineer.", 3),
        ("What does a bridge key cost?", "The documents do not say.", 0),
        ("Who opens the safety gates?", "The duty engineer opens the safety gates.", 3),
    ],
)
def test_an_answer_addresses_its_question_or_another(question: str, answer: str, level: int) -> None:
    found = do("addressed", question=question, answer=answer)
    assert found["level"] == level, found


@pytest.mark.parametrize(
    ("first", "second", "level"),
    [
        ("You may stay 48 hours. [1]", "You may stay 48 hours. [3]", 2),
        ("A boat may stay for 48 hours at Oxmere.", "At Oxmere a boat may stay for 48 hours.", 2),
        ("A boat may stay for 48 hours.", "A boat may stay for 72 hours.", 0),
        ("A boat may stay for 48 hours from April to October.", "A boat may stay for 48 hours.", 1),
        ("The key costs £12.", "Dogs are kept on a lead.", 0),
        ("", "48 hours", 0),
    ],
)
def test_two_answers_agree_or_not(first: str, second: str, level: int) -> None:
    found = do("consistent", question="How long may I stay?", first=first, second=second)
    assert found["level"] == level, found
