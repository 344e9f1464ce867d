"""`score`, criteria, several judges, two runs side by side and the calls behind a question, by the installed program."""

from __future__ import annotations

import base64
import gzip
import json
import re
import threading
from collections.abc import Iterator
from pathlib import Path

import pytest

from aventrik.standin.server import Manners, make_server
from tests.conftest import QUESTIONS, Program, write_testset

STAY = "A boat may stay at a visitor mooring for 48 hours. An overstay is charged at £25 for each day."
KEY = "A bridge key costs 12 pounds and is sold at the help desk."
ANSWERS = [
    {"id": "a1", "answer": "A boat may stay at a visitor mooring for 48 hours.", "context": [STAY, "Not of theirs at all, this text."]},
    {"question": "what does a BRIDGE key cost?", "answer": "A bridge key costs 15 pounds.", "context": [KEY]},
    {"id": "a3", "answer": "There is no mention of a cinema.", "context": []},
]  # fmt: skip


def answers(program: Program, rows: list[dict[str, object]], name: str = "live.jsonl") -> str:
    path = program.folder / name
    path.write_text("".join(json.dumps(row) + "\n" for row in rows), encoding="utf-8")
    return name


def test_answers_of_another_system_are_judged_and_compared_like_a_run(workspace: Program) -> None:
    made = workspace.json("score", answers(workspace, ANSWERS))
    assert (made["questions"], made["items"], made["found"], made["empty"]) == (3, 3, 2, 0)
    (workspace.folder / "configs" / "one.toml").write_text('name = "one"\n[embedding]\nmodel = "lsa"\n')
    workspace("run", "one")
    found = workspace.json("compare", "live", "one", "--measures", "hit@5,groundedness,hallucinated,declined-rightly")
    live, one = found["runs"]
    assert live["measures"]["hit@5"]["mean"] == 1.0
    assert live["measures"]["groundedness"]["mean"] == 0.5
    assert live["measures"]["hallucinated"]["mean"] == 0.5
    assert live["measures"]["declined-rightly"]["mean"] == 1.0
    assert live["lost"]["answered"] == 1
    assert live["lost"]["ignored by the answer"] == 1
    assert found["contributions"] == []
    assert one["name"] == "one"
    told = workspace("explain", "live", "a1").stdout
    assert "2 items, 1 of them found in the documents" in told
    assert "holds 100% of need 1" in told
    again = workspace.json("score", "live.jsonl")
    assert again["run"] == made["run"]
    assert again["computed"] == {}


def test_without_context_only_what_is_answered_is_measured(workspace: Program) -> None:
    rows = [{"id": row.get("id", "a2"), "answer": row["answer"]} for row in ANSWERS]
    done = workspace("score", answers(workspace, rows), "--name", "bare")
    assert "no context came" in done.stderr
    [run] = workspace.json("compare", "bare", "--measures", "correctness,declined-rightly,declined-wrongly")["runs"]
    assert run["measures"]["correctness"]["mean"] == 0.5
    assert "no run has a measure 'groundedness'" in workspace.fails("compare", "bare", "--measure", "groundedness")
    assert "no run has a measure 'hit@5'" in workspace.fails("compare", "bare", "--measure", "hit@5")
    assert run["lost"]["answered"] == 0
    assert "nothing is known of what the system retrieved" in workspace("explain", "bare", "a1").stdout


def test_documents_with_ranges_stand_for_texts_and_a_wrong_range_is_not_believed(workspace: Program) -> None:
    text = workspace.json("ask", "key", "starter")[0]["chunks"]
    assert text
    rows = [
        {"id": "a1", "answer": "48 hours.", "context": [{"doc": "docs/moorings.md"}]},
        {"id": "a2", "answer": "12 pounds.", "context": [{"doc": "bridges.txt", "start": 0, "end": 10, "text": KEY}]},
    ]
    made = workspace.json("score", answers(workspace, rows))
    assert made["missing"] == ["a3"]
    stages = workspace.json("explain", "live", "a2")["stages"]
    [item] = stages["found again"]["context"]
    assert item["doc"] == "bridges.txt"
    assert item["ranges"][0][0] > 10


def test_a_table_that_another_reader_wrote_otherwise_counts_with_its_whole_rows(workspace: Program) -> None:
    row = "Lock: Pellbeck; Length in metres: 17.5; Beam in metres: 2.1"
    need = {"fact": "17.5 by 2.1 metres", "spans": [{"doc": "locks.md", "quote": row}]}
    write_testset(
        workspace.folder, [{"id": "t1", "question": "How large is Pellbeck?", "answer": "17.5", "needs": [need]}]
    )
    told = "Lock Length in metres Beam in metres Hexley Bottom 21.3 4.3 Pellbeck 17.5 2.1"
    made = workspace.json("score", answers(workspace, [{"id": "t1", "answer": "17.5 metres.", "context": [told]}]))
    assert (made["items"], made["found"]) == (1, 1)
    [run] = workspace.json("compare", "live", "--measures", "hit@5")["runs"]
    assert run["measures"]["hit@5"]["mean"] == 1.0


def test_ranked_lists_alone_measure_retrieval(workspace: Program) -> None:
    lines = "a1 Q0 moorings.md 1 0.9 x\na1 Q0 gone.md 2 0.9 x\na2 Q0 locks.md 1 3 x\na2 Q0 bridges.txt:0-200 4 2 x\nzz Q0 a 1 1 x\n"
    (workspace.folder / "r.trec").write_text(lines)
    done = workspace("score", "--ranked", "r.trec", "--testset", "small")
    for told in (
        "1 lists tie",
        "1 lists have gaps",
        "1 are of no question of the test set: line 5: 'zz'",
        "1 items of the lists name a document",
    ):
        assert told in " ".join(done.stderr.split()), done.stderr
    [run] = workspace.json("compare", "r", "--measures", "reciprocal-rank,hit@1,hit@3")["runs"]
    assert {name: each["mean"] for name, each in run["measures"].items()} == {
        "reciprocal-rank": 0.75, "hit@1": 0.5, "hit@3": 1.0, "hit@5": 1.0,
    }  # fmt: skip
    assert "ranked list as it came" in workspace("explain", "r", "a1").stdout


def test_what_is_wrong_with_what_was_brought_is_told_plainly(workspace: Program) -> None:
    twice = [{"id": "a1", "answer": "x"}, {"id": "a1", "answer": "y"}]
    assert "line 2: another answer to question a1 stands on line 1" in workspace.fails(
        "score", answers(workspace, twice)
    )
    assert workspace.json("score", "live.jsonl", "--repeated", "last")["repeated"] == 1
    strange = answers(workspace, [{"id": "a9", "answer": "x"}], "strange.jsonl")
    assert "no question in it is of the test set" in workspace.fails("score", strange)
    mixed = [{"id": "a9", "answer": "x"}, {"id": "a1", "answer": ""}, {"id": "a2", "answer": "w " * 600_000}]
    done = workspace("score", answers(workspace, mixed, "mixed.jsonl"))
    assert "1 are of no question of the test set: line 1: 'a9'" in done.stderr
    assert "1 answers are empty: they count as declined" in done.stderr
    assert "1,199,999 characters; 100,000 are judged" in workspace("explain", "mixed", "a2").stderr
    assert "name a file with answers" in workspace.fails("score")
    assert "no such file" in workspace.fails("score", "nowhere.jsonl")
    assert "not both" in workspace.fails("score", "live.jsonl", "--system", "desk")
    assert "has no system 'desk'" in workspace.fails("score", "--system", "desk")
    assert "'answer' is not FIELD=NAME" in workspace.fails("score", "live.jsonl", "--fields", "answer")


CRITERION = """about = "Is a figure given?"
judges = "answer"
[[levels]]
level = 0
means = "no figure"
[[levels]]
level = 1
means = "a figure"
pattern = '\\d'
"""


def criterion(program: Program, text: str = CRITERION) -> None:
    (program.folder / "criteria").mkdir(exist_ok=True)
    (program.folder / "criteria" / "figured.toml").write_text(text)


def test_a_criterion_is_a_measure_with_a_direction_like_any_other(workspace: Program) -> None:
    criterion(workspace, 'better = "less"\n' + CRITERION)
    workspace("score", answers(workspace, ANSWERS))
    rows = [{**row, "answer": "Two days."} if row.get("id") == "a1" else row for row in ANSWERS]
    workspace("score", answers(workspace, rows, "other.jsonl"))
    found = workspace.json("compare", "live", "other", "--measure", "figured")
    assert [row["measures"]["figured"]["mean"] for row in found["runs"]] == [1.0, 0.5]
    told = workspace("compare", "live", "other", "--measure", "figured").stdout
    assert "less is better: figured, hallucinated" in " ".join(told.split())
    assert "the pattern of level 1 is found" in workspace("explain", "live", "a1").stdout
    spread = workspace("compare", "live", "other", "--spread", "figured").stdout
    assert "0 questions worse, 1 better" in spread
    assert "a1" in spread
    both = workspace("explain", "live", "other", "a1").stdout
    assert "≠ figured" in both
    assert "A  A boat may stay" in both
    assert "B  Two days." in both
    assert "score every question that both have alike by 'hit@1'" in workspace.fails(
        "explain", "live", "other", "--measure", "hit@1"
    )


def test_a_criterion_that_no_judge_here_can_read_is_refused(workspace: Program) -> None:
    criterion(workspace, CRITERION.replace("pattern = '\\d'\n", ""))
    assert "give one level a pattern" in workspace.fails("score", answers(workspace, ANSWERS))
    criterion(workspace, 'judge = "nobody"\n' + CRITERION)
    assert "no language model is named 'nobody'" in workspace.fails("score", "live.jsonl")
    with (workspace.folder / "aventrik.toml").open("a") as file:
        file.write('\n[judging]\ncriteria = ["figurd"]\n')
    assert "holds no criterion 'figurd'; did you mean figured" in workspace.fails("score", "live.jsonl")


@pytest.fixture
def standin() -> Iterator[str]:
    server = make_server(Manners())
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield f"http://127.0.0.1:{server.server_port}"
    server.shutdown()
    server.server_close()


def house(workspace: Program, address: str, judge: str = '["house", "offline"]') -> None:
    settings = workspace.folder / "aventrik.toml"
    text = settings.read_text().replace('judge    = "offline"', f"judge    = {judge}")
    settings.write_text(f'{text}\n[models.house]\nkind = "http"\naddress = "{address}"\nmodel = "m"\nprice_in = 1.0\n')


def test_several_judges_judge_apart_and_together(workspace: Program, standin: str) -> None:
    criterion(workspace)
    house(workspace, standin)
    workspace("score", answers(workspace, ANSWERS))
    found = workspace.json("compare", "--measures", "groundedness,groundedness:house,groundedness:offline,figured")
    [run] = found["runs"]
    assert {name: row["mean"] for name, row in run["measures"].items()} == {
        "groundedness": 0.5, "groundedness:house": 0.5, "groundedness:offline": 0.5, "hit@5": 1.0,
        "figured": 1.0,  # the stand-in gives the upper of two levels
    }  # fmt: skip
    [judges] = run["judges"]
    assert (judges["judge"], judges["against"], judges["agreement"]["raw"]) == ("offline", "house", 1.0)
    told = " ".join(workspace("compare").stdout.split())
    assert "offline says of 100% of 2 claims what house says" in told
    shown = workspace("explain", "live", "a1").stdout
    assert "by house and offline" in shown
    assert "house: supported" in shown
    assert workspace.json("runs")[0]["made"]["judge"] == "house and offline, by majority"
    workspace("score", "live.jsonl", "--judge", "offline")
    assert workspace.json("runs")[-1]["made"]["judge"] == "offline"
    both = workspace.json("compare", "1", "2")
    assert "the judge" in both["apart"]
    assert "no language or entailment model is named 'hous'; did you mean house" in workspace.fails(
        "score", "live.jsonl", "--judge", "hous"
    )
    assert "names 'house' twice" in workspace.fails("score", "live.jsonl", "--judge", "house,house")


def test_each_model_call_behind_a_question_is_shown_as_it_was_sent(workspace: Program, standin: str) -> None:
    house(workspace, standin, '"house"')
    workspace("score", answers(workspace, ANSWERS))
    calls = workspace.json("explain", "live", "a2", "--calls")["calls"]
    assert [each["task"] for each in calls] == ["claims", "verdict", "verdict", "stated", "addressed"]
    assert all(each["model"] == "house" and each["call"]["tokens_in"] > 100 for each in calls)
    told = workspace("explain", "live", "a2", "--calls").stdout
    assert "5 model calls" in told
    assert "→ system" in told
    assert "← reply" in told
    assert '"verdict": "contradicted"' in told
    workspace("report", "live", "--out", "calls.html", "--calls")
    page = (workspace.folder / "calls.html").read_text()
    parts = [
        json.loads(gzip.decompress(base64.b64decode(part)))
        for part in re.findall(r'data-block="calls \d+">([^<]+)<', page)
    ]
    assert len(parts) == page.count('data-block="question ') == 3
    kept = [call for part in parts for call in part["0"] if call["task"] == "verdict"]
    assert {role for call in kept for role, _ in call["messages"]} == {"system", "user"}
    assert any('"verdict": "contradicted"' in call["reply"] for call in kept)
    settings = workspace.folder / "aventrik.toml"
    settings.write_text(settings.read_text().replace('model = "m"', 'model = "another"'))
    assert "it is not kept" in workspace("explain", "live", "a2", "--calls").stdout
    (workspace.folder / "configs" / "one.toml").write_text(
        'name = "one"\n[embedding]\nmodel = "none"\n[search]\nmethod = "keyword"\n'
    )
    settings.write_text(settings.read_text().replace('judge    = "house"', 'judge    = "offline"'))
    workspace("run", "one")
    assert "no model server was asked" in workspace("explain", "one", "a1", "--calls").stdout


DESK = """
[models.desk]
kind = "http"
does = "system"
address = "{}/ask"
backoff = 0
attempts = 2
[models.desk.pointers]
question = "/message/text"
answer = "{}"
declined = "/reply/declined"
context = "/sources"
text = "/passage"
"""


def test_a_live_system_is_asked_and_scored_and_not_asked_twice(workspace: Program, gathered: Path) -> None:
    from aventrik.standin.desk import desk_of

    asked: list[str] = []
    desk = desk_of(workspace.folder, 0.0)

    def answer(body):  # type: ignore[no-untyped-def]
        asked.append(body["message"]["text"])
        return desk.reply(body)

    server = make_server(Manners(), more={"/ask": answer})
    threading.Thread(target=server.serve_forever, daemon=True).start()
    settings = workspace.folder / "aventrik.toml"
    plain = settings.read_text()
    try:
        address = f"http://127.0.0.1:{server.server_port}"
        settings.write_text(plain + DESK.format(address, "/reply/words"))
        done = workspace("score", "--system", "desk", code=3)
        assert "nothing at /reply/words (answer)" in " ".join(done.stderr.split())
        assert len(asked) == 3
        settings.write_text(plain + DESK.format(address, "/reply/text"))
        made = workspace.json("score", "--system", "desk")
        assert (made["questions"], made["failed"], made["items"]) == (3, 0, made["found"])
        assert len(asked) == 3  # read anew, not asked anew
        [run] = workspace.json("compare", "desk", "--measures", "hit@5,groundedness,calls")["runs"]
        assert run["measures"]["hit@5"]["mean"] == 1.0
        assert "works" in workspace("models", "desk", "--test").stdout
        calls = workspace.json("explain", "desk", "a1", "--calls")["calls"]
        assert calls[0]["call"]["request"] == {"message": {"text": QUESTIONS[0]["question"]}}
    finally:
        server.shutdown()
        server.server_close()
    workspace("score", "--system", "desk")  # all of it stands
    assert "can't connect" in workspace.fails("score", "--system", "desk", "--fresh", code=3)


def test_a_spoilt_answer_says_something_else(workspace: Program) -> None:
    import random

    from aventrik.standin.desk import Desk, Said, most_alike, spoilt
    from aventrik.standin.replies import NotUnderstood

    text = "A key costs 12 pounds. It is sold at the desk."
    for seed in range(20):
        assert spoilt(text, random.Random(seed)) != text
    desk = Desk(lambda question: Said(text, False, (("Keys", KEY),)), 1.0)
    reply = desk.reply({"message": {"text": "What?"}})
    assert reply["reply"]["text"] != text
    assert reply == desk.reply({"message": {"text": "What?"}})
    with pytest.raises(NotUnderstood):
        desk.reply({"question": "What?"})
    assert most_alike("What does a bridge key cost?", [STAY, KEY], 1) == [KEY]


def test_a_question_of_a_run_may_be_named_like_no_run(workspace: Program) -> None:
    write_testset(workspace.folder, [{**QUESTIONS[0], "id": "1"}, *QUESTIONS[1:]])
    workspace("score", answers(workspace, [{"id": "1", "answer": "48 hours.", "context": [STAY]}]))
    assert "How long may a boat stay" in workspace("explain", "live", "1").stdout
    assert "has no question 'zz'" in workspace.fails("explain", "live", "zz")
    assert "at most one question" in workspace.fails("explain", "live", "live", "1", "2")
