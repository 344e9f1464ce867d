"""The baseline file: what `gate` needs of a run, as lines of JSON that are read and compared like any other text under
version control. Read with every error told by its line."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from ..core.errors import BadInput
from .files import read_text, write_whole
from .testsets import parsed_line

VERSION = 1  # of the file; raise it when what stands in a line changes its meaning
DIGITS = 6  # decimals of a score that are kept
_MOST = 1e15  # no score is so great
_HEAD = ("name", "testset", "judge", "cover", "corpus", "documents", "program", "stages")


@dataclass(frozen=True)
class BaselineQuestion:
    """A question by the key of what it asks: its id, its scores rounded to six decimals, a mark that is the same where all
    came of the same results, another one of those of the list alone, and whether its evidence was gone from the documents
    then."""

    id: str
    scores: Mapping[str, float]
    mark: str = ""
    list_mark: str = ""
    gone: bool = False


@dataclass(frozen=True)
class Baseline:
    """A run as a baseline: its name, what it was made of, its settings by dotted name, the content key of each document that
    holds evidence, what it rests on beside its settings (empty in a file of an earlier version), and its questions by key."""

    name: str
    testset: str
    judge: list[Any]
    cover: float
    corpus: str
    documents: int
    program: str
    stages: Mapping[str, int]
    settings: Mapping[str, Any] = field(default_factory=dict)
    evidence: Mapping[str, str] = field(default_factory=dict)
    basis: Mapping[str, list[str]] = field(default_factory=dict)
    questions: Mapping[str, BaselineQuestion] = field(default_factory=dict)

    @property
    def measures(self) -> list[str]:
        """The measures that some question has a score on."""
        return list(dict.fromkeys(name for each in self.questions.values() for name in each.scores))


def rounded(value: float) -> float:
    """A score as the file holds it."""
    return round(value, DIGITS)


def write_baseline(path: Path, kept: Baseline) -> None:
    """Writes the file in one step, its lines in an order of their own: the same baseline gives the same bytes."""
    head = {name: getattr(kept, name) for name in _HEAD}
    lines: list[dict[str, Any]] = [{"baseline": VERSION, **head, "questions": len(kept.questions)}]
    lines.extend({"setting": name, "value": value} for name, value in sorted(kept.settings.items()))
    lines.extend({"document": name, "content": key} for name, key in sorted(kept.evidence.items()))
    lines.extend({"premise": name, "is": list(values)} for name, values in sorted(kept.basis.items()))
    for key, each in sorted(kept.questions.items(), key=lambda pair: (pair[1].id, pair[0])):
        line: dict[str, Any] = {"question": each.id, "key": key, "mark": each.mark, "list": each.list_mark}
        line |= {"gone": True} if each.gone else {}
        lines.append(line | {"scores": {name: _short(value) for name, value in each.scores.items()}})
    body = "".join(json.dumps(line, ensure_ascii=False) + "\n" for line in lines)
    write_whole(path, body.encode("utf-8", "surrogatepass"))


def _short(value: float) -> float | int:
    return int(value) if float(value).is_integer() and abs(value) < 2**53 else rounded(value)


def load_baseline(path: Path) -> Baseline:
    """The baseline of a file; raises `BadInput` with the line of what is wrong, and for a file of another version."""
    head: dict[str, Any] | None = None
    settings: dict[str, Any] = {}
    evidence: dict[str, str] = {}
    basis: dict[str, list[str]] = {}
    questions: dict[str, BaselineQuestion] = {}
    for number, text in enumerate(read_text(path).split("\n"), start=1):
        if not text.strip():
            continue
        where = f"{path}, line {number}"
        if text.startswith(("<<<<<<<", "=======", ">>>>>>>")):
            raise BadInput(f"{where}: two versions of the file were merged and not settled")
        line = parsed_line(text, where)
        if head is None:
            head = _head(line, where)
        elif "question" in line:
            key, question = _question(line, where)
            if key in questions:
                raise BadInput(f"{where}: question '{question.id}' stands there twice")
            questions[key] = question
        elif "setting" in line and "value" in line:
            settings[str(line["setting"])] = line["value"]
        elif isinstance(line.get("document"), str) and isinstance(line.get("content"), str):
            evidence[line["document"]] = line["content"]
        elif isinstance(line.get("premise"), str) and isinstance(line.get("is"), list) and len(line["is"]) == 3:
            basis[line["premise"]] = [str(each) for each in line["is"]]
        else:
            raise BadInput(f"{where}: is neither a setting, a document, a premise nor a question")
    if head is None:
        raise BadInput(f"{path}: is empty; 'aventrik run CONFIG --baseline-file FILE' writes it")
    if not questions:
        raise BadInput(f"{path}: holds no question; it may be half written")
    if head["questions"] is not None and head["questions"] != len(questions):
        raise BadInput(f"{path}: holds {len(questions)} questions of {head['questions']}; it may be half written")
    return Baseline(
        **{name: head[name] for name in _HEAD}, settings=settings, evidence=evidence, basis=basis, questions=questions
    )


def _head(line: dict[str, Any], where: str) -> dict[str, Any]:
    version = line.get("baseline")
    if not isinstance(version, int) or isinstance(version, bool):
        raise BadInput(f"{where}: is no baseline file; 'aventrik run CONFIG --baseline-file FILE' writes one")
    if version != VERSION:
        newer = "a newer" if version > VERSION else "another"
        raise BadInput(
            f"{where}: was written by {newer} Aventrik (version {version}, this one reads {VERSION}); write it again"
        )
    kinds = {"judge": list, "stages": dict, "documents": int, "cover": (int, float)}
    for name in _HEAD:
        if not isinstance(line.get(name), kinds.get(name, str)):  # type: ignore[arg-type]
            raise BadInput(f"{where}: {name} is missing or of another kind")
    return line | {"questions": line.get("questions")}


def _question(line: dict[str, Any], where: str) -> tuple[str, BaselineQuestion]:
    texts = [line.get(each) for each in ("question", "key", "mark", "list")]
    scores = line.get("scores")
    if not all(isinstance(each, str) for each in texts) or not isinstance(scores, dict):
        raise BadInput(f"{where}: a question has question, key, mark, list and scores")
    name, key, mark, list_mark = map(str, texts)
    for measure, value in scores.items():
        if isinstance(value, bool) or not isinstance(value, (int, float)) or not abs(value) < _MOST:
            raise BadInput(f"{where}: {measure} is no number")
    found = {measure: float(value) for measure, value in scores.items()}
    return key, BaselineQuestion(name, found, mark, list_mark, line.get("gone") is True)
