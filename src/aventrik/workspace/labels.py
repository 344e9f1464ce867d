"""`labels.csv`: a line a document, a column a label; `COLUMN by` says whether a person gave it or the tool."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping
from pathlib import Path

from ..core.errors import BadInput
from .files import read_text, write_whole

BY_PERSON = "person"


class Labels:
    """The labels of a workspace, read from and written to its file."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self.columns: list[str] = []
        self.rows: dict[str, dict[str, str]] = {}
        if path.is_file():
            self._load()

    def _load(self) -> None:
        text = read_text(self.path)
        reader = csv.DictReader(io.StringIO(text, newline=""))
        if not reader.fieldnames or "document" not in reader.fieldnames:
            raise BadInput(f"{self.path}, line 1: there must be a column 'document'")
        self.columns = [name for name in reader.fieldnames if name != "document"]
        for row in reader:
            name = row["document"] or ""
            if name in self.rows:
                raise BadInput(f"{self.path}, line {reader.line_num}: '{name}' stands in it twice")
            self.rows[name] = {column: (row.get(column) or "").strip() for column in self.columns}

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
        buffer = io.StringIO(newline="")
        writer = csv.DictWriter(buffer, ["document", *self.columns], restval="")
        writer.writeheader()
        writer.writerows({"document": name, **row} for name, row in sorted(self.rows.items()))
        write_whole(self.path, buffer.getvalue())
