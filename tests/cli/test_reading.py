"""Gathering many formats through the program: limits, changes, and looking at what was read."""

from __future__ import annotations

import json
import os
import socket
import time
from pathlib import Path

import pytest

from aventrik.core.reading import Reading, read_file
from aventrik.execution.reading_workers import FileToRead, read_many

from ..conftest import Program


def write(folder: Path, name: str, text: str) -> Path:
    path = folder / name
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(text, encoding="utf-8")
    return path


def test_records_come_and_go_with_their_file(program: Program) -> None:
    program("new", ".")
    rows = [{"id": n, "title": f"Notice {n}", "body": f"The text of notice {n}."} for n in range(1, 4)]
    path = write(program.folder / "in", "n.jsonl", "\n".join(map(json.dumps, rows)))
    assert program.json("gather", "in")["added"] == ["n.jsonl#1", "n.jsonl#2", "n.jsonl#3"]
    rows[0]["body"] = "Changed."
    path.write_text("\n".join(map(json.dumps, [*rows[:2], {"id": 9, "body": "New."}])))
    found = program.json("gather", "in")
    assert (found["updated"], found["added"], found["removed"]) == (["n.jsonl#1"], ["n.jsonl#9"], ["n.jsonl#3"])
    assert found["documents"] == 3


def test_a_changed_setting_reads_the_file_anew(program: Program) -> None:
    program("new", ".")
    write(program.folder / "in", "f.csv", "Lock,Beam\nHexley,4.3\nPellbeck,2.1\n")
    assert program.json("gather", "in")["documents"] == 1
    write(program.folder, "aventrik.toml", '[reading]\nrows = "records"\n')
    assert program.json("gather", "in")["documents"] == 2


def test_circles_of_links_and_hidden_files_are_no_trouble(program: Program) -> None:
    program("new", ".")
    folder = program.folder / "in"
    write(folder, "a.md", "# A\n\nText.")
    write(folder, ".git/b.md", "# B\n\nText.")
    os.symlink(folder, folder / "loop")
    os.symlink(folder / "self.md", folder / "self.md")
    found = program.json("gather", "in")
    assert found["added"] == ["a.md"]
    assert [Path(row["file"]).name for row in found["failed"]] == ["self.md"]


def test_a_file_whose_reader_hangs_is_left_behind(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The files beside it are read all the same. (The workers are forked, and read by what is put in here.)"""

    def slowly(name: str, data: bytes, reading: Reading) -> object:
        if name == "pipe.txt":
            time.sleep(60)
        return read_file(name, data, reading)

    monkeypatch.setattr("aventrik.execution.reading_workers.read_file", slowly)
    names = ["f0.txt", "pipe.txt", "f1.txt", "f2.txt"]
    for name in names:
        write(tmp_path, name, f"Text of {name}.")
    wanted = [FileToRead(name, str(tmp_path / name), 20) for name in names]
    found = {one.wanted.name: one for some in read_many(wanted, Reading(), workers=2, seconds=1) for one in some}
    assert "took over 1 s" in found["pipe.txt"].failure
    assert all(len(found[f"f{n}.txt"].rows) == 1 for n in range(3))


def test_pipes_devices_and_sockets_are_known_by_their_kind_and_never_opened(program: Program) -> None:
    program("new", ".")
    write(program.folder / "in", "a.md", "# A\n\nText.")
    os.mkfifo(program.folder / "in" / "pipe.txt")
    with socket.socket(socket.AF_UNIX) as made:
        made.bind(os.path.relpath(program.folder / "in" / "socket.md"))
    os.symlink("/dev/zero", program.folder / "in" / "zero.txt")
    found = program.json("gather", "in", "--follow-links")
    assert found["added"] == ["a.md"]
    reasons = {Path(row["file"]).name: row["reason"] for row in found["failed"]}
    assert reasons == {
        "pipe.txt": "it is a named pipe, not a file",
        "socket.md": "it is a socket, not a file",
        "zero.txt": "it is a device, not a file",
    }
    assert program.json("gather", "in")["links"] == 1


def test_documents_are_shown_as_they_were_read(workspace: Program) -> None:
    shown = workspace("gather", "--show", "locks.md").stdout
    assert "heading 1 │ Locks" in shown
    assert "row │ Lock: Hexley Bottom; Length in metres: 21.3" in shown
    assert "did you mean" in workspace.fails("gather", "--show", "lock.md")
    assert "has no page 3" in workspace.fails("gather", "--show", "locks.md", "--page", "3")
    reports = workspace.json("gather", "--report")
    assert {row["document"]: row["tables"] for row in reports}["locks.md"] == 1


def test_metadata_comes_from_a_csv_beside_the_documents(workspace: Program) -> None:
    write(workspace.folder, "meta.csv", "document,area,year\nlocks.md,Main Line,2031\ngone.md,x,1\n")
    done = workspace("gather", "--metadata", "meta.csv")
    assert "metadata of 1 documents" in done.stdout
    assert "gone.md" in done.stderr
    assert workspace.json("gather", "--show", "locks.md")["meta"]["year"] == 2031
    write(workspace.folder, "bad.csv", "name,area\nlocks.md,x\n")
    assert "a column 'document'" in workspace.fails("gather", "--metadata", "bad.csv")


def test_two_ways_of_reading_a_pdf_side_by_side(program: Program) -> None:
    from reportlab.pdfgen.canvas import Canvas

    canvas = Canvas(str(program.folder / "a.pdf"))
    canvas.drawString(60, 600, "The keeper opens the gate at eight in the morning.")
    canvas.save()
    found = program.json("gather", "--try-readers", "a.pdf")
    assert found["texts"]["layout"] == found["texts"]["stream"] != ""
    assert found["same"] == 1.0
    assert "has no page 9" in program.fails("gather", "--try-readers", "a.pdf", "--page", "9")
