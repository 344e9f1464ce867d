"""Reading on workers: one process for many pieces of work, and how files are shared out."""

from __future__ import annotations

import os
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from aventrik.core.reading import Reading, read_file
from aventrik.execution.executors import Home, Work
from aventrik.execution.executors import on_worker as elsewhere
from aventrik.execution.executors.workers import DaskExecutor, _Call
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.execution.reading_workers import FileToRead, ReadOne, spread
from aventrik.storage import Address

from ..conftest import Program


@pytest.fixture
def home(workspace: Program) -> Iterator[Home]:
    opened = OpenWorkspace(workspace.folder)
    yield Home(opened.bench.home.store, elsewhere.publish(opened.workspace, opened.store))
    elsewhere._let_readers_go()
    opened.store.close()


def test_a_reader_is_kept_from_one_piece_of_work_to_the_next_and_let_go_for_another_kind(
    home: Home, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def told(name: str, data: bytes, reading: Reading) -> object:
        with open(tmp_path / "pids", "a") as file:
            file.write(f"{os.getpid()}\n")
        if name == "slow.txt":
            time.sleep(60)
        return read_file(name, data, reading)

    def read(*names: str) -> tuple[dict[str, ReadOne], set[int]]:
        (tmp_path / "pids").write_text("")
        for name in names:
            (tmp_path / name).write_text(f"Text of {name}.")
        wanted = [FileToRead(name, str(tmp_path / name), 20) for name in names]
        made = elsewhere.read(elsewhere.program(), home, wanted, Reading(), 1, 4000)
        assert isinstance(made, list)
        return {one.wanted.name: one for one in made}, {int(pid) for pid in (tmp_path / "pids").read_text().split()}

    monkeypatch.setattr("aventrik.execution.reading_workers.read_file", told)
    found, first = read("a.txt", "b.txt")
    assert all(found[name].rows[0].text is None for name in found), "what stands in a file stays in the store"
    assert len(first) == 1
    assert first != {os.getpid()}
    assert read("c.txt")[1] == first
    found, several = read("d.txt", "slow.txt", "e.txt")
    assert "took over 1 s" in found["slow.txt"].failure
    assert len(found["d.txt"].rows) == len(found["e.txt"].rows) == 1
    assert len(several) > 1, "one that hangs is replaced"
    last = read("f.txt")[1]
    assert last < several
    work = Work(Home(Address(tmp_path), "f" * 40), "c", None, "chunks")  # type: ignore[arg-type]
    assert isinstance(elsewhere.perform(elsewhere.program(), work), elsewhere.Failure)
    [pid] = last
    assert not Path(f"/proc/{pid}").exists()
    assert read("g.txt")[1].isdisjoint(last)


def files(count: int, size: int = 1000, suffix: str = "md") -> list[FileToRead]:
    return [FileToRead(f"{n}.{suffix}", f"/in/{n}.{suffix}", size) for n in range(count)]


@pytest.mark.parametrize(
    ("wanted", "workers", "sizes"),
    [
        (files(10), 2, [10]),
        (files(100), 2, [24, 24, 24, 24, 4]),
        (files(1000), 2, [120] * 8 + [40]),  # five times 24: 1,000 files are 5 × 24 × 4 × 2, and some
        (files(1000), 10, [24] * 41 + [16]),
        (files(2000), 1, [192] * 10 + [80]),
        (files(400, 1_000_000), 1, [6] * 66 + [4]),  # 6 MB, four times 1.5
        (files(3, suffix="pdf"), 1, [1, 1, 1]),
        ([], 3, []),
    ],
)
def test_files_are_read_together_as_long_as_each_worker_gets_several_pieces(
    wanted: list[FileToRead], workers: int, sizes: list[int]
) -> None:
    groups = list(spread(wanted, workers))
    assert [len(group) for group in groups] == sizes
    assert [one for group in groups for one in group] == wanted


def test_of_files_that_workers_die_of_one_is_named(monkeypatch: pytest.MonkeyPatch) -> None:
    executor = DaskExecutor.__new__(DaskExecutor)
    monkeypatch.setattr(DaskExecutor, "threads", 1)
    monkeypatch.setattr(DaskExecutor, "_made", lambda self, calls: list(calls))
    bad = files(20)[13]

    def alone(self: DaskExecutor, call: _Call) -> object:
        return None if bad in call.given[1] else []

    monkeypatch.setattr(DaskExecutor, "_alone", alone)
    [call] = executor.read(Home(Address(Path("/w"))), files(20), Reading(), 1, 4000)
    assert call.about() == "reading /in/0.md to /in/19.md"
    assert executor._blamed(call).about() == "reading /in/13.md"
