"""What tests share: a small world of documents, and the installed program run in a folder."""

from __future__ import annotations

import fcntl
import gc
import io
import json
import os
import pty
import select
import shutil
import signal
import sqlite3
import struct
import subprocess
import sys
import termios
import threading
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import closing, contextmanager, redirect_stderr, redirect_stdout
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

import pytest

from aventrik.cli.main import main
from aventrik.core.documents import Document
from aventrik.core.reading import read

from .servers import database, database_server, object_store  # noqa: F401  (fixtures)

TEXTS = {
    "locks.md": """# Locks

## Opening hours

Locks on the Main Line are open from 8 am to 5 pm. The Farrow Lane staircase is worked by a lock keeper.

## Sizes

| Lock | Length in metres | Beam in metres |
|---|---|---|
| Hexley Bottom | 21.3 | 4.3 |
| Pellbeck | 17.5 | 2.1 |

Boats longer than 17.5 metres must not enter Pellbeck Lock.
""",
    "moorings.md": """# Moorings

A boat may stay at a visitor mooring for 48 hours. An overstay is charged at £25 for each day.

Moorers must give 28 days' notice to end an agreement because berths are let by the year.
""",
    "bridges.txt": """Swing bridges
=============

A bridge key costs 12 pounds and is sold at the help desk. When a bridge fails
to close, the skipper must telephone the bridge line.
""",
}


# The files of tests that take longest, which are begun first, so that no process waits for another at the end.
_LONGEST = (
    "test_workers.py",
    "test_library_page.py",
    "test_workflow.py",
    "test_hostile_text.py",
    "test_statistics.py",
    "test_page.py",
    "test_compare.py",
)


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Puts the longest files first."""
    items.sort(key=lambda item: _LONGEST.index(item.path.name) if item.path.name in _LONGEST else len(_LONGEST))


@pytest.fixture
def documents() -> dict[str, Document]:
    """Three small documents by name."""
    return {name: read(name, text.encode()) for name, text in TEXTS.items()}


_frozen = 0  # how many modules there were when what they hold was last set aside


def _close_the_store() -> None:
    """Collects what a call left behind, the open store too. What modules hold is not gone through each time, which took
    longer than most calls do."""
    global _frozen
    gc.collect()
    if len(sys.modules) > _frozen + 20:
        _frozen = len(sys.modules)
        gc.freeze()


_APART = ("PYTHONIOENCODING", "LC_ALL", "PYTHONHASHSEED", "OMP_NUM_THREADS")  # are read while Python starts


# A program that kills itself, as kill -9 does, as soon as so many rows of a kind are kept: sys.argv has the class of the
# store's table, the stage whose rows count ("" for all) and their number before the program's own arguments.
_KILLS_ITSELF = """
import os, signal, sys
from importlib import import_module
module, name, stage, most = sys.argv[1:5]
table = getattr(import_module("aventrik.storage.tables." + module), name)
whole, seen = table.keep, [0]
def keep(self, rows):
    whole(self, rows)
    seen[0] += sum(not stage or row.stage == stage for row in rows)
    if seen[0] >= int(most):
        os.kill(os.getpid(), signal.SIGKILL)
table.keep = keep
sys.argv[1:5] = []
from aventrik.__main__ import start
start()
"""


def run_until_killed(folder: Path, table: tuple[str, str], stage: str, most: int, *arguments: str) -> None:
    """Runs the program in a folder until it has kept so many rows; it is gone then, whatever the machine is busy with."""
    done = subprocess.run(
        [sys.executable, "-c", _KILLS_ITSELF, *table, stage, str(most), *arguments],
        cwd=folder, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
    )  # fmt: skip
    assert done.returncode == -signal.SIGKILL


class Program:
    """The installed program, run in a folder; keeps what came back. It runs in this process, which is quicker, or with
    `apart` in one of its own."""

    def __init__(self, folder: Path, apart: bool = False) -> None:
        self.folder = folder
        self.apart = apart

    def __call__(self, *arguments: str, code: int = 0, **environment: str) -> subprocess.CompletedProcess[str]:
        given = {"COLUMNS": "100", "NO_COLOR": "1", **environment}
        if self.apart or any(name in environment for name in _APART):
            done = subprocess.run(
                [sys.executable, "-m", "aventrik", *arguments],
                cwd=self.folder,
                env={**os.environ, **given},
                capture_output=True,
                text=True,
                timeout=240,
            )
        else:
            done = self.here(arguments, given)
            _close_the_store()
        told = f"{arguments}: exit {done.returncode}, wanted {code}\n{done.stdout[-2000:]}\n{done.stderr[-2000:]}"
        assert done.returncode == code, told
        assert "Traceback" not in done.stderr, told
        return done

    def here(self, arguments: Sequence[str], given: Mapping[str, str]) -> subprocess.CompletedProcess[str]:
        """What comes of a call in this process, whatever it is."""
        before, where = dict(os.environ), os.getcwd()
        out, err = io.StringIO(), io.StringIO()
        os.environ.update(given)
        os.chdir(self.folder)
        try:
            with redirect_stdout(out), redirect_stderr(err):
                try:
                    code = main(list(arguments))
                except SystemExit as ended:
                    code = int(ended.code or 0)
        finally:
            os.chdir(where)
            os.environ.clear()
            os.environ.update(before)
        return subprocess.CompletedProcess(list(arguments), code, out.getvalue(), err.getvalue())

    def json(self, *arguments: str) -> Any:
        """The result of a verb as it comes with --json."""
        shown = json.loads(self(*arguments, "--json").stdout)
        assert shown["verb"] == arguments[0]
        return shown["result"]

    def fails(self, *arguments: str, code: int = 2, **environment: str) -> str:
        """The error of a call that must fail: one or two plain lines on standard error."""
        told = self(*arguments, code=code, **environment).stderr.strip()
        assert told.startswith(f"aventrik {arguments[0]}: "), told
        assert len(told.splitlines()) <= 2, told
        return told


@contextmanager
def chat_server(answer: Callable[[dict[str, Any]], dict[str, Any]]) -> Iterator[str]:
    """A model server on this machine that answers the body of each request by a function; its address."""

    class Handler(BaseHTTPRequestHandler):
        def log_message(self, *args: Any) -> None: ...

        def do_POST(self) -> None:
            body = json.loads(self.rfile.read(int(self.headers["Content-Length"])))
            data = json.dumps(answer(body)).encode()
            self.send_response(200)
            self.send_header("Content-Length", str(len(data)))
            self.end_headers()
            self.wfile.write(data)

    server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield f"http://127.0.0.1:{server.server_port}"
    server.shutdown()
    server.server_close()


def name_house(program: Program, address: str, role: str = "", more: str = "") -> None:
    """Names a model server 'house' in the settings of a workspace, in a role where one is told."""
    settings = program.folder / "aventrik.toml"
    text = settings.read_text()
    if role:
        assert f'{role:<8} = "offline"' in text
        text = text.replace(f'{role:<8} = "offline"', f'{role:<8} = "house"')
    settings.write_text(
        f'{text}\n[models.house]\nkind = "http"\naddress = "{address}"\nmodel = "m"\ncontext = 32000\n{more}'
    )


class Terminal:
    """The program in a pseudo-terminal of its own: keys in, what it draws out."""

    def __init__(self, program: Program, *arguments: str, rows: int = 30, columns: int = 100) -> None:
        self._main, other = pty.openpty()
        self.size(rows, columns)
        self._started = subprocess.Popen(
            [sys.executable, "-m", "aventrik", *arguments],
            cwd=program.folder, stdin=other, stdout=other, stderr=other, env={**os.environ, "TERM": "xterm"},
            start_new_session=True,
        )  # fmt: skip
        os.close(other)
        self.seen = b""

    def size(self, rows: int, columns: int) -> None:
        """Gives the terminal another size."""
        fcntl.ioctl(self._main, termios.TIOCSWINSZ, struct.pack("HHHH", rows, columns, 0, 0))

    def keys(self, text: str) -> None:
        """Presses keys."""
        os.write(self._main, text.encode())

    def until(self, done: Callable[[], bool]) -> None:
        """Waits, a minute at the most."""
        end = time.monotonic() + 60
        while not done():
            assert time.monotonic() < end, self.seen[-2000:]
            if select.select([self._main], [], [], 0.2)[0]:
                self.seen += os.read(self._main, 65536)

    def shows(self, words: str) -> None:
        """Waits until something was drawn."""
        self.until(lambda: words.encode() in self.seen)

    def close(self) -> None:
        """Hangs up, and waits for the end."""
        os.close(self._main)
        self._started.wait(30)


@pytest.fixture
def program(tmp_path: Path) -> Program:
    """The program in an empty folder."""
    return Program(tmp_path)


@pytest.fixture(scope="session")
def gathered(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A workspace with three documents gathered; tests get copies of it."""
    folder = tmp_path_factory.mktemp("gathered")
    run = Program(folder)
    run("new", ".")
    (folder / "docs").mkdir()
    for name, text in TEXTS.items():
        (folder / "docs" / name).write_text(text, encoding="utf-8")
    run("gather", "docs")
    write_testset(folder, QUESTIONS)
    return folder


@pytest.fixture
def workspace(tmp_path: Path, gathered: Path) -> Program:
    """The program in a workspace with three documents gathered and one small test set."""
    folder = tmp_path / "w"
    shutil.copytree(gathered, folder)
    with closing(sqlite3.connect(folder / ".aventrik" / "store.db")) as db, db:
        for name in TEXTS:
            path = os.fsencode(folder / "docs" / name)
            db.execute("UPDATE documents SET file = ? WHERE name = ?", (path, name))
            db.execute("UPDATE files SET path = ? WHERE name = ?", (path, name))
    return Program(folder)


QUESTIONS = [
    {
        "id": "a1",
        "question": "How long may a boat stay at a visitor mooring?",
        "answer": "48 hours.",
        "needs": [
            {
                "fact": "48 hours",
                "spans": [{"doc": "moorings.md", "quote": "A boat may stay at a visitor mooring for 48 hours."}],
            }
        ],
    },
    {
        "id": "a2",
        "question": "What does a bridge key cost?",
        "answer": "12 pounds.",
        "needs": [{"fact": "12 pounds", "spans": [{"doc": "bridges.txt", "quote": "A bridge key costs 12 pounds"}]}],
    },
    {"id": "a3", "question": "Is there a cinema?", "kind": "unanswerable"},
]


def write_testset(folder: Path, rows: list[dict[str, Any]], name: str = "small") -> Path:
    """A test set file in a workspace."""
    path = folder / "testsets" / f"{name}.jsonl"
    path.write_text("".join(json.dumps(row) + "\n" for row in rows), encoding="utf-8")
    return path


Fetch = Callable[[str], Document]


@pytest.fixture(scope="module")
def browser() -> Iterator[Any]:
    """Headless Chromium, where it and its driver are installed."""
    if not (shutil.which("chromium") and shutil.which("chromedriver")):
        pytest.skip("chromium and chromium-driver are not installed")
    from selenium import webdriver

    options = webdriver.ChromeOptions()
    options.binary_location = shutil.which("chromium") or ""
    for flag in (
        "--headless=new", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--window-size=1280,800",
        "--disable-background-networking", "--disable-component-update", "--disable-sync", "--disable-dev-shm-usage",
    ):  # fmt: skip
        options.add_argument(flag)
    options.set_capability("goog:loggingPrefs", {"performance": "ALL", "browser": "ALL"})
    driver = webdriver.Chrome(options=options, service=webdriver.ChromeService(shutil.which("chromedriver")))
    yield driver
    driver.quit()
