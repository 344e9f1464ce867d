"""The store on one machine: a SQLite file and a folder of arrays."""

from __future__ import annotations

from contextlib import AbstractContextManager
from pathlib import Path

from ..protocols import Contents
from . import upkeep
from .arrays import EmbeddedArrays
from .calls import EmbeddedCalls
from .database import Database
from .documents import EmbeddedDocuments
from .results import EmbeddedResults
from .runs import EmbeddedRuns


class EmbeddedStore:
    """A `Store` in one folder."""

    def __init__(self, folder: Path) -> None:
        self.address = folder
        self._db = Database(folder)
        self._arrays = folder / "arrays"
        self.documents = EmbeddedDocuments(self._db)
        self.results = EmbeddedResults(self._db)
        self.arrays = EmbeddedArrays(self._db, self._arrays)
        self.runs = EmbeddedRuns(self._db)
        self.calls = EmbeddedCalls(self._db)

    def transaction(self) -> AbstractContextManager[None]:
        """All that is written inside stands together or not at all."""
        return self._db.transaction()

    def holds(self) -> Contents:
        """What there is, in numbers."""
        return upkeep.holds(self._db, self._arrays)

    def back_up(self, path: Path) -> dict[str, int]:
        """Writes runs, with all they rest on, and finished model calls into one new file; returns counts."""
        return upkeep.back_up(self._db, path)

    def restore(self, path: Path) -> dict[str, int]:
        """Takes in the runs and calls of such a file that are not here yet; returns counts."""
        return upkeep.restore(self._db, path)

    def clean(self) -> dict[str, int]:
        """Drops what no run and no document refers to any more; returns counts."""
        return upkeep.clean(self._db, self._arrays)

    def damaged(self) -> list[str]:
        """What is not as it was written, a line each: every byte of the arrays and every row is looked at."""
        return upkeep.damaged(self._db) + self.arrays.damaged()

    @property
    def read_only(self) -> bool:
        """Whether nothing can be written in it."""
        return self._db.read_only

    def before(self) -> list[tuple[str, str, str]]:
        """(kind, document, value) of what a store of an earlier format held that now stands in the workspace's files:
        kind is "left out" (value: the reason) or "metadata" (value: JSON)."""
        if not self._db.rows("SELECT 1 FROM sqlite_master WHERE name = 'before'"):
            return []
        return [(row[0], row[1], row[2]) for row in self._db.rows("SELECT kind, document, value FROM before")]

    def forget_before(self) -> None:
        """Drops what `before` gives, once it stands elsewhere."""
        self._db.execute("DROP TABLE IF EXISTS before")

    def close(self) -> None:
        """Closes the file; the store can't be used after it."""
        self._db.close()
