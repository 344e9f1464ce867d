"""`metadata.csv`: what is known of documents beside what stands in them, a line a document, a column a field."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from ..core.errors import BadInput, Unreadable
from ..core.reading.decoding import decode
from ..core.reading.records import typed
from .files import read_rows, write_rows


class Metadata:
    """Metadata from beside the documents, read from and written to its file."""

    def __init__(self, path: Path, written: Callable[[], None] = lambda: None) -> None:
        self.path = path
        self._written = written
        self.columns, self._rows = read_rows(path, "document")

    def of(self, name: str) -> dict[str, Any]:
        """The fields of a document: numbers and truth values where a cell reads as one; empty cells are no field."""
        return {column: typed(value) for column, value in self._rows.get(name, {}).items() if value}

    def add(self, rows: Mapping[str, Mapping[str, str]]) -> None:
        """Sets fields of documents and writes the file in one step; other fields stay."""
        for name, fields in rows.items():
            self._rows.setdefault(name, {}).update(fields)
            self.columns.extend(column for column in fields if column not in self.columns)
        write_rows(
            self.path, ["document", *self.columns], [{"document": n, **r} for n, r in sorted(self._rows.items())]
        )
        self._written()


def load_metadata(path: Path) -> dict[str, dict[str, str]]:
    """Metadata of documents from a CSV file with a column 'document': for each the other columns that have a value. Raises
    `BadInput` for a file that can't be read, or has no such column."""
    try:
        text, _ = decode(path.read_bytes())
    except (OSError, Unreadable) as error:
        raise BadInput(f"{path}: can't be read ({error})") from None
    rows = list(csv.DictReader(io.StringIO(text, newline="")))
    if not rows or "document" not in rows[0]:
        raise BadInput(f"{path}, line 1: there must be a column 'document'")
    return {
        row["document"]: {key: value for key, value in row.items() if key and key != "document" and value}
        for row in rows
        if row["document"]
    }
