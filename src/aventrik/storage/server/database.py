"""A PostgreSQL database under the tables: connected, laid out, written in transactions, its errors told plainly.

Everything is done on one connection. Where it breaks, it is made anew for as long as the patience lasts, and what was
being done is done again from its start: a statement, or a whole piece of work. A session is known by an advisory lock
that its connection holds: when the process ends, or its machine, the server lets go of it.
"""

from __future__ import annotations

import random
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager, suppress
from typing import Any

import psycopg
from psycopg import errors, sql

from ...core.errors import BadInput, Unavailable
from ..tables import Result
from ..tables.mending import drop_filtered_away
from ..tables.schema import FORMAT, MIGRATIONS, SCHEMA
from .dialect import laid_out, marked, of_many

OLDEST = 13  # the oldest version of the server that is taken
_AT_ONCE = 10_000  # values in one statement
_CLASS = 0x4156  # of the advisory locks: they stand for sessions, and 0 for laying out
_TRIES = 10  # of work that the server stopped because two waited for each other
_SECRETS = "the password belongs in the variable PGPASSWORD, or in the file that PGPASSFILE names"


class _Lost(Unavailable):
    """The connection broke while something was being done."""


class ServerDatabase:
    """Opens, and lays out where there is none, a store in a schema of a database.

    Raises `BadInput` for a server that is too old, a wrong password, missing rights or a newer store, and `Unavailable`
    for a server that can't be reached within `patience` seconds, once it has been reached.
    """

    row = "number"
    for_update = " FOR UPDATE"

    def __init__(self, address: str, schema: str = "aventrik", patience: float = 60.0, lay_out: bool = True) -> None:
        self.address = address
        self.schema = schema
        self.read_only = False
        self._patience = patience
        self._number = random.SystemRandom().randrange(1, 2**31)
        self._prepares = lay_out  # a search must be planned anew each time: the plan depends on its settings
        self._depth = 0
        self._cursors = 0
        self._db = self._connected()
        self._check_version()
        if lay_out:
            with self.driver_errors():
                self._prepare()

    def _connected(self) -> psycopg.Connection[tuple[Any, ...]]:
        with self.driver_errors(connecting=True):
            made = psycopg.connect(
                self.address, autocommit=True, connect_timeout=10, application_name="aventrik",
                keepalives_idle=30, keepalives_interval=10, keepalives_count=3,
            )  # fmt: skip
            path = sql.SQL("SET search_path TO {}").format(sql.Identifier(self.schema))
            if not self._prepares:
                made.prepare_threshold = None
            made.execute(path)
            made.execute("SELECT pg_advisory_lock(%s, %s)", (_CLASS, self._number))
            return made

    def _check_version(self) -> None:
        version = self._db.info.server_version
        if version < OLDEST * 10_000:
            raise BadInput(f"{self.where}: the server is PostgreSQL {version // 10_000}; {OLDEST} or newer is needed")

    @property
    def link(self) -> psycopg.Connection[tuple[Any, ...]]:
        """The connection, made anew where it broke."""
        if self._db.closed:
            self._reconnect()
        return self._db

    @property
    def where(self) -> str:
        """The address for messages."""
        return self.address.partition("?")[0]

    def _prepare(self) -> None:
        """Lays out a new store, or brings an old one to this format: whole, or not at all."""
        if self.format == FORMAT:
            return
        with self._db.transaction():
            self._db.execute("SELECT pg_advisory_xact_lock(%s, 0)", (_CLASS,))
            found = self.format  # another process may have been quicker
            if found > FORMAT:
                raise BadInput(
                    f"{self.where}: made by a newer Aventrik (store format {found}, this one knows {FORMAT}); upgrade"
                )
            if found == FORMAT:
                return
            if not found:
                if not self._db.execute("SELECT to_regnamespace(quote_ident(%s))", (self.schema,)).fetchall()[0][0]:
                    self._db.execute(sql.SQL("CREATE SCHEMA {}").format(sql.Identifier(self.schema)))
                self._db.execute("CREATE TABLE about (name TEXT PRIMARY KEY, value TEXT NOT NULL)")
            steps = [each for n in range(found, FORMAT) for each in MIGRATIONS[n]] if found else SCHEMA
            for statement in laid_out(tuple(steps)):
                self._db.execute(statement)
            if found:
                drop_filtered_away(self)
            self._db.execute(
                "INSERT INTO about VALUES ('format', %s) ON CONFLICT (name) DO UPDATE SET value = excluded.value",
                (str(FORMAT),),
            )

    @property
    def format(self) -> int:
        """The format of the store as it stands; 0 where there is none."""
        there = self._db.execute(
            "SELECT 1 FROM pg_tables WHERE schemaname = %s AND tablename = 'about'", (self.schema,)
        ).fetchall()
        if not there:
            return 0
        [(value,)] = self._db.execute("SELECT value FROM about WHERE name = 'format'").fetchall()
        return int(value)

    def close(self) -> None:
        """Closes the connection; nothing can be used after it."""
        self._db.close()

    # Work, which is done again where the connection broke.

    def whole(self, work: Callable[[], Result]) -> Result:
        """Does work in one transaction; from its start again where the connection broke, or where the server stopped it
        because two waited for each other."""
        if self._depth:
            return work()

        def inside() -> Result:
            with self._transaction():
                return work()

        return self._again(inside)

    def _again(self, work: Callable[[], Result]) -> Result:
        if self._depth:
            with self.driver_errors():
                return work()
        tries = 0
        while True:
            try:
                with self.driver_errors():
                    return work()
            except _Lost:
                self._reconnect()
            except (errors.DeadlockDetected, errors.SerializationFailure):
                tries += 1
                if tries == _TRIES:
                    raise Unavailable(f"{self.where}: too many processes wait for one another; try again") from None
                time.sleep(random.random() * 0.1 * tries)

    def _reconnect(self) -> None:
        with suppress(psycopg.Error):
            self._db.close()
        began, wait = time.monotonic(), 0.1
        while True:
            try:
                self._db = self._connected()
                with self.driver_errors():
                    found = self.format
                if found not in (0, FORMAT):
                    raise BadInput(f"{self.where}: another version of Aventrik has taken the store over; upgrade")
                return
            except (Unavailable, _Lost) as error:
                if time.monotonic() - began > self._patience:
                    raise Unavailable(
                        f"{self.where}: the connection was lost, and for {self._patience:,.0f} s there was none to be had "
                        f"({error}); what was finished is kept, the same command goes on"
                    ) from None
                time.sleep(wait)
                wait = min(2.0, wait * 1.5)

    @contextmanager
    def transaction(self) -> Iterator[None]:
        """All statements inside are written together or not at all; may be nested. Where the connection breaks inside,
        nothing of it is written."""
        try:
            with self._transaction():
                yield
        except _Lost as error:
            if self._depth:
                raise
            raise Unavailable(
                f"{self.where}: the connection was lost in the middle of a transaction ({error}); nothing of it was "
                "written, the same command goes on"
            ) from None

    @contextmanager
    def _transaction(self) -> Iterator[None]:
        if self._depth:
            yield
            return
        if self._db.closed:
            self._reconnect()
        with self.driver_errors(), self._db.transaction():
            self._depth = 1
            try:
                yield
            finally:
                self._depth = 0

    def execute(self, statement: str, values: Sequence[Any] = ()) -> int:
        """One statement; returns how many rows it changed."""
        return self._again(lambda: self._db.execute(marked(statement), _fitting(values)).rowcount)

    def many(self, statement: str, rows: Iterable[Sequence[Any]]) -> None:
        """One statement for each row, all or none."""
        held = [_fitting(row) for row in rows]
        if not held:
            return

        def work() -> None:
            with self._db.cursor() as cursor:
                cursor.executemany(marked(statement), held)

        self.whole(work)

    def rows(self, statement: str, values: Sequence[Any] = ()) -> list[tuple[Any, ...]]:
        """All rows of a query."""
        return self._again(lambda: self._db.execute(marked(statement), _fitting(values)).fetchall())

    def rows_of(self, statement: str, keys: Sequence[Any]) -> Iterator[tuple[Any, ...]]:
        """The rows of a query with `IN (?)` for many values."""
        for place in range(0, len(keys), _AT_ONCE):
            part = list(_fitting(keys[place : place + _AT_ONCE]))
            found = self._again(lambda part=part: self._db.execute(of_many(statement), (part,)).fetchall())  # type: ignore[misc]
            yield from found

    def each(self, statement: str) -> Iterator[tuple[Any, ...]]:
        """The rows of a query one by one, for many that need not be in memory together."""
        with self.transaction():
            self._cursors += 1
            with self._db.cursor(name=f"each{self._cursors}") as cursor:
                cursor.itersize = 1000
                cursor.execute(marked(statement))
                yield from cursor

    def now(self) -> float:
        """Seconds since 1970 by the server's clock: those of its users may differ."""
        [(found,)] = self.rows("SELECT extract(epoch FROM clock_timestamp())")
        return float(found)

    def session(self) -> str:
        """What tells this process from all others."""
        return str(self._number)

    def alive(self, sessions: set[str]) -> set[str]:
        """Those of the sessions whose connection stands."""
        return sessions & self._sessions()

    def others(self) -> set[str]:
        """All other sessions that stand."""
        return self._sessions() - {self.session()}

    def _sessions(self) -> set[str]:
        rows = self.rows(
            "SELECT objid FROM pg_locks WHERE locktype = 'advisory' AND classid = ? AND granted AND objid <> 0 "
            "AND database = (SELECT oid FROM pg_database WHERE datname = current_database())",
            (_CLASS,),
        )
        return {str(row[0]) for row in rows}

    def numbered_on(self) -> None:
        """Lets runs that come be numbered behind those that were copied with their numbers."""
        self.execute(
            "SELECT setval(pg_get_serial_sequence('runs', 'id'), (SELECT coalesce(max(id), 0) + 1 FROM runs), false)"
        )

    @contextmanager
    def driver_errors(self, connecting: bool = False) -> Iterator[None]:
        """Turns what the driver throws into one line that says what to do."""
        try:
            yield
        except (errors.DeadlockDetected, errors.SerializationFailure):
            raise
        except errors.InsufficientPrivilege as error:
            raise BadInput(f"{self.where}: the user may not do that ({_line(error)}); ask for the rights") from None
        except errors.DiskFull as error:
            raise Unavailable(f"{self.where}: the server's disk is full ({_line(error)})") from None
        except (psycopg.OperationalError, psycopg.InterfaceError) as error:
            raise self._of_connection(error, connecting) from None

    def _of_connection(self, error: psycopg.Error, connecting: bool) -> Exception:
        reason = _line(error)
        if "password" in reason or "authentication" in reason:
            return BadInput(f"{self.where}: the server does not let the user in ({reason}); {_SECRETS}")
        if "does not exist" in reason:  # the database or the role
            return BadInput(f"{self.where}: {reason}")
        if "not allowed" in reason or "no pg_hba.conf entry" in reason:
            return BadInput(f"{self.where}: {reason}")
        if not connecting and self._db.closed:
            return _Lost(f"{self.where}: the connection was lost ({reason}); the same command goes on")
        return Unavailable(f"{self.where}: can't be reached ({reason}); is the server running, and the address right?")


def _line(error: psycopg.Error) -> str:
    """What the driver says, on one line."""
    return " ".join(str(error).split())[:300] or type(error).__name__


def _fitting(values: Sequence[Any]) -> Sequence[Any]:
    """Values without the character NUL, which a text of PostgreSQL can't have."""
    if any(isinstance(value, str) and "\0" in value for value in values):
        return [value.replace("\0", "\ufffd") if isinstance(value, str) else value for value in values]
    return values
