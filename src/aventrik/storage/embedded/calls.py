"""The call store: every finished request to a model, kept in SQLite under its content key."""

from __future__ import annotations

import time
from collections.abc import Sequence

from ...models.calls import Call
from .database import Database, packed, unpacked

_COLUMNS = "key, model, task, request, reply, vector, failure, tokens_in, tokens_out, money, seconds, attempts"


class EmbeddedCalls:
    """A `CallStore` in SQLite. Vectors are kept as bytes, all else as compressed JSON."""

    def __init__(self, database: Database) -> None:
        self._db = database

    def find(self, keys: Sequence[str]) -> dict[str, Call]:
        """Those calls of the keys that are kept, failed ones too."""
        found: dict[str, Call] = {}
        for place in range(0, len(keys), 500):
            part = keys[place : place + 500]
            marks = ",".join("?" * len(part))
            for row in self._db.rows(f"SELECT {_COLUMNS} FROM calls WHERE key IN ({marks})", part):
                key, model, task, request, reply, vector, *rest = row
                found[key] = Call(key, model, task, unpacked(request), vector or unpacked(reply), *rest)
        return found

    def keep(self, calls: Sequence[Call]) -> None:
        """Keeps calls, all or none; a later one takes the place of an earlier."""
        now = time.time()
        with self._db.transaction():
            for call in calls:
                vector = call.reply if isinstance(call.reply, bytes) else None
                self._db.execute(
                    f"INSERT OR REPLACE INTO calls ({_COLUMNS}, made) VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?)",
                    (
                        call.key,
                        call.model,
                        call.task,
                        packed(call.request),
                        packed("" if vector is not None else call.reply),
                        vector,
                        call.failure,
                        call.tokens_in,
                        call.tokens_out,
                        call.money,
                        call.seconds,
                        call.attempts,
                        now,
                    ),
                )

    def rates(self) -> dict[str, tuple[int, float, float]]:
        """Of each model how many finished calls are kept, their tokens in and out, and their seconds together."""
        rows = self._db.rows(
            "SELECT model, COUNT(*), SUM(tokens_in + tokens_out), SUM(seconds) FROM calls WHERE failure = '' GROUP BY model",
            (),
        )
        return {
            str(model): (int(count), float(tokens or 0), float(seconds or 0)) for model, count, tokens, seconds in rows
        }

    def forget_failed(self) -> int:
        """Drops failed calls, so that they are made again; returns how many there were."""
        return self._db.execute("DELETE FROM calls WHERE failure <> ''").rowcount
