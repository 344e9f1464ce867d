"""The SQLite file under everything: opened, migrated, written in transactions, its errors told plainly."""

from __future__ import annotations

import os
import socket
import sqlite3
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from ...core.errors import BadInput, Damaged, Unavailable, disk_errors
from ..tables import Result
from ..tables.schema import FORMAT, SCHEMA

_AT_ONCE = 500  # values in one statement


class EmbeddedDatabase:
    """Opens, and creates when it is missing, the file `store.db` in a folder."""

    row = "rowid"
    for_update = ""  # a transaction that writes has the whole file to itself

    def __init__(self, folder: Path, name: str = "store.db") -> None:
        self.path = folder / name
        self.read_only = False
        with database_errors(self.path):
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

    def numbered_on(self) -> None:
        """Nothing to do: new runs are numbered behind the last."""

    def unsound(self) -> list[str]:
        """What SQLite finds wrong with the file."""
        return [f"{self.path}: {row[0]}" for row in self.rows("PRAGMA integrity_check") if row[0] != "ok"]

    def fold(self) -> None:
        """Takes the log into the file, which then can be copied and read by itself."""
        self.execute("PRAGMA journal_mode = DELETE")

    def close(self) -> None:
        """Closes the file; nothing can be used after it."""
        self._db.close()

    @contextmanager
    def transaction(self) -> Iterator[None]:
        """All statements inside are written together or not at all; may be nested."""
        with database_errors(self.path):
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

    def whole(self, work: Callable[[], Result]) -> Result:
        """Does work in one transaction."""
        with self.transaction():
            return work()

    def now(self) -> float:
        """Seconds since 1970 by this machine's clock."""
        return time.time()

    def session(self) -> str:
        """This machine and process."""
        return f"{socket.gethostname()} {os.getpid()}"

    def alive(self, sessions: set[str]) -> set[str]:
        """Those whose process lives; of another machine's, which has the same folder, that is not known here."""
        host = socket.gethostname()
        return {each for each in sessions if each.partition(" ")[0] != host or _lives(each.partition(" ")[2])}

    def execute(self, statement: str, values: Sequence[Any] = ()) -> int:
        """One statement; returns how many rows it changed."""
        with database_errors(self.path):
            return self._db.execute(statement, values).rowcount

    def many(self, statement: str, rows: Iterable[Sequence[Any]]) -> None:
        """One statement for each row, all or none."""
        with self.transaction():
            self._db.executemany(statement, rows)

    def rows(self, statement: str, values: Sequence[Any] = ()) -> list[tuple[Any, ...]]:
        """All rows of a query."""
        with database_errors(self.path):
            return self._db.execute(statement, values).fetchall()

    def each(self, statement: str) -> Iterator[tuple[Any, ...]]:
        """The rows of a query one by one, for many that need not be in memory together."""
        with database_errors(self.path):
            yield from self._db.execute(statement)

    def rows_of(self, statement: str, keys: Sequence[Any]) -> Iterator[tuple[Any, ...]]:
        """The rows of a query with `IN (?)` for many values."""
        for place in range(0, len(keys), _AT_ONCE):
            part = keys[place : place + _AT_ONCE]
            yield from self.rows(statement.replace("(?)", f"({','.join('?' * len(part))})"), part)


def _lives(process: str) -> bool:
    try:
        os.kill(int(process), 0)
    except (ValueError, ProcessLookupError):
        return False
    except OSError:  # it is somebody else's
        return True
    return True


def writable(path: Path) -> bool:
    """Whether a store's file, and the folder with its log, can be written."""
    return os.access(path, os.W_OK) and os.access(path.parent, os.W_OK)


@contextmanager
def database_errors(path: Path) -> Iterator[None]:
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
