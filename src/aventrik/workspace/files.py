"""The user's own files: read with errors told plainly, written whole or not at all."""

from __future__ import annotations

import csv
import io
import os
import tempfile
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any

from ..core.errors import BadInput, disk_errors

_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def read_bytes(path: Path) -> bytes:
    """What stands in a file; raises `BadInput` with the reason where it can't be read."""
    try:
        return path.read_bytes()
    except FileNotFoundError:
        raise BadInput(f"{path}: no such file") from None
    except IsADirectoryError:
        raise BadInput(f"{path}: is a folder, not a file") from None
    except OSError as error:
        raise BadInput(f"{path}: can't be read ({error.strerror})") from None


def read_text(path: Path) -> str:
    """The text of a UTF-8 file, without a byte-order mark, its line ends "\n"; raises `BadInput` with the reason."""
    try:
        text = read_bytes(path).decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise BadInput(f"{path}: not UTF-8 text (byte {error.start})") from None
    return text.replace("\r\n", "\n").replace("\r", "\n")


def write_whole(path: Path, data: str | bytes) -> None:
    """Writes a file in one step, its folder too: it is there whole, or as it was before."""
    body = data.encode() if isinstance(data, str) else data
    with disk_errors(path):
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, draft = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.")
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(body)
            os.chmod(draft, 0o644)
            os.replace(draft, path)
        except BaseException:
            os.unlink(draft)
            raise


def harmless(value: Any) -> Any:
    """A cell that no spreadsheet runs as a formula."""
    return f"'{value}" if isinstance(value, str) and value.startswith(_FORMULA) else value


def read_rows(path: Path, key: str) -> tuple[list[str], dict[str, dict[str, str]]]:
    """The columns of a CSV file beside its column `key`, and its rows by that column, cells without white space at
    their ends; nothing for a file that is not there. Raises `BadInput` with the line of what is wrong."""
    if not path.is_file():
        return [], {}
    reader = csv.DictReader(io.StringIO(read_text(path), newline=""))
    try:
        names = reader.fieldnames
        if not names or key not in names:
            raise BadInput(f"{path}, line 1: there must be a column '{key}'")
        columns = [name for name in names if name != key]
        rows: dict[str, dict[str, str]] = {}
        for row in reader:
            name = row[key] or ""
            if name in rows:
                raise BadInput(f"{path}, line {reader.line_num}: '{name}' stands in it twice")
            rows[name] = {column: (row.get(column) or "").strip() for column in columns}
    except csv.Error as error:
        raise BadInput(f"{path}, line {reader.line_num}: not valid CSV ({error})") from None
    return columns, rows


def write_rows(path: Path, columns: Sequence[str], rows: Iterable[Mapping[str, str]]) -> None:
    """Writes a CSV file in one step."""
    buffer = io.StringIO(newline="")
    writer = csv.DictWriter(buffer, columns, restval="", lineterminator="\n")
    writer.writeheader()
    writer.writerows(rows)
    write_whole(path, buffer.getvalue())
