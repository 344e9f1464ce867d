"""Tables and TREC files, read back: by general libraries, and by `score` to the same figures."""

from __future__ import annotations

import csv
import json
from pathlib import Path

import pytest

from aventrik.core.errors import BadInput
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.kept.accounts import Account, AccountItem
from aventrik.kept.run_names import run_named
from aventrik.kept.sheets import run_sheets
from aventrik.report.trec import evidence_qrels, item_name, item_qrels, run_lines
from aventrik.workspace.answers import load_lists, load_qrels
from aventrik.workspace.testsets import question_from

from ..conftest import Program

ITEMS = (
    AccountItem("a b.md", ((0, 9), (20, 30)), 5, (1.0,)),
    AccountItem("", (), 3, (0.0,)),
    AccountItem("a b.md", ((0, 9), (20, 30)), 5, (1.0,)),
    AccountItem("50%.md", ((1, 2),), 1, (0.2,)),
)


def test_names_hold_no_white_space_and_every_range() -> None:
    assert item_name("a b.md", [(0, 9), (20, 30)]) == "a%20b.md:0-9,20-30"
    assert item_name("50%.md", [(1, 2)]) == "50%25.md:1-2"


def test_a_run_file_keeps_every_rank_and_is_read_back(tmp_path: Path) -> None:
    path = tmp_path / "x.run"
    path.write_text("".join(run_lines([Account("q 1", "k", ITEMS, 2)], "my run")))
    assert path.read_text().splitlines()[:2] == [
        "q%201 Q0 a%20b.md:0-9,20-30 1 1.000000000 my-run", "q%201 Q0 (not-found-2) 2 0.500000000 my-run",
    ]  # fmt: skip
    read = load_lists(path)
    [items] = read.lists.values()
    assert [(item.doc, item.start, item.end, item.more) for item in items] == [
        ("a%20b.md", 0, 9, ((20, 30),)), ("(not-found-2)", -1, -1, ()), ("(again-3)", -1, -1, ()), ("50%25.md", 1, 2, ()),
    ]  # fmt: skip
    assert (read.tied, read.gaps, read.against) == (0, 0, 0)


def test_items_are_judged_one_by_one_for_programs_that_know_no_ranges() -> None:
    assert list(item_qrels({"q1": ITEMS}, 0.9)) == ["q1 0 50%25.md:1-2 0\n", "q1 0 a%20b.md:0-9,20-30 1\n"]


def test_evidence_stands_under_the_number_of_its_need(tmp_path: Path) -> None:
    places = [("x", "a.md", 1, "abcd"), ("x", "b.md", 0, "abc"), ("y", "a.md", 9, "xyz"), ("y", "c.md", -1, "gone")]
    needs = [
        {
            "fact": fact,
            "spans": [
                {"doc": doc, "start": start, "end": start + len(quote) if start >= 0 else -1, "quote": quote}
                for of, doc, start, quote in places
                if of == fact
            ],
        }
        for fact in ("x", "y")
    ]
    question = question_from({"id": "q1", "question": "?", "needs": needs})
    lines = list(evidence_qrels([question]))
    assert lines == ["q1 1 a.md:1-5 1\n", "q1 1 b.md:0-3 1\n", "q1 2 a.md:9-12 1\n"]
    path = tmp_path / "e.qrels"
    path.write_text("".join(lines) + "q1 2 z.md:1-2 0\n")
    found = load_qrels(path)
    assert {need: [(each.doc, each.start, each.end) for each in places] for need, places in found["q1"].items()} == {
        "1": [("a.md", 1, 5), ("b.md", 0, 3)], "2": [("a.md", 9, 12)],
    }  # fmt: skip


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("", "holds no evidence"),
        ("q1 0 a.md\n", "line 1: needs four columns"),
        ("q1 0 a.md x\n", "line 1: the relevance 'x'"),
        ("q1 0 a.md 0\n", "holds no evidence"),
    ],
)
def test_qrels_that_are_not_sound_are_refused(tmp_path: Path, text: str, told: str) -> None:
    (tmp_path / "e.qrels").write_text(text)
    with pytest.raises(BadInput, match=told):
        load_qrels(tmp_path / "e.qrels")


@pytest.fixture
def exported(workspace: Program) -> Program:
    """A run of ours, exported in all forms."""
    (workspace.folder / "configs" / "near.toml").write_text(
        'name = "near by"\n[chunking]\nsize = 90\nserve = "neighbours"\n[search]\nmethod = "keyword"\n'
    )
    workspace("run", "near", "starter", "--testset", "small")
    workspace("report", "1", "2", "--to", "out")
    return workspace


def test_lists_and_evidence_are_read_back_by_score_to_the_same_figures(exported: Program) -> None:
    trec = exported.folder / "out" / "trec"
    assert sorted(path.name for path in trec.iterdir()) == [
        "1-near-by.run",
        "2-starter.run",
        "evidence.qrels",
        "items.qrels",
    ]
    exported(
        "score",
        "--ranked",
        "out/trec/1-near-by.run",
        "--qrels",
        "out/trec/evidence.qrels",
        "--testset",
        "small",
        "--name",
        "back",
    )
    opened = OpenWorkspace(exported.folder)
    ours, back = run_sheets(opened.store, [run_named(opened.store, "near by"), run_named(opened.store, "back")])
    answerable = [key for key in ours.scores if "hit@5" in ours.scores[key]]
    assert len(answerable) == 2
    for key in answerable:
        measured = {name: value for name, value in ours.scores[key].items() if "@" in name or name == "reciprocal-rank"}
        assert len(measured) > 20
        assert {name: back.scores[key][name] for name in measured} == measured
    opened.store.close()
    assert exported.json("compare", "near by", "back")["questions"] == 2  # paired, since the evidence is the same


def test_evidence_from_a_file_is_taken_in_place_of_the_test_sets(exported: Program) -> None:
    path = exported.folder / "mine.qrels"
    path.write_text("a2 1 moorings.md:0-10 1\n")
    exported(
        "score", "--ranked", "out/trec/1-near-by.run", "--qrels", "mine.qrels", "--testset", "small", "--name", "other"
    )
    found = exported.json("compare", "other", "--measure", "hit@1")["runs"][0]
    assert found["questions"] == 1
    assert found["measures"]["hit@1"]["mean"] == 0.0
    assert exported.json("compare", "near by", "--measure", "hit@1")["runs"][0]["measures"]["hit@1"]["mean"] == 1.0
    path.write_text("zz 1 moorings.md:0-10 1\n")
    told = exported.fails("score", "--ranked", "out/trec/1-near-by.run", "--qrels", "mine.qrels", "--testset", "small")
    assert "no question in it is of the test set; it has 'zz'" in told


def test_tables_hold_what_compare_and_the_runs_hold(exported: Program) -> None:
    out = exported.folder / "out"
    compared = exported.json("compare", "1", "2", "--pairs")
    with (out / "means.csv").open(encoding="utf-8-sig", newline="") as file:
        means = {(row["run"], row["measure"]): row for row in csv.DictReader(file)}
    for run in compared["runs"]:
        for name, each in run["measures"].items():
            row = means[str(run["run"]), name]
            assert (float(row["mean"]), float(row["low"]), int(row["n"])) == (each["mean"], each["low"], each["n"])
    scores = [json.loads(line) for line in (out / "scores.jsonl").read_text().splitlines()]
    assert len(scores) == 6
    hits = [row["hit@5"] for row in scores if row["run"] == 1 and row["hit@5"] is not None]
    assert sum(hits) / len(hits) == compared["runs"][0]["measures"]["hit@5"]["mean"]
    answers = [json.loads(line) for line in (out / "answers.jsonl").read_text().splitlines()]
    assert {row["question"] for row in answers} == {"a1", "a2", "a3"}
    claims = [json.loads(line) for line in (out / "claims.jsonl").read_text().splitlines()]
    assert {"run", "question", "claim", "verdict", "confidence", "reason", "quotes"} == set(claims[0])
    assert {
        row["run"] for row in (json.loads(line) for line in (out / "differences.jsonl").read_text().splitlines())
    } <= {1, 2}


def test_parquet_has_the_same_rows(exported: Program) -> None:
    parquet = pytest.importorskip("pyarrow.parquet")
    exported("report", "1", "2", "--to", "p", "--as", "parquet")
    rows = parquet.read_table(exported.folder / "p" / "scores.parquet").to_pylist()
    assert [row["question"] for row in rows] == ["a1", "a2", "a3"] * 2


def test_a_folder_that_can_not_be_written_is_told(exported: Program) -> None:
    (exported.folder / "taken").mkdir()
    (exported.folder / "taken" / "trec").write_text("a file stands here")
    assert "can't be written" in exported.fails("report", "1", "--to", "taken", code=3)
