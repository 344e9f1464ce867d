"""Vetting through the program: show, leave out, take back, export, strict."""

from __future__ import annotations

import csv
import json

import pytest

from ..conftest import Program


@pytest.fixture
def vetted(workspace: Program) -> Program:
    """The small workspace with a copy of a document, and a sheet with personal data."""
    docs = workspace.folder / "docs"
    (docs / "moorings-copy-of-all.md").write_text((docs / "moorings.md").read_text())
    (docs / "staff.md").write_text(
        "# =Rota\n\nJo Marlow, jo.marlow@tarrow.example, basin hut, every day but Monday of the week.\n"
    )
    workspace("gather", "docs")
    return workspace


def test_findings_are_shown_with_their_evidence_and_kept(vetted: Program) -> None:
    found = vetted.json("vet")
    kinds = {(each["document"], each["kind"]) for each in found["findings"]}
    assert ("moorings-copy-of-all.md", "exact copy") in kinds
    assert ("staff.md", "personal data") in kinds
    assert found["unfit"] == ["moorings-copy-of-all.md", "staff.md"]
    assert vetted.json("vet", "--kind", "personal data")["findings"][0]["document"] == "staff.md"
    assert "did you mean garbled?" in vetted.fails("vet", "--kind", "garbeld")


def test_what_is_left_out_is_searched_by_no_run_and_can_be_taken_back(vetted: Program) -> None:
    vetted("vet", "--strict", code=1)
    assert "is rash" in vetted.fails("vet", "--leave-out")
    vetted("vet", "--kind", "exact copy", "--kind", "personal data", "--leave-out")
    vetted("vet", "--strict")
    assert vetted.json("cut", "starter")[0]["chunks"] < 10
    vetted("vet", "moorings*", "--leave-out", "--reason", "being rewritten")
    vetted("run", "starter")
    found = vetted.json("compare")["runs"][0]["lost"]
    assert found["left out by vetting"] == 1
    assert vetted.json("explain", "starter", "a1")["needs"][0]["lost"] == "left out by vetting"
    assert vetted.json("vet", "moorings.md", "--take-back")["left_out"] == ["moorings-copy-of-all.md", "staff.md"]
    vetted("run", "starter")
    assert vetted.json("compare")["runs"][0]["lost"]["left out by vetting"] == 0
    assert "no document is named" in vetted.fails("vet", "nowhere.md")


def test_the_table_of_decisions_is_exported_and_harmless_in_a_spreadsheet(vetted: Program) -> None:
    vetted("vet", "staff.md", "--leave-out", "--reason", "=cmd|' /C calc'!A0")
    vetted("vet", "--export", "out/decisions.csv")
    with (vetted.folder / "out/decisions.csv").open(encoding="utf-8-sig") as file:
        rows = {row["document"]: row for row in csv.DictReader(file)}
    assert rows["staff.md"]["decision"] == "left out"
    assert rows["staff.md"]["reason"].startswith("'=cmd")
    assert rows["staff.md"]["title"] == "'=Rota"
    assert rows["locks.md"]["decision"] == "in"
    vetted("vet", "--export", "decisions.jsonl")
    assert len([json.loads(line) for line in (vetted.folder / "decisions.jsonl").open()]) == 5
    assert "must end in one of" in vetted.fails("vet", "--export", "decisions.xls")


def test_parquet_is_written_where_it_is_installed(vetted: Program) -> None:
    parquet = pytest.importorskip("pyarrow.parquet")
    vetted("vet", "--export", "decisions.parquet")
    table = parquet.read_table(vetted.folder / "decisions.parquet")
    assert table.num_rows == 5
    assert "confidence" in table.column_names


def test_labels_are_asked_for_suggested_applied_and_acted_on(workspace: Program) -> None:
    docs = workspace.folder / "docs"
    for n in range(8):
        (docs / f"lock{n}.md").write_text(
            f"# Lock {n}\n\nThe lock gate {n} and its paddles are worked by the keeper at the chamber.\n"
        )
        (docs / f"fish{n}.md").write_text(
            f"# Match {n}\n\nAnglers on peg {n} fish with a rod and keepnet for pike and perch.\n"
        )
    workspace("gather", "docs")
    rows = [f"lock{n}.md,works" for n in range(3)] + [f"fish{n}.md,angling" for n in range(3)]
    (workspace.folder / "labels.csv").write_text("document,topic\n" + "\n".join(rows) + "\n")
    found = workspace.json("vet", "--suggest", "topic")
    best = {each["document"]: each["label"] for each in found["suggestions"]}
    assert all(best[f"lock{n}.md"] == "works" and best[f"fish{n}.md"] == "angling" for n in range(3, 8))
    assert found["next"]
    applied = workspace.json("vet", "--suggest", "topic", "--apply", "0.6")["applied"]
    assert "fish7.md" in applied
    assert "fish7.md,angling,suggested" in (workspace.folder / "labels.csv").read_text()
    workspace("vet", "--where", "topic = 'angling'", "--leave-out")
    assert "fish7.md" in workspace.json("vet")["left_out"]
    assert "locks.md" not in workspace.json("vet")["left_out"]
    workspace("vet", "--export", "d.csv")
    assert "topic" in (workspace.folder / "d.csv").read_text().split("\n")[0]


def test_too_few_labels_and_a_wrong_file_are_told(workspace: Program) -> None:
    assert "label at least 2 documents" in workspace.fails("vet", "--suggest", "topic")
    (workspace.folder / "labels.csv").write_text("name,topic\nx,y\n")
    assert "a column 'document'" in workspace.fails("vet", "--suggest", "topic")
    (workspace.folder / "labels.csv").write_text("document,topic\nx,y\nx,z\n")
    assert "line 3: 'x' stands in it twice" in workspace.fails("vet", "--suggest", "topic")


def test_labels_given_in_the_terminal_are_kept_one_by_one(workspace: Program) -> None:
    import subprocess
    import sys

    done = subprocess.run(
        [sys.executable, "-m", "aventrik", "vet", "--label", "fit"],
        cwd=workspace.folder, input="yes\n\nno\nq\n", capture_output=True, text=True,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    lines = (workspace.folder / "labels.csv").read_text().splitlines()
    assert lines[0] == "document,fit,fit by"
    assert sorted(line.split(",")[1] for line in lines[1:]) == ["no", "yes"]
