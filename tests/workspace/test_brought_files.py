"""Files that bring answers, lists, criteria and decisions: what is read, and what is refused with its line."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from aventrik.core.brought import BroughtItem
from aventrik.core.errors import BadInput
from aventrik.workspace.answers import load_answers, load_lists
from aventrik.workspace.criteria import load_criteria
from aventrik.workspace.reviews import UNDONE, Decision, Reviews, changed_minds


def written(path: Path, text: str) -> Path:
    path.write_text(text, encoding="utf-8")
    return path


def test_answers_are_read_from_lines_of_json(tmp_path: Path) -> None:
    rows = [
        {"id": "a1", "answer": "48 hours.", "context": ["one", {"text": "two", "doc": "b.md", "start": 3, "end": 9}]},
        {"question": "Why?", "answer": None, "declined": True},
        {"id": 7, "answer": "x", "context": []},
    ]
    found = load_answers(written(tmp_path / "a.jsonl", "\n".join(map(json.dumps, rows)) + "\n\n")).rows
    assert found[0].context == (BroughtItem("one"), BroughtItem("two", "b.md", 3, 9))
    assert (found[1].question, found[1].answer, found[1].context, found[1].declined) == ("Why?", "", None, True)
    assert (found[2].id, found[2].context, found[2].line) == ("7", (), 3)


def test_answers_are_read_from_csv_under_names_and_pointers_of_their_own(tmp_path: Path) -> None:
    sheet = 'frage,antwort,context,declined\n"Why, then?","Because.","[""a"", ""b""]",no\nHow?,So.,one text,\n'
    found = load_answers(written(tmp_path / "a.csv", sheet), {"question": "frage", "answer": "antwort"}).rows
    assert found[0].question == "Why, then?"
    assert found[0].context == (BroughtItem("a"), BroughtItem("b"))
    assert (found[0].declined, found[1].declined) == (False, None)
    assert found[1].context == (BroughtItem("one text"),)
    nested = written(tmp_path / "b.jsonl", '{"id": "q", "reply": {"text": "Yes.", "from": [{"content": "c"}]}}\n')
    [row] = load_answers(nested, {"answer": "/reply/text", "context": "/reply/from"}).rows
    assert (row.answer, row.context) == ("Yes.", (BroughtItem("c"),))


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("", "holds no answer"),
        ("{", "line 1: not valid JSON"),
        ("[1]", "entry 1: must be an object"),
        ('{"id": "a", "anser": "x"}', "there is no field 'answer'"),
        ('{"answer": "x"}', "needs the question, or the id"),
        ('{"id": "a", "answer": 4}', "answer must be a text, not a number"),
        ('{"id": "a", "answer": "x", "context": 4}', "context must be a list of texts or objects"),
        ('{"id": "a", "answer": "x", "context": [{"x": 1}]}', "item 1 has neither a text"),
        ('{"id": "a", "answer": "x", "context": [{"doc": "d", "start": 9, "end": 3}]}', "start must lie before end"),
        ('{"id": "a", "answer": "x", "context": [{"doc": "d", "start": "1", "end": 3}]}', "start must be a place"),
        ('{"id": "a", "answer": "x", "declined": "perhaps"}', "declined must be true or false"),
        ('{"id": {"a": 1}, "answer": "x"}', "id must be a text, not an object"),
    ],
)
def test_a_broken_file_of_answers_is_told_with_its_line(tmp_path: Path, text: str, told: str) -> None:
    with pytest.raises(BadInput) as error:
        load_answers(written(tmp_path / "a.jsonl", text))
    assert told in str(error.value)


def test_a_field_that_is_named_must_be_there(tmp_path: Path) -> None:
    path = written(tmp_path / "a.jsonl", '{"id": "a", "answer": "x", "kontexte": []}')
    with pytest.raises(BadInput, match=r"there is no context_.*kontexte"):
        load_answers(path, {"context": "context_"})
    with pytest.raises(BadInput, match=r"there is no field 'anser'.*answer"):
        load_answers(path, {"anser": "x"})
    with pytest.raises(BadInput, match="a column stands there twice"):
        load_answers(written(tmp_path / "b.csv", "id,answer,answer\na,b,c\n"))
    with pytest.raises(BadInput, match="line 2: more cells than columns"):
        load_answers(written(tmp_path / "c.csv", "id,answer\na,b,c\n"))
    (tmp_path / "d.jsonl").write_bytes(b"\x00\x01\x02" * 9)
    with pytest.raises(BadInput, match="holds no answer that can be read"):
        load_answers(tmp_path / "d.jsonl")


def test_columns_are_found_by_usual_names_in_whatever_form_the_file_comes(tmp_path: Path) -> None:
    table = tmp_path / "a.csv"
    table.write_bytes("QID;Reply;Passages;note\na1;Ja, für 12 €.;\"['eins', 'zwei']\";x\n".encode("cp1252"))
    found = load_answers(table)
    assert (found.kind, found.encoding) == ("a table, parted by semicolons", "cp1252")
    assert found.columns == {"id": "QID", "answer": "Reply", "context": "Passages"}
    assert found.unused == ("note",)
    [row] = found.rows
    assert (row.answer, row.context) == ("Ja, für 12 €.", (BroughtItem("eins"), BroughtItem("zwei")))
    array = written(
        tmp_path / "b.json",
        json.dumps([{"query": "Why?", "output": "So.", "sources": [{"body": "b", "file": "f"}]}], indent=1),
    )
    assert load_answers(array).rows[0].context == (BroughtItem("b", "f"),)
    inside = written(tmp_path / "c.json", json.dumps({"made": "today", "rows": [{"id": "a", "answer": "x"}]}, indent=1))
    assert [row.id for row in load_answers(inside).rows] == ["a"]
    assert (
        load_answers(written(tmp_path / "d.jsonl", '{"id": "a", "question": "b", "answer": "x"}'), {"question": "-"})
        .rows[0]
        .question
        == ""
    )
    from openpyxl import Workbook

    book = Workbook()
    book.active.append(["Question", "Answer"])
    book.active.append(["How long?", "48 hours."])
    book.save(tmp_path / "e.xlsx")
    assert [(row.question, row.answer) for row in load_answers(tmp_path / "e.xlsx").rows] == [
        ("How long?", "48 hours.")
    ]


def test_what_is_no_answer_is_told_and_thinking_and_html_are_taken_off(tmp_path: Path) -> None:
    given = [
        "nan", "None", "N/A", "Error: 429 Too Many Requests", "HTTP 503", "Traceback (most recent call last): …",
        "<think>He asks for the fee.</think>A key costs £12.", "<p>A key costs <b>£12</b>.</p><p>It&amp;s sold here.</p>",
        "Errors are reported at the desk.", "None of the locks is deep.", "Use <int> as type.",
    ]  # fmt: skip
    rows = [{"id": f"a{n}", "answer": text} for n, text in enumerate(given)]
    found = load_answers(written(tmp_path / "a.jsonl", "\n".join(map(json.dumps, rows))))
    assert [bool(row.failure) for row in found.rows] == [True] * 6 + [False] * 5
    assert found.rows[6].answer == "A key costs £12."
    assert found.rows[7].answer == "A key costs £12.\nIt&s sold here."
    assert found.rows[10].answer == "Use <int> as type."
    assert (found.thoughts, found.markup) == (1, 1)


def test_the_answers_of_several_systems_are_told_apart(tmp_path: Path) -> None:
    rows = [{"id": "a1", "answer": name, "system": name} for name in ("new", "old")]
    found = load_answers(written(tmp_path / "a.jsonl", "\n".join(map(json.dumps, rows))))
    assert found.systems == ["new", "old"]
    assert [row.answer for row in found.of("old").rows] == ["old"]


def test_a_trec_run_is_ordered_by_its_scores_and_what_is_odd_in_it_is_counted(tmp_path: Path) -> None:
    text = "q1 Q0 a.md 1 0.5 x\nq1 Q0 b.md:10-20 2 0.9 x\nq1 Q0 two words.md 4 0.5 x\nq2 Q0 a:b 1 -3e2 x\n"
    found = load_lists(written(tmp_path / "r", text))
    assert found.lists["q1"] == (
        BroughtItem("", "b.md", 10, 20),
        BroughtItem("", "a.md"),
        BroughtItem("", "two words.md"),
    )
    assert found.lists["q2"] == (BroughtItem("", "a:b"),)
    assert (found.tied, found.gaps, found.against) == (1, 1, 1)


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("", "holds no list"),
        ("q1 Q0 a 1 x\n", "needs six columns"),
        ("q1 Q0 a one 0.5 x\n", "must be numbers"),
        ("q1 Q0 a 1 nan x\n", "must be a finite number"),
        ("q1 Q0 a 1 1 x\nq1 Q0 a 2 0.5 x\n", "line 2: a stands on line 1"),
    ],
)
def test_a_broken_trec_run_is_told_with_its_line(tmp_path: Path, text: str, told: str) -> None:
    with pytest.raises(BadInput) as error:
        load_lists(written(tmp_path / "r", text))
    assert told in str(error.value)


GOOD = """about = "Is a day named?"
judges = "answer and context"
better = "less"
[[levels]]
level = 2
means = "a day"
[[levels]]
level = 0
means = "none"
[[levels]]
level = 1
means = "a month"
"""


def test_a_criterion_is_read_and_its_levels_are_spread_evenly(tmp_path: Path) -> None:
    written(tmp_path / "dated.toml", GOOD)
    [(path, found)] = load_criteria(tmp_path)
    assert [(each.level, each.value) for each in found.levels] == [(0, 0.0), (1, 0.5), (2, 1.0)]
    assert found.less_is_better
    assert found.parts == ("answer", "context")
    assert found.scale.startswith("0: none\n1: a month")
    assert path.name == "dated.toml"
    with pytest.raises(BadInput, match=r"holds no criterion 'datd'.*dated"):
        load_criteria(tmp_path, ["datd"])
    assert load_criteria(tmp_path / "nowhere") == []


@pytest.mark.parametrize(
    ("change", "told"),
    [
        (("[[levels]]", "[[level]]"), "has no levels"),
        (("level = 1", "level = 2"), "two of them are level 2"),
        (('means = "a month"', 'means = " A  day"'), "two of them mean the same"),
        (("level = 1\n", "level = 1\nvalue = 0.3\n"), "give every level a value, or none"),
        (("level = 1\n", 'level = 1\npattern = "("\n'), "is no regular expression"),
        (('better = "less"', 'better = "mor"'), "better"),
        (('judges = "answer and context"', 'judges = "all"'), "'all' is not one of"),
        (('better = "less"', 'prompt = "Grade $answer by $levels"'), "the placeholder $context is missing"),
        (('better = "less"', 'prompt = "$answer $levels $context $reson"'), "unknown placeholder $reson"),
        (('about = "Is a day named?"\n', ""), "about"),
        (("better", "bettr"), "bettr"),
    ],
)
def test_a_criterion_that_is_wrong_is_told_with_file_and_key(
    tmp_path: Path, change: tuple[str, str], told: str
) -> None:
    path = written(tmp_path / "dated.toml", GOOD.replace(*change))
    with pytest.raises(BadInput) as error:
        load_criteria(tmp_path)
    assert str(path) in str(error.value)
    assert told in str(error.value)


def test_a_criterion_may_not_be_called_as_a_measure_or_anything_odd(tmp_path: Path) -> None:
    written(tmp_path / "relevance.toml", GOOD)
    with pytest.raises(BadInput, match="is a measure already"):
        load_criteria(tmp_path)
    (tmp_path / "relevance.toml").rename(tmp_path / "Two Words.toml")
    with pytest.raises(BadInput, match="small letters"):
        load_criteria(tmp_path)


def decision(item: str, who: str, said: str, before: str = "") -> Decision:
    return Decision("verdict", item, "desk", "small", "q1", "c", who, "2031-04-01T10:00:00Z", said, "", before)


def test_the_last_word_of_each_person_counts_and_a_broken_line_is_left_as_it_is(tmp_path: Path) -> None:
    reviews = Reviews(tmp_path / "reviews")
    reviews.add(decision("i1", "ann", "supported"))
    reviews.add(decision("i1", "ann", "not found", "supported"))
    reviews.add(decision("i1", "ben", "supported"))
    reviews.add(decision("i2", "ann", "supported"))
    reviews.add(decision("i2", "ann", UNDONE, "supported"))
    path = tmp_path / "reviews" / "ann.jsonl"
    with path.open("a") as file:
        file.write('{"what": "verdict", "item"')  # a write that was cut off
    again = Reviews(tmp_path / "reviews")
    assert {who: each.decision for who, each in again.last("verdict")["i1"].items()} == {
        "ann": "not found", "ben": "supported",
    }  # fmt: skip
    assert "i2" not in again.last("verdict")
    assert len(again.broken) == 1
    assert "ann.jsonl, line 5" in again.broken[0][0]
    again.add(decision("i3", "ann", "contradicted"))
    assert Reviews(tmp_path / "reviews").last("verdict")["i3"]["ann"].decision == "contradicted"
    assert path.read_text().count("\n") == 6
    assert changed_minds(again.every) == 1


def test_the_chances_of_a_sample_stand_as_they_were_noted_first(tmp_path: Path) -> None:
    from aventrik.workspace.reviews import drawing

    reviews = Reviews(tmp_path)
    reviews.add(drawing("desk", "small", "verdict", "ann", "", {"k": 0.25}))
    reviews.add(drawing("desk", "small", "verdict", "ben", "", {"k": 0.5}))
    again = Reviews(tmp_path)
    assert again.drawn("desk", "small", "verdict") == {"k": 0.25}
    assert again.drawn("desk", "other", "verdict") == {}
    assert again.whats("small") == []
