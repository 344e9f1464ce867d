"""Rows to a file: CSV, JSONL, Parquet or XLSX, by its suffix."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from ..core.errors import BadInput
from ..core.surrogates import HALF
from ..workspace.files import harmless, write_whole

FORMATS = (".csv", ".jsonl", ".parquet", ".xlsx")
_LONGEST_CELL = 32_767  # characters that a cell of a spreadsheet may hold


def write_table(path: Path, rows: Sequence[Mapping[str, Any]]) -> None:
    """Writes rows in one step; raises `BadInput` for a suffix that is no table's.

    In CSV and XLSX a text that a spreadsheet would take for a formula gets an apostrophe in front.
    """
    rows = [
        {key: HALF.sub("\ufffd", value) if isinstance(value, str) else value for key, value in row.items()}
        for row in rows
    ]
    suffix = path.suffix.lower()
    if suffix not in FORMATS:
        raise BadInput(f"{path}: the file's name must end in one of {', '.join(FORMATS)}")
    if suffix == ".parquet":
        data = _parquet(rows)
    elif suffix == ".xlsx":
        data = _xlsx(rows)
    elif suffix == ".csv":
        buffer = io.StringIO(newline="")
        writer = csv.DictWriter(buffer, list(rows[0]) if rows else [])
        writer.writeheader()
        writer.writerows({key: harmless(value) for key, value in row.items()} for row in rows)
        data = buffer.getvalue().encode("utf-8-sig")
    else:
        lines = (json.dumps(row, ensure_ascii=False, default=str) + "\n" for row in rows)
        data = "".join(lines).encode("utf-8", "replace")
    write_whole(path, data)


def _parquet(rows: Sequence[Mapping[str, Any]]) -> bytes:
    try:
        import pyarrow
        from pyarrow import parquet
    except ImportError:
        from ..core.errors import MissingExtra

        raise MissingExtra("writing Parquet", "parquet") from None
    sink = io.BytesIO()
    parquet.write_table(pyarrow.Table.from_pylist([dict(row) for row in rows]), sink)
    return sink.getvalue()


def _xlsx(rows: Sequence[Mapping[str, Any]]) -> bytes:
    try:
        from openpyxl import Workbook
        from openpyxl.cell.cell import ILLEGAL_CHARACTERS_RE as ILLEGAL
    except ImportError:
        from ..core.errors import MissingExtra

        raise MissingExtra("writing XLSX", "xlsx") from None
    book = Workbook(write_only=True)
    sheet = book.create_sheet("questions")
    names = list(rows[0]) if rows else []
    sheet.append(names)
    for row in rows:
        cells = [harmless(row[name]) for name in names]
        sheet.append([ILLEGAL.sub(" ", cell)[:_LONGEST_CELL] if isinstance(cell, str) else cell for cell in cells])
    sink = io.BytesIO()
    book.save(sink)
    return sink.getvalue()
