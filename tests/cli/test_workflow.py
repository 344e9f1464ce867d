"""The job from end to end, through the installed program."""

from __future__ import annotations

import json
import os
from pathlib import Path

import pytest

from ..conftest import Program, run_until_killed, write_testset


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory) -> tuple[Program, str]:
    """The demo workspace after its first run, and what that printed."""
    folder = tmp_path_factory.mktemp("demo")
    run = Program(folder)
    return run, run("demo", "tarrowby").stdout


def test_the_demo_shows_the_whole_job(demo: tuple[Program, str]) -> None:
    _, shown = demo
    for part in (
        "aventrik gather",
        "aventrik draft",
        "aventrik run",
        "10 configurations on 181 questions of enquiries",
        "hit@5 against the baseline plain",
        "what each setting brought to hit@5",
        "where each needed fact was lost",
        "drafted questions beside real ones",
        "what an answer needs, and where it was lost",
    ):
        assert part in shown


def test_the_demo_again_computes_nothing_and_says_the_same(demo: tuple[Program, str]) -> None:
    run, first = demo
    second = run("demo", "tarrowby").stdout
    assert second.count(" 0 results computed") == 2
    after = "10 configurations on 181 questions"
    assert [line for line in second.split(after)[1].splitlines() if "done in" not in line] == [
        line for line in first.split(after)[1].splitlines() if "done in" not in line
    ]


def test_the_demo_scores_a_live_system_and_its_judge_beside_a_person(demo: tuple[Program, str]) -> None:
    run, said = demo
    assert "aventrik score -w tarrowby --system desk" in said
    assert "of 542 items of contexts and lists 542 (100%) were found" in " ".join(said.split())
    assert "from-when" in said
    assert "the judge (offline) and people (warden) on 129 claims" in said
    found = run.json("review", "-w", "tarrowby", "--verdicts", "desk", "--agreement")
    assert found["decided"] == 129  # every one of the labels that ship with the demo is of a claim that is still made
    assert found["corrected"]["groundedness"]["labels"] == 37
    assert found["changed_minds"] == 0
    assert found["disputed"] == []
    again = run(
        "score", "-w", "tarrowby", "--system", "desk", "--testset", "enquiries"
    )  # no server is needed: all is kept
    assert "181 questions" in again.stdout
    assert {path.stem for path in (run.folder / "tarrowby" / "criteria").iterdir()} == {"from-when", "says-of-what"}


def test_the_demo_has_a_configuration_that_is_really_better_and_one_that_is_really_worse(
    demo: tuple[Program, str],
) -> None:
    run, shown = demo
    found = run.json("compare", "-w", "tarrowby", "plain", "careful", "shreds")
    assert [(each["name"], each["real"], each["difference"]["mean"] > 0) for each in found["differences"]] == [
        ("careful", True, True), ("shreds", True, False),
    ]  # fmt: skip
    assert "inferred to: documents like these (37 of 160)" in " ".join(shown.split())
    these = run.json("testsets", "-w", "tarrowby", "enquiries", "--plan", "0.05")
    assert [each["configurations"] for each in these["these"]] == [2, 8, 40]
    counts = [each["questions"] for each in these["these"]]
    assert counts == sorted(counts)
    assert all(one["questions"] > other["questions"] for one, other in zip(these["like"], these["these"]))
    assert all(0 < shown < 0.3 for shown in these["shows"])


def test_the_demos_own_evidence_is_all_found(demo: tuple[Program, str]) -> None:
    run, _ = demo
    done = run("run", "-w", "tarrowby", "baseline", "--testset", "enquiries")
    assert "nothing to compute" in done.stdout
    assert done.stderr == ""
    questions = [json.loads(line) for line in (run.folder / "tarrowby/testsets/enquiries.jsonl").open()]
    assert len(questions) >= 150
    assert sum(not question["needs"] for question in questions) >= 8
    kept = [json.loads(line) for line in (run.folder / "tarrowby/testsets/helpdesk.jsonl").open()]
    assert len(kept) >= 40
    assert {question["kind"] for question in kept} == {"one-fact", "joined", "table", "unanswerable"}
    told = run("cut", "-w", "tarrowby", "baseline", "--testset", "helpdesk", "--samples", "0")
    assert told.stderr == ""  # every quote stands where it is said to


def test_runs_of_the_demo_come_to_the_same_when_they_are_made_anew(demo: tuple[Program, str]) -> None:
    """From the documents in another order, with another number of threads; one by words alone, one by what `lsa` learns."""
    folder = Program(demo[0].folder / "tarrowby")
    for name in ("plain", "axes/base"):
        found = folder.json("store", "--audit", name, "--threads", "3")
        assert found["sound"], (name, found["first"])
        assert sum(stage["compared"] for stage in found["stages"]) > 500
    assert "fit together" in " ".join(folder("store", "--check").stdout.split())


def test_compare_as_json_has_intervals_around_its_means(demo: tuple[Program, str]) -> None:
    run, _ = demo
    found = run.json("compare", "-w", "tarrowby")
    assert [row["name"] for row in found["runs"]][-1] == "desk"  # the live system
    assert len(found["runs"]) == 11
    for row in found["runs"]:
        measure = row["measures"]["hit@5"]
        assert 0 <= measure["low"] <= measure["mean"] <= measure["high"] <= 1
        assert measure["n"] == 167  # of 181 enquiries 14 are not answered by the documents
        assert sum(row["lost"].values()) == 181  # some have two needs
    assert {each["setting"] for each in found["contributions"]} == {
        "answering.style",
        "chunking.size",
        "embedding.model",
        "reranking",
        "rewriting",
    }
    assert len(found["differences"]) == 10


def test_the_demos_drafted_questions_are_searched_for_without_the_titles_that_they_were_made_of(
    demo: tuple[Program, str],
) -> None:
    run, _ = demo
    lines = (run.folder / "tarrowby" / "testsets" / "drafted.jsonl").read_text(encoding="utf-8").splitlines()
    titled = [row for row in map(json.loads, lines) if row["meta"]["rule"] == "title"]
    assert titled
    assert all(row["hide"] for row in titled)
    number = next(
        each["run"] for each in run.json("runs", "-w", "tarrowby")
        if each["testset"] == "drafted" and each["name"] == "axes/base"
    )  # fmt: skip
    for row in titled[:5]:
        shown = run.json("explain", "-w", "tarrowby", str(number), row["id"])
        hidden = row["hide"][0]
        texts = [each["text"] for each in shown["chunks"].values() if each["doc"] == hidden["doc"]]
        assert not any(line.strip() == hidden["quote"] for text in texts for line in text.split("\n"))


def test_a_run_is_shared_by_stage(workspace: Program) -> None:
    (workspace.folder / "configs" / "two.toml").write_text(
        'name = "two"\n[embedding]\nmodel = "none"\n[search]\nmethod = "keyword"\n[sweep]\n"context.keep" = [1, 3]\n'
    )
    first, second = workspace.json("run", "two")
    assert first["computed"]["candidates"] == 3
    assert "candidates" not in second["computed"]
    # one item of context instead of three; a question that finds one chunk alone has the same context either way
    assert 1 <= second["computed"]["context"] <= 3
    assert [row["new" if "new" in row else "computed"] for row in workspace.json("run", "two")] == [{}, {}]


def test_scores_follow_the_documents(workspace: Program) -> None:
    workspace("run", "starter")
    before = workspace.json("compare")["runs"][0]["measures"]
    assert before["hit@5"]["mean"] == 1.0
    assert before["declined-rightly"]["mean"] == 1.0
    (workspace.folder / "docs" / "bridges.txt").write_text("Nothing about keys any more, only about a bridge.\n")
    workspace("gather", "docs")
    told = workspace("run", "starter").stderr
    assert "a2" in told
    assert "no longer stands there" in told
    found = workspace.json("compare")
    assert found["runs"][0]["measures"]["hit@5"]["mean"] == 0.5
    assert found["runs"][0]["lost"]["not in the documents"] + found["runs"][0]["lost"]["cut apart by chunking"] == 1


def test_moved_evidence_is_found_again(workspace: Program) -> None:
    path = workspace.folder / "docs" / "moorings.md"
    workspace("run", "starter")
    rows = [json.loads(line) for line in (workspace.folder / "testsets/small.jsonl").open()]
    rows[0]["needs"][0]["spans"][0].update(start=11, end=61)
    write_testset(workspace.folder, rows)
    path.write_text("A new first paragraph is put in front of all.\n\n" + path.read_text())
    workspace("gather", "docs")
    assert "found again at another place" in workspace("run", "starter").stderr


def test_explain_tells_what_happened_to_a_question(workspace: Program) -> None:
    workspace("run", "starter")
    found = workspace.json("explain", "starter", "a1")
    assert found["needs"][0]["lost"] == "answered"
    shown = workspace("explain", "starter", "a1").stdout
    for part in ("candidates:", "context:", "48 hours", "supported", "→ answered"):
        assert part in shown
    assert "the right answer is to decline" in workspace("explain", "1", "a3").stdout


def test_runs_are_labelled_found_and_removed(workspace: Program) -> None:
    workspace("run", "starter")
    workspace("runs", "starter", "--label", "spring", "--note", "first try")
    assert workspace.json("runs", "spring")[0]["note"] == "first try"
    assert "spring" in workspace("runs").stdout
    workspace("runs", "spring", "--remove")
    assert "no runs" in workspace("runs").stdout


def test_cut_shows_figures_and_samples(workspace: Program) -> None:
    [row] = workspace.json("cut", "starter", "--testset", "small")
    assert row["chunks"] >= 3
    assert row["needs"] == 2
    assert row["needs_cut_apart"] == 0
    assert sum(row["histogram"]) == row["chunks"]
    assert "0 of 2" in workspace("cut", "--testset", "small").stdout


def test_drafting_twice_needs_a_decision(workspace: Program) -> None:
    workspace("draft", "-n", "3")
    assert "exists already" in workspace.fails("draft", "-n", "3")
    before = (workspace.folder / "testsets/draft.jsonl").read_text()
    workspace("draft", "-n", "3", "--replace")
    assert (workspace.folder / "testsets/draft.jsonl").read_text() == before


def test_gathering_again_adds_updates_and_prunes(workspace: Program) -> None:
    docs = workspace.folder / "docs"
    (docs / "new.md").write_text("# New\n\nA new document.\n")
    (docs / "locks.md").write_text("# Locks\n\nAll changed.\n")
    (docs / "bridges.txt").unlink()
    os.utime(docs / "moorings.md")
    found = workspace.json("gather", "docs")
    assert (found["added"], found["updated"], found["unchanged"]) == (["new.md"], ["locks.md"], 1)
    assert found["vanished"] == ["bridges.txt"]
    assert found["documents"] == 4
    assert workspace.json("gather", "docs", "--prune")["documents"] == 3


def test_patterns_choose_files(program: Program) -> None:
    program("new", ".")
    for name in ("a.md", "b.txt", "sub/c.md", "sub/d.md"):
        path = program.folder / "in" / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text("Some text.")
    found = program.json("gather", "in", "--include", "*.md", "--exclude", "sub/d*")
    assert found["added"] == ["a.md", "sub/c.md"]
    assert found["passed_over"] == 2


def test_killed_in_the_middle_a_run_goes_on_and_pays_nothing_twice(workspace: Program) -> None:
    """kill -9 while results come in; what was computed before and after adds up to one whole run."""
    rows = [
        {"id": f"k{n}", "question": f"How long may boat number {n} stay at a mooring?", "kind": "unanswerable"}
        for n in range(400)
    ]
    write_testset(workspace.folder, rows, "many")
    run_until_killed(
        workspace.folder, ("results", "TabledResults"), "keyword hits", 16, "run", "starter", "--testset", "many"
    )
    kept = count(workspace.folder / ".aventrik" / "store.db", "keyword hits")
    assert 16 <= kept < 400
    [row] = workspace.json("run", "starter", "--testset", "many")
    assert row["computed"]["keyword hits"] == 400 - kept
    assert workspace.json("runs")[0]["finished"]
    [row] = workspace.json("run", "starter", "--testset", "many")
    assert row["computed"] == {}


def count(store: Path, stage: str) -> int:
    """Results of a stage, as another process sees them."""
    import sqlite3

    if not store.exists():
        return 0
    with sqlite3.connect(store, timeout=10) as db:
        return int(db.execute("SELECT count(*) FROM results WHERE stage = ?", (stage,)).fetchone()[0])
