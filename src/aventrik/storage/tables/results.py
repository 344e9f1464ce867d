"""Records of stages, by content key."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from ..packing import compressed, decompressed
from ..protocols import Kept, Rate
from . import Database, put

_RECENT = 50_000  # results whose costs are averaged


class TabledResults:
    """A `ResultStore` in a database."""

    def __init__(self, database: Database) -> None:
        self._db = database

    def ids(self, keys: Sequence[str]) -> list[str]:
        """For each key the id under which its present result stands, or would stand."""
        takes = dict(self._db.rows_of("SELECT key, take FROM takes WHERE key IN (?)", list(dict.fromkeys(keys))))
        return [taken(key, takes[key]) if key in takes else key for key in keys] if takes else list(keys)

    def digests(self, ids: Sequence[str]) -> dict[str, tuple[str, int]]:
        """Of those ids that have a result: the digest of its value, and its flaws (see `Kept`)."""
        rows = self._db.rows_of("SELECT id, digest, failed FROM results WHERE id IN (?)", list(dict.fromkeys(ids)))
        return {found: (digest, int(flaws)) for found, digest, flaws in rows}

    def values(self, ids: Sequence[str]) -> dict[str, bytes]:
        """The values of those ids that have a result."""
        rows = self._db.rows_of("SELECT id, value FROM results WHERE id IN (?)", list(dict.fromkeys(ids)))
        return {found: decompressed(value) for found, value in rows}

    def costs(self, ids: Sequence[str]) -> dict[str, tuple[float, float, float, float, float]]:
        """What those results took: seconds, model calls, tokens in, tokens out, money."""
        rows = self._db.rows_of(
            "SELECT id, seconds, calls, tokens_in, tokens_out, money FROM results WHERE id IN (?)",
            list(dict.fromkeys(ids)),
        )
        return {row[0]: (row[1], row[2], row[3], row[4], row[5]) for row in rows}

    def rates(self) -> dict[str, Rate]:
        """By stage what a result took, of the last ones that were made."""
        rows = self._db.rows(
            "SELECT stage, count(*), avg(seconds), avg(calls), avg(tokens_in), avg(tokens_out), avg(money) FROM results "
            f"WHERE {self._db.row} > (SELECT max({self._db.row}) FROM results) - ? GROUP BY stage",
            (_RECENT,),
        )
        return {row[0]: Rate(*row[1:]) for row in rows}

    def keep(self, rows: Sequence[Kept]) -> None:
        """Keeps results, all or none. What stands under an id already stays: others rest on it."""
        columns = "id, stage, digest, value, failed, seconds, calls, tokens_in, tokens_out, money"
        self._db.many(
            put("results", columns, replace=False),
            [
                (row.id, row.stage, row.digest, compressed(row.value), int(row.flaws), row.seconds, *row.cost)
                for row in rows
            ],
        )

    def drop(self, ids: Sequence[str]) -> None:
        """Drops results that no run refers to."""
        self._db.many("DELETE FROM results WHERE id = ?", [(each,) for each in ids])

    def any_takes(self) -> bool:
        """Whether any key has been made anew."""
        return bool(self._db.rows("SELECT 1 FROM takes LIMIT 1"))

    def next_takes(self, keys: Sequence[str]) -> dict[str, int]:
        """For each key the number of the take that comes after the present one."""
        takes = dict(self._db.rows_of("SELECT key, take FROM takes WHERE key IN (?)", list(dict.fromkeys(keys))))
        return {key: int(takes.get(key, 0)) + 1 for key in keys}

    def swap(self, takes: Mapping[str, int]) -> None:
        """Makes these takes the present ones, all at once."""
        self._db.many(put("takes", "key, take"), list(takes.items()))


def taken(key: str, take: int) -> str:
    """The id of a take of a key."""
    return f"{key}.{take}" if take else key
