"""The SQLite file under everything: opened, migrated, written in transactions, its errors told plainly."""

from __future__ import annotations

import json
import os
import sqlite3
import zlib
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import orjson
import zstandard

from ...core.errors import BadInput, Damaged, Unavailable, disk_errors
from .schema import FORMAT, SCHEMA

_AT_ONCE = 500  # values in one statement
_ROW = "a row of the store is not what was written there; 'aventrik store --check' looks through all of it"


class Database:
    """Opens, and creates when it is missing, the file `store.db` in a folder."""

    def __init__(self, folder: Path) -> None:
        self.path = folder / "store.db"
        self.read_only = False
        with told(self.path):
            if self.path.exists() and not writable(self.path):
                self._db = self._for_reading()
            else:
                folder.mkdir(exist_ok=True)
                self._db = sqlite3.connect(self.path, timeout=30, isolation_level=None)
            self._db.execute("PRAGMA busy_timeout = 30000")
            found = self.format
            if found > FORMAT:
                raise BadInput(
                    f"{self.path}: made by a newer Aventrik (store format {found}, this one knows {FORMAT}); upgrade"
                )
            if self.read_only and found < FORMAT:
                raise BadInput(
                    f"{self.path}: is of an older format ({found}, this one knows {FORMAT}) and can't be written; open it "
                    "once where it can be"
                )
            if not self.read_only:
                self._db.execute("PRAGMA journal_mode = WAL")
                self._db.execute("PRAGMA synchronous = NORMAL")
            self._db.execute("PRAGMA foreign_keys = ON")
            self._db.execute("PRAGMA cache_size = -65536")  # 64 MB
            self._db.execute("PRAGMA wal_autocheckpoint = 8000")  # pages: the log is folded in after some 32 MB
        if found < FORMAT:
            self._prepare()

    def _for_reading(self) -> sqlite3.Connection:
        """The store where nothing can be written. What a writer left in its log is read too; where there is none, the
        file is taken for one that nobody changes."""
        self.read_only = True
        log = self.path.with_name(f"{self.path.name}-wal")
        how = "mode=ro" if log.exists() and log.stat().st_size else "immutable=1"
        return sqlite3.connect(f"{self.path.resolve().as_uri()}?{how}", timeout=30, isolation_level=None, uri=True)

    @property
    def format(self) -> int:
        """The format of the store as it stands; 0 for a new one."""
        return int(self._db.execute("PRAGMA user_version").fetchone()[0])

    def _prepare(self) -> None:
        """Lays out a new store, or brings an old one to this format: whole, or not at all."""
        from .migrating import migrate

        with self.transaction():
            found = self.format  # another process may have been quicker
            if found == FORMAT:
                return
            if found:
                migrate(self, found)
            else:
                for statement in SCHEMA:
                    self.execute(statement)
            self.execute(f"PRAGMA user_version = {FORMAT}")

    def close(self) -> None:
        """Closes the file; nothing can be used after it."""
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
        """One statement."""
        with told(self.path):
            return self._db.execute(statement, values)

    def many(self, statement: str, rows: Iterable[Sequence[Any]]) -> None:
        """One statement for each row, all or none."""
        with self.transaction():
            self._db.executemany(statement, rows)

    def rows(self, statement: str, values: Sequence[Any] = ()) -> list[tuple[Any, ...]]:
        """All rows of a query."""
        with told(self.path):
            return self._db.execute(statement, values).fetchall()

    def each(self, statement: str) -> Iterator[tuple[Any, ...]]:
        """The rows of a query one by one, for many that need not be in memory together."""
        with told(self.path):
            yield from self._db.execute(statement)

    def rows_of(self, statement: str, keys: Sequence[Any]) -> Iterator[tuple[Any, ...]]:
        """The rows of a query with `IN (?)` for many values."""
        for place in range(0, len(keys), _AT_ONCE):
            part = keys[place : place + _AT_ONCE]
            yield from self.rows(statement.replace("(?)", f"({','.join('?' * len(part))})"), part)


def packed(value: Any) -> bytes:
    """A JSON-able value as compressed bytes; equal values give equal bytes."""
    body = json.dumps(value, ensure_ascii=False, separators=(",", ":"))
    return compressed(body.encode("utf-8", "surrogatepass"))


def compressed(body: bytes) -> bytes:
    """Bytes of JSON, compressed."""
    return zstandard.compress(body, 1)


def decompressed(body: bytes) -> bytes:
    """The inverse of `compressed`, and of zlib, by which a store of format 1 was written; raises `Damaged`."""
    try:
        return zstandard.decompress(body) if body.startswith(zstandard.FRAME_HEADER) else zlib.decompress(body)
    except (zstandard.ZstdError, zlib.error, AttributeError, TypeError, MemoryError):
        raise Damaged(_ROW) from None


def unpacked(body: bytes) -> Any:
    """The value of what `packed` or `compressed` gave; raises `Damaged`."""
    plain = decompressed(body)
    try:
        return orjson.loads(plain)
    except orjson.JSONDecodeError:  # it does not know NaN, nor half of a surrogate pair
        return loads(plain)


def loads(body: str | bytes) -> Any:
    """The value of plain JSON in a row; raises `Damaged`."""
    try:
        return json.loads(body if isinstance(body, str) else body.decode("utf-8", "surrogatepass"))
    except (ValueError, TypeError, AttributeError, RecursionError):
        raise Damaged(_ROW) from None


def writable(path: Path) -> bool:
    """Whether a store's file, and the folder with its log, can be written."""
    return os.access(path, os.W_OK) and os.access(path.parent, os.W_OK)


@contextmanager
def told(path: Path) -> Iterator[None]:
    """Turns what a disk or SQLite throws into one line that says what to do."""
    try:
        with disk_errors(path):
            yield
    except UnicodeDecodeError:  # SQLite's own message quotes what it found
        raise Damaged(f"{path}: is not a sound store; move it away and gather again") from None
    except sqlite3.DatabaseError as error:
        reason = str(error)
        if "locked" in reason or "busy" in reason:
            raise Unavailable(f"{path}: another process has held the store for 30 s; try again") from None
        if "full" in reason or "disk I/O" in reason:
            raise Unavailable(f"{path}: can't be written ({reason}); make room on the disk and run it again") from None
        if "readonly" in reason or "unable to open" in reason:
            raise BadInput(f"{path}: can't be written ({reason}); check the permissions of the folder") from None
        if isinstance(error, (sqlite3.ProgrammingError, sqlite3.IntegrityError)):
            raise  # a fault of the program's own
        raise Damaged(f"{path}: is not a sound store ({reason}); move it away and gather again") from None
