"""Logs of questions: lines of text, JSONL, CSV or TSV, in whatever encoding; columns found by their names and contents."""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime
from functools import lru_cache
from pathlib import Path
from typing import Any

from jsonpointer import JsonPointerException, resolve_pointer

from ..core.errors import BadInput, Unreadable
from ..core.reading.decoding import decode
from ..core.surrogates import mended
from ..core.testsets.locating.gathering import LogEntry
from .files import read_bytes
from .toml import nearest

FIELDS = ("question", "when", "conversation", "speaker", "count")
_NAMES = {
    "question": "question query text utterance message body content prompt enquiry request search q asked".split(),
    "when": "when date time datetime timestamp asked_at created created_at sent day issued".split(),
    "conversation": "conversation session thread chat dialogue dialog ticket conversation_id session_id thread_id chat_id".split(),
    "speaker": "speaker role side sender author from".split(),
    "count": "count times frequency hits number occurrences n".split(),
}
_ASKERS = frozenset("user customer visitor client caller human asker guest member person boater enquirer".split())
_BARE = "text"  # the column of lines that are a text and no object
_SAMPLE = 400  # rows by which columns are told
_ISO = re.compile(r"\d{4}-\d\d-\d\d(?:$|[T ]\d)")
_DATES = (
    "%Y/%m/%d", "%d.%m.%Y", "%d.%m.%Y %H:%M", "%d/%m/%Y", "%d/%m/%Y %H:%M", "%d %B %Y", "%d %b %Y", "%Y%m%d",
)  # fmt: skip


@dataclass(frozen=True)
class QuestionLog:
    """What was read: the entries in order; the encoding; which column gave what; how many entries were the other side's
    (answers), and how many dates could not be read."""

    entries: tuple[LogEntry, ...]
    encoding: str
    columns: Mapping[str, str]
    other_side: int = 0
    no_date: int = 0


def load_log(path: Path, named: Mapping[str, str] = {}) -> QuestionLog:
    """The entries of a log. `named` says which column holds the question, when, conversation, speaker and count, or at
    which JSON Pointer each stands in nested lines; others are found. Raises `BadInput` for a file that can't be read or
    holds nothing, and for a column that is not there."""
    for name in named:
        if name not in FIELDS:
            raise BadInput(f"--columns: there is nothing like '{name}' in a log{nearest(name, list(FIELDS))}")
    text, encoding = _text(path)
    suffix = path.suffix.lower()
    if suffix in (".jsonl", ".ndjson"):
        rows = list(_json_rows(path, text))
    elif suffix in (".csv", ".tsv"):
        rows = list(_csv_rows(path, text, "\t" if suffix == ".tsv" else ""))
    else:
        if named:
            raise BadInput(f"{path}: lines of text have no columns; --columns goes with CSV, TSV and JSONL")
        return QuestionLog(tuple(LogEntry(line) for line in text.split("\n") if line.strip()), encoding, {})
    if not rows:
        raise BadInput(f"{path}: holds no entry")
    return _log(path, rows, named, encoding)


def _text(path: Path) -> tuple[str, str]:
    try:
        return decode(read_bytes(path))
    except Unreadable as error:
        raise BadInput(f"{path}: {error}") from None


def _json_rows(path: Path, text: str) -> Iterator[tuple[int, dict[str, Any]]]:
    for number, line in enumerate(text.split("\n"), start=1):
        if not line.strip():
            continue
        try:
            content = json.loads(line)
        except (ValueError, RecursionError) as error:
            raise BadInput(f"{path}, line {number}: not valid JSON ({str(error)[:60]})") from None
        if isinstance(content, str):
            content = {_BARE: content}
        if not isinstance(content, dict):
            raise BadInput(f"{path}, line {number}: must be a JSON object or a text")
        yield number, {mended(str(name)): value for name, value in content.items()}


def _csv_rows(path: Path, text: str, delimiter: str) -> Iterator[tuple[int, dict[str, Any]]]:
    """The rows of a table with a head; of one without a head, whose single column holds questions, the head too."""
    csv.field_size_limit(2**31 - 1)
    if not delimiter:
        first = text.split("\n", 1)[0]
        delimiter = max(",;\t", key=lambda mark: (first.count(mark), mark == ","))
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter)
    try:
        head = next(reader, None)
        if head is None:
            return
        names = [name.strip() for name in head]
        if len(names) == 1 and _known(names[0]) == "":
            yield 1, {"question": names[0]}
            names = ["question"]
        elif len(set(names)) < len(names):
            raise BadInput(f"{path}, line 1: a column stands there twice")
        for row in reader:
            if any(cell.strip() for cell in row):
                if len(row) > len(names):
                    if len(names) > 1:
                        raise BadInput(f"{path}, line {reader.line_num}: more cells than columns")
                    row = [delimiter.join(row)]
                yield reader.line_num, dict(zip(names, row))
    except csv.Error as error:
        raise BadInput(f"{path}, line {reader.line_num}: not valid CSV ({error})") from None


def _known(column: str) -> str:
    return next((field for field, names in _NAMES.items() if _plain(column) in names), "")


def _log(
    path: Path, rows: Sequence[tuple[int, dict[str, Any]]], named: Mapping[str, str], encoding: str
) -> QuestionLog:
    columns = list(dict.fromkeys(name for _, row in rows[:_SAMPLE] for name in row))
    for field, column in named.items():
        if all(_cell(row, column) is None for _, row in rows):
            raise BadInput(f"{path}: no column is named '{column}' ({field}){nearest(column, columns)}")
    found = dict(named)
    for field in FIELDS:
        if field not in found:
            free = [column for column in columns if column not in found.values() and _known(column) == field]
            if free:
                found[field] = min(free, key=lambda column: _NAMES[field].index(_plain(column)))
    if "question" not in found:
        found["question"] = _wordiest(path, rows, [column for column in columns if column not in found.values()])
    sides = (
        {str(_cell(row, found["speaker"]) or "").strip().lower() for _, row in rows} if "speaker" in found else set()
    )
    asking = sides & _ASKERS or sides  # where no side is known by its name, every side asks
    entries: list[LogEntry] = []
    other_side = no_date = 0
    for number, row in rows:
        text = _cell(row, found["question"])
        if text is None and len(row) == 1:
            text = row.get(_BARE)
        if not isinstance(text, str) or not text.strip():
            continue
        speaker = str(_cell(row, found.get("speaker", "")) or "").strip().lower()
        if speaker and "speaker" in found and speaker not in asking:
            other_side += 1
            continue
        told = _cell(row, found.get("when", ""))
        when = day_of(told if isinstance(told, (int, float)) else str(told or ""))
        no_date += bool(told) and not when
        conversation = _cell(row, found.get("conversation", ""))
        told_in = "" if conversation in (None, "") else str(conversation)
        count = _count(_cell(row, found.get("count", "")), path, number)
        entries.append(LogEntry(mended(text), when, told_in, count))
    if not entries:
        raise BadInput(f"{path}: no entry has a text in its column '{found['question']}'")
    return QuestionLog(tuple(entries), encoding, found, other_side, no_date)


def _cell(row: dict[str, Any], column: str) -> Any:
    """What stands in a column, or, for a name that begins with /, at a JSON Pointer (RFC 6901); None for nothing."""
    if not column.startswith("/") or column in row:
        return row.get(column)
    try:
        return resolve_pointer(row, column, None)
    except (JsonPointerException, TypeError, ValueError):
        return None


def _plain(column: str) -> str:
    return re.sub(r"[^a-z]+", "_", column.lower()).strip("_")


def _count(value: Any, path: Path, number: int) -> int:
    if value in (None, ""):
        return 1
    try:
        found = int(str(value).strip().replace(",", ""))
    except ValueError:
        raise BadInput(f"{path}, line {number}: the count '{str(value)[:40]}' is no whole number") from None
    if not 0 <= found < 10**12:
        raise BadInput(f"{path}, line {number}: the count {found} must not be negative, nor beyond reason")
    return found


def _wordiest(path: Path, rows: Sequence[tuple[int, dict[str, Any]]], columns: Sequence[str]) -> str:
    """The column whose cells look most like questions: several words each, and hardly two alike."""

    def likeness(column: str) -> float:
        cells = [row[column] for _, row in rows[:_SAMPLE] if isinstance(row.get(column), str) and row[column].strip()]
        if not cells:
            return 0.0
        wordy = sum(2 <= len(cell.split()) <= 60 for cell in cells) / len(cells)
        return wordy * len(set(cells)) / len(cells)

    best = max(columns, key=likeness, default="")
    if not best or likeness(best) == 0.0:
        raise BadInput(f"{path}: no column holds questions; --columns question=NAME says which one does")
    return best


@lru_cache(maxsize=1 << 14)
def day_of(value: Any) -> str:
    """The day of a date or time, ISO 8601; "" for what is none. Of 03/04/2031 the day comes first."""
    if isinstance(value, bool) or value in (None, ""):
        return ""
    if isinstance(value, (int, float)):
        return _of_seconds(float(value))
    text = str(value).strip()
    if _ISO.match(text):
        try:
            return date.fromisoformat(text[:10]).isoformat()
        except ValueError:
            return ""
    for form in _DATES:
        try:
            return datetime.strptime(text, form).strftime("%Y-%m-%d")
        except ValueError:
            continue
    return _of_seconds(float(text)) if re.fullmatch(r"\d{9,13}(?:\.\d+)?", text) else ""


def _of_seconds(value: float) -> str:
    seconds = value / 1000 if value > 1e11 else value
    if not 1e8 <= seconds < 1e11:
        return ""
    return datetime.fromtimestamp(seconds, UTC).strftime("%Y-%m-%d")
