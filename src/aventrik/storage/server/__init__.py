"""The store on a PostgreSQL server, for several people and machines at once; arrays stand in a folder, or where any
`fsspec` address leads."""

from __future__ import annotations

from contextlib import AbstractContextManager
from pathlib import Path

from ..arrays import FolderArrays
from ..embedded.upkeep import back_up, restore
from ..protocols import Contents, Progress, nothing
from ..tables.calls import TabledCalls
from ..tables.decided import TabledDecided
from ..tables.documents import TabledDocuments
from ..tables.limits import TabledLimits
from ..tables.results import TabledResults
from ..tables.runs import TabledRuns
from ..tables.upkeep import clean, counts, damaged
from .database import ServerDatabase


class ServerStore:
    """A `Store` in a schema of a PostgreSQL database."""

    read_only = False

    def __init__(self, address: str, schema: str, patience: float, arrays: FolderArrays) -> None:
        self.address = address
        self.database = ServerDatabase(address, schema, patience)
        arrays.database = self.database
        self.documents = TabledDocuments(self.database)
        self.results = TabledResults(self.database)
        self.arrays = arrays
        self.runs = TabledRuns(self.database)
        self.calls = TabledCalls(self.database)
        self.decided = TabledDecided(self.database)
        self.limits = TabledLimits(lambda: ServerDatabase(address, schema, patience))

    def transaction(self) -> AbstractContextManager[None]:
        """All that is written inside stands together or not at all."""
        return self.database.transaction()

    def holds(self) -> Contents:
        """What there is, in numbers."""
        number, size = self.arrays.holds()
        [(tables,)] = self.database.rows(
            "SELECT coalesce(sum(pg_total_relation_size(c.oid)), 0) FROM pg_class c "
            "JOIN pg_namespace n ON n.oid = c.relnamespace WHERE n.nspname = ? AND c.relkind = 'r'",
            (self.database.schema,),
        )
        return Contents(counts(self.database) | {"arrays": number}, {"database": int(tables), "arrays": size})

    def back_up(self, path: Path) -> dict[str, int]:
        """Writes runs, with all they rest on, and finished model calls into one new SQLite file; returns counts."""
        return back_up(self.database, path)

    def restore(self, path: Path) -> dict[str, int]:
        """Takes in the runs and calls of such a file that are not here yet; returns counts."""
        return restore(self.database, path)

    def clean(self) -> dict[str, int]:
        """Drops what no run and no document refers to any more; returns counts. Raises `BadInput` while others work."""
        made = clean(self.database, self.database.others())
        made["arrays"] = self.arrays.clear()
        return made

    def damaged(self, progress: Progress = nothing) -> list[str]:
        """What is not as it was written, a line each: every byte of the arrays and every row is looked at."""
        return [*damaged(self.database, self.database.where, progress), *self.arrays.damaged(progress)]

    def before(self) -> list[tuple[str, str, str]]:
        """Nothing: no store of an earlier format stood on a server."""
        return []

    def forget_before(self) -> None:
        """Nothing to drop."""

    def close(self) -> None:
        """Closes the connection; the store can't be used after it."""
        self.database.close()
