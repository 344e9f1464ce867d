"""How the program ends: told to stop, its output gone or full, the store in pieces or not to be written."""

from __future__ import annotations

import json
import os
import signal
import sqlite3
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest

from aventrik.cli import main as door
from aventrik.cli.main import main
from aventrik.core.errors import Damaged
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.storage.embedded import database

from ..conftest import TEXTS, Program

ONE = [sys.executable, "-m", "aventrik"]


def begun(program: Program, *arguments: str, **more: object) -> subprocess.Popen[str]:
    """The program under way, Ctrl-C as a terminal would have it."""
    return subprocess.Popen(
        [*ONE, *arguments], cwd=program.folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.default_int_handler), start_new_session=True, **more,
    )  # fmt: skip


def running_in(group: int) -> list[str]:
    """The processes of a group that still run."""
    found = []
    for entry in Path("/proc").glob("[0-9]*/stat"):
        try:
            state, _, own = entry.read_text().rsplit(")", 1)[1].split()[:3]
        except OSError:
            continue
        if own == str(group) and state != "Z":
            found.append(entry.parent.name)
    return found


@pytest.mark.parametrize(
    ("number", "code", "told"), [(signal.SIGINT, 130, "interrupted"), (signal.SIGTERM, 143, "SIGTERM")]
)
def test_a_signal_ends_it_at_once_with_one_line(program: Program, number: int, code: int, told: str) -> None:
    process = begun(program, "standin", "--port", "0")
    assert "listens" in (process.stdout.readline() if process.stdout else "")
    process.send_signal(number)
    _, error = process.communicate(timeout=20)
    assert process.returncode == code
    assert error.count("\n") == 1
    assert told in error


def test_ctrl_c_while_files_are_read_leaves_no_reader_behind(program: Program) -> None:
    program("new", ".")
    folder = program.folder / "in"
    folder.mkdir()
    for number in range(400):
        (folder / f"{number}.html").write_text("<p>A text with words.</p>" * 20_000)
    process = begun(program, "gather", "in", "--json")
    time.sleep(2.0)
    os.killpg(process.pid, signal.SIGINT)  # as a terminal does: to the readers too
    shown, error = process.communicate(timeout=10)
    assert process.returncode == 130, error
    assert json.loads(shown)["error"]["code"] == 130
    assert error.count("\n") == 1
    time.sleep(0.1)
    assert running_in(process.pid) == []


def test_a_reader_that_goes_away_ends_it_quietly(workspace: Program) -> None:
    read, write = os.pipe()
    os.close(read)
    gone = subprocess.run(
        [*ONE, "runs", "--json"], cwd=workspace.folder, stdout=write, stderr=subprocess.PIPE, text=True
    )
    os.close(write)
    assert gone.returncode == 141
    assert gone.stderr == ""


@pytest.mark.skipif(not os.path.exists("/dev/full"), reason="there is no full device here")
@pytest.mark.parametrize("arguments", [["runs"], ["runs", "--json"], ["explain", "x", "--json"], ["--help"]])
def test_a_full_device_is_told(workspace: Program, arguments: list[str]) -> None:
    with open("/dev/full", "w") as full:
        done = subprocess.run([*ONE, *arguments], cwd=workspace.folder, stdout=full, stderr=subprocess.PIPE, text=True)
    assert done.returncode == 3
    assert "can't be written (No space left on device)" in done.stderr
    assert "Traceback" not in done.stderr


def test_closed_streams_are_no_trouble_and_no_file_takes_their_place(workspace: Program) -> None:
    command = f"{' '.join(ONE)} run --quiet <&- >&- 2>&-; echo $?"
    done = subprocess.run(["bash", "-c", command], cwd=workspace.folder, capture_output=True, text=True)
    assert done.stdout.strip() == "0"
    assert workspace.json("store", "--check")["damaged"] == []


def test_a_fault_of_its_own_has_a_code_of_its_own_and_leaves_a_report(
    workspace: Program, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    said = "it must not be\nso \x1b[31m"

    def broken(*arguments: object) -> int:
        raise AssertionError(said)

    monkeypatch.setattr("aventrik.cli.verbs.runs.run", broken)
    assert main(["runs", "-w", str(workspace.folder)]) == 4
    told = capsys.readouterr().err
    assert told.startswith("aventrik runs: this should not have happened: AssertionError: it must not be so ␛[31m")
    assert told.count("\n") == 1
    report = Path(told.split("a report is in ")[1].split(";")[0])
    assert report.parent == workspace.folder / ".aventrik"
    assert "broken" in report.read_text()
    assert "it must not be" not in report.read_text()
    assert main(["runs", "-w", str(workspace.folder), "--debug"]) == 4
    assert "Traceback" in capsys.readouterr().err
    assert main(["runs", "--debug", "-w", str(workspace.folder / "no")]) == 4
    assert door.INTERNAL == 4


def test_debug_keeps_the_exit_code(workspace: Program) -> None:
    done = subprocess.run([*ONE, "run", "gone", "--debug"], cwd=workspace.folder, capture_output=True, text=True)
    assert done.returncode == 2
    assert "Traceback" in done.stderr


def test_a_store_that_can_not_be_written_can_be_read(
    workspace: Program, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    workspace("run")
    monkeypatch.chdir(workspace.folder)
    monkeypatch.setattr(database, "writable", lambda path: False)
    before = {path: path.stat().st_mtime_ns for path in (workspace.folder / ".aventrik").rglob("*[!m]")}
    for arguments in (["runs"], ["compare"], ["explain", "1"], ["store"], ["store", "--check"]):
        assert main(arguments) == 0, capsys.readouterr().err
    assert "starter" in capsys.readouterr().out
    assert {path: path.stat().st_mtime_ns for path in (workspace.folder / ".aventrik").rglob("*[!m]")} == before
    assert main(["runs", "1", "--note", "something"]) == 2
    assert "can't be written" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("harm", "told"),
    [
        ("DROP TABLE run_questions", "no such table"),
        ("ALTER TABLE runs RENAME COLUMN made TO unmade", "no such column"),
        ("UPDATE runs SET made = x'28b52ffd0000'", "not what was written there"),
        ("UPDATE runs SET costs = 'no json'", "not what was written there"),
        ("PRAGMA user_version = 99", "newer Aventrik"),
    ],
)
def test_a_damaged_store_is_told_by_its_place(workspace: Program, harm: str, told: str) -> None:
    workspace("run")
    with sqlite3.connect(workspace.folder / ".aventrik" / "store.db") as db:
        db.execute(harm)
    assert told in workspace.fails("compare")


def test_a_run_of_a_newer_version_is_told(workspace: Program) -> None:
    from aventrik.storage.packing import packed, unpacked

    workspace("run")
    with sqlite3.connect(workspace.folder / ".aventrik" / "store.db") as db:
        [(made,)] = db.execute("SELECT made FROM runs").fetchall()
        db.execute("UPDATE runs SET made = ?", (packed({**unpacked(made), "format": 99, "stages": {}}),))
    assert "newer Aventrik" in workspace.fails("compare")
    assert "newer Aventrik" in workspace.fails("explain", "1")


def test_a_manifest_of_null_is_made_again(workspace: Program) -> None:
    workspace("run")
    before = workspace.json("compare")["runs"][0]["measures"]
    for path in (workspace.folder / ".aventrik" / "arrays").rglob("manifest.json"):
        path.write_text("null")
    with sqlite3.connect(workspace.folder / ".aventrik" / "store.db") as db:
        db.execute("DELETE FROM results")
    workspace("run")
    assert workspace.json("compare")["runs"][0]["measures"] == before


def test_what_is_no_number_in_a_vector_file_is_found_wherever_it_stands(workspace: Program) -> None:
    """By the check of every byte; and by a search, whose answer it would be passed over in."""
    (workspace.folder / "docs" / "long.md").write_text(
        "# Long\n\n" + "\n\n".join(f"Lock {n} has a keeper." * 40 for n in range(600))
    )
    workspace("gather", "docs")
    workspace("run", "starter")
    assert workspace.json("store", "--check")["damaged"] == []
    [path] = [
        path for path in (workspace.folder / ".aventrik" / "arrays").rglob("*.bin")
        if path.stat().st_size > 400_000 and np.isclose(np.linalg.norm(np.fromfile(path, np.float32)[:192]), 1, atol=0.01)
    ]  # fmt: skip
    with path.open("r+b") as file:
        file.seek(192 * 4 * 100 + 20_000)
        file.write(np.full(40, np.nan, np.float32).tobytes())
    found = workspace("store", "--check", "--json", code=1)
    assert json.loads(found.stdout)["result"]["damaged"] == [str(path)]
    with sqlite3.connect(workspace.folder / ".aventrik" / "store.db") as db:
        db.execute("DELETE FROM results")
    told = workspace.fails("run", "starter")
    assert str(path) in told
    assert "not a finite number" in told
    workspace("store", "--clean")
    workspace("run", "starter")


def test_damaged_results_are_told(workspace: Program) -> None:
    workspace("run")
    opened = OpenWorkspace(workspace.folder)
    with sqlite3.connect(workspace.folder / ".aventrik" / "store.db") as db:
        db.execute("UPDATE results SET value = x'00'")
    [run] = opened.store.runs.all()
    ids = [name for each in opened.store.runs.results(run.id).values() for name in each.values()]
    with pytest.raises(Damaged):
        opened.store.results.values(ids)
    found = json.loads(workspace("store", "--check", "--json", code=1).stdout)
    assert any("results, id" in line for line in found["result"]["damaged"])


def test_the_installed_program_does_the_whole_job_in_processes_of_its_own(tmp_path: Path) -> None:
    """Most tests call the program in their own process; this is what users do."""
    program = Program(tmp_path, apart=True)
    program("new", ".")
    (tmp_path / "docs").mkdir()
    for name, text in TEXTS.items():
        (tmp_path / "docs" / name).write_text(text, encoding="utf-8")
    assert program.json("gather", "docs")["documents"] == 3
    program("draft", "-n", "3", "--testset", "drafted")
    program("run", "--testset", "drafted")
    found = program.json("compare")["runs"][0]
    assert found["measures"]["hit@5"]["mean"] == 1.0
    assert "evidence" in program("explain", "1").stdout
    assert program("gather", "nowhere", code=2).stderr.startswith("aventrik gather: ")
