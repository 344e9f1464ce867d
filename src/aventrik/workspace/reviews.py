"""What people decided, a line a decision in reviews/WHO.jsonl: what, of which run and question, who, when, the decision,
its reason, what was decided before, and what was changed. Lines are only ever added, so that files of several people
merge."""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Iterable, Sequence
from dataclasses import asdict, dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated, Any

import orjson
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from ..core.errors import BadInput, disk_errors
from .files import read_text
from .testsets import parsed_line


@dataclass(frozen=True)
class Decision:
    """One decision. `item` names what was decided on (a question, by its key; a claim; a passage); `what` is its kind
    ("question", "passage", "verdict", "relevance", or a criterion); `claim` its wording; `blind` says whether the judge's
    word was hidden until then; `was` and `now` hold what was changed, before and after; `sizes` is of the line that says how
    a sample is drawn."""

    what: str
    item: str
    run: str
    testset: str
    question: str
    claim: str
    who: str
    when: str
    decision: str
    reason: str = ""
    before: str = ""
    blind: bool = True
    was: dict[str, Any] = field(default_factory=dict)
    now: dict[str, Any] = field(default_factory=dict)
    sizes: dict[str, float] = field(default_factory=dict)


_Size = Annotated[float, Field(gt=0, le=1)]


class _DecisionLine(BaseModel):
    model_config = ConfigDict(extra="ignore", strict=True)

    what: str = Field(min_length=1)
    item: str = Field(min_length=1)
    run: str = ""
    testset: str = ""
    question: str = ""
    claim: str = ""
    who: str = Field(min_length=1)
    when: str = ""
    decision: str = Field(min_length=1)
    reason: str = ""
    before: str = ""
    blind: bool = True
    was: dict[str, Any] = Field(default_factory=dict)
    now: dict[str, Any] = Field(default_factory=dict)
    sizes: dict[str, _Size] = Field(default_factory=dict)


def check_name(who: str) -> str:
    """The name of a reviewer, fit for a file; raises `BadInput`."""
    if not re.fullmatch(r"[A-Za-z0-9][A-Za-z0-9._-]{0,39}", who):
        raise BadInput(f"--who: '{who}' is no name for a file: letters, figures, . _ and - alone, at most 40")
    return who


class Reviews:
    """The decisions of a workspace. `broken` are lines that can't be read: (place, reason); they are left as they are."""

    def __init__(self, folder: Path, written: Callable[[], None] = lambda: None) -> None:
        self.folder = folder
        self._written = written
        self.broken: list[tuple[str, str]] = []
        self.every: list[Decision] = []
        for path in sorted(folder.glob("*.jsonl")) if folder.is_dir() else ():
            self._read(path)
        self.every.sort(
            key=lambda each: each.when
        )  # of one person's files the latest word counts, whatever they are called

    def _read(self, path: Path) -> None:
        for number, line in enumerate(read_text(path).split("\n"), start=1):
            if not line.strip():
                continue
            where = f"{path}, line {number}"
            try:
                try:
                    content = orjson.loads(line)
                except ValueError:  # told with its column
                    content = parsed_line(line, where)
                self.every.append(Decision(**dict(_DecisionLine.model_validate(content))))
            except BadInput as error:
                self.broken.append((where, str(error).removeprefix(f"{where}: ")))
            except ValidationError as error:
                first = error.errors()[0]
                self.broken.append((where, f"{'.'.join(map(str, first['loc']))}: {first['msg'].lower()}"))

    def last(self, what: str) -> dict[str, dict[str, Decision]]:
        """For each item the last decision of each person, by item and person; a taken-back one is none."""
        found: dict[str, dict[str, Decision]] = {}
        for each in self.every:
            if each.what == what:
                people = found.setdefault(each.item, {})
                people.pop(each.who, None)
                if each.decision != UNDONE:
                    people[each.who] = each
        return {item: people for item, people in found.items() if people}

    def whats(self, testset: str) -> list[str]:
        """What people decided on of the runs of a test set: a decision holds for every run that has the same claim with the same
        context."""
        found = {each.what for each in self.every if each.testset == testset}
        return sorted(each for each in found if not each.startswith(_SAMPLE))

    def drawn_by_run(self, run: str, testset: str, what: str) -> bool:
        """Whether the sample of a run was drawn by numbers of its own, as earlier versions did: it stays in its order."""
        return any(
            each.what == f"{_SAMPLE}{what}"
            and (each.run, each.testset) == (run, testset)
            and each.reason != BY_QUESTION
            for each in self.every
        )

    def drawn(self, run: str, testset: str, what: str) -> dict[str, float]:
        """How likely each question of a run was to be drawn, by its key, as it was noted first; empty where it was not."""
        for each in self.every:
            if each.what == f"{_SAMPLE}{what}" and (each.run, each.testset) == (run, testset):
                return each.sizes
        return {}

    def add(self, decision: Decision) -> None:
        """Writes a decision down at once, behind what stands in that person's file."""
        self.add_all([decision])

    def add_all(self, decisions: Sequence[Decision]) -> None:
        """Writes decisions down at once; all are of one person."""
        if not decisions:
            return
        path = self.folder / f"{check_name(decisions[0].who)}.jsonl"
        with disk_errors(path):
            self.folder.mkdir(parents=True, exist_ok=True)
            with path.open("ab") as file:
                if file.tell() and not _ends_whole(path):  # half a line, of a write that was cut off
                    file.write(b"\n")
                file.write(b"".join(orjson.dumps(_row(each)) + b"\n" for each in decisions))
                file.flush()
                os.fsync(file.fileno())
        self.every.extend(decisions)
        self._written()

    def people(self) -> list[str]:
        """Everybody who decided anything."""
        return sorted({each.who for each in self.every})


def now() -> str:
    """The time, UTC, as decisions have it."""
    return datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


UNDONE = "undone"
_SAMPLE = "sample of "
BY_QUESTION = "one number a question"  # how a sample is drawn, so that what was decided serves the next run


def drawing(run: str, testset: str, what: str, who: str, when: str, sizes: dict[str, float]) -> Decision:
    """The line that says how a sample is drawn: by one number a question, the same for every run."""
    return Decision(
        what=f"{_SAMPLE}{what}",
        item="sample",
        run=run,
        testset=testset,
        question="",
        claim="",
        who=who,
        when=when,
        decision="drawn",
        reason=BY_QUESTION,
        sizes=sizes,
    )


def _ends_whole(path: Path) -> bool:
    with path.open("rb") as file:
        file.seek(-1, os.SEEK_END)
        return file.read(1) == b"\n"


def _row(decision: Decision) -> dict[str, Any]:
    return {name: value for name, value in asdict(decision).items() if value not in ("", {}) or name == "decision"}


def changed_minds(decisions: Iterable[Decision]) -> int:
    """How many decisions stand in place of another one of the same person."""
    return sum(
        bool(each.before) and each.before != each.decision and UNDONE not in (each.before, each.decision)
        for each in decisions
    )
