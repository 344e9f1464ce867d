"""`locate`: from a log to a test set, and what people ask that no document holds."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from aventrik.execution.open_workspace import OpenWorkspace
from tests.conftest import Program, chat_server, name_house

LOG = """when,session,role,text
2031-05-02,s1,user,how long may a boat stay at a visitor mooring
2031-05-02,s1,assistant,48 hours
2031-06-01,s2,user,How long may a boat stay at a visitor mooring?
2031-06-02,s3,user,price of a bridge key
2031-06-02,s3,user,and where is it sold?
2031-06-05,s4,user,thanks
2031-06-07,s5,user,is there wifi for wedding guests
2031-07-07,s6,user,"wifi password please, write to ada@example.org"
"""


def rows(program: Program, name: str = "asked") -> list[dict[str, Any]]:
    return [json.loads(line) for line in (program.folder / "testsets" / f"{name}.jsonl").read_text().splitlines()]


@pytest.fixture
def log(workspace: Program) -> Program:
    (workspace.folder / "log.csv").write_text(LOG)
    return workspace


def test_a_log_becomes_a_test_set_with_places(log: Program) -> None:
    made = log.json("locate", "log.csv", "--embedding", "none")
    assert (made["entries"], made["asked"], made["different"], made["other_side"]) == (7, 6, 5, 1)
    assert (made["masked"], made["leaning"], made["passed_over"]) == (1, 1, {"it only greets, thanks or tries out": 1})
    found = {row["question"].lower().strip("?"): row for row in rows(log)}
    stay = found["how long may a boat stay at a visitor mooring"]
    assert stay["needs"][0]["spans"][0]["quote"] == "A boat may stay at a visitor mooring for 48 hours."
    assert (stay["status"], stay["by"], stay["meta"]["asked"]) == ("draft", "offline", 2)
    assert stay["meta"]["months"] == {"2031-05": 1, "2031-06": 1}
    assert 0 < stay["meta"]["confidence"] <= stay["meta"]["answerable"] <= 1
    sold = next(row for row in found.values() if row["meta"].get("as_asked") == "and where is it sold?")
    assert "bridge key" in sold["needs"][0]["spans"][0]["quote"]
    assert sold["meta"]["after"] == "price of a bridge key"
    wifi = found["is there wifi for wedding guests"]
    assert (wifi["needs"], wifi["kind"]) == ([], "unanswerable")
    assert wifi["meta"]["proposed"]  # its nearest passages
    assert any("[e-mail address]" in row["question"] for row in found.values())
    assert {tuple(row["meta"]["masked"]) for row in found.values() if "masked" in row["meta"]} == {("e-mail address",)}
    [gap] = made["gaps"]
    assert (gap["questions"], gap["asked"], gap["months"]) == (2, 2, {"2031-06": 1, "2031-07": 1})
    told = log("run", "starter", "--testset", "asked").stdout
    assert "asked" in told


def test_what_is_told_of_it(log: Program) -> None:
    done = log("locate", "log.csv", "--embedding", "none", "--show", "5")
    for words in (
        "question in 'text', when in 'when', conversation in 'session', speaker in 'role'", "fold to 5 different questions",
        "1 entries are of the other side", "held personal data, which is masked", "were made to stand alone by offline",
        "asked as “and where is it sold?”", "nothing answers it", "what people ask and no document holds",
        "go on with: aventrik review asked",
    ):  # fmt: skip
        assert words in " ".join(done.stdout.split()), words
    assert "until people have looked at it" in done.stderr


def test_a_log_is_added_to_a_test_set_and_repeats_are_counted_there(log: Program) -> None:
    log("locate", "log.csv", "--embedding", "none")
    before = rows(log)
    assert "exists already" in log.fails("locate", "log.csv", "--embedding", "none")
    (log.folder / "more.txt").write_text(
        "How long may a boat stay at a visitor mooring?\nwho works the farrow lane staircase\n"
    )
    made = log.json("locate", "more.txt", "--add", "--embedding", "none")
    assert (made["counted_there"], made["questions"]) == (1, 1)
    after = rows(log)
    assert [row["id"] for row in after[: len(before)]] == [row["id"] for row in before]
    stay = next(row for row in after if "visitor" in row["question"])
    assert stay["meta"]["asked"] == 3
    assert "keeper" in after[-1]["needs"][0]["spans"][0]["quote"]
    told = log("locate", "more.txt", "--add", "--embedding", "none").stdout
    assert "nothing new: all 2 questions of the log stand in testsets/asked.jsonl" in told
    log("locate", "more.txt", "--replace", "--embedding", "none")
    assert len(rows(log)) == 2


def test_of_many_questions_half_are_those_asked_most(log: Program) -> None:
    table = "count,question\n" + "".join(f"{n + 1},what is written on board number {n}\n" for n in range(12))
    (log.folder / "many.csv").write_text(table)
    made = log.json("locate", "many.csv", "-n", "4", "--embedding", "none")
    assert (made["questions"], made["left_out"]) == (4, 8)
    counts = [row["meta"]["asked"] for row in rows(log)]
    assert counts[:2] == [12, 11]
    again = [row["question"] for row in rows(log)]
    log("locate", "many.csv", "-n", "4", "--replace", "--embedding", "none")
    assert [row["question"] for row in rows(log)] == again
    log("locate", "many.csv", "-n", "4", "--replace", "--embedding", "none", "--seed", "8")
    assert [row["question"] for row in rows(log)] != again


def test_candidates_of_the_users_own_configurations(log: Program) -> None:
    names = [each.name for each in OpenWorkspace(log.folder).workspace.configurations(["starter"])]
    assert "is of the built-in pool" in log.fails("locate", "log.csv", "--pool", "starter", "--embedding", "lsa")
    made = log.json("locate", "log.csv", "--pool", names[0])
    assert made["pool"] == names[:1]
    assert any("48 hours" in row["answer"] for row in rows(log))


@pytest.fixture
def house(log: Program) -> Any:
    """A judge on a server: the stand-in, which calls are counted of; with `silent` it answers nothing that can be read."""
    from aventrik.standin import replies

    state: dict[str, Any] = {"silent": False, "tasks": []}

    def answer(body: dict[str, Any]) -> dict[str, Any]:
        state["tasks"].append(body["messages"][0]["content"].split("\n")[0])
        reply = replies.chat(body)
        if state["silent"]:
            reply["choices"][0]["message"]["content"] = "I would rather not."
        return reply

    with chat_server(answer) as address:
        name_house(log, address, more="attempts = 2\nbackoff = 0\n")
        yield log, state


def test_a_judge_that_reads_grades_what_was_found(house: Any) -> None:
    log, state = house
    made = log.json("locate", "log.csv", "--judge", "house", "--embedding", "none")
    assert made["judge"] == "house"
    assert made["models"]["calls"] == len(state["tasks"])
    tasks = {task.split(":")[1].split(";")[0].strip() for task in state["tasks"]}
    assert tasks == {"standalone", "subquestions", "answered"}
    stay = next(row for row in rows(log) if "visitor" in row["question"])
    assert (stay["by"], stay["meta"]["confidence"]) == ("house", 1.0)  # of 3 levels the highest
    assert stay["meta"]["proposed"][0]["level"] == 3
    assert stay["needs"][0]["spans"][0]["quote"] == "A boat may stay at a visitor mooring for 48 hours."
    count = len(state["tasks"])
    log("locate", "log.csv", "--judge", "house", "--embedding", "none", "--replace")
    assert len(state["tasks"]) == count  # every call is known


def test_a_judge_that_gives_nothing_at_all(house: Any) -> None:
    log, state = house
    state["silent"] = True
    told = log("locate", "log.csv", "--judge", "house", "--embedding", "none", code=3)
    assert "gave nothing at all; the places are those of the search alone" in told.stderr
    stay = next(row for row in rows(log) if "visitor" in row["question"])
    assert stay["needs"]  # what the search says is kept


def test_gaps_as_a_table_and_on_the_map(log: Program) -> None:
    log("locate", "log.csv", "--embedding", "none")
    made = log.json("survey", "starter", "--gaps", "asked")
    assert made["gaps"]["unanswerable"] == 2
    page = Path(made["files"][1]).read_text()
    assert "is there wifi for wedding guests" in page
    assert "what the documents hold" in page
    told = log("survey", "starter", "--gaps", "asked").stdout
    assert "2 of 5 questions no document answers" in told
    log("run", "starter", "--testset", "asked")
    served = log.json("survey", "starter", "--gaps", "asked", "--run", "1", "--measure", "density@5")
    assert served["gaps"]["badly"] == 3  # of a page little is evidence
    assert "has none of these questions" in log.fails("survey", "starter", "--gaps", "small", "--run", "1")
    assert "--colour gap needs --gaps" in log.fails("survey", "starter", "--colour", "gap")


def test_bad_input(log: Program) -> None:
    (log.folder / "empty.csv").write_text("")
    (log.folder / "chat.txt").write_text("hello\nthanks\n")
    (log.folder / "odd.txt").write_bytes(
        b"how long may a boat stay\x07 at a \x1b[31mvisitor mooring\n" + b"why " * 300_000
    )
    assert "it is empty" in log.fails("locate", "empty.csv")
    assert "nothing in the log is a question" in log.fails("locate", "chat.txt")
    assert "no such file" in log.fails("locate", "gone.csv")
    assert "no column is named 'x'" in log.fails("locate", "log.csv", "--columns", "question=x")
    assert "must be a name and a column" in log.fails("locate", "log.csv", "--columns", "question")
    assert "no language model is named 'hose'" in log.fails("locate", "log.csv", "--judge", "hose")
    assert "no such embedding model 'statik'" in log.fails("locate", "log.csv", "--embedding", "statik")
    assert "no configuration is named 'strter'" in log.fails("locate", "log.csv", "--pool", "strter")
    assert not (log.folder / "testsets" / "asked.jsonl").exists()
    made = log.json("locate", "odd.txt", "--embedding", "none")
    assert made["passed_over"] == {"it is longer than 2,000 characters": 1}
    assert "\x1b" not in (log.folder / "testsets" / "asked.jsonl").read_text()


def test_a_comparison_says_when_nobody_has_looked_at_where_questions_are_answered(log: Program) -> None:
    table = "question\n" + "".join(f"how long may a boat of class {n} stay at a visitor mooring\n" for n in range(55))
    (log.folder / "many.csv").write_text(table)
    log("locate", "many.csv", "--embedding", "none")
    log("run", "starter", "--testset", "asked", "--until", "served")
    told = " ".join(log("compare").stderr.split())
    assert "nobody has looked at 55 of the 55 questions, which were located by a judge that is sure to" in told
