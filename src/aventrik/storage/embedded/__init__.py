"""The store on one machine: a SQLite file and a folder of arrays."""

from __future__ import annotations

from contextlib import AbstractContextManager
from pathlib import Path

from ..arrays import FolderArrays
from ..protocols import Contents, Progress, nothing
from ..tables.calls import TabledCalls
from ..tables.documents import TabledDocuments
from ..tables.limits import TabledLimits
from ..tables.results import TabledResults
from ..tables.runs import TabledRuns
from ..tables.upkeep import clean, counts, damaged
from . import upkeep
from .database import EmbeddedDatabase


class EmbeddedStore:
    """A `Store` in one folder."""

    decided = None  # what people decide is in files of the workspace alone

    def __init__(self, folder: Path, arrays: FolderArrays | None = None) -> None:
        self.address = folder
        self.database = EmbeddedDatabase(folder)
        self.documents = TabledDocuments(self.database)
        self.results = TabledResults(self.database)
        self.arrays = arrays or FolderArrays(folder / "arrays")
        self.arrays.database = self.database
        self.runs = TabledRuns(self.database)
        self.calls = TabledCalls(self.database)
        self.limits = TabledLimits(lambda: EmbeddedDatabase(folder))

    def transaction(self) -> AbstractContextManager[None]:
        """All that is written inside stands together or not at all."""
        return self.database.transaction()

    def holds(self) -> Contents:
        """What there is, in numbers."""
        number, size = self.arrays.holds()
        sizes = {"store.db": sum(path.stat().st_size for path in self.address.glob("store.db*"))}
        return Contents(counts(self.database) | {"arrays": number}, sizes | {"arrays": size})

    def back_up(self, path: Path) -> dict[str, int]:
        """Writes runs, with all they rest on, and finished model calls into one new file; returns counts."""
        return upkeep.back_up(self.database, path)

    def restore(self, path: Path) -> dict[str, int]:
        """Takes in the runs and calls of such a file that are not here yet; returns counts."""
        return upkeep.restore(self.database, path)

    def clean(self) -> dict[str, int]:
        """Drops what no run and no document refers to any more; returns counts."""
        made = clean(self.database, set())
        made["arrays"] = self.arrays.clear()
        self.database.execute("VACUUM")
        return made

    def damaged(self, progress: Progress = nothing) -> list[str]:
        """What is not as it was written, a line each: every byte of the arrays and every row is looked at."""
        return [
            *self.database.unsound(), *damaged(self.database, str(self.database.path), progress), *self.arrays.damaged(progress)
        ]  # fmt: skip

    @property
    def read_only(self) -> bool:
        """Whether nothing can be written in it."""
        return self.database.read_only

    def before(self) -> list[tuple[str, str, str]]:
        """(kind, document, value) of what a store of an earlier format held that now stands in the workspace's files:
        kind is "left out" (value: the reason) or "metadata" (value: JSON)."""
        if not self.database.rows("SELECT 1 FROM sqlite_master WHERE name = 'before'"):
            return []
        return [(row[0], row[1], row[2]) for row in self.database.rows("SELECT kind, document, value FROM before")]

    def forget_before(self) -> None:
        """Drops what `before` gives, once it stands elsewhere."""
        self.database.execute("DROP TABLE IF EXISTS before")

    def close(self) -> None:
        """Closes the file; the store can't be used after it."""
        self.database.close()
