"""Gathering takes what it was pointed at and nothing else, and loses none of it without a word."""

from __future__ import annotations

import io
import json
import os
import tarfile
from pathlib import Path

import pytest

from ..conftest import Program


def write(path: Path, text: str) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(text, encoding="utf-8")


def test_a_link_out_of_the_folder_is_followed_only_when_that_is_asked_for(program: Program) -> None:
    program("new", "w")
    write(program.folder / "secret" / "s.txt", "A text that nobody meant to hand on.")
    write(program.folder / "docs" / "a.txt", "A text of the documents.")
    os.symlink(program.folder / "secret" / "s.txt", program.folder / "docs" / "link.txt")
    os.symlink(program.folder / "secret", program.folder / "docs" / "folder")
    os.symlink(program.folder / "docs" / "a.txt", program.folder / "docs" / "inside.txt")
    found = program.json("gather", "docs", "-w", "w")
    assert found["added"] == ["a.txt", "inside.txt"]
    assert found["links"] == 2
    assert "not followed: 2 symbolic links" in program("gather", "docs", "-w", "w").stdout
    found = program.json("gather", "docs", "-w", "w", "--follow-links")
    assert sorted(found["added"]) == ["folder/s.txt", "link.txt"]
    assert program.json("gather", "-w", "w")["links"] == 0  # as it was gathered last


def test_a_circle_of_links_ends(program: Program) -> None:
    program("new", "w")
    write(program.folder / "docs" / "in" / "a.txt", "A text of the documents.")
    os.symlink(program.folder / "docs", program.folder / "docs" / "in" / "loop")
    assert program.json("gather", "docs", "-w", "w", "--follow-links")["documents"] >= 1


def test_the_workspaces_own_files_are_never_gathered(workspace: Program) -> None:
    folder = workspace.folder
    write(folder / "notes" / "real.md", "# Real\n\nA document of its own.")
    write(folder / "reports" / "old.html", "<p>A report.</p>")
    write(folder / "prompts" / "answer.txt", "A prompt with $question and $context.")
    write(folder / "labels.csv", "document\nlocks.md\n")
    found = workspace.json("gather", ".", "--exclude", "docs/*")
    assert found["added"] == ["notes/real.md"]
    assert found["own"] >= 5
    assert "left alone" in workspace("gather", ".", "--exclude", "docs/*").stdout
    for path in ("testsets", "testsets/small.jsonl", "labels.csv", ".aventrik/store.db"):
        assert "is the workspace's own" in workspace.fails("gather", path)


def test_an_empty_path_is_no_path(program: Program) -> None:
    program("new", ".")
    write(program.folder / "a.md", "# A\n\nText.")
    assert "must not be empty" in program("gather", "", code=2).stderr
    assert "must not be empty" in program("new", "", code=2).stderr


def test_a_record_and_a_file_of_one_name_are_not_mixed_up(program: Program) -> None:
    program("new", "w")
    write(program.folder / "in" / "r.jsonl", json.dumps({"id": "x.txt", "body": "The text of the record."}) + "\n")
    write(program.folder / "in" / "r.jsonl#x.txt", "The text of the file.")
    found = program.json("gather", "in", "-w", "w")
    assert found["documents"] == 1
    [failed] = found["failed"]
    assert "has a document named r.jsonl#x.txt; gather it with --as PREFIX" in failed["reason"]


def test_a_member_with_a_line_feed_in_its_name_takes_part_in_a_run(workspace: Program) -> None:
    buffer = io.BytesIO()
    with tarfile.open(fileobj=buffer, mode="w") as archive:
        body = b"The keeper of lock seven notes the level of the water."
        entry = tarfile.TarInfo(
            "two\nlines\ud800.txt".encode("utf-8", "surrogatepass").decode("utf-8", "surrogateescape")
        )
        entry.size = len(body)
        archive.addfile(entry, io.BytesIO(body))
    (workspace.folder / "pack.tar").write_bytes(buffer.getvalue())
    [name] = workspace.json("gather", "pack.tar")["added"]
    assert name == "pack.tar/two\\x0alines\\xed\\xa0\\x80.txt"
    workspace("run")
    workspace("compare")
    workspace("vet")
    assert workspace.json("ask", "Who notes the level of the water?")[0]["documents"] == 4


def test_counts_of_an_archive_agree(program: Program) -> None:
    program("new", "w")
    buffer = io.BytesIO()
    members = ["a.md", "b.txt", "c.bin", "../d.md", "e.docx", "f.html"]
    with tarfile.open(fileobj=buffer, mode="w:xz") as archive:
        for name in members:
            body = b"# Head\n\nA text of some words."
            entry = tarfile.TarInfo(name)
            entry.size = len(body)
            archive.addfile(entry, io.BytesIO(body))
    (program.folder / "p.tar.xz").write_bytes(buffer.getvalue())
    found = program.json("gather", "p.tar.xz", "-w", "w")
    assert len(found["added"]) + len(found["failed"]) + found["passed_over"] == len(members)
    whole = buffer.getvalue()
    (program.folder / "p.tar.xz").write_bytes(whole[: len(whole) - 40])
    found = program.json("gather", "p.tar.xz", "-w", "w")
    assert any("cut short" in row["reason"] for row in found["failed"])


@pytest.mark.parametrize(
    "arguments", [["standin", "--port", "99999"], ["standin", "--latency", "nan"], ["draft", "-n", "-3"]]
)
def test_a_number_that_can_not_be_is_refused(program: Program, arguments: list[str]) -> None:
    assert "argument" in program(*arguments, code=2).stderr
