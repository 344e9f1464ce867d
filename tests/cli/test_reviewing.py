"""`review TESTSET` and `review --passages`: keys, sheets, a terminal; several people; and what uses their decisions."""

from __future__ import annotations

import csv
import json
import re
import time
from collections.abc import Iterator
from typing import Any

import pytest
from openpyxl import Workbook, load_workbook
from prompt_toolkit.input import create_pipe_input
from prompt_toolkit.output import DummyOutput

from aventrik.cli.review_views.passages import PassageMatter
from aventrik.cli.review_views.questions import QuestionMatter
from aventrik.cli.review_views.session import Session, drawn, review
from aventrik.core.testsets.deciding import order_of
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.people.passages import PassageReview, sample_of
from aventrik.people.question_review import Ledger, QuestionReview
from aventrik.workspace.reviews import Reviews
from aventrik.workspace.testsets import load_rows
from tests.conftest import Program, Terminal, chat_server, name_house, write_testset

STAY = "A boat may stay at a visitor mooring for 48 hours."
OVERSTAY = "An overstay is charged at £25 for each day."
KEY = "A bridge key costs 12 pounds and is sold at the help desk."


def span(doc: str, quote: str) -> dict[str, Any]:
    return {"doc": doc, "quote": quote}


def proposed(program: Program, doc: str, quote: str, level: int) -> dict[str, Any]:
    text = OpenWorkspace(program.folder).corpus.text(doc) or ""
    start = text.index(quote[:20])
    return {"doc": doc, "start": start, "end": start + len(quote), "quote": quote[:60], "level": level}


@pytest.fixture
def asked(workspace: Program) -> Program:
    """A test set of three questions as `locate` leaves them, one of them with the wrong place."""
    questions = [
        {
            "id": "r1", "question": "how long may i stay", "answer": OVERSTAY, "by": "offline",
            "needs": [{"fact": OVERSTAY, "spans": [span("moorings.md", OVERSTAY)]}],
            "meta": {
                "confidence": 0.3, "asked": 4, "months": {"2031-05": 1, "2031-06": 3}, "wordings": ["stay how long"],
                "proposed": [proposed(workspace, "moorings.md", STAY, 3), proposed(workspace, "bridges.txt", KEY, 0)],
            },
        },
        {
            "id": "r2", "question": "price of a key", "answer": "12 pounds", "by": "offline", "meta": {"confidence": 0.9},
            "needs": [{"fact": KEY, "spans": [span("bridges.txt", KEY)]}],
        },
        {
            "id": "r3", "question": "any wifi", "kind": "unanswerable", "by": "offline",
            "meta": {"confidence": 0.6, "as_asked": "and wifi?", "after": "how long may i stay"},
        },
    ]  # fmt: skip
    write_testset(workspace.folder, questions, "asked")
    return workspace


def session_of(program: Program, who: str = "ann", name: str = "asked") -> tuple[Session, Ledger]:
    opened = OpenWorkspace(program.folder)
    path = opened.workspace.testset_path(name)
    rows = load_rows(path)
    ledger = Ledger(path, rows, opened.workspace.reviews, who)
    session = Session(QuestionMatter(QuestionReview(opened, ledger, order_of([row for _, row in rows]))))
    session.start()
    return session, ledger


def press(session: Session, *keys: str) -> None:
    """Keys by name, or texts of letters."""
    for key in keys:
        for each in [key] if key in NAMES else key:
            assert session.press(each)


NAMES = ("left", "right", "up", "down", "home", "end", "enter", "escape", "backspace", "delete", "clear")


def screen(session: Session, width: int = 100, height: int = 60) -> str:
    return " ".join(re.sub(r"\x1b\[[0-9;]*m", "", drawn(session, width, height)).split())


def current(program: Program, name: str) -> Any:
    settled = OpenWorkspace(program.folder).testset("asked")
    return next(question for question in settled.questions if question.id == name)


def test_the_doubtful_one_comes_first_with_its_places(asked: Program) -> None:
    session, _ = session_of(asked)
    told = screen(session)
    for words in (
        "1 of 3 0 decided", "how long may i stay", "r1 · one-fact · by offline · asked 4 times, 2031-05 to 2031-06 · sure to 0.30",
        "also: stay how long", "1 ● moorings.md", "2 ○ moorings.md", "answers to 3 of 3", "3 ○ bridges.txt", "y keep",
    ):  # fmt: skip
        assert words in told, (words, told)
    press(session, "right")
    texts = screen(session)
    press(session, "right")
    assert "asked as “and wifi?”, after “how long may i stay”" in texts + screen(session)


def test_places_are_taken_left_and_moved_by_keys(asked: Program) -> None:
    session, _ = session_of(asked)
    press(session, "1", "2")
    question = current(asked, "r1")
    assert [each.quote for need in question.needs for each in need.spans] == [STAY]
    assert (question.answer, question.needs[0].fact) == (STAY, STAY)  # nobody had worded them
    assert not Reviews(asked.folder / "reviews").every[-1].blind
    assert question.status == "draft"
    press(session, "l")
    assert current(asked, "r1").needs[0].spans[0].quote == f"{STAY} {OVERSTAY}"
    press(session, "s")
    assert current(asked, "r1").needs[0].spans[0].quote == STAY
    press(session, "s")
    assert session.note == "it is one sentence alone"
    press(session, "0")
    assert (current(asked, "r1").needs, current(asked, "r1").kind) == ((), "unanswerable")
    press(session, "l")
    assert session.note == "take a place first"
    press(session, "9")
    assert session.note == "there are places 1 to 3"
    press(session, "a", "clear", "two days", "enter", "2", "y")
    assert current(asked, "r1").answer == "two days"
    assert (current(asked, "r1").status, current(asked, "r1").kind) == ("kept", "one-fact")
    assert session.place == 1


def test_question_and_answer_are_edited_in_a_line(asked: Program) -> None:
    session, _ = session_of(asked)
    press(session, "e")
    assert "question how long may i stay" in screen(session)
    press(session, "home", "so ", "end", " there", "left", "left", "backspace", "delete", "enter")
    assert current(asked, "r1").question == "so how long may i stay the"
    press(session, "e", "clear", "enter")
    assert session.note == "a question can't be empty"
    press(session, "a", "clear", "two days", "enter", "a", "!", "escape")
    assert current(asked, "r1").answer == "two days"
    session.press("e")
    session.paste(" at\nOxmere\x1b[31m")
    press(session, "enter")
    assert current(asked, "r1").question == "so how long may i stay theat Oxmere [31m"
    session.paste("yyy")
    assert "passed over" in session.note
    press(session, "y", "u")
    assert current(asked, "r1").question == "how long may i stay"  # with the decision all changes are taken back


def test_another_place_is_searched_for(asked: Program) -> None:
    session, _ = session_of(asked)
    press(session, "right", "right")
    while "any wifi" not in screen(session):
        press(session, "left")
    press(session, "/", "farrow lane staircase keeper", "enter")
    assert "staircase is worked by a lock keeper" in screen(session)
    press(session, "1", "y")
    found = current(asked, "r3")
    assert (found.kind, found.status) == ("one-fact", "kept")
    assert "lock keeper" in found.needs[0].spans[0].quote


def test_rejecting_takes_a_reason_by_number_or_in_words(asked: Program) -> None:
    session, _ = session_of(asked)
    press(session, "n", "2", "enter", "n", "too vague", "enter", "n", "escape", "n", "enter")
    said = [(each.decision, each.reason) for each in Reviews(asked.folder / "reviews").every]
    assert said == [("reject", "nobody asks that"), ("reject", "too vague"), ("reject", "")]
    found = asked.json("review", "asked", "--agreement")
    assert (found["rejected"], found["reasons"]) == (3, {"nobody asks that": 1, "too vague": 1, "no reason given": 1})
    assert "every question in it is rejected" in asked.fails("run", "starter", "--testset", "asked")


def test_undo_coming_back_and_going_around(asked: Program) -> None:
    session, _ = session_of(asked)
    press(session, "y", "x", "u")
    assert session.place == 1
    press(session, "u", "u")
    assert session.note == "nothing to take back here"
    press(session, "y", "g", "3", "enter")
    assert session.place == 2
    press(session, "g", "9", "enter", "home", "end", "left", "k", "j", "up", "down", "z")
    assert "? tells what each one does" in session.note
    press(session, "?")
    assert "take the last decision back" in screen(session)
    press(session, "q")  # only closes the list
    again, _ = session_of(asked)
    assert again.place == 1
    press(session, "v")
    assert "sure to" in screen(session)
    assert not session.press("q")


def test_narrow_and_low_screens(asked: Program) -> None:
    session, _ = session_of(asked)
    for width, height in ((60, 24), (40, 8), (200, 80), (10, 3)):
        lines = drawn(session, width, height).split("\n")
        assert len(lines) <= max(height, 12)
    press(session, "n")
    assert "reject, why?" in screen(session, 60, 24)


def test_the_screen_is_driven_by_keys(asked: Program) -> None:
    session, _ = session_of(asked)
    with create_pipe_input() as keys:
        keys.send_text("12y")
        keys.send_text("n1\r\x1b[H\x1b[Fq")
        review(session, keys, DummyOutput())
    assert [each.decision for each in Reviews(asked.folder / "reviews").every] == ["edited", "edited", "keep", "reject"]


def test_a_real_terminal_with_twenty_thousand_questions(asked: Program) -> None:
    """In a pseudo-terminal: every kind of key, another size, Ctrl-C, and coming back."""
    row = json.loads((asked.folder / "testsets" / "asked.jsonl").read_text().splitlines()[0])
    with (asked.folder / "testsets" / "many.jsonl").open("w") as file:
        for number in range(20_000):
            file.write(
                json.dumps({**row, "id": f"q{number:05}", "question": f"how long may i stay at {number}"}) + "\n"
            )

    def said() -> list[str]:
        return [each.decision for each in Reviews(asked.folder / "reviews").every]

    terminal = Terminal(asked, "review", "many", "--who", "ann")
    terminal.shows("1 of 20000")
    terminal.keys("2y")
    terminal.until(lambda: said() == ["edited", "keep"])
    terminal.size(20, 60)
    terminal.keys("n1\r")
    terminal.until(lambda: said()[2:] == ["reject"])
    terminal.keys("e\x1b")  # a line is opened, and dropped by escape
    time.sleep(0.4)
    terminal.keys("\x1b[C\x1b[Dx")
    terminal.until(lambda: said()[3:] == ["can't tell"])
    terminal.keys("u")
    terminal.until(lambda: said()[4:] == ["undone"])
    terminal.keys("\x03")
    terminal.shows("2 of 20,000 questions")
    terminal.close()
    assert session_of(asked, name="many")[0].place == 2


def sheet(program: Program, name: str = "s.csv", *more: str, who: str = "ann") -> list[dict[str, str]]:
    program("review", "asked", "--to", name, "--who", who, *more)
    with (program.folder / name).open(encoding="utf-8-sig", newline="") as file:
        return list(csv.DictReader(file))


def write(program: Program, rows: list[dict[str, str]], name: str = "s.csv") -> None:
    with (program.folder / name).open("w", encoding="utf-8", newline="") as file:
        table = csv.DictWriter(file, list(rows[0]))
        table.writeheader()
        table.writerows(rows)


def test_a_sheet_goes_out_and_comes_back(asked: Program) -> None:
    rows = sheet(asked)
    by_id = {row["id"]: row for row in rows}
    assert rows[0]["id"] == "r1"
    assert by_id["r1"]["places"].startswith(f"1* moorings.md: {OVERSTAY}\n2 moorings.md: {STAY}\n3 bridges.txt")
    by_id["r1"].update({"decision": "Keep", "new places": "2", "new question": "How long may I stay?"})
    by_id["r2"].update({"decision": "reject", "reason": "asked elsewhere"})
    by_id["r3"].update({"new places": "locks.md: Boats longer than 17.5 metres must not enter Pellbeck Lock."})
    write(asked, rows)
    told = asked("review", "asked", "--from", "s.csv", "--who", "ann").stdout
    assert "3 decisions read, as ann's" in told
    kept, gone, moved = (current(asked, name) for name in ("r1", "r2", "r3"))
    assert (kept.question, kept.status, kept.needs[0].spans[0].quote) == ("How long may I stay?", "kept", STAY)
    assert gone.status == "rejected"
    assert (moved.status, moved.kind) == ("draft", "one-fact")
    assert "0 decisions read" in asked("review", "asked", "--from", "s.csv", "--who", "ann").stdout
    assert sheet(asked)[0]["decision"] in ("keep", "reject", "")


def test_a_workbook_goes_out_and_comes_back(asked: Program) -> None:
    asked("review", "asked", "--to", "s.xlsx", "--who", "ann")
    book = load_workbook(asked.folder / "s.xlsx")
    table = book.worksheets[0]
    head = [cell.value for cell in table[1]]
    table.cell(2, head.index("decision") + 1).value = "keep"
    table.cell(2, head.index("new places") + 1).value = "none"
    book.save(asked.folder / "s.xlsx")
    asked("review", "asked", "--from", "s.xlsx", "--who", "ann")
    assert (current(asked, "r1").status, current(asked, "r1").kind) == ("kept", "unanswerable")


@pytest.mark.parametrize(
    ("change", "told"),
    [
        ({"decision": "maybe"}, "line [0-9]+: decision 'maybe' is none of keep, reject, can't tell"),
        ({"new places": "1 7"}, "new places: there are places 1 to 3"),
        ({"new places": "here"}, "must be numbers such as '1 3'"),
        ({"new places": "locks.md: no such words"}, "does not stand in locks.md"),
        ({"new places": "gone.md: no such words"}, "the corpus has no document 'gone.md'"),
    ],
)
def test_a_sheet_is_taken_whole_or_not_at_all(asked: Program, change: dict[str, str], told: str) -> None:
    rows = sheet(asked)
    rows[1]["decision"] = "keep"
    rows[0].update(change)
    write(asked, rows)
    assert re.search(told, asked.fails("review", "asked", "--from", "s.csv", "--who", "ann"))
    assert not (asked.folder / "reviews" / "ann.jsonl").exists()


def test_broken_sheets(asked: Program) -> None:
    folder = asked.folder
    (folder / "a.csv").write_text("id,question\nr1,x\n")
    (folder / "b.csv").write_text("")
    (folder / "c.xlsx").write_text("no workbook")
    Workbook().save(folder / "d.xlsx")
    rows = sheet(asked)
    rows[0].update({"item": "0" * 16, "decision": "keep"})
    write(asked, rows, "e.csv")
    assert "there is no column 'item'" in asked.fails("review", "asked", "--from", "a.csv")
    assert "is empty" in asked.fails("review", "asked", "--from", "b.csv")
    assert "is no workbook" in asked.fails("review", "asked", "--from", "c.xlsx")
    assert "is empty" in asked.fails("review", "asked", "--from", "d.xlsx")
    assert "no such file" in asked.fails("review", "asked", "--from", "f.csv")
    assert "1 lines are of questions" in asked("review", "asked", "--from", "e.csv", "--who", "ann").stderr
    assert "the file's name must end in" in asked.fails("review", "asked", "--to", "s.txt")


def test_two_people_agree_or_contradict_each_other(asked: Program) -> None:
    for who, words in (("ann", ("keep", "keep", "reject")), ("ben", ("keep", "reject", "reject"))):
        rows = sorted(sheet(asked, who=who), key=lambda row: row["id"])
        for row, word in zip(rows, words):
            row["decision"] = word
        write(asked, rows)
        asked("review", "asked", "--from", "s.csv", "--who", who)
    found = asked.json("review", "asked", "--agreement")
    [pair] = found["people"]
    assert (pair["one"], pair["other"], pair["n"], pair["confusion"]) == ("ann", "ben", 3, [[1, 1], [0, 1]])
    # by hand: observed 2/3, expected (2·1 + 1·2) / 9 = 4/9, kappa (2/3 − 4/9) / (5/9) = 0.4
    assert pair["kappa"]["value"] == pytest.approx(0.4)
    assert found["conflicts"] == [{"id": "r2", "question": "price of a key", "said": {"ann": "keep", "ben": "reject"}}]
    assert (found["kept"], found["rejected"]) == (1, 1)
    told = asked("review", "asked", "--agreement")
    assert "people contradict each other on 1" in told.stderr
    assert current(asked, "r2").status == "draft"
    listed = {row["testset"]: row for row in asked.json("testsets")}
    assert (listed["asked"]["decided"], listed["asked"]["conflicts"]) == (3, 1)
    assert "ann 3, ben 3; they contradict each other on 1" in asked("testsets", "asked").stdout
    session, _ = session_of(asked, "ben")
    press(session, "home")
    assert "ann said: keep" in screen(session)  # once the own decision is made
    fresh, _ = session_of(asked, "eve")
    assert "ann said" not in screen(fresh)


def test_people_and_the_judge(asked: Program) -> None:
    rows = sorted(sheet(asked), key=lambda row: row["id"])
    for row in rows:
        row["decision"] = "keep"
    rows[0]["new places"] = "none"
    write(asked, rows)
    asked("review", "asked", "--from", "s.csv", "--who", "ann")
    found = asked.json("review", "asked", "--agreement")
    # the judge: answers, answers, nothing; ann: nothing, answers, nothing
    assert found["judge"]["confusion"] == [[1, 1], [0, 1]]
    assert found["judge"]["kappa"]["value"] == pytest.approx(0.4)
    assert [(row["low"], row["n"], row["right"]) for row in found["trust"]] == [
        (0.25, 1, 0.0),
        (0.5, 1, 1.0),
        (0.75, 1, 1.0),
    ]
    assert "offline" in asked("review", "asked", "--agreement").stdout


def test_decisions_are_used_where_the_test_set_is(asked: Program) -> None:
    asked("run", "starter", "--testset", "asked")
    rows = sorted(sheet(asked), key=lambda row: row["id"])
    rows[0].update({"decision": "keep", "new places": "2"})
    rows[1]["decision"] = "reject"
    write(asked, rows)
    asked("review", "asked", "--from", "s.csv", "--who", "ann")
    assert "people have rejected 1 of these questions since (r2)" in asked("compare", "1").stderr
    asked("run", "starter", "--testset", "asked")
    opened = OpenWorkspace(asked.folder)
    bodies = {row.body["id"]: row.body for row in opened.store.runs.questions(opened.store.runs.all()[-1].id)}
    assert sorted(bodies) == ["r1", "r3"]
    assert bodies["r1"]["needs"][0]["spans"][0]["quote"] == STAY
    asked("testsets", "asked", "--export", "out.csv")
    assert "rejected" in (asked.folder / "out.csv").read_text()
    asked("testsets", "asked", "--merge", "--into", "settled")
    written = (asked.folder / "testsets" / "settled.jsonl").read_text()
    assert '"status": "kept"' in written
    assert "aventrik" not in written


def test_a_line_broken_by_hand_and_two_at_once(asked: Program) -> None:
    one, _ = session_of(asked, "ann")
    other, _ = session_of(asked, "ben")
    press(one, "y")
    press(other, "n", "enter")
    path = asked.folder / "reviews" / "ann.jsonl"
    path.write_text(path.read_text() + '{"what": "question", "it\n' + '{"what": "question", "item": 5}\n')
    told = asked("review", "asked", "--agreement")
    assert "line 2: not valid JSON" in " ".join(told.stderr.split())
    assert "line 3: item" in " ".join(told.stderr.split())
    press(session_of(asked, "ann")[0], "y")
    assert sum(each.who == "ann" for each in Reviews(asked.folder / "reviews").every) == 2


def test_bad_calls(asked: Program) -> None:
    assert "there is no terminal here" in asked.fails("review", "asked")
    assert "--to FILE writes a CSV sheet" in asked.fails("review", "asked")
    assert "name a test set, or --passages, or --verdicts RUN" in asked.fails("review")
    assert "one of them" in asked.fails("review", "asked", "--passages")
    assert "no such file" in asked.fails("review", "gone")
    assert "--width goes with --verdicts" in asked.fails("review", "asked", "--width", "0.1")
    assert "--teach goes with" in asked.fails("review", "asked", "--teach")
    (asked.folder / "testsets" / "broken.jsonl").write_text(
        '{"id": "a", "question": "b"}\n{"id": "a", "question": "c"}\n'
    )
    assert "the id 'a' stands on line 1 too" in asked.fails("review", "broken", "--to", "s.csv")
    (asked.folder / "testsets" / "broken.jsonl").write_text('{"id": "a", "question": "b", "needs": 3}\n')
    session, _ = session_of(asked, name="broken")
    assert "line 1: needs" in screen(session)


# Passages.


@pytest.fixture
def passages(workspace: Program) -> Program:
    folder = workspace.folder / "docs"
    (folder / "index.md").write_text(
        "# Contents\n\n" + "\n".join(f"- Chapter {n} ........ {n}" for n in range(1, 9)) + "\n"
    )
    for number in range(12):
        text = f"A boat of class {number} pays {number + 3} pounds for each day on which it stays at the basin."
        (folder / f"rule{number}.md").write_text(f"# Rule {number}\n\n{text}\n")
    workspace("gather", "docs")
    return workspace


def test_passages_are_labelled_beside_the_filters_word(passages: Program) -> None:
    passages("review", "--passages", "--to", "p.csv", "--who", "ann", "--questions", "10")
    with (passages.folder / "p.csv").open(encoding="utf-8-sig", newline="") as file:
        rows = list(csv.DictReader(file))
    assert len(rows) == 10
    assert sum(row["document"] == "index.md" for row in rows) == 1  # the only one that the filter passes over
    for number, row in enumerate(rows):
        row["decision"] = "unfit" if row["document"] == "index.md" or number == 0 else "fit"
    write(passages, rows, "p.csv")
    found = json.loads(
        passages("review", "--passages", "--from", "p.csv", "--who", "ann", "--questions", "10", "--json").stdout
    )["result"]
    assert (found["labelled"], found["filter"]["n"]) == (10, 10)
    assert len(found["otherwise"]) == (rows[0]["document"] != "index.md")
    told = passages("review", "--passages", "--agreement", "--questions", "10").stdout
    assert "the filter and people: the same on" in told
    rows[1]["decision"] = "perhaps"
    write(passages, rows, "p.csv")
    assert "decision 'perhaps' is none of fit, unfit, can't tell" in passages.fails(
        "review", "--passages", "--from", "p.csv", "--questions", "10"
    )


def test_a_draft_asks_nothing_about_what_people_call_unfit(passages: Program) -> None:
    opened = OpenWorkspace(passages.folder)
    sample = sample_of(opened, 40, 0)
    session = Session(PassageMatter(PassageReview(opened, sample, "ann")))
    for place, each in enumerate(sample):
        session.place = place
        press(session, "n" if each.passage.doc.startswith("rule") else "y")
    passages("draft", "-n", "12", "--testset", "d")
    docs = {
        spot["doc"]
        for line in (passages.folder / "testsets" / "d.jsonl").read_text().splitlines()
        for need in json.loads(line)["needs"]
        for spot in need["spans"]
    }
    assert docs
    assert not any(doc.startswith("rule") for doc in docs)


def test_a_draft_does_not_ask_again_what_people_rejected(workspace: Program) -> None:
    workspace("draft", "-n", "6", "--testset", "d")
    path = workspace.folder / "testsets" / "d.jsonl"
    first = [json.loads(line)["question"] for line in path.read_text().splitlines()]
    session, _ = session_of(workspace, name="d")
    press(session, "n", "enter")
    gone = Reviews(workspace.folder / "reviews").every[-1].claim
    assert gone in first
    workspace("draft", "-n", "6", "--testset", "d", "--replace")
    assert gone not in [json.loads(line)["question"] for line in path.read_text().splitlines()]


def test_the_passage_screen(passages: Program) -> None:
    opened = OpenWorkspace(passages.folder)
    sample = sample_of(opened, 6, 0)
    session = Session(PassageMatter(PassageReview(opened, sample, "ann")))
    session.start()
    press(session, "v")
    assert "decide first: the filter's word would lead you" in session.note
    press(session, "y", "left", "v")
    assert f"the filter: {sample[0].word}" in screen(session)
    press(session, "u")
    assert Reviews(opened.workspace.folder / "reviews").last("passage") == {}


@pytest.fixture
def writer(passages: Program) -> Iterator[Program]:
    """A writer on a server that grades every passage 3, until a case in its prompt teaches it that classes over 5 are unfit."""

    def answer(body: dict[str, Any]) -> dict[str, Any]:
        text = body["messages"][-1]["content"]
        numbers = [int(number) for number in re.findall(r"class (\d+)", text)]
        grade = 0 if "case 1" in text and numbers and numbers[-1] > 5 else 3
        content = json.dumps({"reason": "so it seems", "grade": grade})
        return {"choices": [{"message": {"content": content}, "finish_reason": "stop"}]}

    with chat_server(answer) as address:
        name_house(passages, address, "writer")
        yield passages


def test_labelled_passages_teach_a_filter_that_reads(writer: Program) -> None:
    assert "too few to give some as examples" in writer.fails("review", "--passages", "--teach")
    opened = OpenWorkspace(writer.folder)
    sample = sample_of(opened, 60, 0)
    session = Session(PassageMatter(PassageReview(opened, sample, "ann")))
    for place, each in enumerate(sample):
        session.place = place
        number = each.passage.doc.removeprefix("rule").removesuffix(".md")
        press(session, "n" if number.isdigit() and int(number) > 5 else "y")
    made = writer.json("review", "--passages", "--teach", "4")
    assert made["examples"] == 4
    assert made["before"]["raw"] < made["after"]["raw"] == 1.0
    text = (writer.folder / "prompts" / "fitness.txt").read_text()
    assert "grade: 0" in text
    assert "grade: 3" in text
    again = writer("review", "--passages", "--teach", "4").stdout
    assert "labelled passages →" in again
    assert (writer.folder / "prompts" / "fitness.txt").read_text().count("Decided by people before") == 1


def test_a_writer_without_a_prompt_learns_nothing(passages: Program) -> None:
    assert "has no prompt that examples could stand in" in passages.fails("review", "--passages", "--teach")
