"""Search where PostgreSQL searches: index texts are loaded into tables of a schema of our own; vectors are found by
pgvector, words by its own full-text search, conditions as SQL."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt
import psycopg
from psycopg import errors, sql

from ...core.errors import BadInput, Unavailable
from ...core.indexing import Hit
from .conditions import of_metadata
from .database import ServerDatabase
from .statements import asked, met, written

_LONGEST = 2000  # numbers of a vector that pgvector takes into an index
_MOST_EFFORT = 1000  # pgvector's own limit of hnsw.ef_search
_PROBED = 200  # vectors that recall is measured with


@dataclass(frozen=True)
class Layout:
    """How index texts are laid out: `way` is "exact", "graph" (HNSW with M = `links` and ef_construction =
    `build_effort`) or "lists" (IVFFlat with so many `lists`, 0: four times the square root of the number of texts);
    `language` is the text-search configuration, "" where words are not searched."""

    way: str = "exact"
    links: int = 32
    build_effort: int = 80
    lists: int = 0
    language: str = ""


@dataclass(frozen=True)
class Reaching:
    """How thoroughly an index is searched (hnsw.ef_search, ivfflat.probes), how words are joined ("any", "all"), and what
    documents must meet."""

    way: str = "exact"
    effort: int = 256
    probes: int = 20
    match: str = "any"
    where: str = ""


class SearchDatabase:
    """A PostgreSQL database that is searched, and may take so many megabytes to build an index. Raises `BadInput` for what
    the server does not have, or does not allow."""

    def __init__(self, address: str, schema: str, patience: float = 60.0, megabytes: int = 1024) -> None:
        self.address = address
        self._megabytes = megabytes
        self._database = ServerDatabase(address, schema, patience, lay_out=False)
        self._schema = schema
        self._ready = False
        self._pgvector = ""  # the schema that it lives in, once known

    @property
    def where(self) -> str:
        """The address for messages."""
        return self._database.where

    @property
    def identity(self) -> str:
        """What lists depend on beside what is loaded and asked: where it is, and the versions."""
        version = self.link.info.server_version // 10_000
        return f"{self.where} {self._schema} PostgreSQL {version} pgvector {self._extension() or self._available()}"

    @property
    def link(self) -> psycopg.Connection[tuple[Any, ...]]:
        """The connection."""
        return self._database.link

    def _extension(self) -> str:
        rows = self._rows("SELECT extversion FROM pg_extension WHERE extname = 'vector'")
        return str(rows[0][0]) if rows else ""

    @property
    def _home(self) -> str:
        """The schema that pgvector lives in, quoted."""
        if self._pgvector:
            return self._pgvector
        rows = self._rows(
            "SELECT quote_ident(nspname) FROM pg_extension e JOIN pg_namespace n ON n.oid = e.extnamespace "
            "WHERE extname = 'vector'"
        )
        self._pgvector = str(rows[0][0]) if rows else ""
        return self._pgvector or "public"

    def _available(self) -> str:
        """The version that will be there once it is added."""
        rows = self._rows("SELECT default_version FROM pg_available_extensions WHERE name = 'vector'")
        return str(rows[0][0]) if rows else "none"

    def _need_vectors(self) -> None:
        """Makes sure of pgvector; raises `BadInput` where the server does not have it."""
        if self._extension():
            return
        try:
            with self.server_errors():
                self.link.execute("CREATE EXTENSION IF NOT EXISTS vector SCHEMA public")
        except (psycopg.Error, BadInput) as error:
            raise BadInput(
                f"{self.where}: the database has no pgvector, and it can't be added ({' '.join(str(error).split())[:160]}); "
                "have the extension 'vector' installed, or search by words alone"
            ) from None

    def _rows(self, statement: Any, values: Sequence[Any] = ()) -> list[tuple[Any, ...]]:
        with self.server_errors():
            return self.link.execute(statement, values or None).fetchall()

    # Tables of our own.

    def has(self, name: str) -> bool:
        """Whether a table was loaded whole."""
        self._lay_out()
        return bool(self._rows("SELECT 1 FROM loaded WHERE name = %s", (name,)))

    def load(
        self,
        name: str,
        rows: Iterable[tuple[int, int, str | None, npt.NDArray[np.float32] | None, str | None]],
        width: int,
        layout: Layout,
        count: int,
        progress: Callable[[int, int], None] = lambda done, total: None,
    ) -> None:
        """Loads index texts: (number, document, text, vector, JSON of the document's fields) each, in order; `width` is the
        length of vectors, 0 without. The table is there whole, with its index, or not at all."""
        self._lay_out()
        if width:
            self._need_vectors()
        if width > _LONGEST and layout.way != "exact":
            raise BadInput(
                f"{self.where}: pgvector's indexes take vectors of {_LONGEST:,} numbers, these have {width:,}; search exactly"
            )
        table = sql.Identifier(self._schema, name)
        columns = ["n INTEGER PRIMARY KEY", "doc INTEGER NOT NULL", "meta JSONB"]
        named = ["n", "doc", "meta"]
        if layout.language:
            language = sql.Literal(layout.language).as_string(self.link)
            words = f"words TSVECTOR GENERATED ALWAYS AS (to_tsvector({language}::regconfig, body)) STORED"
            columns += ["body TEXT NOT NULL", words]
            named.append("body")
        if width:
            columns.append(f"vector {self._home}.vector({width}) NOT NULL")
            named.append("vector")
        with self.server_errors(), self.link.transaction():
            self.link.execute("SELECT pg_advisory_xact_lock(hashtextextended(%s, 0))", (name,))
            if self.link.execute("SELECT 1 FROM loaded WHERE name = %s", (name,)).fetchall():
                return  # another process was quicker
            self.link.execute(sql.SQL("DROP TABLE IF EXISTS {}").format(table))
            made = sql.SQL("CREATE TABLE {} (" + ", ".join(columns) + ")").format(table)
            self.link.execute(made)
            into = sql.SQL("COPY {} (" + ", ".join(named) + ") FROM STDIN").format(table)
            with self.link.cursor() as cursor, cursor.copy(into) as copy:
                for done, (number, doc, text, vector, meta) in enumerate(rows, 1):
                    row: list[Any] = [number, doc, meta]
                    if layout.language:
                        row.append((text or "").replace("\0", "\ufffd"))
                    if width:
                        row.append(written(vector))
                    copy.write_row(row)
                    if not done % 1000:
                        progress(done, count)
            self._index(table, width, layout, count)
            self.link.execute("INSERT INTO loaded VALUES (%s, %s, now())", (name, count))
        with self.server_errors():
            self.link.execute(sql.SQL("ANALYZE {}").format(table))

    def _index(self, table: sql.Identifier, width: int, layout: Layout, count: int) -> None:
        if layout.language:
            self.link.execute(sql.SQL("CREATE INDEX ON {} USING gin (words)").format(table))
        if not width or layout.way == "exact":
            return
        self.link.execute(f"SET LOCAL maintenance_work_mem = '{self._megabytes}MB'")
        if layout.way == "graph":
            how = f"hnsw (vector {self._home}.vector_ip_ops) WITH (m = {layout.links}, ef_construction = {layout.build_effort})"
        else:
            lists = layout.lists or max(1, min(round(4 * count**0.5), count // 4 or 1))
            how = f"ivfflat (vector {self._home}.vector_ip_ops) WITH (lists = {min(32_768, lists)})"
        self.link.execute(sql.SQL("CREATE INDEX ON {} USING " + how).format(table))

    def drop_loaded(self) -> int:
        """Drops all tables of our own; returns how many there were."""
        self._lay_out()
        names = [str(row[0]) for row in self._rows("SELECT name FROM loaded")]
        with self.server_errors(), self.link.transaction():
            for name in names:
                self.link.execute(sql.SQL("DROP TABLE IF EXISTS {}").format(sql.Identifier(self._schema, name)))
            self.link.execute("DELETE FROM loaded")
        return len(names)

    def _lay_out(self) -> None:
        if self._ready:
            return
        with self.server_errors():
            if not self._rows("SELECT to_regnamespace(quote_ident(%s))", (self._schema,))[0][0]:
                self.link.execute(sql.SQL("CREATE SCHEMA IF NOT EXISTS {}").format(sql.Identifier(self._schema)))
            self.link.execute(
                "CREATE TABLE IF NOT EXISTS loaded (name TEXT PRIMARY KEY, rows BIGINT NOT NULL, made TIMESTAMPTZ NOT NULL)"
            )
        self._ready = True

    def nearest(self, name: str, queries: npt.NDArray[np.float32], top: int, how: Reaching) -> list[list[Hit]]:
        """For each query the nearest index texts of a loaded table, by inner product, best first; equal ones in order."""
        table = sql.Identifier(self._schema, name)
        where, values = met(how.where, of_metadata)
        statement = sql.SQL(
            f"SELECT n, (vector OPERATOR({self._home}.<#>) %s::{self._home}.vector) FROM {{}} {{}} "
            f"ORDER BY vector OPERATOR({self._home}.<#>) %s::{self._home}.vector LIMIT %s"
        ).format(table, where)
        found = []
        with self.server_errors(), self.reach(how, top):
            for query in queries:
                text = written(query)
                rows = self.link.execute(statement, (text, *values, text, top)).fetchall()
                hits = sorted(((int(n), round(-float(away), 6)) for n, away in rows), key=lambda hit: (-hit[1], hit[0]))
                found.append(hits)
        return found

    @contextmanager
    def reach(self, how: Reaching, top: int) -> Iterator[None]:
        """Settings of the server for one search, which end with it."""
        with self.link.transaction():
            if how.way == "exact":
                self.link.execute("SET LOCAL enable_indexscan = off")
            elif how.way == "graph":
                self.link.execute(f"SET LOCAL hnsw.ef_search = {max(1, min(_MOST_EFFORT, max(how.effort, top)))}")
            else:
                self.link.execute(f"SET LOCAL ivfflat.probes = {min(32_768, how.probes)}")
            yield

    def by_words(self, name: str, queries: Sequence[str], top: int, language: str, how: Reaching) -> list[list[Hit]]:
        """For each query the index texts that match it, by `ts_rank`; equal ones in order."""
        table = sql.Identifier(self._schema, name)
        where, values = met(how.where, of_metadata, lead="AND")
        statement = sql.SQL(
            "SELECT n, ts_rank(words, q) AS r FROM {}, (SELECT " + asked(how.match) + " AS q) asked "
            "WHERE words @@ q {} ORDER BY r DESC, n LIMIT %s"
        ).format(table, where)
        found = []
        with self.server_errors():
            for query in queries:
                rows = self.link.execute(statement, (language, query.replace("\0", " "), *values, top)).fetchall()
                found.append([(int(n), float(rank)) for n, rank in rows])
        return found

    def recall(self, name: str, how: Reaching, top: int = 10) -> float:
        """Share of the `top` nearest of those that meet the condition that the index finds too, as
        `core.indexing.approximate.recall` measures it."""
        table = sql.Identifier(self._schema, name)
        [(count,)] = self._rows(sql.SQL("SELECT count(*) FROM {}").format(table))
        chosen = np.unique(np.linspace(0, max(0, int(count) - 1), _PROBED).astype(int)).tolist()
        rows = self._rows(sql.SQL("SELECT n, vector::text FROM {} WHERE n = ANY(%s)").format(table), (chosen,))
        queries = np.array([json.loads(text) for _, text in rows], dtype=np.float32)
        near = self.nearest(name, queries, top + 1, Reaching(how.way, how.effort, how.probes, where=how.where))
        true = self.nearest(name, queries, top + 1, Reaching(where=how.where))
        return _recall([int(n) for n, _ in rows], near, true)

    @contextmanager
    def server_errors(self, table: str = "") -> Iterator[None]:
        """Turns what the server refuses into one line that says what to do."""
        try:
            with self._database.driver_errors():
                yield
        except errors.UndefinedColumn as error:
            raise BadInput(f"{self.where}: {_first(error)}; check [search.table] and the condition") from None
        except errors.UndefinedTable as error:
            raise BadInput(f"{self.where}: {_first(error)}; check search.table.name '{table}'") from None
        except errors.ProgramLimitExceeded as error:
            raise BadInput(f"{self.where}: more than the server takes ({_first(error)})") from None
        except errors.QueryCanceled as error:
            raise Unavailable(f"{self.where}: {_first(error)}") from None
        except (psycopg.DataError, psycopg.ProgrammingError) as error:
            raise BadInput(f"{self.where}: {_first(error)}") from None

    def close(self) -> None:
        """Closes the connection."""
        self._database.close()


def _recall(own: Sequence[int], near: list[list[Hit]], true: list[list[Hit]]) -> float:
    shares = []
    for n, one, other in zip(own, near, true):
        wanted = {place for place, _ in other if place != n}
        shares.append(len(wanted & {place for place, _ in one}) / max(1, len(wanted)))
    return float(np.mean(shares)) if shares else 1.0


def _first(error: psycopg.Error) -> str:
    return str(error).strip().splitlines()[0][:200]
