"""What people decide, shared by all who use a store on a server."""

from __future__ import annotations

import json
import os
import shutil
from pathlib import Path

import pytest

from ..conftest import Program


@pytest.fixture
def two(workspace: Program, database: str, tmp_path: Path) -> tuple[Program, Program]:
    """Two copies of a workspace on one store, as two people have them."""
    with open(workspace.folder / "aventrik.toml", "a") as file:
        file.write(f'\n[store]\naddress = "{database}"\n')
    workspace("gather", "docs")
    other = Program(tmp_path / "other")
    shutil.copytree(workspace.folder, other.folder, ignore=shutil.ignore_patterns(".aventrik"))
    return workspace, other


def rows(program: Program, name: str) -> str:
    path = program.folder / name
    return path.read_text() if path.exists() else ""


def test_what_one_leaves_out_is_out_for_the_other_and_can_be_taken_back(two: tuple[Program, Program]) -> None:
    one, other = two
    one("vet", "locks.md", "--leave-out", "--reason", "not now")
    assert other.json("vet")["left_out"] == ["locks.md"]
    assert rows(other, "decisions.csv") == "document,left out because\nlocks.md,not now\n"
    other("vet", "bridges.txt", "--leave-out", "--reason", "old")
    other("vet", "locks.md", "--take-back")
    assert one.json("vet")["left_out"] == ["bridges.txt"]
    # A change made in the file by hand counts too, and a file that is lost comes back.
    (one.folder / "decisions.csv").write_text("document,left out because\nbridges.txt,of 2029\n")
    assert one.json("vet")["left_out"] == ["bridges.txt"]
    (other.folder / "decisions.csv").unlink()
    assert other.json("vet")["left_out"] == ["bridges.txt"]
    assert "of 2029" in rows(other, "decisions.csv")


def test_a_row_that_both_changed_stays_as_it_is_here_and_that_is_told(two: tuple[Program, Program]) -> None:
    one, other = two
    one("vet", "locks.md", "--leave-out", "--reason", "first")
    other("vet")
    for program, reason in ((one, "mine"), (other, "yours")):
        (program.folder / "decisions.csv").write_text(f"document,left out because\nlocks.md,{reason}\n")
    one("runs")
    told = other("runs").stderr
    assert "1 rows were changed here and elsewhere" in told
    assert "yours" in rows(other, "decisions.csv")
    one("runs")
    assert "yours" in rows(one, "decisions.csv")


def test_metadata_labels_and_reviews_are_shared(two: tuple[Program, Program]) -> None:
    one, other = two
    (one.folder / "more.csv").write_text("document,area,pages\nmoorings.md,Moss Cut,3\n")
    one("gather", "--metadata", "more.csv")
    (one.folder / "labels.csv").write_text("document,kind,kind by\nlocks.md,rule,person\n")
    one("runs")
    [asked] = other.json("ask", "How long?", "--where", "area = 'Moss Cut' and pages = 3")
    assert asked["passed"] == 1
    assert "rule" in rows(other, "labels.csv")
    (one.folder / "reviews").mkdir()
    line = {"what": "question", "item": "k", "who": "ann", "when": "2031-01-01T00:00:00Z", "decision": "keep"}
    (one.folder / "reviews" / "ann.jsonl").write_text(json.dumps(line) + "\n")
    one("runs")
    other("runs")
    assert json.loads(rows(other, "reviews/ann.jsonl")) == line
    more = json.dumps({**line, "item": "k2"})
    with open(other.folder / "reviews" / "ann.jsonl", "a") as file:
        file.write(more)  # without a line end, as an editor may leave it
    other("runs")
    one("runs")
    assert rows(one, "reviews/ann.jsonl").splitlines() == [json.dumps(line), more]
    assert os.path.exists(one.folder / ".aventrik" / "shared.json")
