"""Test sets on disk: JSONL, a question a line; read with every error told by its line, written atomically."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Annotated, Any, Literal

import orjson
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from ..core.collecting import not_collected
from ..core.documents import Document
from ..core.documents.relocating import Near, near_of
from ..core.errors import BadInput
from ..core.surrogates import HALF
from ..core.testsets import Need, Question, Quoted, placed
from .files import read_text, write_whole
from .toml import nearest

_LONGEST = 100_000  # characters of a question or an answer


class _QuestionLine(BaseModel):
    model_config = ConfigDict(extra="forbid", strict=True, allow_inf_nan=False)


class _Span(_QuestionLine):
    doc: str = Field(min_length=1)
    start: int = Field(-1, ge=-1, lt=2**53)
    end: int = Field(-1, ge=-1, lt=2**53)
    quote: str = ""
    near: Annotated[list[str], Field(min_length=3, max_length=3)] | None = None
    copies: list[str] = []

    @property
    def quoted(self) -> Quoted:
        near = None if self.near is None else Near(*self.near)
        return Quoted(self.doc, self.start, self.end, self.quote, near=near, copies=tuple(self.copies))


class _Need(_QuestionLine):
    fact: str = ""
    spans: list[_Span] = Field(min_length=1)


class _Question(_QuestionLine):
    id: str = Field(min_length=1, max_length=100)
    question: str = Field(min_length=1, max_length=_LONGEST)
    answer: str = Field("", max_length=_LONGEST)
    needs: list[_Need] = []
    kind: Literal["one-fact", "passage", "joined", "comparison", "table", "unanswerable"] = "one-fact"
    status: Literal["draft", "kept", "rejected"] = "draft"
    by: str = "person"
    tags: list[str] = []
    meta: dict[str, Any] = {}
    hide: list[_Span] = []
    before: list[Annotated[str, Field(min_length=1, max_length=_LONGEST)]] = Field([], max_length=100)


@dataclass
class MovedEvidence:
    """What happened to the evidence of a test set when it was looked up in the corpus."""

    found_again: list[str] = field(default_factory=list)
    lost: list[tuple[str, str, str]] = field(default_factory=list)  # question, document, reason
    shown: list[tuple[str, str, str]] = field(default_factory=list)  # the same of what could not be hidden
    repeated: list[tuple[str, str]] = field(
        default_factory=list
    )  # a question that is left out, and the one that it repeats
    doubtful: list[tuple[str, str, str]] = field(default_factory=list)  # and of what may be meant to stand elsewhere


def load_testset(path: Path) -> list[Question]:
    """The questions of a file; raises `BadInput` with the line of the first one that is wrong."""
    text = read_text(path)
    questions: list[Question] = []
    seen: dict[str, int] = {}
    for number, line in enumerate(text.split("\n"), start=1):
        if not line.strip():
            continue
        question = _parsed(line, f"{path}, line {number}")
        if question.id in seen:
            raise BadInput(f"{path}, line {number}: the id '{question.id}' stands on line {seen[question.id]} too")
        seen[question.id] = number
        questions.append(question)
    if not questions:
        raise BadInput(f"{path}: holds no question")
    return questions


def load_rows(path: Path) -> list[tuple[int, dict[str, Any]]]:
    """The lines of a test set as they stand, each with its number, unchecked but for being JSON with an id of its own and a
    question: quick where a line is looked at one at a time (see `question_with`). Raises `BadInput` with the line."""
    with not_collected():
        return _rows(path)


def _rows(path: Path) -> list[tuple[int, dict[str, Any]]]:
    rows: list[tuple[int, dict[str, Any]]] = []
    seen: dict[str, int] = {}
    for number, line in enumerate(read_text(path).split("\n"), start=1):
        if not line.strip():
            continue
        where = f"{path}, line {number}"
        try:
            content = orjson.loads(line)
        except ValueError:
            content = parsed_line(line, where)
        if not isinstance(content, dict) or not isinstance(content.get("question"), str):
            raise BadInput(f"{where}: must be a JSON object with a question")
        name = content.get("id")
        if not isinstance(name, str) or not name:
            raise BadInput(f"{where}: there is no id")
        if name in seen:
            raise BadInput(f"{where}: the id '{name}' stands on line {seen[name]} too")
        seen[name] = number
        rows.append((number, content))
    if not rows:
        raise BadInput(f"{path}: holds no question")
    return rows


def parsed_line(line: str, where: str) -> dict[str, Any]:
    """The JSON object of a line; raises `BadInput`."""
    try:
        content = json.loads(line)
    except json.JSONDecodeError as error:
        raise BadInput(f"{where}: not valid JSON (column {error.colno}: {error.msg.lower()})") from None
    except ValueError:  # a number that Python does not take
        raise BadInput(f"{where}: a number in it has too many digits") from None
    except RecursionError:
        raise BadInput(f"{where}: is nested too deeply") from None
    if not isinstance(content, dict):
        raise BadInput(f"{where}: must be a JSON object")
    if "\\u" in line and HALF.search(json.dumps(content, ensure_ascii=False)):
        raise BadInput(f"{where}: half of a surrogate pair stands in it (\\ud800 to \\udfff), which is no character")
    return content


def _parsed(line: str, where: str) -> Question:
    return question_with(parsed_line(line, where), where)


def question_with(content: dict[str, Any], where: str) -> Question:
    """The question that a line of a test set holds; raises `BadInput`, which says where."""
    try:
        row = _Question.model_validate(content)
    except ValidationError as error:
        first = error.errors()[0]
        at = ".".join(str(part) for part in first["loc"])
        if first["type"] == "extra_forbidden":
            raise BadInput(f"{where}: unknown field {at}{nearest(at, list(_Question.model_fields))}") from None
        raise BadInput(f"{where}: {at}: {first['msg'][:1].lower()}{first['msg'][1:]}") from None
    if row.kind == "unanswerable" and row.needs:
        raise BadInput(f"{where}: an unanswerable question has no needs")
    if row.kind != "unanswerable" and not row.needs:
        raise BadInput(f"{where}: a question without needs must be of kind unanswerable")
    return _question(row)


def question_from(body: dict[str, Any]) -> Question:
    """The inverse of `question_row`."""
    return _question(_Question.model_validate(body))


def _question(row: _Question) -> Question:
    needs = tuple(Need(need.fact, tuple(each.quoted for each in need.spans)) for need in row.needs)
    hide = tuple(each.quoted for each in row.hide)
    return Question(
        id=row.id,
        question=row.question,
        answer=row.answer,
        needs=needs,
        kind=row.kind,
        status=row.status,
        by=row.by,
        tags=tuple(row.tags),
        meta=row.meta,
        hide=hide,
        before=tuple(row.before),
    )


def save_testset(
    path: Path, questions: Sequence[Question], document_of: Callable[[str], Document | None] = lambda name: None
) -> None:
    """Writes a file in one step: it is there whole, or as it was before. With each place stands what is around it in its
    document, as far as that is known."""
    lines = [json.dumps(question_row(question), ensure_ascii=False) for question in with_near(questions, document_of)]
    write_whole(path, "".join(line + "\n" for line in lines))


def question_row(question: Question) -> dict[str, Any]:
    """A question as a line of a test set holds it."""
    found: dict[str, Any] = {
        "id": question.id,
        "question": question.question,
        "answer": question.answer,
        "needs": [
            {
                "fact": need.fact,
                "spans": [_row(quoted) for quoted in need.spans],
            }
            for need in question.needs
        ],
        "kind": question.kind,
        "status": question.status,
        "by": question.by,
        "tags": list(question.tags),
        "meta": question.meta,
    }
    if question.before:
        found["before"] = list(question.before)
    if question.hide:
        found["hide"] = [_row(quoted) for quoted in question.hide]
    return found


def _row(quoted: Quoted) -> dict[str, Any]:
    found: dict[str, Any] = {"doc": quoted.doc, "start": quoted.start, "end": quoted.end, "quote": quoted.quote}
    if quoted.near is not None:
        found["near"] = [quoted.near.under, quoted.near.before, quoted.near.behind]
    if quoted.copies:
        found["copies"] = list(quoted.copies)
    return found


def located(
    questions: Sequence[Question],
    document_of: Callable[[str], Document | None],
    copies_of: Callable[[str], tuple[str, ...]] = lambda name: (),
) -> tuple[list[Question], MovedEvidence]:
    """The questions with every span at its present place, and what moved, is lost, or can't be told apart.

    `document_of` gives a document, or None when the corpus does not have it; `copies_of` the names of those with the very
    same text. A lost span stays in its need (the evidence is then "not in the documents").
    """
    moved = MovedEvidence()
    found: list[Question] = []
    for question in questions:
        needs = []
        for need in question.needs:
            spans = tuple(
                replace(_span(question.id, quoted, document_of(quoted.doc), moved), copies=copies_of(quoted.doc))
                for quoted in need.spans
            )
            needs.append(replace(need, spans=spans))
        hide = tuple(_hidden(question.id, quoted, document_of(quoted.doc), moved) for quoted in question.hide)
        found.append(replace(question, needs=tuple(needs), hide=tuple(each for each in hide if each)))
    return found, moved


def with_near(questions: Sequence[Question], document_of: Callable[[str], Document | None]) -> list[Question]:
    """The questions with what stands around each place, by which it is found again when its document has changed."""

    def near(quoted: Quoted) -> Quoted:
        quoted = replace(quoted, copies=())  # they are looked up anew each time
        document = document_of(quoted.doc)
        if document is None or not 0 <= quoted.start < quoted.end <= len(document.text):
            return quoted
        heading = document.innermost_heading(quoted.start)
        return replace(quoted, near=near_of(quoted.start, quoted.end, document.text, heading))

    return [
        replace(
            question,
            needs=tuple(replace(need, spans=tuple(map(near, need.spans))) for need in question.needs),
            hide=tuple(map(near, question.hide)),
        )
        for question in questions
    ]


def _hidden(question: str, quoted: Quoted, document: Document | None, moved: MovedEvidence) -> Quoted | None:
    """What a question hides at its present place; None where it no longer stands there."""
    if document is None:
        return None  # a document that is not searched gives nothing away
    now = placed(quoted, document.text, document.innermost_heading)
    if now is None:
        moved.shown.append((question, quoted.doc, "what it hides no longer stands there"))
        return None
    return now[0]


def _span(question: str, quoted: Quoted, document: Document | None, moved: MovedEvidence) -> Quoted:
    if document is None:
        moved.lost.append((question, quoted.doc, "the document is not in the corpus"))
        return quoted
    text = document.text
    found = placed(quoted, text, document.innermost_heading)
    if found is None:
        inside = 0 <= quoted.start < quoted.end <= len(text)
        reason = (
            "its quote no longer stands there"
            if quoted.quote or inside
            else (f"its span {quoted.start}–{quoted.end} is outside the document ({len(text)} characters)")
        )
        moved.lost.append((question, quoted.doc, reason))
        return Quoted(quoted.doc, -1, -1, quoted.quote, near=quoted.near)
    now, sure = found
    if not sure:
        moved.doubtful.append((question, quoted.doc, f"its words occur several times there: “{now.quote[:60]}”"))
    if quoted.start >= 0 and abs(now.start - quoted.start) > 2:
        moved.found_again.append(question)
    return now


def load_examples(path: Path) -> tuple[str, ...]:
    """Questions whose form is to be imitated: those of a test set (.jsonl), or a question a line. Raises `BadInput`."""
    if path.suffix.lower() == ".jsonl":
        return tuple(question.question for question in load_testset(path))
    found = tuple(dict.fromkeys(line.strip() for line in read_text(path).split("\n") if line.strip()))
    if not found:
        raise BadInput(f"{path}: holds no question")
    return found
