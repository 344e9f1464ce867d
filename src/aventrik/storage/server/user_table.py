"""A table of the user's that is searched as it is, over transactions that can't write."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt
import psycopg
from psycopg import sql

from ...core.errors import BadInput
from .conditions import of_columns
from .searching import Reaching, SearchDatabase
from .statements import asked, met, written

_SAMPLE = 1000  # vectors by which a change is noticed
_DISTANCES = {"cosine": "<=>", "inner product": "<#>", "euclidean": "<->"}


@dataclass(frozen=True)
class TableOf:
    """A table of the user's: its name (with a schema or without) and its columns; `words` is a column of type tsvector,
    "" where the text itself is read with the configuration `language`."""

    name: str
    id: str
    text: str
    source: str = ""
    vector: str = ""
    words: str = ""
    language: str = "english"
    distance: str = "cosine"


@dataclass(frozen=True)
class TableRow:
    """A row of a user's table, as it was found."""

    id: str
    text: str
    source: str
    score: float


class UserTable:
    """A table of the user's in a database. Raises `BadInput` where the table, or a column of it, is missing."""

    def __init__(self, database: SearchDatabase, table: TableOf) -> None:
        self._database = database
        self.table = table

    @property
    def _link(self) -> psycopg.Connection[tuple[Any, ...]]:
        return self._database.link

    def state(self) -> str:
        """What tells whether a user's table is as it was: rows, a checksum of ids and texts, a sample of vectors, indexes.

        Raises `BadInput` where a column, or the table, is missing.
        """
        parts = self.table.name.split(".")
        name = sql.Identifier(*parts)
        key, text = sql.Identifier(self.table.id), sql.Identifier(self.table.text)
        checksum = sql.SQL(
            "SELECT count(*), coalesce(sum(hashtextextended({}::text || ' ' || coalesce({}::text, ''), 0)::numeric), 0) FROM {}"
        ).format(key, text, name)
        with self._reading():
            [(count, total)] = self._link.execute(checksum).fetchall()
            for column in (self.table.source, self.table.words):
                if column:
                    self._link.execute(sql.SQL("SELECT {} FROM {} LIMIT 0").format(sql.Identifier(column), name))
            sample = ""
            if self.table.vector:
                some = sql.SQL(
                    "SELECT coalesce(sum(hashtextextended(v::text, 0)::numeric), 0) FROM (SELECT {} AS v FROM {} LIMIT %s) s"
                ).format(sql.Identifier(self.table.vector), name)
                sample = str(self._link.execute(some, (_SAMPLE,)).fetchall()[0][0])
            indexes = self._link.execute(
                "SELECT string_agg(pg_get_indexdef(indexrelid), ' ' ORDER BY indexrelid) FROM pg_index WHERE indrelid = %s::regclass",
                (name.as_string(self._link),),
            ).fetchall()[0][0]
        return f"{count} {total} {sample} {indexes}"

    def width(self) -> int:
        """How many numbers the vectors of a user's table have."""
        name = sql.Identifier(*self.table.name.split("."))
        statement = sql.SQL("SELECT vector_dims({}::vector) FROM {} WHERE {} IS NOT NULL LIMIT 1").format(
            sql.Identifier(self.table.vector), name, sql.Identifier(self.table.vector)
        )
        with self._reading():
            rows = self._link.execute(statement).fetchall()
        return int(rows[0][0]) if rows else 0

    def rows_near(self, queries: npt.NDArray[np.float32], top: int, how: Reaching) -> list[list[TableRow]]:
        """For each query the nearest rows of a user's table, by its own distance and index.

        Raises `BadInput` where its vectors have another length than the queries.
        """
        width = self.width()
        if width and width != queries.shape[1]:
            raise BadInput(
                f"{self._database.where}: the vectors of {self.table.name} have {width:,} numbers, those of the embedding model "
                f"{queries.shape[1]:,}; name the model by which the table was made"
            )
        where, values = met(how.where, of_columns)
        operator = _DISTANCES[self.table.distance]
        statement = sql.SQL(
            "SELECT {id}::text, {text}::text, {source}, {vector} "
            + operator
            + " %s::vector AS away FROM {name} {where} "
            "ORDER BY {vector} " + operator + " %s::vector LIMIT %s"
        ).format(**self._names(), where=where, vector=sql.Identifier(self.table.vector))
        found = []
        with self._reading(), self._database.reach(how, top):
            for query in queries:
                text = written(query)
                found.append(self._row(statement, (text, *values, text, top), -1.0))
        return found

    def rows_with(self, queries: Sequence[str], top: int, how: Reaching) -> list[list[TableRow]]:
        """For each query the rows of a user's table that match its words, by `ts_rank`."""
        where, values = met(how.where, of_columns, lead="AND")
        words: sql.Composable = sql.Identifier(self.table.words)
        if not self.table.words:
            words = sql.SQL("to_tsvector({}::regconfig, {})").format(
                sql.Literal(self.table.language), sql.Identifier(self.table.text)
            )
        statement = sql.SQL(
            "SELECT {id}::text, {text}::text, {source}, ts_rank({words}, q) AS r FROM {name}, "
            "(SELECT " + asked(how.match) + " AS q) asked WHERE {words} @@ q {where} ORDER BY r DESC, {id} LIMIT %s"
        ).format(**self._names(), where=where, words=words)
        found = []
        with self._reading():
            for query in queries:
                found.append(self._row(statement, (self.table.language, query.replace("\0", " "), *values, top), 1.0))
        return found

    def _row(self, statement: Any, values: Sequence[Any], sign: float) -> list[TableRow]:
        rows = self._link.execute(statement, values).fetchall()
        return [
            TableRow(str(key), text or "", str(source or ""), sign * float(score)) for key, text, source, score in rows
        ]

    @contextmanager
    def _reading(self) -> Iterator[None]:
        """A transaction that can't write anything."""
        with self._database.server_errors(self.table.name), self._link.transaction():
            self._link.execute("SET TRANSACTION READ ONLY")
            self._link.execute("SET LOCAL search_path TO DEFAULT")
            yield

    def _names(self) -> dict[str, sql.Composable]:
        return {
            "name": sql.Identifier(*self.table.name.split(".")),
            "id": sql.Identifier(self.table.id),
            "text": sql.Identifier(self.table.text),
            "source": sql.SQL("{}::text").format(sql.Identifier(self.table.source))
            if self.table.source
            else sql.SQL("''"),
        }
