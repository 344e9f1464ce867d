"""Files with what another system gave: answers as JSONL or CSV, ranked lists as TREC run files. Read with every error
told by its line."""

from __future__ import annotations

import ast
import json
import math
import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any
from urllib.parse import unquote

from jsonpointer import JsonPointerException, resolve_pointer

from ..core.brought import LONGEST, BroughtItem
from ..core.errors import BadInput
from ..models.replies import without_thoughts
from .answer_columns import FIELDS, read_table, why_none, without_markup
from .files import read_text
from .toml import nearest

_TEXTS = ("text", "content", "passage", "body", "snippet", "chunk")
_DOCS = ("doc", "document", "source", "file", "path", "url", "title")
_TRUE, _FALSE = ("true", "yes", "1"), ("false", "no", "0", "")
_NOTHING = object()


@dataclass(frozen=True)
class AnswerRow:
    """One answer of a file: `context` is None where the file says nothing of it; `failure` says why it is none."""

    line: int
    id: str
    question: str
    answer: str
    context: tuple[BroughtItem, ...] | None = None
    declined: bool | None = None
    system: str = ""
    failure: str = ""


@dataclass
class Lists:
    """The ranked lists of a TREC run file by question id, best first; for how many questions scores tie, ranks have
    gaps, and ranks speak against scores."""

    lists: dict[str, tuple[BroughtItem, ...]] = field(default_factory=dict)
    lines: dict[str, int] = field(default_factory=dict)
    tied: int = 0
    gaps: int = 0
    against: int = 0


@dataclass(frozen=True)
class AnswerFile:
    """The answers of a file and how it was read: what kind of file it is, its encoding, the column of each field, columns that
    nothing was read from; from how many answers thinking aloud, and from how many HTML, was taken off; and the systems that
    answer, by name, where the file tells several apart."""

    rows: tuple[AnswerRow, ...]
    kind: str
    encoding: str
    columns: Mapping[str, str]
    unused: tuple[str, ...] = ()
    thoughts: int = 0
    markup: int = 0

    @property
    def systems(self) -> list[str]:
        """The names of systems, in order."""
        return list(dict.fromkeys(row.system for row in self.rows if row.system))

    def of(self, system: str) -> AnswerFile:
        """The answers of one of its systems."""
        return replace(self, rows=tuple(row for row in self.rows if row.system == system))


def load_answers(path: Path, fields: Mapping[str, str] = {}) -> AnswerFile:
    """The answers of a file (JSONL, JSON, CSV, TSV, XLSX). `fields` says under which name (or, beginning with /, at which JSON Pointer)
    what is called id, question, answer, context, declined and system here stands; what is not said is found by usual names. Raises
    `BadInput` with the line of what is wrong."""
    for name in fields:
        if name not in FIELDS:
            raise BadInput(f"--fields: there is no field '{name}'{nearest(name, list(FIELDS))}")
    left_out = {name for name, at in fields.items() if at == "-"}
    fields = {name: at for name, at in fields.items() if name not in left_out}
    table = read_table(path, fields, left_out)
    named = {name: table.columns.get(name, name) for name in FIELDS if name not in left_out}
    found = [_row(path, line, content, named, fields) for line, content in table.rows]
    if not found:
        raise BadInput(f"{path}: holds no answer")
    rows, thoughts, markup = [], 0, 0
    for row in found:
        plain = without_markup(spoken := without_thoughts(row.answer).strip())
        thoughts += spoken != row.answer.strip()
        markup += plain != spoken
        rows.append(replace(row, answer=plain, failure=why_none(plain)))
    return AnswerFile(tuple(rows), table.kind, table.encoding, table.columns, table.unused, thoughts, markup)


def _row(
    path: Path, line: int, content: dict[str, Any], named: Mapping[str, str], said: Mapping[str, str]
) -> AnswerRow:
    where = f"{path}, line {line}"
    values = dict.fromkeys(FIELDS, _NOTHING) | {name: value_at(content, at, where) for name, at in named.items()}
    for name, value in values.items():
        if value is _NOTHING and name in said:
            raise BadInput(f"{where}: there is no {named[name]}{nearest(named[name], list(map(str, content)))}")
    if values["answer"] is _NOTHING:
        raise BadInput(
            f"{where}: there is no field 'answer'; --fields answer=NAME says what it is called here"
            f"{nearest('answer', list(map(str, content)), listing=False)}"
        )
    name, question = (_word(values[each], f"{where}: {each}") for each in ("id", "question"))
    if not name and not question:
        raise BadInput(f"{where}: needs the question, or the id of a question of the test set")
    answer = "" if values["answer"] is None else values["answer"]
    if isinstance(answer, float) and math.isnan(answer):
        answer = "nan"
    if not isinstance(answer, str):
        raise BadInput(f"{where}: answer must be a text, not {_kind(answer)}")
    context = None if values["context"] in (_NOTHING, None) else context_of(values["context"], f"{where}: context")
    system = _word(values["system"], f"{where}: system") if not isinstance(values["system"], (dict, list)) else ""
    return AnswerRow(line, name, question, answer, context, _declined(values["declined"], where), system)


def value_at(content: Any, at: str, where: str) -> Any:
    """What stands under a name, or at a JSON Pointer (RFC 6901); `_NOTHING` where nothing does."""
    if not at.startswith("/"):
        return content.get(at, _NOTHING) if isinstance(content, dict) else _NOTHING
    try:
        return resolve_pointer(content, at, _NOTHING)
    except JsonPointerException:
        return _NOTHING
    except (TypeError, ValueError):
        raise BadInput(f"{where}: {at} is no JSON Pointer that fits there") from None


def _word(value: Any, where: str) -> str:
    if value is _NOTHING or value is None:
        return ""
    if isinstance(value, (dict, list)):
        raise BadInput(f"{where} must be a text, not {_kind(value)}")
    return str(value).strip()


def _declined(value: Any, where: str) -> bool | None:
    if value is _NOTHING or value is None:
        return None
    if isinstance(value, bool):
        return value
    said = str(value).strip().lower()
    if said not in (*_TRUE, *_FALSE):
        raise BadInput(f"{where}: declined must be true or false")
    return None if said == "" else said in _TRUE


def context_of(value: Any, where: str) -> tuple[BroughtItem, ...]:
    """The items of a context: a list of texts, or of objects with a text, a document, a range; a text that holds such a
    list as JSON, or is itself the context. Raises `BadInput`."""
    if isinstance(value, str):
        text = value.strip()
        if text[:1] == "[":
            value = _listed(text)
        else:
            value = [text] if text else []
    if isinstance(value, dict):
        value = [value]
    if not isinstance(value, list):
        raise BadInput(f"{where} must be a list of texts or objects, not {_kind(value)}")
    return tuple(item_of(each, f"{where}, item {number}") for number, each in enumerate(value, 1))


def _listed(text: str) -> list[Any]:
    """A list that is written as JSON, or in a list's own notation; a text that only begins like one is one item."""
    for read in (json.loads, ast.literal_eval):
        try:
            found = read(text)
        except (ValueError, SyntaxError, MemoryError, RecursionError, TypeError):
            continue
        if isinstance(found, list):
            return found
    return [text]


def item_of(value: Any, where: str) -> BroughtItem:
    """One item of a context; raises `BadInput`."""
    if isinstance(value, str):
        return BroughtItem(value[:LONGEST])
    if not isinstance(value, dict):
        raise BadInput(f"{where} must be a text or an object, not {_kind(value)}")
    text = next((value[name] for name in _TEXTS if isinstance(value.get(name), str)), "")
    doc = next((value[name] for name in _DOCS if isinstance(value.get(name), str)), "")
    start, end = value.get("start", -1), value.get("end", -1)
    if not text and not doc:
        raise BadInput(f"{where} has neither a text ({', '.join(_TEXTS)}) nor a document ({', '.join(_DOCS)})")
    for name, place in (("start", start), ("end", end)):
        if not isinstance(place, int) or isinstance(place, bool) or place < -1 or place >= 2**53:
            raise BadInput(f"{where}: {name} must be a place in the document's text")
    if (start < 0) != (end < 0) or (start >= 0 and start >= end):
        raise BadInput(f"{where}: start must lie before end, and both be given")
    return BroughtItem(text[:LONGEST], doc, start, end)


def _kind(value: Any) -> str:
    return {dict: "an object", list: "a list", bool: "true or false", type(None): "null"}.get(type(value), "a number")


def load_lists(path: Path) -> Lists:
    """The lists of a TREC run file: question, Q0, document or document:start-end (several ranges parted by commas), rank,
    score, tag. As there, the score orders; of equal scores the rank, then the line. Raises `BadInput` with the line of what is wrong."""
    found: dict[str, list[tuple[float, int, int, BroughtItem]]] = {}
    seen: dict[tuple[str, BroughtItem], int] = {}
    made = Lists()
    for number, line in enumerate(read_text(path).split("\n"), start=1):
        if not line.strip():
            continue
        where = f"{path}, line {number}"
        parts = line.split()
        if len(parts) < 6:
            raise BadInput(f"{where}: needs six columns: question, Q0, document, rank, score, tag")
        question, rank, score = parts[0], parts[-3], parts[-2]
        item = _named_item(" ".join(parts[2:-3]))
        try:
            place, weight = int(rank), float(score)
        except ValueError:
            raise BadInput(f"{where}: rank '{rank}' and score '{score}' must be numbers") from None
        if not math.isfinite(weight):
            raise BadInput(f"{where}: the score must be a finite number")
        if (question, item) in seen:
            raise BadInput(f"{where}: {item.doc} stands on line {seen[question, item]} for question {question} too")
        seen[question, item] = number
        made.lines.setdefault(question, number)
        found.setdefault(question, []).append((weight, place, number, item))
    if not found:
        raise BadInput(f"{path}: holds no list")
    for question, rows in found.items():
        ranks = sorted(row[1] for row in rows)
        made.tied += len({row[0] for row in rows}) < len(rows)
        made.gaps += ranks != list(range(ranks[0], ranks[0] + len(ranks)))
        rows.sort(key=lambda row: (-row[0], row[1], row[2]))
        made.against += [row[1] for row in rows] != sorted(row[1] for row in rows)
        made.lists[question] = tuple(row[3] for row in rows)
    return made


def load_qrels(path: Path) -> dict[str, dict[str, list[BroughtItem]]]:
    """The evidence of a TREC qrels file: for each question its needs by their number (the second column), and the places of
    each: question, need, document or document:start-end, relevance; what has relevance 0 is none. Raises `BadInput` with
    the line of what is wrong."""
    found: dict[str, dict[str, list[BroughtItem]]] = {}
    for number, line in enumerate(read_text(path).split("\n"), start=1):
        if not line.strip():
            continue
        parts = line.split()
        if len(parts) < 4:
            raise BadInput(f"{path}, line {number}: needs four columns: question, need, document, relevance")
        try:
            relevance = int(parts[-1])
        except ValueError:
            raise BadInput(f"{path}, line {number}: the relevance '{parts[-1][:40]}' must be a whole number") from None
        if relevance > 0:
            item = _named_item(" ".join(parts[2:-1]))
            found.setdefault(unquote(parts[0]), {}).setdefault(parts[1], []).append(item)
    if not found:
        raise BadInput(f"{path}: holds no evidence")
    return found


def _named_item(name: str) -> BroughtItem:
    """`document`, `document:start-end`, or with several ranges `document:start-end,start-end`."""
    doc, colon, place = name.rpartition(":")
    if not colon or not re.fullmatch(r"[0-9]{1,16}-[0-9]{1,16}(,[0-9]{1,16}-[0-9]{1,16})*", place):
        return BroughtItem("", name)
    ranges = [(int(start), int(end)) for start, _, end in (each.partition("-") for each in place.split(","))]
    ends = [each for pair in ranges for each in pair]
    if any(start >= end for start, end in ranges) or ends != sorted(ends) or ends[-1] >= 2**53:
        return BroughtItem("", name)
    return BroughtItem("", doc, *ranges[0], tuple(ranges[1:]))
