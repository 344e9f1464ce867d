"""Makes a run of what another system gave to the questions of a test set: from files, or from the system itself."""

from __future__ import annotations

import hashlib
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any
from urllib.parse import unquote

from ..core.brought import Brought, BroughtItem
from ..core.errors import BadInput
from ..core.testsets import Need, Question, Quoted
from ..execution.open_workspace import OpenWorkspace
from ..execution.passing import PosedQuestions
from ..pipeline.resolved import Outside
from ..workspace.answers import AnswerFile, AnswerRow, Lists, load_answers, load_lists, load_qrels
from ..workspace.configuration import Configuration
from ..workspace.stage_settings import NO_MODEL
from ..workspace.toml import nearest
from .running import Runner, RunOutcome

_SHOWN = 5
_ALIKE = 0.5  # of the words of one of two wordings that the other has, from which they may be the same question


@dataclass
class Matched:
    """What was brought for questions of the test set, by id; ids or texts that are of none, with their lines; questions
    that came twice; questions for which nothing came; and the file of answers as it was read."""

    brought: dict[str, Brought] = field(default_factory=dict)
    unknown: list[tuple[int, str]] = field(default_factory=list)
    repeated: int = 0
    missing: list[str] = field(default_factory=list)
    lists: Lists | None = None
    file: AnswerFile | None = None


@dataclass(frozen=True)
class Arrival:
    """What came of a brought run beside its scores: how many items of contexts and lists there were, how many of them
    stand in the documents, how many of the lists name a document that there is not; how many answers are empty, and how
    many questions failed, with a reason."""

    items: int
    found: int
    nowhere: int
    empty: int
    failed: int
    reason: str = ""


def from_files(
    questions: Sequence[Question],
    answers: Path | None,
    ranked: Path | None,
    fields: Mapping[str, str] = {},
    repeated: str = "refuse",
    system: str = "",
) -> Matched:
    """What files hold for the questions of a test set, of one `system` where the answers of several stand in them; raises
    `BadInput`, too where none of them is in it."""
    matched = Matched()
    if answers is not None:
        file = load_answers(answers, fields)
        matched.file = file.of(system) if system else file
        _take_answers(questions, answers, matched.file.rows, repeated, matched)
    if ranked is not None:
        _take_lists(questions, ranked, load_lists(ranked), matched)
    matched.missing = [question.id for question in questions if question.id not in matched.brought]
    if not matched.brought:
        line, name = matched.unknown[0]
        near = nearest(name, [question.id for question in questions], listing=False)
        raise BadInput(
            f"{answers or ranked}: no question in it is of the test set; line {line} has '{name[:80]}'{near}"
        )
    return matched


def with_evidence(questions: Sequence[Question], path: Path, opened: OpenWorkspace) -> list[Question]:
    """The questions that a TREC qrels file names, with the evidence that it gives. One whose evidence is the same as in the
    test set stays as it stands there, so that runs of both are paired. Raises `BadInput` for a file that has none of them."""
    given = load_qrels(path)
    made = []
    for question in questions:
        needs = given.get(question.id)
        if needs is None:
            continue
        own = [{(q.doc, q.start, q.end) for q in need.spans} for need in question.needs]
        told = [_places(places, opened) for places in needs.values()]
        if own == [{(q.doc, q.start, q.end) for q in need} for need in told]:
            made.append(question)
        else:
            made.append(replace(question, needs=tuple(Need("", tuple(need)) for need in told if need)))
    if not made:
        raise BadInput(f"{path}: no question in it is of the test set; it has '{next(iter(given))[:60]}'")
    return made


def _places(items: Sequence[BroughtItem], opened: OpenWorkspace) -> list[Quoted]:
    """Where evidence stands, as far as the documents have it."""
    found = []
    for item in items:
        doc = item.doc if opened.corpus.text(item.doc) is not None else unquote(item.doc)
        text = opened.corpus.text(doc)
        if text is None:
            found.append(Quoted(doc, -1, -1, ""))
            continue
        ranges = [(item.start, item.end), *item.more] if item.start >= 0 else [(0, len(text))]
        found.extend(Quoted(doc, start, end, text[start:end]) for start, end in ranges if start < end <= len(text))
    return found


def _take_answers(
    questions: Sequence[Question], path: Path, rows: Sequence[AnswerRow], repeated: str, matched: Matched
) -> None:
    by_id = {question.id: question for question in questions}
    by_text: dict[str, list[Question]] = {}
    for question in questions:
        by_text.setdefault(_folded(question.question), []).append(question)
    lines: dict[str, AnswerRow] = {}
    for row in rows:
        _check_question(row, by_id.get(row.id), path)
        meant = [by_id[row.id]] if row.id in by_id else [] if row.id else by_text.get(_folded(row.question), [])
        if not meant and row.question:
            meant = by_text.get(_folded(row.question), [])
        if not meant:
            matched.unknown.append((row.line, row.id or row.question))
        for question in meant:
            before = lines.get(question.id)
            if before is not None and _brought(before) != _brought(row):
                matched.repeated += 1
                if repeated == "refuse":
                    raise BadInput(
                        f"{path}, line {row.line}: another answer to question {question.id} stands on line "
                        f"{before.line}; --repeated first or last says which counts"
                    )
                if repeated == "first":
                    continue
            lines[question.id] = row
    matched.brought = {name: _brought(row) for name, row in lines.items()}


def _brought(row: AnswerRow) -> Brought:
    if row.failure:
        return Brought(None, row.declined, row.context, failure=row.failure)
    return Brought(row.answer, row.declined, row.context)


def _check_question(row: AnswerRow, known: Question | None, path: Path) -> None:
    """Raises `BadInput` for a row whose id and question are those of different questions."""
    if known is None or not row.question:
        return
    ours, theirs = set(_folded(known.question).split()), set(_folded(row.question).split())
    if len(ours & theirs) < _ALIKE * max(1, min(len(ours), len(theirs))):
        raise BadInput(
            f"{path}, line {row.line}: the id {row.id} is of the question '{known.question[:60]}', not of '{row.question[:60]}'; "
            "which is meant? Leave out the one that does not belong (--fields id=- or question=-)"
        )


def _take_lists(questions: Sequence[Question], path: Path, lists: Lists, matched: Matched) -> None:
    matched.lists = lists
    known = {question.id for question in questions}
    for name, items in lists.lists.items():
        if name not in known:
            matched.unknown.append((lists.lines[name], name))
            continue
        matched.brought[name] = replace(matched.brought.get(name, Brought()), ranked=items)


def _folded(text: str) -> str:
    return " ".join(text.casefold().split())


def bring(
    opened: OpenWorkspace,
    name: str,
    testset: str,
    questions: Sequence[Question],
    matched: Matched | None = None,
    system: str = "",
    files: Sequence[Path] = (),
    retry_failed: bool = False,
) -> tuple[RunOutcome, Arrival]:
    """The run of what was brought, or of a `system` that is asked now; and what came of it. Questions for which nothing
    came take no part."""
    if system:
        outside, asked_of, brought = Outside(system), list(questions), None
    else:
        assert matched is not None
        brought = matched.brought
        asked_of = [question for question in questions if question.id in brought]
        outside = Outside("", any(each.answer is not None for each in brought.values()))
    if not asked_of:
        raise BadInput("there is no question to score")
    plain = Configuration(name=name).with_settings({"answering.model": NO_MODEL, "search.method": "keyword"})
    resolved = replace(opened.resolve(plain), outside=outside)
    place = opened.placed(resolved)
    asked = PosedQuestions(asked_of, opened.standing, brought)
    source: dict[str, Any] = {"system": system} if system else {"files": [_file(path) for path in files]}
    outcome = Runner(opened, retry_failed).over(place, testset, asked_of, asked, source=source)
    return outcome, arrival(opened, outcome.run)


def _file(path: Path) -> dict[str, str]:
    return {"name": path.name, "sha256": hashlib.sha256(path.read_bytes()).hexdigest()}


def arrival(opened: OpenWorkspace, run: int) -> Arrival:
    """What came of a brought run, from what it keeps."""
    from ..kept.run_records import records_of

    rows = records_of(opened.store, run, ("found again", "answer"))
    items = [item for row in rows for part in (row["found again"].context, row["found again"].ranked) for item in part]
    answers = [row["answer"] for row in rows if "answer" in row]
    failures = Counter(answer.failure for answer in answers if answer.failure)
    reason = failures.most_common(1)[0][0] if failures else ""
    return Arrival(
        len(items), sum(bool(item.ranges) for item in items),
        sum(not item.doc for row in rows for item in row["found again"].ranked), sum(not a.text and not a.failure for a in answers),
        sum(failures.values()), reason,
    )  # fmt: skip


def as_json(outcome: RunOutcome, arrived: Arrival, matched: Matched | None, count: int) -> dict[str, Any]:
    """The documented shape of `score --json`."""
    return {
        "run": outcome.run,
        "name": outcome.configuration.name,
        "questions": count,
        "computed": outcome.computed,
        "seconds": outcome.seconds,
        "models": outcome.models,
        **asdict(arrived),
        "unknown": [] if matched is None else [{"line": line, "question": name} for line, name in matched.unknown],
        "missing": [] if matched is None else matched.missing,
        "repeated": 0 if matched is None else matched.repeated,
    }


def unknown_line(matched: Matched) -> str:
    """A few of what is of no question of the test set."""
    some = ", ".join(f"line {line}: '{name[:60]}'" for line, name in matched.unknown[:_SHOWN])
    return some + (" and others" if len(matched.unknown) > _SHOWN else "")
