"""The same run in this process, on workers, and on workers over a store on a PostgreSQL server: seconds of each stage and
of the command's processor, memory, what went over the network, and whether all came to the same. Each way in a process of its own.

python benchmarks/beyond.py [CHUNKS [QUESTIONS]] [--keep FILE]     (1,000,000 chunks and 200 questions)
python benchmarks/beyond.py --ratio [CHUNKS [QUESTIONS]]           one worker and two in turn, five times: the best of each
python benchmarks/beyond.py --files [COUNT]                         small Markdown files read here and on workers (6,000)
python benchmarks/beyond.py --empty                                what a task costs by itself

The server is that of the wheel pgserver, over TCP on this machine.
"""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import socket
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path
from typing import Any

import psutil
from growth import A_FILE, configuration, lay_out

from aventrik.core.indexing import terms
from aventrik.corpora.gathering import gather
from aventrik.execution.hiring import workers
from aventrik.execution.open_workspace import OpenWorkspace
from aventrik.execution.passing import Passing, PosedQuestions
from aventrik.pipeline.stage import QUESTION, needed
from aventrik.runs.running import Runner
from aventrik.workspace.gathered import GatheredSource

WAYS = {"here": "here", "1 worker": "1", "2 workers": "2", "server": "2"}
SHOWN = ("read", "chunks", "terms", "keyword", "vectors", "questions", "answer", "verdicts", "whole run")


def write_questions(folder: Path, count: int) -> None:
    """Questions whose evidence is a sentence of a document, spread over all."""
    files = sorted((folder / "in").glob("*.jsonl"))
    rows = [(file.name, json.loads(line)) for file in files for line in file.read_text("utf-8").splitlines()]
    with open(folder / "testsets" / "some.jsonl", "w", encoding="utf-8") as out:
        for n in range(count):
            file, row = rows[n * len(rows) // count]
            quote = row["body"].split("\n\n")[n % 100]
            name = f"{file}#{row['id']}"
            words = quote.split()
            question = f"What is said of {' '.join(words[3:9])}?"
            need = {"fact": quote, "spans": [{"doc": name, "quote": quote}]}
            out.write(json.dumps({"id": f"q{n}", "question": question, "answer": quote, "needs": [need]}) + "\n")


class Watch:
    """The most memory that this process and those below it had, and the bytes over the loopback device."""

    def __init__(self) -> None:
        self.most = {"driver": 0, "workers": 0}
        self._own = psutil.Process()
        self._before = self._loopback()
        threading.Thread(target=self._look, daemon=True).start()

    def _look(self) -> None:
        while True:
            below = 0
            for child in self._own.children(recursive=True):
                try:
                    memory = child.memory_info()
                    below += memory.rss - getattr(memory, "shared", 0)
                except psutil.Error:
                    continue
            mine = self._own.memory_info()
            self.most["driver"] = max(self.most["driver"], mine.rss - mine.shared)
            self.most["workers"] = max(self.most["workers"], below)
            time.sleep(0.25)

    def _loopback(self) -> int:
        return psutil.net_io_counters(pernic=True)["lo"].bytes_sent

    @property
    def moved(self) -> int:
        """Bytes since the beginning."""
        return self._loopback() - self._before


def clocks() -> tuple[float, float]:
    """The time, and the processor seconds of this process: the command's own, and the scheduler's that it has in it."""
    return time.perf_counter(), time.process_time()


def one_way(folder: Path, on: str) -> dict[str, Any]:
    """All stages one after another, by one way."""
    watch, told = Watch(), {}
    own: dict[str, float] = {}
    each: dict[str, float] = {}  # of the stages of questions
    opened = OpenWorkspace(folder)

    def timed(name: str, began: tuple[float, float]) -> None:
        took, worked = (now - then for now, then in zip(clocks(), began))
        told[name] = told.get(name, 0.0) + took
        own[name] = own.get(name, 0.0) + worked

    with workers(opened, on, lambda note: print(note, file=sys.stderr)) as reader:
        began = clocks()
        gather(opened, [GatheredSource(folder / "in")], reader=reader)
        timed("read", began)
        place = opened.place(configuration("both"))
        for name in ("chunks", "terms", "keyword", "vectors"):
            began = clocks()
            place.open(name)
            timed(name, began)
        folders = {name: opened.store.arrays.folder(place.keys.corpus(name)) for name in SHOWN[1:5]}
        told["bytes"] = {name: sum(file.stat().st_size for file in at.iterdir()) for name, at in folders.items()}
        questions = opened.questions("some")[0] if (folder / "testsets" / "some.jsonl").read_text() else []
        if not questions:
            return told | {"whole run": sum(told[name] for name in SHOWN if name in told)}
        passing = Passing(place, PosedQuestions(questions, opened.standing))
        for node in needed(place.nodes, QUESTION):
            began = clocks()
            place.wide(node)
            passing.stage(node, passing.underway)
            timed(node.name if node.name in SHOWN else "questions", began)
            if node.name not in SHOWN:
                each[node.name] = round(clocks()[0] - began[0], 2)
        began = clocks()
        outcome = Runner(opened).run(configuration("both"), "some", questions)
        timed("whole run", began)
    marks = sorted(mark for one in passing.underway for mark in one.digests.values())
    told["whole run"] += sum(told[name] for name in SHOWN[1:-1])
    told["same"] = hashlib.sha256("".join(marks).encode()).hexdigest()[:12]
    told["run"] = outcome.run
    own["whole run"] += sum(own[name] for name in SHOWN[1:-1])
    told["own"] = own
    told["each"] = each
    return told | {name: size / 1e9 for name, size in watch.most.items()} | {"moved": watch.moved / 1e9}


def empty() -> None:
    """What a task costs that does nothing: from its giving to what came of it."""
    from aventrik.execution.executors.workers import DaskExecutor, _Call

    print(f"{'workers':>8}{'tasks':>8}{'ms a task':>11}")
    for count in (1, 2):
        executor = DaskExecutor("", count, 600)
        for tasks in (200, 2000):
            began = time.perf_counter()
            done = sum(1 for _ in executor._made(_Call(nothing, (n,), 0, str) for n in range(tasks)))
            print(f"{count:>8}{done:>8}{(time.perf_counter() - began) / tasks * 1000:>11.2f}")
        executor.close()


def nothing(version: str, number: int) -> Any:
    """A task that does nothing."""
    from aventrik.execution.executors import Done

    return Done()


def server(folder: Path) -> str:
    """The address of a PostgreSQL server of its own, over TCP."""
    import pgserver

    made = pgserver.get_server(str(folder), cleanup_mode="stop")
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    tools = Path(pgserver.__file__).parent / "pginstall" / "bin"
    user = {"user": folder.stat().st_uid} if folder.stat().st_uid else {}
    with open(folder / "postgresql.auto.conf", "a") as file:
        file.write("shared_buffers = '512MB'\nmax_wal_size = '4GB'\n")
    command = [str(tools / "pg_ctl"), "-D", str(folder), "-w", "restart", "-o", f"-h 127.0.0.1 -p {port} -k {folder}"]
    subprocess.run(command, check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, **user)
    server.held = made  # type: ignore[attr-defined]
    return f"postgresql://postgres@127.0.0.1:{port}/postgres"


def one_of(base: Path, folder: Path, on: str, address: str = "") -> dict[str, Any]:
    """All stages by one way, on a copy of a workspace and in a process of its own; empty when it fails, which is told."""
    shutil.rmtree(folder, ignore_errors=True)
    shutil.copytree(base, folder)
    if address:
        with open(folder / "aventrik.toml", "a") as file:
            file.write(f'\n[store]\naddress = "{address}"\n')
    os.sync()  # what was copied is not to be written while others are measured
    command = [sys.executable, __file__, "--way", str(folder), on]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    if done.returncode:
        print(f"{on}: {done.stderr[-1500:]}")
        return {}
    found: dict[str, Any] = json.loads(done.stdout.splitlines()[-1])
    return found


def ratio(chunks: int, questions: int) -> None:
    """The best seconds of one worker and of two, in turn, and how many times as quick two are; and the same of processes
    that have nothing to do with each other, which is what the machine allows."""
    ways: dict[str, list[dict[str, Any]]] = {"1": [], "2": []}
    with tempfile.TemporaryDirectory(dir="/tmp", prefix="b") as place:
        base = Path(place) / "base"
        lay_out(base, chunks)
        write_questions(base, questions)
        for _ in range(5):
            for on, rows in ways.items():
                rows.append({"processes": apart(base, int(on))} | one_of(base, Path(place) / "w", on))
                print(
                    on,
                    {name: round(rows[-1][name], 1) for name in ("processes", *SHOWN) if name in rows[-1]},
                    flush=True,
                )
    print(f"\n{chunks:,} chunks, {questions} questions; seconds, the best of five")
    print(f"{'':12}{'1 worker':>12}{'2 workers':>12}{'ratio':>8}")
    for name in ("processes", *SHOWN):
        if all(name in row for rows in ways.values() for row in rows):
            one, two = (min(row[name] for row in rows) for rows in ways.values())
            print(f"{name:12}{one:>12.1f}{two:>12.1f}{one / two:>8.2f}")


def small_files(count: int) -> None:
    """The best of three times that small Markdown files take to be read, here, on one worker and on two, in turn."""
    ways: dict[str, list[float]] = {"here": [], "1": [], "2": []}
    with tempfile.TemporaryDirectory(dir="/tmp", prefix="b") as place:
        base = Path(place) / "base"
        lay_out(base, count * 50)
        bodies = [json.loads(line)["body"] for file in (base / "in").glob("*.jsonl") for line in file.open("rb")]
        shutil.rmtree(base / "in")
        (base / "in").mkdir()
        for number in range(count):
            half = bodies[number // 2].split("\n\n")[number % 2 :: 2]
            (base / "in" / f"{number}.md").write_text("\n\n".join(half), "utf-8")
        for _ in range(3):
            for on, taken in ways.items():
                shutil.rmtree(Path(place) / "w", ignore_errors=True)
                shutil.copytree(base, Path(place) / "w")
                opened = OpenWorkspace(Path(place) / "w")
                with workers(opened, on) as reader:
                    began = time.perf_counter()
                    gather(opened, [GatheredSource(Path(place) / "w" / "in")], reader=reader)
                    taken.append(time.perf_counter() - began)
                opened.store.close()
    print(f"{count:,} Markdown files of some 9,000 characters; seconds, the best of three")
    print("".join(f"{on:>10}" for on in ways) + f"{'1 : 2':>10}")
    best = [min(taken) for taken in ways.values()]
    print("".join(f"{each:>10.1f}" for each in best) + f"{best[1] / best[2]:>10.2f}")


def apart(base: Path, count: int) -> float:
    """Seconds that so many processes take to count the terms of the same texts, each an equal share of them."""
    command = [sys.executable, __file__, "--count", str(base / "in"), str(count)]
    processes = [subprocess.Popen(command, stdout=subprocess.PIPE, text=True) for _ in range(count)]
    return max(float(process.communicate()[0]) for process in processes)


def count_terms(folder: Path, share: int) -> None:
    """Counts the terms of one of so many equal shares of 900 texts of a folder's files."""
    files = sorted(folder.glob("*.jsonl"))[: 900 // A_FILE + 1]
    bodies = [json.loads(line)["body"] for file in files for line in file.read_text("utf-8").splitlines()]
    texts = [body.split("\n\n") for body in bodies[: 900 // share]]
    terms.count(texts[:1], "en")
    began = time.perf_counter()
    for _ in range(2):
        for first in range(0, len(texts), 150):
            terms.count(texts[first : first + 150], "en")
    print(time.perf_counter() - began)


def main(chunks: int, questions: int, keep: str) -> None:
    """The table."""
    rows: dict[str, dict[str, Any]] = {}
    with tempfile.TemporaryDirectory(dir="/tmp", prefix="b") as place:
        base = Path(place) / "base"
        lay_out(base, chunks)
        write_questions(base, questions)
        for way, on in WAYS.items():
            address = server(Path(place) / "pg") if way == "server" else ""
            if found := one_of(base, Path(place) / "w", on, address):
                rows[way] = found
                print(f"{way} is done; stages of questions: {rows[way]['each']}", flush=True)
    if keep:
        Path(keep).write_text(json.dumps({"chunks": chunks, "questions": questions, "ways": rows}))
    print(f"\n{chunks:,} chunks, {questions} questions; seconds")
    print(f"{'':12}" + "".join(f"{way:>12}" for way in rows))
    for name in SHOWN:
        print(f"{name:12}" + "".join(f"{row[name]:>12.1f}" for row in rows.values()))
    print("processor seconds of the command alone")
    for name in SHOWN:
        print(f"{name:12}" + "".join(f"{row['own'][name]:>12.1f}" for row in rows.values()))
    for name, shown in (("driver", "GB, command"), ("workers", "GB, workers"), ("moved", "GB moved")):
        print(f"{shown:12}" + "".join(f"{row[name]:>12.2f}" for row in rows.values()))
    print(f"{'same':12}" + "".join(f"{row['same'][:10]:>12}" for row in rows.values()))


if __name__ == "__main__":
    if sys.argv[1:2] == ["--way"]:
        print(json.dumps(one_way(Path(sys.argv[2]), sys.argv[3])))
    elif sys.argv[1:2] == ["--empty"]:
        empty()
    else:
        numbers = [int(each) for each in sys.argv[1:] if each.isdecimal()]
        numbers += [1_000_000, 200][len(numbers) :]
        keep = sys.argv[sys.argv.index("--keep") + 1] if "--keep" in sys.argv else ""
        if "--files" in sys.argv:
            small_files(next((int(each) for each in sys.argv[1:] if each.isdecimal()), 6000))
        elif "--count" in sys.argv:
            count_terms(Path(sys.argv[2]), int(sys.argv[3]))
        elif "--ratio" in sys.argv:
            ratio(numbers[0], numbers[1])
        else:
            main(numbers[0], numbers[1], keep)
