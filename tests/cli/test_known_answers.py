"""Known answers in the installed program: told beside every mean, shown one by one, and judges that are worth nothing."""

from __future__ import annotations

import json
from typing import Any

import pytest

from tests.conftest import Program, chat_server, name_house

GIVEN = [
    {"id": "a1", "answer": "A boat may stay at a visitor mooring for 48 hours.", "context": ["A boat may stay for 48 hours."]},
    {"id": "a2", "answer": "A bridge key costs 15 pounds.", "context": ["A bridge key costs 12 pounds."]},
]  # fmt: skip


@pytest.fixture
def live(workspace: Program) -> Program:
    (workspace.folder / "live.jsonl").write_text("".join(json.dumps(row) + "\n" for row in GIVEN))
    return workspace


def test_right_and_spoilt_answers_are_told_beside_the_means(live: Program) -> None:
    live("score", "live.jsonl")
    told = " ".join(live("compare", "--measure", "groundedness").stdout.split())
    assert (
        "known answers of 'small' to the judge offline: groundedness 1.00 for right answers, 0.00 for spoilt ones"
        in told
    )
    [known] = live.json("compare", "--measure", "groundedness")["known_answers"]
    assert known["measures"]["groundedness"]["distance"] == 1.0
    assert known["refusals"][0] == known["refusals"][1] > 0
    (live.folder / "gate.toml").write_text('[[limit]]\nmeasure = "groundedness"\nleast = 0.1\n')
    gated = live("gate", code=1)  # so few questions show nothing
    assert "known answers to the judge offline: groundedness 1.00" in " ".join((gated.stdout + gated.stderr).split())
    shown = live("review", "--known", "live").stdout
    assert "right answers" in shown
    assert "spoilt: figure" in shown
    rows = live.json("review", "--known", "live")[0]["scores"]
    assert {row["kind"] for row in rows} >= {"right", "spoilt", "refusal"}
    assert all(row["scores"]["groundedness"] == 1.0 for row in rows if row["kind"] == "right")
    assert live.fails("review", "--known", "live", "small")


def test_none_are_made_where_the_settings_say_so(live: Program) -> None:
    settings = live.folder / "aventrik.toml"
    settings.write_text(settings.read_text() + "\n[judging]\nknown = 0\n")
    live("score", "live.jsonl")
    assert live.json("compare")["known_answers"] == []
    assert "has no known answers" in live.fails("review", "--known", "live")


def judge_that(says: str) -> Any:
    """A server whose judge gives one verdict on all, without a quote; or never a usable reply."""
    from aventrik.standin import replies

    def answer(body: dict[str, Any]) -> dict[str, Any]:
        reply = replies.chat(body)
        text = body["messages"][0]["content"]
        if not says:
            reply["choices"][0]["message"]["content"] = "I'd rather not."
        elif "Task: verdict" in text:
            word = {"quotes": [], "reason": "", "verdict": says, "confidence": 1.0}
            reply["choices"][0]["message"]["content"] = json.dumps(word)
        return reply

    return answer


def test_a_judge_that_says_the_same_of_all_is_told_and_ranks_nothing(live: Program) -> None:
    with chat_server(judge_that("supported")) as address:
        name_house(live, address, "judge")
        done = live("score", "live.jsonl")
        told = " ".join((done.stdout + done.stderr).split())
        assert "says 'supported' of every claim, of right answers and of spoilt ones alike" in told
        assert "never quotes the words" in told
        found = live("compare", "--measure", "groundedness")
        said = " ".join((found.stdout + found.stderr).split())
        assert "groundedness does not rank here: right answers and spoilt ones are 0.00 apart" in said


def test_a_judge_without_a_usable_reply_ends_with_an_exit_code(live: Program) -> None:
    with chat_server(judge_that("")) as address:
        name_house(live, address, "judge")
        done = live("score", "live.jsonl", code=3)
        told = " ".join((done.stdout + done.stderr).split())
        assert "0 of 2 questions of 'small' judged" in told
        assert "2 of 2 answers could not be judged" in told
        assert "gave no usable reply to any of" in told


def test_a_file_is_shown_as_it_is_read_before_anything_is_judged(live: Program) -> None:
    (live.folder / "two.csv").write_bytes(
        "qid;reply;system\na1;Zwei Tage für 12 €.;new\na1;nan;old\na2;£12.;old\n".encode("cp1252")
    )
    told = live("score", "two.csv", "--check")
    text = " ".join(told.stdout.split())
    assert "id ← qid, answer ← reply, system ← system" in text
    assert "Zwei Tage für 12 €." in text
    assert "2 systems, a run each: new, old" in text
    assert live.json("runs") == []
    assert live.json("score", "two.csv", "--check")["no_answer"] == [
        {"line": 3, "reason": "'nan' stands for no answer"}
    ]
    live("score", "two.csv")
    assert sorted(run["name"] for run in live.json("runs")) == ["new", "old"]
    assert "--name is for one run" in live("score", "two.csv", "--name", "x", code=2).stderr
    rows = [{"id": "a1", "question": "Is the cinema open on Sundays in winter?", "answer": "No."}]
    (live.folder / "other.jsonl").write_text(json.dumps(rows[0]))
    assert "the id a1 is of the question" in live.fails("score", "other.jsonl")
