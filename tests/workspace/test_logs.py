"""Logs of questions in every form in which people have them, and broken ones."""

from __future__ import annotations

from pathlib import Path

import pytest

from aventrik.core.errors import BadInput
from aventrik.workspace.logs import day_of, load_log


@pytest.fixture
def log(tmp_path: Path):
    def write(name: str, text: str | bytes) -> Path:
        path = tmp_path / name
        path.write_bytes(text if isinstance(text, bytes) else text.encode())
        return path

    return write


def test_lines_of_text(log) -> None:
    found = load_log(log("q.txt", "may i fish\n\nhow deep is it\n"))
    assert [(line.text, line.count) for line in found.entries] == [("may i fish", 1), ("how deep is it", 1)]


def test_columns_are_found_by_their_names(log) -> None:
    text = "id;When;Session;User query;times\n1;03/04/2031 10:15;s1;may i fish;4\n2;nonsense;s1;how deep is it;\n"
    found = load_log(log("q.csv", text.replace("User query", "query")))
    assert found.columns == {"question": "query", "when": "When", "conversation": "Session", "count": "times"}
    first, second = found.entries
    assert (first.when, first.conversation, first.count) == ("2031-04-03", "s1", 4)
    assert (second.when, second.count, found.no_date) == ("", 1, 1)


def test_a_column_is_found_by_what_stands_in_it(log) -> None:
    rows = "".join(f"{n},closed,what is question number {n} about\n" for n in range(8))
    assert load_log(log("q.csv", f"nr,state,Freetext\n{rows}")).columns["question"] == "Freetext"


def test_named_columns_win(log) -> None:
    path = log("q.csv", "question,asked_by\nmay i fish,how deep is it\n")
    assert load_log(path, {"question": "asked_by"}).entries[0].text == "how deep is it"
    with pytest.raises(BadInput, match=r"no column is named 'askedby'.*did you mean asked_by"):
        load_log(path, {"question": "askedby"})
    with pytest.raises(BadInput, match=r"there is nothing like 'queston'.*question"):
        load_log(path, {"queston": "question"})
    with pytest.raises(BadInput, match="no columns"):
        load_log(log("q.txt", "may i fish"), {"question": "a"})


def test_nested_lines_by_json_pointers(log) -> None:
    path = log("q.jsonl", '{"message": {"text": "may i fish", "from": "user"}, "times": [3]}\n{"message": {}}\n')
    found = load_log(path, {"question": "/message/text", "speaker": "/message/from", "count": "/times/0"})
    assert [(entry.text, entry.count) for entry in found.entries] == [("may i fish", 3)]
    with pytest.raises(BadInput, match="no column is named '/message/body'"):
        load_log(path, {"question": "/message/body"})


def test_the_other_side_of_a_conversation_is_passed_over(log) -> None:
    path = log("q.csv", "role,text\nuser,may i fish\nassistant,yes you may\nUser,and at night\n")
    found = load_log(path)
    assert [line.text for line in found.entries] == ["may i fish", "and at night"]
    assert found.other_side == 1
    both = load_log(log("r.csv", "role,text\nanna,may i fish\nben,yes you may\n"))
    assert len(both.entries) == 2  # nobody there is known to be the one who asks


def test_jsonl_of_objects_and_of_texts(log) -> None:
    found = load_log(log("q.jsonl", '{"query": "may i fish", "timestamp": 1932547200, "n": 2}\n"how deep is it"\n'))
    assert [line.text for line in found.entries] == ["may i fish", "how deep is it"]
    assert [line.text for line in load_log(log("r.jsonl", '"may i fish"\n')).entries] == ["may i fish"]
    assert found.entries[0].when == "2031-03-29"
    assert found.entries[0].count == 2


@pytest.mark.parametrize("encoding", ["cp1252", "utf-16", "utf-8-sig"])
def test_other_encodings(log, encoding: str) -> None:
    found = load_log(log("q.csv", "question\nwas kostet ein Schlüssel für die Brücke\n".encode(encoding)))
    assert found.entries[0].text == "was kostet ein Schlüssel für die Brücke"
    assert found.columns == {"question": "question"}


def test_one_column_without_a_head(log) -> None:
    assert [line.text for line in load_log(log("q.csv", "may i fish, and how\nhow deep is it\n")).entries][
        -1
    ] == "how deep is it"
    assert [line.text for line in load_log(log("r.csv", "may i fish\nhow deep, is it\n")).entries] == [
        "may i fish", "how deep, is it",
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("name", "text", "told"),
    [
        ("q.csv", b"", "it is empty"),
        ("q.txt", b"  \n ", "nothing but white space"),
        ("q.csv", b"question\n", "holds no entry"),
        ("q.csv", b"question,when\n,2031\n", "no entry has a text in its column 'question'"),
        ("q.csv", b"nr,state\n1,a\n2,b\n", "no column holds questions"),
        ("q.csv", b"a,a\n1,2\n", "a column stands there twice"),
        ("q.csv", b"question,when\nmay i fish,2031,x\n", "line 2: more cells than columns"),
        ("q.csv", b"question,count\nmay i fish,often\n", "line 2: the count 'often' is no whole number"),
        ("q.csv", b"question,count\nmay i fish,-2\n", "line 2: the count -2"),
        ("q.jsonl", b'{"question": "a b"}\n{"question": \n', "line 2: not valid JSON"),
        ("q.jsonl", b"[1]\n", "line 1: must be a JSON object or a text"),
        ("q.txt", b"\x00\x01\x02PK", "its bytes are not text"),
    ],
)
def test_broken_logs(log, name: str, text: bytes, told: str) -> None:
    with pytest.raises(BadInput, match=told):
        load_log(log(name, text))


def test_missing_logs(tmp_path: Path) -> None:
    with pytest.raises(BadInput, match="no such file"):
        load_log(tmp_path / "x.csv")
    with pytest.raises(BadInput, match="is a folder"):
        load_log(tmp_path)


@pytest.mark.parametrize(
    ("value", "day"),
    [
        ("2031-05-02", "2031-05-02"), ("2031-05-02T10:00:00.5+02:00", "2031-05-02"), ("2 May 2031", "2031-05-02"),
        ("02.05.2031", "2031-05-02"), ("02/05/2031 10:00", "2031-05-02"), (1935619200, "2031-05-04"),
        ("1935619200000", "2031-05-04"), ("2031-13-40", ""), ("soon", ""), (None, ""), (True, ""), (7, ""),
    ],
)  # fmt: skip
def test_days(value: object, day: str) -> None:
    assert day_of(value) == day
