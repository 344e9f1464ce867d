"""The store: one SQLite file and a folder of arrays under `.aventrik/`."""

from __future__ import annotations

import json
import os
import shutil
import sqlite3
import time
import zlib
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
import orjson
import zstandard
from filelock import FileLock, Timeout

from ..core.errors import BadInput, Unavailable

FORMAT = 2
_BLOCK = 4096
_BLOCKS = 64
_JOURNAL = "rows written"

_SCHEMA = """
CREATE TABLE IF NOT EXISTS files (
    path BLOB PRIMARY KEY, name TEXT NOT NULL, size INTEGER NOT NULL, mtime INTEGER NOT NULL, key TEXT NOT NULL,
    reading TEXT NOT NULL
);
CREATE TABLE IF NOT EXISTS documents (
    name TEXT PRIMARY KEY, file BLOB NOT NULL, key TEXT NOT NULL, title TEXT NOT NULL, meta TEXT NOT NULL,
    chars INTEGER NOT NULL, text BLOB NOT NULL, parts BLOB NOT NULL, report TEXT NOT NULL,
    sidecar TEXT NOT NULL DEFAULT '{}', left_out TEXT NOT NULL DEFAULT ''
);
CREATE INDEX IF NOT EXISTS documents_by_file ON documents (file);
CREATE TABLE IF NOT EXISTS results (
    key TEXT PRIMARY KEY, stage TEXT NOT NULL, value BLOB NOT NULL, seconds REAL NOT NULL,
    failed INTEGER NOT NULL DEFAULT 0
) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS calls (
    key TEXT PRIMARY KEY, model TEXT NOT NULL, task TEXT NOT NULL, request BLOB NOT NULL, reply BLOB NOT NULL,
    vector BLOB, failure TEXT NOT NULL, tokens_in INTEGER NOT NULL, tokens_out INTEGER NOT NULL, money REAL NOT NULL,
    seconds REAL NOT NULL, attempts INTEGER NOT NULL, made REAL NOT NULL
);
CREATE TABLE IF NOT EXISTS runs (
    id INTEGER PRIMARY KEY AUTOINCREMENT, key TEXT NOT NULL UNIQUE, name TEXT NOT NULL, testset TEXT NOT NULL,
    configuration TEXT NOT NULL, questions TEXT NOT NULL, corpus TEXT NOT NULL, started TEXT NOT NULL,
    finished TEXT NOT NULL DEFAULT '', costs TEXT NOT NULL DEFAULT '{}', label TEXT NOT NULL DEFAULT '',
    note TEXT NOT NULL DEFAULT '', prompts TEXT NOT NULL DEFAULT '{}'
);
CREATE TABLE IF NOT EXISTS run_questions (
    run INTEGER NOT NULL REFERENCES runs(id) ON DELETE CASCADE, question TEXT NOT NULL, keys TEXT NOT NULL,
    PRIMARY KEY (run, question)
) WITHOUT ROWID;
"""


class Store:
    """Opens, and creates when it is missing, the store in a workspace's folder `.aventrik`."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.path = folder / "store.db"
        self._arrays = folder / "arrays"
        with told(self.path):
            folder.mkdir(exist_ok=True)
            self._db = sqlite3.connect(self.path, timeout=30, isolation_level=None)
            self._db.execute("PRAGMA busy_timeout = 30000")
            found = self._db.execute("PRAGMA user_version").fetchone()[0]
            if found > FORMAT:
                raise BadInput(
                    f"{self.path}: made by a newer Aventrik (store format {found}, this one knows {FORMAT}); upgrade"
                )
            self._db.execute("PRAGMA journal_mode = WAL")
            self._db.execute("PRAGMA synchronous = NORMAL")
            self._db.execute("PRAGMA foreign_keys = ON")
            if found < FORMAT:
                self._db.executescript(_SCHEMA)
                self._db.execute(f"PRAGMA user_version = {FORMAT}")

    def close(self) -> None:
        """Closes the database; the store can't be used after it."""
        self._db.close()

    @contextmanager
    def transaction(self) -> Iterator[None]:
        """All statements inside are written together or not at all; may be nested."""
        with told(self.path):
            if self._db.in_transaction:
                yield
                return
            self._db.execute("BEGIN IMMEDIATE")
            try:
                yield
            except BaseException:
                if self._db.in_transaction:
                    self._db.execute("ROLLBACK")
                raise
            self._db.execute("COMMIT")

    def execute(self, statement: str, values: Sequence[Any] = ()) -> sqlite3.Cursor:
        """One statement, its errors told plainly."""
        with told(self.path):
            return self._db.execute(statement, values)

    def rows(self, statement: str, values: Sequence[Any] = ()) -> list[tuple[Any, ...]]:
        """All rows of a query."""
        with told(self.path):
            return self._db.execute(statement, values).fetchall()

    # Results of stages, by content key.

    def known(self, keys: Sequence[str]) -> set[str]:
        """Which of the keys have a result."""
        found: set[str] = set()
        for place in range(0, len(keys), 500):
            part = keys[place : place + 500]
            marks = ",".join("?" * len(part))
            found.update(row[0] for row in self.rows(f"SELECT key FROM results WHERE key IN ({marks})", part))
        return found

    def result(self, key: str) -> Any:
        """The result of a key; raises KeyError when there is none."""
        found = self.rows("SELECT value FROM results WHERE key = ?", (key,))
        if not found:
            raise KeyError(key)
        return unpacked(found[0][0])

    def keep(self, rows: Sequence[tuple[str, str, Any, float]]) -> None:
        """Keeps results: (key, stage, JSON-able value, seconds), all or none."""
        with self.transaction():
            self._db.executemany(
                "INSERT OR REPLACE INTO results (key, stage, value, seconds, failed) VALUES (?, ?, ?, ?, ?)",
                [
                    (key, stage, packed(value), seconds, bool(isinstance(value, dict) and value.get("failure")))
                    for key, stage, value, seconds in rows
                ],
            )

    def failed(self) -> set[str]:
        """Keys of all results that came of a failed model call."""
        return {row[0] for row in self.rows("SELECT key FROM results WHERE failed")}

    def forget(self, keys: Sequence[str]) -> None:
        """Drops the results of the keys."""
        with self.transaction():
            self._db.executemany("DELETE FROM results WHERE key = ?", [(key,) for key in keys])

    # Arrays too large for a row, in a folder a key, memory-mapped when read.

    def keep_arrays(self, key: str, arrays: dict[str, npt.NDArray]) -> None:
        """Writes arrays into a folder of their own that appears only when it is whole."""

        def write(folder: Path) -> None:
            for name, array in arrays.items():
                np.save(folder / f"{name}.npy", array)

        self.keep_folder(key, write)

    def keep_folder(self, key: str, write: Callable[[Path], None]) -> Path:
        """A folder of files under a key: `write` fills it, and it appears only when it is whole. Returns it."""
        draft = self._arrays / f".{key}.{os.getpid()}.{time.monotonic_ns():x}"
        with told(self._arrays):
            draft.mkdir(parents=True)
            try:
                write(draft)
                self._publish(key, draft)
            finally:
                shutil.rmtree(draft, ignore_errors=True)
        return self._arrays / key

    def _publish(self, key: str, draft: Path) -> None:
        marks = {file.name: _mark(file) for file in sorted(draft.iterdir())}
        (draft / "manifest.json").write_text(json.dumps(marks))
        if self._sound(key):  # another process was quicker
            shutil.rmtree(draft, ignore_errors=True)
            return
        shutil.rmtree(self._arrays / key, ignore_errors=True)
        try:
            draft.rename(self._arrays / key)
        except OSError:
            if not self._sound(key):
                raise

    def _sound(self, key: str) -> bool:
        try:
            self.folder_of(key)
        except KeyError:
            return False
        return True

    def folder_of(self, key: str) -> Path:
        """The folder of a key; raises KeyError when it is missing or a file in it is not what was written.

        A file is known by its size and by a checksum over its ends and some blocks between (all of a small file), so
        that opening a large one stays quick.
        """
        folder = self._arrays / key
        try:
            marks = json.loads((folder / "manifest.json").read_text())
            if any(_mark(folder / name) != mark for name, mark in marks.items()):
                raise KeyError(key)
        except (OSError, ValueError):
            raise KeyError(key) from None
        return folder

    def arrays(self, key: str) -> dict[str, npt.NDArray]:
        """Arrays memory-mapped for reading; raises KeyError as `folder_of` does."""
        folder = self.folder_of(key)
        return {file.stem: _mapped(file) for file in sorted(folder.glob("*.npy"))}

    def forget_arrays(self, key: str) -> None:
        """Drops the folder of a key."""
        shutil.rmtree(self._arrays / key, ignore_errors=True)

    def grown_array(
        self, key: str, name: str, rows: int, batches: Callable[[int], Iterator[npt.NDArray[np.float32]]]
    ) -> None:
        """Writes a float32 array of `rows` rows batch by batch, without holding it in memory.

        `batches(done)` yields what comes after the first `done` rows. Interrupted, the same call goes on behind the
        last batch that was written whole; another process that makes the same array at the same time makes its own.
        """
        draft = self._arrays / f".{key}.growing"
        with told(self._arrays):
            self._arrays.mkdir(parents=True, exist_ok=True)
            try:
                with FileLock(self._arrays / f".{key}.lock", timeout=0):
                    if self._sound(key):
                        return
                    draft.mkdir(exist_ok=True)
                    self._grow(draft, name, rows, batches)
                    self._publish(key, draft)
            except Timeout:
                self.keep_arrays(key, {name: np.concatenate(list(batches(0)))})

    def _grow(
        self, draft: Path, name: str, rows: int, batches: Callable[[int], Iterator[npt.NDArray[np.float32]]]
    ) -> None:
        path, journal = draft / f"{name}.npy", draft / _JOURNAL
        done = 0
        table: Any = None
        if path.exists() and journal.exists():
            done = int(journal.read_text() or 0)
            table = np.lib.format.open_memmap(path, mode="r+")
            if table.shape[0] != rows or not done:
                done, table = 0, None
        if done < rows:
            for batch in batches(done):
                if table is None:
                    table = np.lib.format.open_memmap(path, "w+", np.float32, (rows, batch.shape[1]))
                table[done : done + len(batch)] = batch
                table.flush()
                done += len(batch)
                journal.write_text(str(done))
        journal.unlink(missing_ok=True)


def _mark(path: Path) -> list[Any]:
    """[size, checksum] of a file."""
    size = path.stat().st_size
    check = 0
    with open(path, "rb") as file:
        if size <= 2 * _BLOCKS * _BLOCK:
            check = zlib.crc32(file.read())
        else:
            for place in range(_BLOCKS):
                file.seek((size - _BLOCK) * place // (_BLOCKS - 1))
                check = zlib.crc32(file.read(_BLOCK), check)
    return [size, check]


def _mapped(path: Path) -> npt.NDArray:
    try:
        return np.load(path, mmap_mode="r")
    except ValueError:  # an empty array can't be mapped
        return np.load(path)


def packed(value: Any) -> bytes:
    """A JSON-able value as compressed bytes; equal values give equal bytes."""
    body = json.dumps(value, ensure_ascii=False, separators=(",", ":"))
    return compressed(body.encode("utf-8", "surrogatepass"))


def compressed(body: bytes) -> bytes:
    """Bytes of JSON, compressed."""
    return zstandard.compress(body, 1)


def unpacked(body: bytes) -> Any:
    """The value of what `packed` or `compressed` gave, here or (by zlib) in a store of format 1."""
    plain = zstandard.decompress(body) if body.startswith(zstandard.FRAME_HEADER) else zlib.decompress(body)
    try:
        return orjson.loads(plain)
    except orjson.JSONDecodeError:  # it does not know NaN, nor half of a surrogate pair
        return json.loads(plain.decode("utf-8", "surrogatepass"))


@contextmanager
def told(path: Path) -> Iterator[None]:
    """Turns what a disk or SQLite throws into one line that says what to do."""
    try:
        yield
    except sqlite3.DatabaseError as error:
        reason = str(error)
        if "locked" in reason or "busy" in reason:
            raise Unavailable(f"{path}: another process has held the store for 30 s; try again") from None
        if "full" in reason or "disk I/O" in reason:
            raise Unavailable(f"{path}: can't be written ({reason}); make room on the disk and run it again") from None
        if "readonly" in reason or "unable to open" in reason:
            raise BadInput(f"{path}: can't be written ({reason}); check the permissions of the folder") from None
        if "not a database" in reason or "malformed" in reason:
            raise BadInput(f"{path}: is not a sound SQLite file ({reason}); move it away and gather again") from None
        raise
    except PermissionError as error:
        raise BadInput(f"{error.filename or path}: no permission to write there") from None
    except OSError as error:
        raise Unavailable(
            f"{error.filename or path}: can't be written ({error.strerror}); run it again when it can"
        ) from None
