"""A run made anew from nothing but its documents and what models replied then: which results come out otherwise, and from
which stage on."""

from __future__ import annotations

import tempfile
from contextlib import closing, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from threadpoolctl import threadpool_limits

from ..core.errors import BadInput
from ..execution.hiring import workers
from ..execution.open_workspace import OpenWorkspace
from ..execution.passing import PosedQuestions
from ..kept.chains import broken_chains
from ..kept.provenance import unexplained
from ..kept.sides import check_known
from ..pipeline.inputs import Progress, nothing
from ..runs.running import Runner
from ..storage import Address, copied, open_store
from ..storage.protocols import Gathering, Run, RunQuestion, Snapshot
from ..workspace.changed_setting import with_setting
from ..workspace.configuration import Configuration
from ..workspace.settings import SETTINGS
from ..workspace.testsets import question_from

_KEPT = ("documents", "files", "contents", "corpora", "calls")
_TOLD = 10  # ids of questions that are told of a stage


@dataclass(frozen=True)
class StageAudit:
    """A stage on questions: for how many results were compared, how many came out otherwise, and the ids of the first of
    these questions."""

    stage: str
    compared: int
    other: int
    questions: tuple[str, ...] = ()


@dataclass(frozen=True)
class Audited:
    """What an audit of a run came to: its stages in order, in what else the run that was made anew rests on something other
    than the old one, and what does not fit together in what is kept. `how` tells what was varied."""

    run: Run
    how: tuple[str, ...]
    stages: tuple[StageAudit, ...]
    apart: tuple[str, ...]
    broken: tuple[str, ...]

    @property
    def results(self) -> int:
        """How many results were compared."""
        return sum(each.compared for each in self.stages)

    @property
    def other(self) -> int:
        """How many came out otherwise."""
        return sum(each.other for each in self.stages)

    @property
    def first(self) -> str:
        """The first stage with a result that came out otherwise; "" where none did."""
        return next((each.stage for each in self.stages if each.other), "")

    @property
    def sound(self) -> bool:
        """Whether all came out as it stands."""
        return not (self.other or self.broken)


def audited(opened: OpenWorkspace, run: Run, on: str = "", threads: int = 1, progress: Progress = nothing) -> Audited:
    """Makes a run anew in a store of its own, from the same texts, taken in in reverse order, with so many threads in
    numerical libraries, by the workers that `on` names, and holds every result against what the run keeps. Models are not
    asked: their replies are those of then.

    Raises `BadInput` for a run that is not finished, or that another system brought.
    """
    check_known(run)
    if not run.finished or not run.made.get("format"):
        raise BadInput(
            f"run {run.id} ({run.name}) is not finished, or of an earlier version; run it again, and audit that"
        )
    if run.made.get("outside"):
        raise BadInput(
            f"run {run.id} ({run.name}) was brought from another system; what it gave can't be made anew here"
        )
    snapshot = opened.store.documents.snapshot(run.corpus)
    rows = opened.store.runs.questions(run.id)
    with tempfile.TemporaryDirectory(prefix="aventrik-audit-") as folder:
        _laid_out(opened, Path(folder), progress)
        with closing(OpenWorkspace(Path(folder), progress)) as again, threadpool_limits(threads):
            _as_then(again, snapshot)
            again.judge_by(run.made.get("judges", ()))
            runner = Runner(again)
            questions = [question_from(row.body) for row in rows]
            place = again.place(
                Configuration.kept(run.made["configuration"]), str(run.made.get("until", "")), snapshot=snapshot
            )
            again.store.documents.keep_snapshot(snapshot)
            runner.asked(questions)
            with workers(again, on):
                made = runner.over(
                    place, run.testset, questions, PosedQuestions(questions, again.standing), run.made.get("until", "")
                )
            [other] = [each for each in again.store.runs.all() if each.id == made.run]
            stages = _compared(opened, again, run, rows, made.run)
            apart = tuple(each.what for each in unexplained([run, other]))
    how = [
        "the documents taken in in reverse order",
        f"{threads} thread{'s' if threads > 1 else ''} in numerical libraries",
    ]
    how.append(f"on workers ({on})" if on and on != "here" else "in this process")
    broken = tuple(line for line in broken_chains(opened.store) if line.startswith(f"run {run.id} ("))
    return Audited(run, tuple(how), stages, apart, broken)


def _laid_out(opened: OpenWorkspace, folder: Path, progress: Progress) -> None:
    """A workspace like this one in another folder, with a store that has documents and calls and nothing that was made of
    them."""
    for path in opened.folder.iterdir():
        if path.name not in (SETTINGS, ".aventrik"):
            with suppress(OSError):
                (folder / path.name).symlink_to(path.resolve())
    text = (opened.folder / SETTINGS).read_text("utf-8-sig")
    for name in ("address", "arrays"):
        if getattr(opened.workspace.settings.store, name):
            text = with_setting(text, "store", name, "")
    (folder / SETTINGS).write_text(text, encoding="utf-8")
    target = open_store(Address(folder / ".aventrik"))
    try:
        copied(opened.store, target, progress, _KEPT, backwards=True)
    finally:
        target.close()


def _as_then(again: OpenWorkspace, snapshot: Snapshot) -> None:
    """Has each document be what it was when the run was made."""
    documents = again.store.documents
    now = dict(documents.content_keys())
    changed = [(name, key) for name, key in zip(snapshot.names, snapshot.contents) if now.get(name) != key]
    for name, key in changed:
        try:
            [found] = documents.contents([name], [key])
        except KeyError:
            raise BadInput(
                f"{name}: its text of that time is no longer in the store, so the run can't be made anew"
            ) from None
        documents.keep(name, [Gathering(name, key, found.title, "{}", len(found.text), None, None, "{}")])


def _compared(
    opened: OpenWorkspace, again: OpenWorkspace, run: Run, rows: list[RunQuestion], number: int
) -> tuple[StageAudit, ...]:
    new = {row.key: row for row in again.store.runs.questions(number)}
    digests: list[dict[str, Any]] = []
    for store, some in ((opened.store, rows), (again.store, list(new.values()))):
        found = store.results.digests(list({name for row in some for name in row.results.values()}))
        digests.append({name: value for name, (value, _) in found.items()})
    before, after = digests
    counts: dict[str, list[int]] = {}
    others: dict[str, list[str]] = {}
    for row in rows:
        for node, name in row.results.items():
            count = counts.setdefault(node, [0, 0])
            count[0] += 1
            made = new[row.key].results.get(node, "") if row.key in new else ""
            if before.get(name) != after.get(made):
                count[1] += 1
                others.setdefault(node, []).append(row.id)
    return tuple(
        StageAudit(node, compared, other, tuple(others.get(node, ())[:_TOLD]))
        for node, (compared, other) in counts.items()
    )
