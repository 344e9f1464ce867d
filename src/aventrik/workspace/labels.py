"""`labels.csv`: a line a document, a column a label; `COLUMN by` says whether a person gave it or the tool."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path

from .files import read_rows, write_rows

BY_PERSON = "person"


class Labels:
    """The labels of a workspace, read from and written to its file."""

    def __init__(self, path: Path, written: Callable[[], None] = lambda: None) -> None:
        self.path = path
        self._written = written
        self.columns, self.rows = read_rows(path, "document")

    def given(self, column: str) -> dict[str, str]:
        """The labels of a column that a person gave."""
        by = f"{column} by"
        return {
            name: row[column]
            for name, row in self.rows.items()
            if row.get(column) and row.get(by, "") in ("", BY_PERSON)
        }

    def values(self, column: str) -> dict[str, str]:
        """All labels of a column, whoever gave them."""
        return {name: row[column] for name, row in self.rows.items() if row.get(column)}

    def set(self, column: str, labels: Mapping[str, str], by: str = BY_PERSON) -> None:
        """Sets labels and writes the file in one step."""
        for name in (column, f"{column} by"):
            if name not in self.columns:
                self.columns.append(name)
        for document, label in labels.items():
            self.rows.setdefault(document, {}).update({column: label, f"{column} by": by})
        rows = [{"document": name, **row} for name, row in sorted(self.rows.items())]
        write_rows(self.path, ["document", *self.columns], rows)
        self._written()
