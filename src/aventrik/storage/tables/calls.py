"""The call store: every finished request to a model, kept under its content key; which are under way, and how many may be."""

from __future__ import annotations

from collections.abc import Sequence

from ...models.calls import Call
from ..packing import packed, unpacked
from . import Database, put

_COLUMNS = "key, model, task, request, reply, vector, failure, tokens_in, tokens_out, money, seconds, attempts"


class TabledCalls:
    """A `CallStore` in a database. Vectors are kept as bytes, all else as compressed JSON."""

    def __init__(self, database: Database) -> None:
        self._db = database

    def find(self, keys: Sequence[str]) -> dict[str, Call]:
        """Those calls of the keys that are kept, failed ones too."""
        found: dict[str, Call] = {}
        for row in self._db.rows_of(f"SELECT {_COLUMNS} FROM calls WHERE key IN (?)", list(keys)):
            key, model, task, request, reply, vector, *rest = row
            found[key] = Call(key, model, task, unpacked(request), vector or unpacked(reply), *rest)
        return found

    def keep(self, calls: Sequence[Call]) -> None:
        """Keeps calls, all or none; a later one takes the place of an earlier."""
        now = self._db.now()
        rows = []
        for call in calls:
            vector = call.reply if isinstance(call.reply, bytes) else None
            rows.append(
                (
                    call.key, call.model, call.task, packed(call.request), packed("" if vector is not None else call.reply),
                    vector, call.failure, call.tokens_in, call.tokens_out, call.money, call.seconds, call.attempts, now,
                )
            )  # fmt: skip
        self._db.many(put("calls", f"{_COLUMNS}, made"), rows)

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
        return self._db.execute("DELETE FROM calls WHERE failure <> ''")

    # What is under way: a row a call, with the session that makes it. A session that has ended holds none.

    def claim(self, keys: Sequence[str]) -> set[str]:
        """Takes calls on: those of the keys that nobody else is making now. They are for this process to make until they
        are released, or until it ends."""
        if self._db.read_only or not keys:
            return set(keys)
        own = self._db.session()

        def take() -> set[str]:
            held = dict(self._db.rows_of("SELECT key, session FROM under_way WHERE key IN (?)", list(keys)))
            alive = self._db.alive(set(held.values()) - {own}) if held else set()
            gone = [(key, session) for key, session in held.items() if session not in alive | {own}]
            if gone:
                self._db.many("DELETE FROM under_way WHERE key = ? AND session = ?", gone)
            free = sorted(set(keys) - {key for key, session in held.items() if session in alive})
            self._db.many(put("under_way", "key, session", replace=False), [(key, own) for key in free])
            rows = self._db.rows_of("SELECT key, session FROM under_way WHERE key IN (?)", free)
            return {key for key, session in rows if session == own}

        return self._db.whole(take)

    def release(self, keys: Sequence[str]) -> None:
        """Gives back what was taken on, made or not."""
        if not self._db.read_only:
            own = self._db.session()
            self._db.many("DELETE FROM under_way WHERE key = ? AND session = ?", [(key, own) for key in sorted(keys)])
