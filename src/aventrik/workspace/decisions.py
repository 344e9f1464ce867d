"""`decisions.csv`: which documents were left out and why, a line a document, fit for version control."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

from .files import read_rows, write_rows

_COLUMNS = ("document", "left out because")


class Decisions:
    """What was left out of a workspace's corpus, read from and written to its file."""

    def __init__(self, path: Path, written: Callable[[], None] = lambda: None) -> None:
        self.path = path
        self._written = written
        _, rows = read_rows(path, "document")
        self.reasons: dict[str, str] = {name: row.get(_COLUMNS[1]) or "left out" for name, row in rows.items()}

    def leave_out(self, reasons: Mapping[str, str]) -> int:
        """Leaves documents out, each for its reason; returns how many were not out yet."""
        fresh = {name: reason for name, reason in reasons.items() if name not in self.reasons}
        if fresh:
            self.reasons.update(fresh)
            self._write()
        return len(fresh)

    def take_back(self, names: Sequence[str]) -> int:
        """Lets documents back in; returns how many were out."""
        out = [name for name in names if name in self.reasons]
        for name in out:
            del self.reasons[name]
        if out:
            self._write()
        return len(out)

    def _write(self) -> None:
        write_rows(self.path, _COLUMNS, [{_COLUMNS[0]: n, _COLUMNS[1]: r} for n, r in sorted(self.reasons.items())])
        self._written()
