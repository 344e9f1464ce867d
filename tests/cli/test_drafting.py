"""Drafting and test sets through the installed program: what is wanted, hidden, compared, exported, and refused."""

from __future__ import annotations

import csv
import json
from pathlib import Path
from typing import Any

import pytest

from ..conftest import Program

ANSWERS = [
    "Ring the bell by the upper gate and wait for the keeper to come down with the handle.",
    "A fee is due for each night, and it is paid at the wooden counter before you leave again.",
    "Shut both paddles first, then walk across and let the far side fill until it stands level.",
    "The warden writes your number on a slip that has to be shown at the next bridge downstream.",
    "Leave the key on its hook, since others will come behind you before the evening is over.",
    "Nobody may pass while the red lamp burns, whatever the person on the other bank is calling.",
]
GERMAN = "Die Schleusen werden bei Hochwasser geschlossen und nur der Wärter darf sie wieder öffnen. "
ASKED = [
    "How do I call somebody at night?", "What does it cost to stay over?", "How do I get through alone?",
    "Do I need a permit for the next stretch?", "Where do I leave what I borrowed?", "May I go on when it is closed?",
]  # fmt: skip


@pytest.fixture
def manual(program: Program) -> Program:
    """A workspace with an FAQ, a manual with sections, and a table."""
    program("new", ".")
    docs = program.folder / "docs"
    docs.mkdir()
    faq = "# Questions\n\n" + "\n\n".join(f"## {asked}\n\n{answer}" for asked, answer in zip(ASKED, ANSWERS))
    (docs / "faq.md").write_text(f"{faq}\n\nSee also the page with: {ASKED[1]}\n", encoding="utf-8")
    for number, topic in enumerate(("Painting", "Mending", "Sealing", "Lifting", "Greasing", "Hanging")):
        sections = "\n\n".join(
            f"## {topic} {thing}\n\nYou must first put the {word} aside, and the {thing.split()[-1]} has to be dry. To "
            f"{word} it takes a brush of width {10 * number + place} and two people who hold the rope in turn."
            for place, (thing, word) in enumerate(
                (("the upper gates", "handle"), ("a winding wheel", "bolt"), ("the old bridge deck", "plank"))
            )
        )
        (docs / f"m{number}.md").write_text(f"# {topic} work\n\n{sections}\n", encoding="utf-8")
    (docs / "locks.html").write_text(
        "<h1>Locks</h1><table><tr><th>Lock</th><th>Length (m)</th></tr>"
        + "".join(
            f"<tr><td>{name} Lock</td><td>{20 + n}</td></tr>" for n, name in enumerate(("Hexley", "Stone", "Reed"))
        )
        + "</table>",
        encoding="utf-8",
    )
    program("gather", "docs", "--quiet")
    return program


def lines(program: Program, name: str) -> list[dict[str, Any]]:
    return [
        json.loads(line) for line in (program.folder / "testsets" / f"{name}.jsonl").read_text("utf-8").splitlines()
    ]


def test_an_faq_becomes_a_test_set_whose_headings_are_hidden_wherever_they_stand(manual: Program) -> None:
    manual("draft", "--from-headings", "--testset", "faq", "-n", "20")
    rows = lines(manual, "faq")
    assert sorted(row["question"] for row in rows) == sorted(ASKED)
    assert {row["by"] for row in rows} == {"offline"}
    twice = next(row for row in rows if row["question"] == ASKED[1])
    assert [span["quote"] for span in twice["hide"]].count(ASKED[1]) == 2  # the heading, and where it is mentioned
    manual("run", "--testset", "faq", "--until", "served")
    number = manual.json("runs")[-1]["run"]
    for row in rows:
        shown = manual.json("explain", str(number), row["id"])
        texts = " ".join(each["text"] + " ".join(each["source"]) for each in shown["chunks"].values())
        assert row["question"] not in texts
        assert any(answer in texts for answer in ANSWERS)


def test_what_is_hidden_costs_one_index_more_and_leaves_other_test_sets_alone(manual: Program) -> None:
    manual("draft", "--from-headings", "--testset", "faq", "-n", "20")
    manual("draft", "--testset", "plain", "-n", "4", "--kinds", "table")
    first = manual.json("run", "--testset", "plain", "--until", "served")[0]
    hidden = manual.json("run", "--testset", "faq", "--until", "served")[0]
    again = manual.json("run", "--testset", "plain", "--until", "served")[0]
    assert first["computed"]["chunks"] == 8
    assert hidden["computed"]["chunks"] == 1  # one of the eight documents has something to hide
    assert again["computed"] == {}


def test_hidden_words_that_no_longer_stand_there_are_told(manual: Program) -> None:
    manual("draft", "--from-headings", "--testset", "faq", "-n", "20")
    path = manual.folder / "docs" / "faq.md"
    path.write_text(path.read_text("utf-8").replace("How do I call", "How can I call"), encoding="utf-8")
    manual("gather", "--quiet")
    told = manual("run", "--testset", "faq", "--until", "served").stderr
    assert "hidden spans can't be hidden" in told
    assert "no longer stands there" in told


def test_a_draft_has_the_kinds_and_styles_that_were_asked_for(manual: Program) -> None:
    made = manual.json("draft", "-n", "8", "--kinds", "passage=1", "--styles", "question", "--at-most", "0.5")
    assert made["wanted"] == {"passage": 8}
    assert made["made"] == {"passage": 8}
    rows = lines(manual, "draft")
    assert {row["meta"]["style"] for row in rows} == {"question"}
    assert all(row["question"].endswith("?") and row["hide"] and row["tags"] for row in rows)
    assert all(row["meta"]["difficulty"]["level"] in ("easy", "middle", "hard") for row in rows)
    assert {row["by"] for row in rows} == {"offline"}
    assert {row["meta"]["seed"] for row in rows} == {0}


def test_the_same_seed_drafts_the_same_bytes(manual: Program) -> None:
    files = []
    for name in ("a", "b"):
        manual("draft", "-n", "12", "--testset", name, "--seed", "5")
        files.append((manual.folder / "testsets" / f"{name}.jsonl").read_bytes())
    assert files[0] == files[1]


def test_quotas_are_met_or_their_lack_is_told(manual: Program) -> None:
    settings = manual.folder / "aventrik.toml"
    plain = settings.read_text("utf-8")
    quota = "\n[[drafting.quota]]\nwhere = \"document like 'm1%'\"\nshare = 0.5\nleast = 2\n"
    settings.write_text(plain + quota, encoding="utf-8")
    manual("draft", "-n", "6", "--kinds", "passage", "--testset", "half")
    docs = [row["needs"][0]["spans"][0]["doc"] for row in lines(manual, "half")]
    assert docs.count("m1.md") == 3
    settings.write_text(plain + quota.replace("least = 2", "least = 50"), encoding="utf-8")
    told = manual("draft", "-n", "10", "--kinds", "passage", "--testset", "most").stdout
    assert "3 of 10, 7 missing" in " ".join(told.split())
    settings.write_text(plain + quota.replace("m1%", "zz%"), encoding="utf-8")
    assert "no document meets" in manual.fails("draft", "--testset", "none")


@pytest.mark.parametrize(
    ("options", "told"),
    [
        (("--kinds", "jonied=1"), "joined"),
        (("--styles", "question=x"), "a name and a share"),
        (("--difficulty", "hard=7"), "--difficulty"),
        (("--kinds", "passage=0"), "all shares are 0"),
        (("--at-most", "0"), "--at-most"),
        (("--examples", "nowhere.txt"), "no such file"),
        (("--audience", "nowhere.txt"), "there is no such file"),
        (("--writer", "nobody"), "nobody"),
    ],
)
def test_a_wish_that_can_not_be_understood_is_refused(manual: Program, options: tuple[str, ...], told: str) -> None:
    assert told in manual.fails("draft", *options)
    assert not (manual.folder / "testsets" / "draft.jsonl").exists()


def test_examples_set_the_styles_and_must_be_in_the_writers_language(manual: Program) -> None:
    (manual.folder / "asked.txt").write_text("gate paint\nbridge key cost\nlock width\n", encoding="utf-8")
    made = manual.json("draft", "-n", "6", "--kinds", "passage", "--examples", "asked.txt")
    assert made["styles"].get("search", 0) >= 4
    (manual.folder / "gefragt.txt").write_text(
        "Wann wird die Schleuse bei Hochwasser wieder für Boote aus dem Oberland geöffnet?\n" * 2
        + "Wie lange darf ein Boot am Steg liegen, wenn der Wärter nicht da ist und niemand sonst wartet?\n"
        + "Was kostet ein Liegeplatz für ein kleines Boot ohne Strom im Winter, und wo bezahle ich ihn?\n",
        encoding="utf-8",
    )
    assert "not in English" in manual.fails("draft", "--replace", "--examples", "gefragt.txt")


@pytest.mark.parametrize(
    ("name", "text", "told"),
    [
        ("one.md", "# Page\n\nA gate.\n", "no good question"),
        ("code.md", "# Code\n\n```\nopen(gate)\nshut(gate)\n```\n", "no good question"),
        ("buch.md", "# Buch\n\n" + GERMAN * 9, "not in English"),
    ],
)  # fmt: skip
def test_documents_that_give_no_question_are_said_to(program: Program, name: str, text: str, told: str) -> None:
    program("new", ".")
    (program.folder / "docs").mkdir()
    (program.folder / "docs" / name).write_text(text, encoding="utf-8")
    program("gather", "docs", "--quiet")
    assert told in program.fails("draft")


def test_a_corpus_of_tables_alone_gives_questions_about_rows(program: Program) -> None:
    program("new", ".")
    (program.folder / "docs").mkdir()
    rows = "".join(
        f"<tr><td>{name} Lock</td><td>{20 + n}</td><td>{n} m</td></tr>"
        for n, name in enumerate(("Hexley", "Stone", "Reed", "Anvil"))
    )
    (program.folder / "docs" / "t.html").write_text(
        f"<h1>Locks</h1><table><tr><th>Lock</th><th>Length (m)</th><th>Rise</th></tr>{rows}</table>", encoding="utf-8"
    )
    program("gather", "docs", "--quiet")
    made = program.json("draft", "-n", "5")
    assert set(made["made"]) <= {"table", "comparison", "passage", "unanswerable"}
    assert made["drafted"] - made["made"].get("unanswerable", 0) >= 3


def test_dropped_questions_and_passages_are_written_with_the_reason(manual: Program) -> None:
    (manual.folder / "docs" / "log.md").write_text(
        "# Changes\n\n- 1.2 gate\n- 1.1 weir\n- 1.0 key\n- 0.9 rope\n", encoding="utf-8"
    )
    manual("gather", "--quiet")
    made = manual.json("draft", "-n", "12")
    with open(made["dropped_file"], encoding="utf-8", newline="") as file:
        rows = list(csv.DictReader(file))
    assert any(row["document"] == "log.md" and row["reason"].startswith("passed over: ") for row in rows)
    assert all(row["reason"] for row in rows)


def test_few_drafted_questions_decide_nothing_and_compare_says_so(manual: Program) -> None:
    assert "decide nothing" in manual("draft", "-n", "6").stdout
    manual("run", "--testset", "draft", "--until", "served")
    assert "drafted questions decide nothing" in " ".join(manual("compare").stderr.split())


def test_a_draft_is_held_against_real_questions(manual: Program) -> None:
    manual("draft", "--from-headings", "--testset", "real", "-n", "20")
    manual("draft", "-n", "12", "--kinds", "passage")
    made = manual.json("testsets", "draft", "--against", "real")
    assert (made["forms"][0]["questions"], made["forms"][1]["questions"]) == (12, 6)
    assert made["decides"] is False
    assert "decide nothing" in made["verdict"]
    assert any("ran on both" in note for note in made["notes"])
    (manual.folder / "configs" / "words.toml").write_text(
        'name = "words"\n[embedding]\nmodel = "none"\n[search]\nmethod = "keyword"\n'
    )
    for name in ("draft", "real"):
        manual("run", "--testset", name, "--until", "served")
    found = manual.json("testsets", "draft", "--against", "real")["orders"]
    assert [each["measure"] for each in found] == ["hit@5", "reciprocal-rank"]
    assert all(each["configurations"] == 2 for each in found)
    manual("testsets", "draft", "--against", "real", "--match", "near")
    assert len(lines(manual, "near")) == 6
    assert "can't be held against itself" in manual.fails("testsets", "draft", "--against", "draft")


def test_test_sets_are_listed_shown_and_taken_apart(manual: Program) -> None:
    manual("draft", "-n", "12")
    [row] = manual.json("testsets")
    assert (row["testset"], row["questions"], row["by"]) == ("draft", 12, {"offline": 12})
    assert "12 questions" in manual("testsets", "draft").stdout
    manual("testsets", "draft", "--split", "0.5", "--into", "a", "--into", "b")
    assert len(lines(manual, "a")) + len(lines(manual, "b")) == 12
    manual("testsets", "a", "b", "--merge", "--into", "c")
    assert sorted(row["question"] for row in lines(manual, "c")) == sorted(
        row["question"] for row in lines(manual, "draft")
    )
    manual("testsets", "draft", "--sample", "3", "--into", "d")
    assert len(lines(manual, "d")) == 3
    assert "exists already" in manual.fails("testsets", "draft", "--sample", "3", "--into", "d")
    manual("testsets", "a", "b", "c", "d", "--remove")
    assert [row["testset"] for row in manual.json("testsets")] == ["draft"]


@pytest.mark.parametrize(
    ("arguments", "told"),
    [
        (("nothing",), "no such test set"),
        (("--merge",), "needs a test set"),
        (("draft", "--sample", "2"), "needs 1 --into"),
        (("draft", "--split", "1.5", "--into", "a", "--into", "b"), "between 0 and 1"),
        (("draft", "--sample", "2", "--merge", "--into", "a"), "at once"),
        (("draft", "--match", "x"), "goes with --against"),
        (("draft", "--export", "x.doc"), "must end in"),
    ],
)
def test_what_can_not_be_done_with_a_test_set_is_refused(
    manual: Program, arguments: tuple[str, ...], told: str
) -> None:
    manual("draft", "-n", "6")
    assert told in manual.fails("testsets", *arguments)


def test_a_test_set_is_exported_a_line_a_question_and_as_topics_and_qrels(manual: Program) -> None:
    from openpyxl import load_workbook

    manual("draft", "-n", "8", "--kinds", "passage=0.7,table=0.3")
    drafted = lines(manual, "draft")
    for suffix in ("csv", "jsonl", "xlsx", "trec"):
        manual("testsets", "draft", "--export", f"out/x.{suffix}")
    out: Path = manual.folder / "out"
    with open(out / "x.csv", encoding="utf-8-sig", newline="") as file:
        rows = list(csv.DictReader(file))
    assert [row["question"] for row in rows] == [row["question"] for row in drafted]
    assert all(row["quote"].split("\n")[0] in row["context"] and row["heading"] for row in rows)
    assert [json.loads(line)["id"] for line in (out / "x.jsonl").read_text("utf-8").splitlines()] == [
        row["id"] for row in drafted
    ]
    sheet = load_workbook(out / "x.xlsx").active
    assert sheet is not None
    assert sheet.max_row == len(drafted) + 1
    topics = (out / "x.topics").read_text("utf-8")
    assert topics.count("<num>") == len(drafted)
    qrels = [line.split() for line in (out / "x.qrels").read_text("utf-8").splitlines()]
    assert {(row[0], row[2]) for row in qrels} == {
        (row["id"], span["doc"]) for row in drafted for need in row["needs"] for span in need["spans"]
    }
    assert all(row[1] == "0" and row[3] == "1" for row in qrels)
