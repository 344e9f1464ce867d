"""Rows to a file and back: CSV, JSONL, Parquet or XLSX, by its suffix."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

from ..core.errors import BadInput
from ..core.surrogates import HALF
from .files import harmless, read_text, write_whole

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


def sheet_lines(path: Path, columns: Sequence[str], needed: Sequence[str]) -> Iterator[tuple[int, dict[str, str]]]:
    """The lines of a sheet (CSV or XLSX) by column, with their numbers; cells that a spreadsheet was kept from running as
    they were. A column that is not there is empty; raises `BadInput` where one that is needed is not there."""
    read = xlsx_lines(path) if path.suffix.lower() == ".xlsx" else _csv_lines(path)
    head: list[str] = []
    for line, cells in read:
        if not head:
            head = [cell.strip().lower() for cell in cells]
            for name in needed:
                if name not in head:
                    raise BadInput(f"{path}, line 1: there is no column '{name}'; --to FILE writes a sheet to fill in")
            continue
        row = dict.fromkeys(columns, "")
        row.update((name, _plain(cell)) for name, cell in zip(head, cells) if name in row)
        if any(row.values()):
            yield line, row
    if not head:
        raise BadInput(f"{path}: is empty")


def _plain(cell: str) -> str:
    return cell[1:] if cell[:1] == "'" and cell[1:2] in ("=", "+", "-", "@", "\t", "\r") else cell


def _csv_lines(path: Path) -> Iterator[tuple[int, list[str]]]:
    csv.field_size_limit(2**31 - 1)
    text = read_text(path)
    first = text.split("\n", 1)[0]
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=max(",;\t", key=first.count))
    try:
        for row in reader:
            yield reader.line_num, row
    except csv.Error as error:
        raise BadInput(f"{path}, line {reader.line_num}: not valid CSV ({error})") from None


def xlsx_lines(path: Path) -> Iterator[tuple[int, list[str]]]:
    """The rows of the first sheet of a workbook, with their numbers; raises `BadInput`, and `MissingExtra` without its library."""
    from zipfile import BadZipFile

    try:
        from openpyxl import load_workbook
    except ImportError:
        from ..core.errors import MissingExtra

        raise MissingExtra("reading XLSX", "xlsx") from None
    if not path.is_file():
        raise BadInput(f"{path}: no such file")
    try:
        book: Any = load_workbook(path, read_only=True, data_only=True)
    except (BadZipFile, KeyError, ValueError, OSError) as error:
        raise BadInput(f"{path}: is no workbook that can be read ({str(error)[:60]})") from None
    for number, row in enumerate(book.worksheets[0].iter_rows(values_only=True), 1):
        yield number, ["" if cell is None else str(cell) for cell in row]
