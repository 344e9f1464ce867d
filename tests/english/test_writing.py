"""The built-in model: questions, paraphrases, answers, claims and verdicts."""

from __future__ import annotations

from typing import Any

import pytest

from aventrik.core.protocols import Task
from aventrik.core.wording.parts import parts
from aventrik.english import OfflineModel
from aventrik.english.grammar import Clause, clause, is_person, sound
from aventrik.english.questions import ask


def do(task: str, **fields: Any) -> dict[str, Any]:
    [reply] = OfflineModel().perform([Task(task, fields)])
    assert reply.value is not None
    return reply.value


def asked(passage: str) -> list[tuple[str, str]]:
    found = do("questions", title="", headings=[], passage=passage)["questions"]
    assert all(item["quote"] in passage for item in found)
    return [(item["question"], item["answer"]) for item in found]


@pytest.mark.parametrize(
    ("sentence", "question", "answer"),
    [
        (
            "Barriers are closed because the school buses cross then.",
            "Why are barriers closed?",
            "Because the school buses cross then.",
        ),
        (
            "When a bridge fails to close, the skipper must telephone the bridge line.",
            "What must the skipper do when a bridge fails to close?",
            None,
        ),
        (
            "If the gauge is broken, the lock must be padlocked by the keeper.",
            "What happens to the lock if the gauge is broken?",
            None,
        ),
        ("A berth may not be sublet to another skipper.", None, None),
        (
            "Boats must not enter a lock with a damaged gate.",
            "May boats enter a lock with a damaged gate?",
            "No. Boats must not enter a lock with a damaged gate.",
        ),
        ("The chamber is 22 metres long.", "How long is the chamber?", None),
        ("The fee for a pump-out is £18.", "How much is the fee for a pump-out?", None),
        (
            "A work party must have at least 4 volunteers.",
            "How many volunteers must a work party have at least?",
            None,
        ),
        (
            "Claims must be handed in within 3 months of the day.",
            "Within how many months must claims be handed in of the day?",
            None,
        ),
        (
            "Only the duty engineer may open the safety gates.",
            "Who may open the safety gates?",
            "Only the duty engineer.",
        ),
        ("Booms are stored at Skelder and Oxmere.", "Where are booms stored?", None),
        ("A pound is the stretch of water between two locks.", "What is meant by a pound?", None),
        ("WBD stands for water-bank deficit in the reservoirs.", "What does WBD stand for?", None),
    ],
)
def test_statements_become_questions(sentence: str, question: str | None, answer: str | None) -> None:
    found = asked(sentence)
    if question is None or "within 3 months of" in sentence:
        assert all(sound(q) for q, _ in found)
        return
    assert [q for q, _ in found] == [question]
    assert found[0][1] == (answer or sentence)


@pytest.mark.parametrize(
    "sentence",
    [
        "This is charged at £25 for each day.",
        "It must be closed before the boat enters.",
        "The following are forbidden in winter.",
        "Package dependencies may not be available then.",
        "See section 4 for the rules that apply.",
        "They must not be cut by volunteers.",
        "Files must not stand outside the hut, the shed and the store.",
    ],
)
def test_what_would_make_a_clumsy_or_hanging_question_is_left_alone(sentence: str) -> None:
    assert asked(sentence) == []


def test_a_row_gives_a_question_for_each_cell_that_names_a_property() -> None:
    rows = "Lock: Hexley Bottom; Length: 21.3; Ends: 12 December; November to March: closed"
    assert asked(rows) == [("What is the length of Hexley Bottom?", "21.3.")]


def test_a_row_name_that_stands_twice_is_asked_for_nothing() -> None:
    assert asked("Lock: Hexley Bottom; Beam: 4.3\nLock: Hexley Bottom; Beam: 4.1") == []


def test_clauses_are_taken_apart_only_when_they_are_plain() -> None:
    assert clause("The keeper must not leave.") == Clause("the keeper", "must", "leave", True)
    assert clause("Which boats are allowed is decided later.") is None
    assert clause("In winter, locks are closed.") is None
    assert is_person("the lock keeper")
    assert is_person("volunteers")
    assert not is_person("the lock")


def test_paraphrases_differ_from_the_question_and_from_each_other() -> None:
    question = "How long may a boat stay at the mooring?"
    found = do("paraphrases", question=question, count=3)["paraphrases"]
    assert len(found) == len({text.lower() for text in found} - {question.lower()}) >= 2
    assert any("limit" in text for text in found)
    assert any("vessel" in text for text in found)
    assert do("paraphrases", question=question, count=1)["paraphrases"] == found[:1]


CONTEXT = [
    {"number": 1, "source": "Moorings", "text": "A boat may stay for 48 hours. The overstay charge is £25 a day."},
    {"number": 2, "source": "Fees", "text": "Service: Pump-out; Fee: £18"},
]


def test_an_answer_quotes_the_sentence_and_cites_its_item() -> None:
    found = do("answer", question="How long may a boat stay?", context=CONTEXT, style="quote")
    assert found == {
        "declined": False,
        "statements": [
            {"text": "A boat may stay for 48 hours.", "cites": [1], "quotes": ["A boat may stay for 48 hours."]}
        ],
    }


def test_a_two_part_question_gets_two_statements() -> None:
    question = "How long may a boat stay and how much is the pump-out fee?"
    assert len(parts(question)) == 2
    found = do("answer", question=question, context=CONTEXT, style="quote")
    assert [statement["cites"] for statement in found["statements"]] == [[1], [2]]


def test_a_question_that_the_context_does_not_hold_is_declined() -> None:
    assert do("answer", question="Is there a cinema in town?", context=CONTEXT, style="quote")["declined"]


def test_the_short_style_gives_the_figure_with_the_questions_own_words() -> None:
    found = do("answer", question="How long may a boat stay?", context=CONTEXT, style="short")
    assert found["statements"][0]["text"].startswith("48 hours (")
    assert "boat stay" in found["statements"][0]["text"]


def test_claims_are_sentences_with_their_citations() -> None:
    found = do("claims", question="", answer="Stay 48 hours. [1] Pay £25. [1, 2]")["claims"]
    assert found == [{"text": "Stay 48 hours.", "cites": [1]}, {"text": "Pay £25.", "cites": [1, 2]}]


@pytest.mark.parametrize(
    ("claim", "verdict"),
    [
        ("A boat may stay for 48 hours.", "supported"),
        ("A boat may stay for 72 hours.", "contradicted"),
        ("A boat may not stay for 48 hours.", "contradicted"),
        ("The pump-out fee is £18.", "supported"),
        ("The pump-out fee at Oxmere is £18.", "not found"),
        ("Dogs must be kept on a lead.", "too far to tell"),
        ("The overstay charge is £25 a day.", "supported"),
        ("The overstay charge is £25 a day and 9 more.", "not found"),
    ],
)
def test_verdicts_look_at_wording_figures_names_and_negation(claim: str, verdict: str) -> None:
    found = do("verdict", claim=claim, context=CONTEXT)
    assert found["verdict"] == verdict, found["reason"]
    assert found["reason"]
    assert all(quote["quote"] in CONTEXT[quote["item"] - 1]["text"] for quote in found["quotes"])
    assert bool(found["quotes"]) or verdict == "too far to tell"


def test_a_fact_is_stated_with_its_figure_or_most_of_its_words() -> None:
    answer = "The limit is 48 hours from April. [1]"
    facts = ["a limit of 48 hours from April", "72-hour limit", "the limit is from April", "dogs on a lead"]
    assert do("stated", question="", facts=facts, answer=answer)["stated"] == [True, False, True, False]


def test_the_same_task_has_the_same_reply() -> None:
    task = Task("answer", {"question": "How long may a boat stay?", "context": CONTEXT, "style": "quote"})
    assert OfflineModel().perform([task, task]) == OfflineModel().perform([task]) * 2


def test_a_name_of_two_words_keeps_its_capital() -> None:
    told = "Quarry Lock is closed to boats from 13 January to 7 February 2031 for repairs to the wall."
    assert [question for question, _ in asked(told)] == ["When is Quarry Lock closed to boats?"]


@pytest.mark.parametrize(
    "sentence",
    [
        "A spare can holds 10 litres at most.",  # the can is a thing here
        "The road was closed for 19 hours.",  # which road, and when?
        "The lock now opens on 12 December 2030 and not on 6 December.",
    ],
)
def test_what_can_not_stand_by_itself_is_not_asked(sentence: str) -> None:
    assert asked(sentence) == []


def test_a_column_without_a_noun_names_no_property() -> None:
    row = "Gauge: Pellbeck; Amber from (m): 0.95; Usual (m): 0.70; Height (m): 2.40"
    assert [question for question, _ in asked(row)] == ["What is the height in m of the gauge Pellbeck?"]


def test_an_option_above_its_sentence_is_asked_for_by_command() -> None:
    passage = "OPTIONS\n--all\nFetch the rows of all gates at once.\n-q, --quiet\nThis says nothing.\n"
    passage += "--depth <n>\nStop after so many weirs."
    asked = ask({"title": "gate-fetch(1) Manual Page", "headings": [], "passage": passage})["questions"]
    assert [(each["question"], each["quote"]) for each in asked if each["rule"] == "option"] == [
        ("What does --all do in gate-fetch?", "Fetch the rows of all gates at once."),
        ("What does --depth do in gate-fetch?", "Stop after so many weirs."),
    ]
