"""Files of records: CSV and TSV, JSONL, and JSON lists. A record becomes a document, or a CSV one table."""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ..documents import Document
from ..errors import Unreadable
from ..surrogates import mended, mended_json
from .builder import TextBuilder, folded
from .decoding import decode

_TITLES = ("title", "subject", "headline", "name")
_IDS = ("id", "key", "number", "ref", "reference")
_TEXTS = ("body", "text", "content", "description", "message", "summary", "details")
_LONG = 60  # characters that make a field a text rather than a value
_NUMBER = re.compile(r"-?\d+(?:\.\d+)?")
_DIGITS = 18  # of a value that is taken for a number
csv.field_size_limit(50_000_000)


@dataclass(frozen=True)
class Mapped:
    """Which fields are text, title and id; empty ones are found by name, then by length. All others are metadata.

    `rows`: "records" (a row is a document), "table" (a CSV is one document) or "auto" (records where rows hold text).
    """

    text: tuple[str, ...] = ()
    title: str = ""
    id: str = ""
    rows: str = "auto"


def read_csv(name: str, data: bytes, mapped: Mapped) -> list[Document]:
    """Reads delimited text of any common delimiter and encoding; a row shorter or longer than the header is taken."""
    text, encoding = decode(data)
    dialect = _delimiter(text, name)
    try:
        rows = [row for row in csv.reader(io.StringIO(text, newline=""), delimiter=dialect) if any(map(str.strip, row))]
    except csv.Error as error:
        raise Unreadable(f"it is no sound CSV ({error})") from None
    if not rows:
        raise Unreadable("it holds no row")
    if len(rows) == 1:
        raise Unreadable("it holds a header and no record")
    header = _distinct([folded(cell) or f"column {n}" for n, cell in enumerate(rows[0], 1)])
    longest = max(map(len, rows))
    fields = _distinct([*header, *(f"column {n}" for n in range(len(header) + 1, longest + 1))])
    ragged = sum(len(row) != len(header) for row in rows[1:])
    meta: dict[str, Any] = {"format": "csv", "encoding": encoding}
    if ragged:
        meta["ragged_rows"] = ragged
    records = [dict(zip(fields, row)) for row in rows[1:]]
    if mapped.rows == "records" or (mapped.rows == "auto" and _texts(records, mapped)):
        return _documents(name, records, mapped, meta)
    builder = TextBuilder()
    builder.table(header, rows[1:])
    return [builder.finish(name, title=name.rsplit("/", 1)[-1], meta=meta)]


def read_jsonl(name: str, data: bytes, mapped: Mapped) -> list[Document]:
    """Reads a JSON object a line; raises `Unreadable` with the line of the first that is none."""
    text, encoding = decode(data)
    records = []
    for number, line in enumerate(text.split("\n"), 1):
        if not line.strip():
            continue
        try:
            record = _loaded(line)
        except (ValueError, RecursionError) as error:
            raise Unreadable(f"line {number} is not valid JSON ({str(error)[:80]})") from None
        if not isinstance(record, dict):
            raise Unreadable(f"line {number} is not a JSON object")
        records.append(record)
    return _documents(name, records, mapped, {"format": "jsonl", "encoding": encoding})


def read_json(name: str, data: bytes, mapped: Mapped) -> list[Document]:
    """Reads a JSON list of objects, alone or as the only list in an object; any other JSON is one record."""
    text, encoding = decode(data)
    try:
        found = _loaded(text)
    except (ValueError, RecursionError) as error:
        raise Unreadable(f"it is not valid JSON ({str(error)[:80]})") from None
    if isinstance(found, dict):
        lists = [value for value in found.values() if isinstance(value, list) and value and isinstance(value[0], dict)]
        found = lists[0] if len(lists) == 1 else [found]
    if not isinstance(found, list) or not all(isinstance(record, dict) for record in found):
        raise Unreadable("it holds no records (a list of objects)")
    return _documents(name, found, mapped, {"format": "json", "encoding": encoding})


def _loaded(text: str) -> Any:
    """JSON of which nothing is lost: the second field of one name in an object is "name (2)", and half of a pair of
    surrogates, which no text can hold, becomes U+FFFD. A number of too many digits stays text."""
    return json.loads(text, object_pairs_hook=_object, parse_int=_whole)


def _object(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    names = _distinct([mended(name) for name, _ in pairs])
    return {name: mended_json(value) for name, (_, value) in zip(names, pairs)}


def _whole(digits: str) -> int | str:
    return int(digits) if len(digits) <= _DIGITS else digits


def _distinct(names: Sequence[str]) -> list[str]:
    """Names of which none comes twice, nor meets one that was there: the second "a" is "a (2)"."""
    taken, seen, made = set(names), set(), []
    for name in names:
        wanted, count = name, 1
        while wanted in seen:
            count += 1
            wanted = f"{name} ({count})"
            if wanted in taken:
                wanted = name
        seen.add(wanted)
        made.append(wanted)
    return made


def _delimiter(text: str, name: str) -> str:
    if name.lower().endswith(".tsv"):
        return "\t"
    first = text.split("\n", 1)[0]
    counts = {mark: first.count(mark) for mark in (",", ";", "\t", "|")}
    best = max(counts, key=lambda mark: counts[mark])
    return best if counts[best] else ","


def _texts(records: Sequence[Mapping[str, Any]], mapped: Mapped) -> list[str]:
    """The fields that hold text, in order of the fields."""
    fields = list(dict.fromkeys(field for record in records for field in record))
    if mapped.text:
        return [field for field in mapped.text if field in fields]
    named = [field for field in fields if field.lower() in _TEXTS]
    if named:
        return named
    sample = records[:200]
    lengths = {field: sum(len(str(record.get(field) or "")) for record in sample) for field in fields}
    return [field for field in fields if lengths[field] > _LONG * max(1, len(sample))]


def _documents(name: str, records: Sequence[Mapping[str, Any]], mapped: Mapped, meta: dict[str, Any]) -> list[Document]:
    if not records:
        raise Unreadable("it holds no record")
    fields = list(dict.fromkeys(field for record in records for field in record))
    texts = _texts(records, mapped)
    title = mapped.title or next((field for field in fields if field.lower() in _TITLES), "")
    key = mapped.id or next((field for field in fields if field.lower() in _IDS), "")
    if not texts:
        texts = [field for field in fields if field not in (key, title)]
    made: list[Document] = []
    marks = _distinct([_mark(record.get(key)) or f"record {place}" for place, record in enumerate(records, 1)])
    for mark, record in zip(marks, records):
        builder = TextBuilder()
        heading = folded(str(record.get(title) or ""))
        if heading:
            builder.heading(heading, 1)
        for field in texts:
            value = record.get(field)
            lead = f"{field}: " if len(texts) > 1 and field.lower() not in _TEXTS else ""
            for paragraph in re.split(r"\n\s*\n", str(value if value is not None else "")):
                builder.paragraph(lead + paragraph if paragraph.strip() else "")
        others = {field: typed(value) for field, value in record.items() if field not in (*texts, title)}
        kept = {field: value for field, value in others.items() if value not in ("", None)}
        made.append(builder.finish(f"{name}#{mark}", title=heading or mark, meta={**meta, **kept}))
    return [document for document in made if document.text.strip()]


def _mark(value: Any) -> str:
    """A record's own id as part of a document's name; empty where it has none."""
    return "" if value is None or value == "" else "".join(c if c.isprintable() else " " for c in folded(str(value)))


def typed(value: Any) -> Any:
    """A metadata value: figures as numbers, lists and texts as they are; dates stay texts like 2031-04-01."""
    if isinstance(value, str):
        value = folded(value)
        if len(value) <= _DIGITS and _NUMBER.fullmatch(value) and not (value.startswith("0") and value[1:2].isdigit()):
            figure = float(value) if "." in value else int(value)
            return figure if str(figure) == value else value  # 1.10 may be a version
        return value
    if isinstance(value, (bool, int, float)) or value is None:
        return value
    if isinstance(value, list):
        return [str(each) for each in value]
    return json.dumps(value, ensure_ascii=False, sort_keys=True)
