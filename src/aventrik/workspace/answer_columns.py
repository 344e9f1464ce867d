"""The rows of a file with answers, in whatever form it comes, and which column holds what: told before anything is judged."""

from __future__ import annotations

import csv
import html
import io
import json
import re
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ..core.errors import BadInput, Unreadable
from ..core.reading.decoding import decode
from ..core.surrogates import mended_json
from .files import read_bytes
from .tables import xlsx_lines
from .testsets import parsed_line

FIELDS = ("id", "question", "answer", "context", "declined", "system")
# How files call what a field holds, the likeliest first.
_NAMES: Mapping[str, tuple[str, ...]] = {
    "id": ("id", "qid", "question_id", "query_id", "number", "no", "key"),
    "question": ("question", "query", "prompt", "asked", "request", "q", "frage"),
    "answer": ("answer", "reply", "response", "output", "generated", "completion", "result", "a", "antwort"),
    "context": ("context", "contexts", "passages", "chunks", "documents", "sources", "retrieved", "evidence", "items", "kontext"),
    "declined": ("declined", "refused", "no_answer", "abstained"),
    "system": ("system", "bot", "variant", "configuration", "config", "pipeline", "version"),
}  # fmt: skip
_NO_ANSWER = frozenset(("nan", "none", "null", "n/a", "na", "#n/a", "<na>", "nil", "undefined", "-", "--", "[]", "{}"))
_ERROR = re.compile(
    r"^\W*(?:(?:[\w.]*(?:error|exception|timeout)\b\s*(?::|\(|$))|traceback \(most recent|(?:http|status)\W{0,3}[45]\d\d\b|"
    r"[45]\d\d\W+(?:internal|bad gateway|service|too many|unauthori[sz]ed|forbidden|not found|gateway)|"
    r"internal server error|rate limit|request timed out|"
    r"connection (?:refused|reset|error|timed out)|maximum context length)",
    re.IGNORECASE,
)
_TAG = re.compile(
    r"</?(?:p|br|div|span|b|i|em|strong|ul|ol|li|table|tr|td|th|h[1-6]|a|sup|sub|html|body|hr)\b[^<>]*/?>",
    re.IGNORECASE,
)
_BREAKING = re.compile(r"<(?:br|/p|/div|/li|/tr|/h[1-6]|hr)\b[^<>]*/?>", re.IGNORECASE)


@dataclass(frozen=True)
class AnswerTable:
    """The rows of a file as (line, cells by column), what kind of file it is, in which encoding, and the column of each field: named
    by the user, or found by its name."""

    rows: Sequence[tuple[int, dict[str, Any]]]
    kind: str
    encoding: str
    columns: Mapping[str, str]
    unused: tuple[str, ...] = ()


def read_table(path: Path, named: Mapping[str, str], left_out: Collection[str] = ()) -> AnswerTable:
    """The rows of a JSONL, JSON, CSV, TSV or XLSX file, and which column holds what, as it is `named` or found. Raises
    `BadInput` with the line of what is wrong."""
    kind, encoding, rows = _rows(path)
    head = list(dict.fromkeys(str(name) for _, row in rows for name in row))
    columns: dict[str, str] = {}
    for field in FIELDS:
        if field in left_out:
            continue
        if field in named:
            columns[field] = named[field]
            continue
        free = {
            _plain(name): name for name in reversed(head) if name not in named.values() and name not in columns.values()
        }
        found = next((free[each] for each in _NAMES[field] if each in free), None)
        if found is not None:
            columns[field] = found
    unused = tuple(name for name in head if name not in columns.values())
    return AnswerTable(rows, kind, encoding, columns, unused)


def _plain(name: str) -> str:
    return re.sub(r"[^a-z0-9]+", "_", name.strip().lower()).strip("_")


def _rows(path: Path) -> tuple[str, str, list[tuple[int, dict[str, Any]]]]:
    suffix = path.suffix.lower()
    if suffix == ".xlsx":
        return "a workbook", "", list(_headed(path, xlsx_lines(path)))
    try:
        text, encoding = decode(read_bytes(path))
    except Unreadable as error:
        raise BadInput(f"{path}: holds no answer that can be read: {error}") from None
    if suffix in (".csv", ".tsv"):
        first = text.split("\n", 1)[0]
        mark = "\t" if suffix == ".tsv" else max(",;\t", key=lambda each: (first.count(each), each == ","))
        name = {",": "commas", ";": "semicolons", "\t": "tabs"}[mark]
        return f"a table, parted by {name}", encoding, list(_headed(path, _csv_lines(path, text, mark)))
    if text.lstrip()[:1] == "[" or (suffix == ".json" and text.count("\n") and not _is_lines(text)):
        return "a JSON array", encoding, list(_array(path, text))
    return "JSON, a line each", encoding, list(_lines(path, text))


def _is_lines(text: str) -> bool:
    """Whether the first line is a JSON object by itself."""
    try:
        return isinstance(json.loads(text.lstrip().split("\n", 1)[0]), dict)
    except ValueError:
        return False


def _lines(path: Path, text: str) -> Iterator[tuple[int, dict[str, Any]]]:
    for number, line in enumerate(text.split("\n"), start=1):
        if line.strip():
            yield number, parsed_line(line, f"{path}, line {number}")


def _array(path: Path, text: str) -> Iterator[tuple[int, dict[str, Any]]]:
    try:
        found = mended_json(json.loads(text))
    except (ValueError, RecursionError) as error:
        raise BadInput(f"{path}: not valid JSON ({str(error)[:60]})") from None
    if isinstance(found, dict):
        lists = [value for value in found.values() if isinstance(value, list)]
        found = lists[0] if len(lists) == 1 else [found]
    for number, row in enumerate(found, start=1):
        if not isinstance(row, dict):
            raise BadInput(f"{path}, entry {number}: must be an object")
        yield number, row


def _csv_lines(path: Path, text: str, mark: str) -> Iterator[tuple[int, list[str]]]:
    csv.field_size_limit(2**31 - 1)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=mark)
    try:
        for row in reader:
            yield reader.line_num, row
    except csv.Error as error:
        raise BadInput(f"{path}, line {reader.line_num}: not valid CSV ({error})") from None


def _headed(path: Path, lines: Iterator[tuple[int, list[str]]]) -> Iterator[tuple[int, dict[str, Any]]]:
    head: list[str] = []
    for line, cells in lines:
        if not head:
            head = [cell.strip() for cell in cells]
            if len({each for each in head if each}) < len([each for each in head if each]):
                raise BadInput(f"{path}, line {line}: a column stands there twice")
            continue
        if len(cells) > len(head) and any(cell.strip() for cell in cells[len(head) :]):
            raise BadInput(f"{path}, line {line}: more cells than columns")
        row = {name: cell for name, cell in zip(head, cells) if name}
        if any(cell.strip() for cell in row.values()):
            yield line, row


def why_none(answer: str) -> str:
    """Why a text is no answer at all: a word for nothing, or the message of an error; "" for an answer."""
    plain = answer.strip()
    if plain.lower() in _NO_ANSWER:
        return f"'{plain}' stands for no answer"
    if _ERROR.search(plain[:200]) and len(plain) < 2_000:
        return f"an error stands in the place of the answer: {plain[:80]}"
    return ""


def without_markup(answer: str) -> str:
    """An answer without HTML: its breaks and items are lines, its entities letters; as it is where it holds no such tag."""
    if not _TAG.search(answer):
        return answer
    return re.sub(r"\n{3,}", "\n\n", html.unescape(_TAG.sub("", _BREAKING.sub("\n", answer)))).strip()
