"""What people decided, where a store on a server holds it for all."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from . import Database, put


class TabledDecided:
    """Sheets of rows by name; a row's value is a text."""

    def __init__(self, database: Database) -> None:
        self._db = database

    def sheets(self) -> dict[str, dict[str, str]]:
        """All rows of all sheets."""
        found: dict[str, dict[str, str]] = {}
        for sheet, name, value in self._db.rows("SELECT sheet, name, value FROM decided ORDER BY sheet, name"):
            found.setdefault(sheet, {})[name] = value
        return found

    def change(self, sheet: str, rows: Mapping[str, str], gone: Iterable[str]) -> None:
        """Puts rows into a sheet, and takes others out of it, all or none."""

        def work() -> None:
            self._db.many(put("decided", "sheet, name, value"), [(sheet, *row) for row in sorted(rows.items())])
            self._db.many("DELETE FROM decided WHERE sheet = ? AND name = ?", [(sheet, name) for name in sorted(gone)])

        self._db.whole(work)
