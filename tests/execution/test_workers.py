"""Work on the workers of Dask: what it comes to, and what happens when one dies, hangs, or is of another version."""

from __future__ import annotations

import hashlib
import os
import pickle
import shutil
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import psutil
import pytest

from aventrik.core.errors import BadInput, Unavailable
from aventrik.execution.executors import Done, Home, Work, workers
from aventrik.execution.executors import on_worker as elsewhere
from aventrik.execution.executors.workers import DaskExecutor, _Call
from aventrik.storage import Address, open_store

from ..conftest import Program

WAIT = 60


def digests(folder: Path) -> dict[str, tuple[str, str]]:
    """The results of a store by their keys, but for what questions bring along, which only workers need."""
    from aventrik.pipeline.stage import SOURCES

    store = open_store(folder / ".aventrik")
    rows = store.database.rows("SELECT id, stage, digest FROM results")  # type: ignore[attr-defined]
    store.close()
    passing = {*SOURCES, "files of the workspace"}
    return {name: (stage, digest) for name, stage, digest in rows if stage not in passing}


def arrays(folder: Path) -> dict[str, str]:
    """Every file of the arrays, by a digest of its bytes."""
    root = folder / ".aventrik" / "arrays"
    files = [path for path in root.rglob("*") if path.is_file() and not path.relative_to(root).parts[0].startswith(".")]
    return {str(path.relative_to(root)): hashlib.sha256(path.read_bytes()).hexdigest() for path in files}


def test_two_workers_come_to_the_same_bytes_as_this_process(workspace: Program, tmp_path: Path) -> None:
    other = Program(tmp_path / "other")
    shutil.copytree(workspace.folder, other.folder)
    for program in (workspace, other):
        text = (program.folder / "configs" / "starter.toml").read_text()
        more = '\n[[rewriting]]\nmethod = "parts"\n\n[[reranking]]\nstep = "closeness"\n'
        (program.folder / "configs" / "more.toml").write_text(text.replace('"starter"', '"more"') + more)
    workspace("run")
    shutil.rmtree(other.folder / ".aventrik")
    other("gather", str(other.folder / "docs"), "--on", "2")
    other("run", "--on", "2")
    assert digests(other.folder) == digests(workspace.folder)
    assert arrays(other.folder) == arrays(workspace.folder)
    one, two = workspace.json("compare"), other.json("compare")
    for run in (*one["runs"], *two["runs"]):
        for name in ("run", "started", "finished", "seconds", "cost", "costs"):
            run.pop(name, None)
    assert [run["measures"].keys() for run in one["runs"]] == [run["measures"].keys() for run in two["runs"]]
    assert "nothing to compute" in other("run", "--on", "2").stdout


def test_work_is_small_when_it_travels(workspace: Program) -> None:
    home = Home(Address(Path("/somewhere")), "f" * 40, "token")
    from aventrik.pipeline.resolved import Resolved
    from aventrik.workspace.configuration import Configuration

    rows = tuple((("wording", f"{n:040x}"), ("context", f"{n:040x}")) for n in range(64))
    work = Work(home, "c" * 40, Resolved(Configuration(name="x")), "answer", questions=rows, names=("n" * 40,) * 64)
    assert len(pickle.dumps(work)) < 20_000


@pytest.fixture
def scheduler(tmp_path: Path) -> Iterator[Callable[..., tuple[str, list[subprocess.Popen[bytes]]]]]:
    """A scheduler of its own with two workers, each a process that a test can end."""
    started: list[subprocess.Popen[bytes]] = []

    def begin(*more: str, count: int = 2) -> tuple[str, list[subprocess.Popen[bytes]]]:
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            port = probe.getsockname()[1]
        address = f"tcp://127.0.0.1:{port}"
        quiet: dict[str, Any] = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL, "cwd": tmp_path}
        commands = [["scheduler", "--host", "127.0.0.1", "--port", str(port), "--no-dashboard"]]
        commands += [["worker", address, "--nthreads", "1", "--no-dashboard", "--no-nanny", *more]] * count
        for command in commands:
            started.append(
                subprocess.Popen([sys.executable, "-m", "distributed.cli.dask_" + command[0], *command[1:]], **quiet)
            )
        return address, started

    yield begin
    for each in started:
        each.kill()
        each.wait()


def slow_run(workspace: Program, address: str) -> subprocess.Popen[str]:
    """A run of several configurations on workers, in a process of its own."""
    for number in range(8):
        text = (workspace.folder / "configs" / "starter.toml").read_text()
        text = text.replace('"starter"', f'"c{number}"').replace("size    = 800", f"size = {100 + 20 * number}")
        (workspace.folder / "configs" / f"c{number}.toml").write_text(text)
    return subprocess.Popen(
        [sys.executable, "-m", "aventrik", "run", "--on", address, "--quiet"], cwd=workspace.folder, text=True,
        stdout=subprocess.PIPE, stderr=subprocess.PIPE,
    )  # fmt: skip


def finished_runs(workspace: Program) -> int:
    return sum(bool(run["finished"]) for run in workspace.json("runs"))


def test_a_worker_that_dies_loses_its_work_to_another_and_a_scheduler_that_goes_leaves_what_was_done(
    workspace: Program, scheduler: Callable[..., tuple[str, list[subprocess.Popen[bytes]]]], tmp_path: Path
) -> None:
    whole = Program(tmp_path / "whole")
    shutil.copytree(workspace.folder, whole.folder)
    address, started = scheduler()
    running = slow_run(workspace, address)
    until = time.monotonic() + WAIT
    while finished_runs(workspace) < 2:
        assert time.monotonic() < until
        time.sleep(0.2)
    started[1].send_signal(signal.SIGKILL)
    while finished_runs(workspace) < 4:
        assert time.monotonic() < until + WAIT
        assert running.poll() is None or finished_runs(workspace) == 9
        time.sleep(0.2)
    started[0].send_signal(signal.SIGKILL)
    _, err = running.communicate(timeout=WAIT)
    if running.returncode:  # unless it was quicker than the signal
        assert running.returncode == 3, err
        assert "the same command goes on" in err
    before = finished_runs(workspace)
    done = workspace.json("run")
    assert sum(not each["computed"] for each in done) >= before
    for number in range(8):
        shutil.copy(workspace.folder / "configs" / f"c{number}.toml", whole.folder / "configs")
    whole("run")
    assert digests(workspace.folder) == digests(whole.folder)


def test_no_scheduler_is_told_and_nothing_begun(workspace: Program, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(workers, "_GONE", 1.0)
    line = workspace.fails("run", "--on", "tcp://127.0.0.1:9", code=3)
    assert "no worker is to be had" in line
    assert workspace.json("runs") == []
    assert "is no address of a scheduler" in workspace.fails("run", "--on", "somewhere")
    assert "is no address of a scheduler" in workspace.fails("gather", "docs", "--on", "http://h:1")
    with open(workspace.folder / "aventrik.toml", "a") as file:
        file.write('\n[engine]\nkind = "dask"\n')
    assert "a scheduler, or a number of workers" in workspace.fails("run")


# What the executor makes of workers that do not do what they should: functions of tests in the place of its own.


@pytest.fixture(scope="module")
def two() -> Iterator[DaskExecutor]:
    notes: list[str] = []
    executor = DaskExecutor("", 2, 60.0, tell=notes.append)
    executor.notes = notes  # type: ignore[attr-defined]
    yield executor
    executor.close()


def call(function: Callable[..., Any], *given: object, busy: int = 0) -> _Call:
    return _Call(function, given, busy, lambda: f"document {given[0]}")


def plain(version: str, number: int) -> Done:
    return Done(marks=[(str(number), False)])


def dies_once(version: str, path: str) -> Done:
    if not os.path.exists(path):
        Path(path).touch()
        os._exit(1)
    return Done(marks=[("after all", False)])


def dies_of(version: str, numbers: tuple[int, ...]) -> Done:
    if 7 in numbers:
        os._exit(1)
    return Done()


def hangs_once(version: str, path: str) -> Done:
    if not os.path.exists(path):
        Path(path).touch()
        time.sleep(WAIT)
    return Done(marks=[("after all", False)])


def of_another_version(version: str, number: int) -> elsewhere.OtherVersion:
    return elsewhere.OtherVersion("0.0")


def refuses(version: str, number: int) -> elsewhere.Failure:
    return elsewhere.Failure("BadInput", f"number {number} is no good")


def breaks(version: str, number: int) -> Done:
    raise ZeroDivisionError("of the worker's own")


def counts(version: str, folder: str) -> Done:
    """How many of its kind are under way at the same time."""
    mine = Path(folder) / f"{os.getpid()}-{time.monotonic_ns()}"
    mine.touch()
    time.sleep(0.2)
    seen = len(list(Path(folder).iterdir()))
    mine.unlink()
    return Done(marks=[(str(seen), False)])


def test_results_come_in_order_whatever_is_done_first(two: DaskExecutor) -> None:
    assert [done.marks[0][0] for done in two._made(call(plain, n) for n in range(40))] == [str(n) for n in range(40)]
    assert two.width == 2
    assert two.label == " on 2 workers"


def test_nothing_of_workers_started_here_is_open_to_other_machines(two: DaskExecutor) -> None:
    assert two._started.cluster.scheduler.http_server.address == "127.0.0.1"
    opened = {
        each.laddr.ip
        for process in (psutil.Process(), *psutil.Process().children(recursive=True))
        for each in process.net_connections("tcp")
        if each.status == psutil.CONN_LISTEN
    }
    assert opened == {"127.0.0.1"}


def test_a_worker_that_died_or_hangs_is_told_and_its_work_done_by_another(
    two: DaskExecutor, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    [done] = two._made([call(dies_once, str(tmp_path / "d"))])
    assert done.marks == [("after all", False)]
    hung = tmp_path / "h"

    def lose_patience() -> None:
        """Work is late from when the piece hangs until that has been told: no other work is, however busy the machine."""
        while not hung.exists():
            time.sleep(0.05)
        two._seconds = 1.0

    def tell(note: str) -> None:
        two.notes.append(note)  # type: ignore[attr-defined]
        two._seconds = 60.0

    monkeypatch.setattr(two, "_tell", tell)
    waiting = threading.Thread(target=lose_patience, daemon=True)
    waiting.start()
    [done] = two._made([call(hangs_once, str(hung))])
    waiting.join()
    assert done.marks == [("after all", False)]
    assert any("took a worker over 1 s" in note for note in two.notes)  # type: ignore[attr-defined]


def test_what_workers_die_of_is_named(two: DaskExecutor) -> None:
    with pytest.raises(Unavailable, match=r"document \(7,\): failed on two workers"):
        list(two._made([call(plain, 1), call(dies_of, (7,))]))
    both = _Call(dies_of, ((3, 7, 9),), 0, lambda: "3 to 9", lambda: [call(dies_of, (3,)), call(dies_of, (7, 9))])
    with pytest.raises(Unavailable, match=r"document \(7, 9\): failed on two workers"):
        list(two._made([both]))
    assert [done.marks[0][0] for done in two._made([call(plain, 2)])] == ["2"]


@pytest.mark.parametrize("alone", [True, False])
def test_workers_that_nobody_starts_again_are_replaced(monkeypatch: pytest.MonkeyPatch, alone: bool) -> None:
    monkeypatch.setattr("aventrik.execution.executors.own_workers._AWAY", 3.0)
    executor = DaskExecutor("", 1, 60.0)
    cluster = executor._started.cluster

    async def lose() -> None:
        """What the cluster does with workers that were away for too long."""
        for name in list(cluster.workers):
            await cluster.workers.pop(name).close()

    try:
        cluster.sync(lose)
        until = time.monotonic() + WAIT
        while executor._workers():
            assert time.monotonic() < until
            time.sleep(0.1)
        began = time.monotonic()
        [done] = [executor._alone(call(plain, 3))] if alone else executor._made([call(plain, 3)])
        assert done.marks == [("3", False)]
        assert time.monotonic() < began + 100  # it has not waited for the 120 s after which a piece of work is late
        assert len(cluster.worker_spec) == 1
        assert 0 not in cluster.worker_spec  # another, not the one that went
    finally:
        executor.close()


@pytest.mark.parametrize("alone", [True, False])
def test_work_of_a_worker_that_is_replaced_has_not_failed(tmp_path: Path, alone: bool) -> None:
    notes: list[str] = []
    executor = DaskExecutor("", 1, 60.0, tell=notes.append)
    path = tmp_path / "begun"

    def replace() -> None:
        until = time.monotonic() + WAIT
        while not path.exists() and time.monotonic() < until:
            time.sleep(0.1)
        executor._started.replace(list(executor._started.cluster.worker_spec))

    replacing = threading.Thread(target=replace)
    replacing.start()
    try:
        piece = call(hangs_once, str(path))
        [done] = [executor._alone(piece)] if alone else executor._made([piece])
        assert done.marks == [("after all", False)]
        assert notes == []
        assert executor._count == 2
    finally:
        replacing.join()
        executor.close()


def test_work_for_workers_that_are_all_gone_is_begun_anew(two: DaskExecutor, monkeypatch: pytest.MonkeyPatch) -> None:
    allowed = DaskExecutor._allowed
    answers = [["tcp://127.0.0.1:1"]] * 2
    monkeypatch.setattr(DaskExecutor, "_allowed", lambda self: answers.pop() if answers else allowed(self))
    assert [done.marks[0][0] for done in two._made([call(plain, 8)])] == ["8"]
    answers.append(["tcp://127.0.0.1:1"])
    assert two._alone(call(plain, 9)).marks[0][0] == "9"
    assert not answers


def test_work_done_alone_passes_over_a_worker_of_another_version(two: DaskExecutor) -> None:
    try:
        found = {two._alone(call(plain, 5)).marks[0][0] for _ in range(2)}
        assert found == {"5"}
        with pytest.raises(BadInput, match="no worker has this version"):
            two._alone(call(of_another_version, 6))
    finally:
        two._avoid.clear()


def test_errors_of_a_worker_are_those_of_the_command(two: DaskExecutor) -> None:
    with pytest.raises(BadInput, match="number 3 is no good"):
        list(two._made([call(refuses, 3)]))
    with pytest.raises(Unavailable, match=r"a worker could not do 'document 4' \(ZeroDivisionError"):
        list(two._made([call(breaks, 4)]))


def test_no_more_is_under_way_than_a_server_takes(two: DaskExecutor, tmp_path: Path) -> None:
    seen = [int(done.marks[0][0]) for done in two._made(call(counts, str(tmp_path), busy=1) for _ in range(4))]
    assert seen == [1] * 4
    until = time.monotonic() + WAIT
    while two.threads < 2:  # one that died may not be back yet
        time.sleep(0.5)
        assert time.monotonic() < until
    home = two.home(Home(Address(tmp_path)), {"house": 8, "small": 1, "none": 0})
    assert dict(home.requests) == {"house": 8 // two.threads, "small": 1}
    assert two.threads >= 2


def test_a_worker_of_another_version_is_passed_over_and_none_other_is_told(
    two: DaskExecutor, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(workers, "program", lambda: "another")
    work = Work(Home(Address(Path("/nowhere"))), "c", None, "chunks")  # type: ignore[arg-type]
    executor = two
    try:
        with pytest.raises(BadInput, match="no worker has this version"):
            list(executor.map([work]))
        assert any("another version of Aventrik" in note for note in two.notes)  # type: ignore[attr-defined]
    finally:
        executor._avoid.clear()


def test_a_store_without_the_files_of_the_workspace_is_told(tmp_path: Path) -> None:
    work = Work(Home(Address(tmp_path), "f" * 40), "c", None, "chunks")  # type: ignore[arg-type]
    found = elsewhere.perform(elsewhere.program(), work)
    assert isinstance(found, elsewhere.Failure)
    assert "not the command's store" in found.message
    assert isinstance(found.error(), Unavailable)


def test_indexes_in_shards_find_what_whole_ones_find(workspace: Program, tmp_path: Path) -> None:
    other = Program(tmp_path / "other")
    settings = (
        'name = "{name}"\n[chunking]\nsize = 60\noverlap = 0\n[index]\ntitle_weight = {weight}\nscoring = "{scoring}"\n'
        '[answering]\nmodel = "none"\n[search]\nwhere = "{where}"\n'
    )
    for name, weight, scoring, where in (
        ("plain", 0.0, "bm25", ""),
        ("fields", 2.0, "bm25+", ""),
        ("model", 1.5, "dirichlet", ""),
        ("some", 0.0, "bm25", "document like '%s.md'"),
    ):
        text = settings.format(name=name, weight=weight, scoring=scoring, where=where)
        if name == "plain":
            text += '[[rewriting]]\nmethod = "parts"\n[[reranking]]\nstep = "closeness"\n'
        if name == "fields":
            text += 'nearest = "graph"\nparts = 3\n'
        (workspace.folder / "configs" / f"{name}.toml").write_text(text)
    (workspace.folder / "configs" / "starter.toml").unlink()
    shutil.copytree(workspace.folder, other.folder)
    workspace("run")
    with open(other.folder / "aventrik.toml", "a") as file:
        file.write('\n[engine]\nkind = "dask"\nworkers = 2\nshards = 5\n')
    other("run")
    assert digests(other.folder) == digests(workspace.folder)
    names = [path.name for path in (other.folder / ".aventrik" / "arrays").iterdir()]
    assert sum(" index " in name for name in names) == 5 * 3 + 3  # three ways of weighing, five shards; three parts
    assert {name: found for name, found in arrays(workspace.folder).items() if ".nearest." in name} == {
        name: found for name, found in arrays(other.folder).items() if ".nearest." in name and " " not in name
    }
    assert not any("shard" in name for name in names)
