"""What is lost when things die: a run of 50 configurations on workers over a PostgreSQL store, during which each worker, the
database and the scheduler are killed once; and 8 processes that run 200 configurations on one store together. In both
the model server's log says which calls were made twice, and the results are held against those of a run left in peace.

python benchmarks/killing.py [killed | together]
"""

from __future__ import annotations

import json
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

from beyond import server
from growth import lay_out

from aventrik.storage import Address, open_store

PORT = 58786
PASSING = ("wording", "turns", "reference", "evidence", "standing", "files of the workspace")


@contextmanager
def model_server(seconds: float) -> Iterator[tuple[str, Counter[str]]]:
    """A model server that takes its time and answers with what it was shown; how often it sent each reply whole."""
    log: Counter[str] = Counter()

    class Handler(BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"

        def log_message(self, *args: object) -> None: ...

        def do_POST(self) -> None:
            body = json.loads(self.rfile.read(int(self.headers["Content-Length"])))
            said = body["messages"][-1]["content"]
            time.sleep(seconds)
            text = json.dumps(
                {"declined": False, "statements": [{"text": said[-60:].strip() or "-", "cites": [1], "quotes": []}]}
            )
            data = json.dumps({"choices": [{"message": {"content": text}}]}).encode()
            try:
                self.send_response(200)
                self.send_header("Content-Length", str(len(data)))
                self.end_headers()
                self.wfile.write(data)
            except OSError:  # nobody is there any more
                return
            log[json.dumps(body["messages"])] += 1

    made = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    threading.Thread(target=made.serve_forever, daemon=True).start()
    yield f"http://127.0.0.1:{made.server_port}", log
    made.shutdown()


def prepare(folder: Path, configurations: int, address: str, questions: int) -> None:
    """A workspace with so many configurations, whose answers the server gives."""
    from beyond import write_questions

    lay_out(folder, 4000)
    write_questions(folder, questions)
    for file in (folder / "configs").glob("*.toml"):
        file.unlink()
    for number in range(configurations):
        (folder / "configs" / f"c{number:03}.toml").write_text(
            f'name = "c{number:03}"\n[chunking]\nsize = {200 + 10 * (number // 2)}\noverlap = 0\n[embedding]\nmodel = "static"\n'
            f'[search]\nmethod = "{("both", "keyword")[number % 2]}"\n[context]\nkeep = 2\n[answering]\nmodel = "house"\n'
        )
    with open(folder / "aventrik.toml", "a") as out:
        out.write(f'\n[models.house]\nkind = "http"\naddress = "{address}"\nmodel = "m"\n')


def results(address: Address) -> dict[str, str]:
    """What stands in a store, by key."""
    store = open_store(address)
    rows = store.database.rows("SELECT id, stage, digest FROM results")  # type: ignore[attr-defined]
    store.close()
    return {name: digest for name, stage, digest in rows if stage not in PASSING and " shard " not in name}


def begin(*arguments: str, folder: Path) -> subprocess.Popen[str]:
    return subprocess.Popen(
        [sys.executable, "-m", *arguments], cwd=folder, text=True, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE,
        env={**os.environ, "PYTHONPATH": os.environ.get("PYTHONPATH", "")},
    )  # fmt: skip


def finished(address: Address) -> int:
    store = open_store(address)
    count = sum(bool(run.finished) for run in store.runs.all())
    store.close()
    return count


def cluster(folder: Path, what: str) -> subprocess.Popen[str]:
    if what == "scheduler":
        more = ["--host", "127.0.0.1", "--port", str(PORT), "--no-dashboard"]
    else:
        more = [f"tcp://127.0.0.1:{PORT}", "--nthreads", "1", "--no-dashboard", "--no-nanny"]
    return begin(f"distributed.cli.dask_{what}", *more, folder=folder)


def killed(place: Path, count: int = 50) -> None:
    """50 configurations with a death every ten."""
    with model_server(0.02) as (house, log):
        folder = place / "w"
        prepare(folder, count, house, 40)
        at = server(place / "pg")
        address = Address(folder / ".aventrik", at)
        plain = place / "plain"
        shutil.copytree(folder, plain)
        with open(folder / "aventrik.toml", "a") as out:
            out.write(f'\n[store]\naddress = "{at}"\n')
        begin("aventrik", "gather", "in", "--quiet", folder=folder).wait()
        parts = {name: cluster(place, name.split()[0]) for name in ("scheduler", "worker 1", "worker 2")}
        deaths = ["worker 1", "worker 2", "database", "scheduler"]
        began, commands = time.perf_counter(), 0
        while True:
            commands += 1
            run = begin(
                "aventrik", "run", "--until", "answer", "--on", f"tcp://127.0.0.1:{PORT}", "--quiet", folder=folder
            )
            while run.poll() is None:
                time.sleep(0.5)
                if deaths and finished(address) >= count // 5 * (5 - len(deaths)):
                    dead = deaths.pop(0)
                    print(
                        f"{time.perf_counter() - began:6.1f} s  {finished(address):>3} runs are finished; killed: {dead}",
                        flush=True,
                    )
                    if dead == "database":
                        restart(place / "pg")
                        continue
                    parts[dead].send_signal(signal.SIGKILL)
                    parts[dead].wait()
                    parts[dead] = cluster(place, dead.split()[0])
            told = (run.stderr.read() if run.stderr else "").strip().splitlines()
            print(
                f"{time.perf_counter() - began:6.1f} s  the command ended with {run.returncode}: {told[-1][:150] if told else ''}"
            )
            if run.returncode == 0 or commands > 5:
                break
            for name, part in parts.items():  # workers of a scheduler that is gone go too
                part.kill()
                part.wait()
                parts[name] = cluster(place, name.split()[0])
            time.sleep(3)
        for part in parts.values():
            part.kill()
        twice = sum(times - 1 for times in log.values())
        print(f"calls made: {len(log):,}; made more than once: {twice} (of those under way where a worker died)")
        log.clear()
        compare(address, plain)
        store = open_store(address)
        print(f"damaged: {store.damaged() or 'nothing'}; runs finished: {finished(address)} of {count}")


def restart(folder: Path) -> None:
    """Ends the database server at once, and starts it again."""
    import pgserver

    tools = Path(pgserver.__file__).parent / "pginstall" / "bin"
    user = {"user": folder.stat().st_uid} if folder.stat().st_uid else {}
    how = [str(tools / "pg_ctl"), "-D", str(folder), "-w", "restart", "-m", "immediate"]  # with the options it had
    subprocess.run(how, check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, **user)


def compare(address: Address, plain: Path) -> None:
    """Runs the same in peace, in one process, and holds both stores against each other."""
    for arguments in (["gather", "in"], ["run", "--until", "answer"]):
        begin("aventrik", *arguments, "--quiet", folder=plain).wait()
    here, there = results(Address(plain / ".aventrik")), results(address)
    other = sum(there.get(name) != digest for name, digest in here.items())
    print(f"results of a run left in peace: {len(here):,}; missing or other: {other}")


def together(place: Path, processes: int = 8, count: int = 200) -> None:
    """8 processes, each of which runs all 200 configurations."""
    with model_server(0.005) as (house, log):
        folder = place / "w"
        prepare(folder, count, house, 20)
        plain = place / "plain"
        shutil.copytree(folder, plain)
        at = server(place / "pg")
        with open(folder / "aventrik.toml", "a") as out:
            out.write(f'\n[store]\naddress = "{at}"\n')
        begin("aventrik", "gather", "in", "--quiet", folder=folder).wait()
        began = time.perf_counter()
        running = [begin("aventrik", "run", "--until", "answer", "--quiet", folder=folder) for _ in range(processes)]
        told = [each.communicate()[1].strip().splitlines()[-1:] for each in running]
        codes = [each.returncode for each in running]
        print(f"{processes} processes, {count} configurations: {time.perf_counter() - began:.0f} s; ended with {codes}")
        if any(each.returncode for each in running):
            print(told)
        print(f"calls made: {len(log):,}; made more than once: {sum(times - 1 for times in log.values())}")
        log.clear()
        compare(Address(folder / ".aventrik", at), plain)


if __name__ == "__main__":
    with tempfile.TemporaryDirectory(dir="/tmp", prefix="k") as where:
        {"killed": killed, "together": together}[(sys.argv[1:] or ["killed"])[0]](Path(where))
