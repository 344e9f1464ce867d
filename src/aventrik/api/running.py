"""Runs: planned, made, raced, brought from another system, listed."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from ..core.errors import BadInput
from .rows import Rows
from .testsets import only_testset
from .workspaces import check_documents

if TYPE_CHECKING:
    from ..core.testsets import Question
    from ..execution.open_workspace import OpenWorkspace
    from ..kept.run_names import NamedRuns, RunFilter
    from ..pipeline.inputs import Progress
    from ..runs.bringing import Arrival, Matched
    from ..runs.planning import Planned
    from ..runs.racing import Raced
    from ..runs.running import RunOutcome
    from ..storage.protocols import Run
    from ..workspace.answers import AnswerFile
    from ..workspace.configuration import Configuration
    from ..workspace.testsets import MovedEvidence


@dataclass(frozen=True)
class Asked:
    """A test set as it is asked: its name, its questions, and the configurations that answer."""

    testset: str
    questions: list[Question]
    configurations: list[Configuration]


def asked(
    opened: OpenWorkspace, configurations: Sequence[str] = (), testset: str = "", questions: Sequence[Question] = ()
) -> Asked:
    """What a run is made of: configurations by name (all without any) and the questions of a test set (the only one there
    is without a name), or some that are given. Raises `BadInput` for an empty corpus and what is not there."""
    check_documents(opened)
    chosen = opened.workspace.configurations(list(configurations))
    name = testset or only_testset(opened)
    return Asked(
        opened.workspace.testset_path(name).stem, list(questions) or opened.questions(name)[0], chosen
    )  # fmt: skip


def plan(
    opened: OpenWorkspace,
    configurations: Sequence[str] = (),
    testset: str = "",
    *,
    questions: Sequence[Question] = (),
    until: str = "",
    progress: Progress | None = None,
) -> Rows[Planned]:
    """What a run would compute and ask, and what that would cost; nothing is computed. A line a configuration: what it adds
    to those before it.

    >>> [planned] = aventrik.plan(opened, ["starter"], "small")
    >>> (planned.calls, planned.money)
    (0, 0.0)
    """
    from ..runs.planning import Planner

    what = asked(opened, configurations, testset, questions)
    planner = Planner(opened, what.questions, until)
    rows = []
    with opened.reporting(progress):
        for number, each in enumerate(what.configurations):
            rows.append(planner.plan(each))
            opened.progress("planning", number + 1, len(what.configurations))
    return Rows(rows)


@dataclass(frozen=True)
class Ran:
    """What running came to: an outcome a configuration; `raced` where it was a race; `ended` says why it stopped before all
    were done, "" where it did not; `changed`: the documents are others now than when it began; `baseline`: how many
    questions were written into a baseline file."""

    outcomes: Rows[RunOutcome]
    testset: str
    questions: int
    wanted: int
    raced: Raced | None = None
    ended: str = ""
    changed: bool = False
    baseline: int = 0
    note: str = ""


def run(
    opened: OpenWorkspace,
    configurations: Sequence[str] = (),
    testset: str = "",
    *,
    questions: Sequence[Question] = (),
    until: str = "",
    race: bool = False,
    measure: str = "hit@5",
    indifference: float = 0.0,
    budget: float | None = None,
    budget_seconds: float | None = None,
    label: str = "",
    judges: Sequence[str] = (),
    baseline_file: str | Path | None = None,
    retry_failed: bool = False,
    on: str = "",
    progress: Progress | None = None,
) -> Ran:
    """Applies configurations to a test set. What was computed before is not computed again; interrupted, the same call goes
    on where it stopped.

    `until`: "served", "context", "answer" or "verdicts", after which it stops. `race`: what is clearly worse than the best by
    `measure` stops early, and all but the first once none can be better than it by more than `indifference`. `budget` (money)
    and `budget_seconds` end it cleanly. `baseline_file`: what a gate needs of the run is written there, for version control.
    Raises `BadInput` for what is not there or does not fit together.

    >>> made = aventrik.run(opened, ["starter"], "small")
    >>> (len(made.outcomes), made.questions, made.ended)
    (1, 3, '')
    """
    from ..execution.budget import Budget, BudgetSpent
    from ..execution.hiring import engine_of, workers
    from ..runs.racing import race as race_them
    from ..runs.running import Runner

    engine_of(opened.workspace.settings.engine, on)
    if judges:
        opened.judge_by(judges)
    if baseline_file is not None:
        check_baseline_file(opened, configurations, Path(baseline_file), race)
    what = asked(opened, configurations, testset, questions)
    if race and len(what.configurations) < 2:
        raise BadInput("--race needs at least two configurations")
    opened.bench.budget = Budget(
        budget, budget_seconds, lambda: opened.models.spent().money, opened.workspace.settings.models
    )
    runner = Runner(opened, retry_failed=retry_failed)
    outcomes: list[RunOutcome] = []
    raced, ended = None, ""
    with opened.reporting(progress):
        try:
            with workers(opened, on, opened.tell):
                if race:
                    raced = race_them(
                        runner, what.configurations, what.testset, what.questions, until, measure, indifference
                    )
                    outcomes = raced.outcomes
                else:
                    for each in what.configurations:
                        outcomes.append(runner.run(each, what.testset, what.questions, until))
        except BudgetSpent as spent:
            ended = str(spent)
    for made in outcomes if label else ():
        opened.store.runs.set(made.run, label=label)
    kept = 0
    if baseline_file is not None and not ended:
        kept = _keep_baseline(opened, outcomes[0].run, Path(baseline_file))
    note = "" if ended or race else _languages(opened, what.configurations, until)
    return Ran(
        outcomes=Rows(outcomes),
        testset=what.testset,
        questions=len(what.questions),
        wanted=len(what.configurations),
        raced=raced,
        ended=ended,
        changed=not ended and opened.changed(),
        baseline=kept,
        note=note,
    )


def check_run(
    opened: OpenWorkspace,
    configurations: Sequence[str] = (),
    *,
    judges: Sequence[str] = (),
    on: str = "",
    baseline_file: str | Path | None = None,
) -> None:
    """Raises `BadInput`, before anything is read or runs, for configurations, judges, workers or a baseline file that can't
    be."""
    from ..execution.hiring import engine_of

    engine_of(opened.workspace.settings.engine, on)
    if judges:
        opened.judge_by(judges)
    opened.workspace.configurations(list(configurations))
    if baseline_file is not None:
        check_baseline_file(opened, configurations, Path(baseline_file), False)


def check_baseline_file(opened: OpenWorkspace, configurations: Sequence[str], path: Path, race: bool) -> None:
    """Raises `BadInput`, before anything runs, where a baseline could not be written of it."""
    if race:
        raise BadInput("--baseline-file keeps what a run came to: not with --plan or --race")
    count = len(opened.workspace.configurations(list(configurations)))
    if count != 1:
        raise BadInput(f"--baseline-file is of one configuration; these are {count}: name one")
    if path.is_dir():
        raise BadInput(f"{path}: is a folder")
    _measures_of_gate(opened)


def _measures_of_gate(opened: OpenWorkspace) -> list[str]:
    """The measures that a baseline must hold for the workspace's gate."""
    from ..workspace.gates import load_gate

    limits = opened.folder / "gate.toml"
    return load_gate(limits).measures if limits.is_file() else []


def _keep_baseline(opened: OpenWorkspace, number: int, path: Path) -> int:
    from ..kept.baselines import baseline_of
    from ..kept.run_names import run_named
    from ..workspace.baselines import write_baseline

    kept = baseline_of(opened.store, run_named(opened.store, str(number)), _measures_of_gate(opened))
    write_baseline(path, kept)
    return len(kept.questions)


def _languages(opened: OpenWorkspace, configurations: Sequence[Configuration], until: str) -> str:
    """What to say where built-in rules that know English alone answer or judge on documents in other languages."""
    from ..corpora.languages import only_english
    from ..workspace.stage_settings import NO_MODEL

    if until in ("served", "context"):
        return ""
    roles = opened.workspace.settings.roles
    models = [each.answering.model or roles.answerer for each in configurations]
    if all(name == NO_MODEL for name in models):
        return ""
    judges = opened.judges or roles.judges
    parts = ["answers"] if "offline" in models else []
    parts.extend(["judges"] if "offline" in judges and until != "answer" else [])
    return only_english(opened, f"the built-in model {' and '.join(parts)}") if parts else ""


def money_limit(opened: OpenWorkspace) -> float | None:
    """The money that a run may cost before a person is asked; None where no model costs any, or there is no limit."""
    settings = opened.workspace.settings
    priced = any(each.price_in or each.price_out for each in settings.models.values())
    return settings.limits.money if priced else None


@dataclass(frozen=True)
class Scored:
    """A run of what another system gave: its outcome, what came, how the file's rows were matched with the questions (None
    for a system that was asked), how many questions there are, and how many hide words that the other system has seen."""

    outcome: RunOutcome
    arrival: Arrival
    matched: Matched | None
    questions: int
    testset: str
    hiding: int


def score(
    opened: OpenWorkspace,
    answers: str | Path | None = None,
    *,
    ranked: str | Path | None = None,
    system: str = "",
    testset: str = "",
    qrels: str | Path | None = None,
    name: str = "",
    fields: Mapping[str, str] | None = None,
    repeated: str = "refuse",
    of: str = "",
    judges: Sequence[str] = (),
    retry_failed: bool = False,
    moved: Callable[[MovedEvidence], None] = lambda moved: None,
    progress: Progress | None = None,
) -> Scored:
    """Judges what another system gave to the questions of a test set: `answers` from a JSONL or CSV file, `ranked` lists from
    a TREC run file, or a `system` of the settings that is asked now. The result is a run like any other.

    `qrels`: take the evidence from a TREC qrels file. `fields`: what id, question, answer, context and declined are called
    in the file. `of`: the system whose answers count, where the file has those of several. `repeated`: which of several answers
    counts, "refuse", "first" or "last". `moved` is told of evidence that stands elsewhere by now.
    Raises `BadInput` for a file that can't be read, or holds no question of the test set.

    >>> _ = (elsewhere / "answers.jsonl").write_text('{"id": "a1", "answer": "48 hours."}')
    >>> aventrik.score(opened, elsewhere / "answers.jsonl", testset="small", name="live").questions
    1
    """
    from ..runs.bringing import bring, from_files, with_evidence
    from ..workspace.toml import nearest

    if not (answers or ranked or system):
        raise BadInput("name a file with answers, --ranked with lists, or a --system to ask")
    if system and (answers or ranked):
        raise BadInput("a system is asked now (--system), or its answers come from a file: not both")
    check_documents(opened)
    if judges:
        opened.judge_by(judges)
    able = opened.workspace.settings.able("system")
    if system and system not in able:
        raise BadInput(
            f"--system: aventrik.toml has no system '{system}' (a model that does = \"system\"){nearest(system, able)}"
        )
    set_name = testset or only_testset(opened)
    questions, elsewhere = opened.questions(set_name)
    moved(elsewhere)
    if qrels:
        questions = with_evidence(questions, Path(qrels), opened)
    paths = [Path(each) if each else None for each in (answers, ranked)]
    matched = None if system else from_files(questions, paths[0], paths[1], fields or {}, repeated, of)
    files = [path for path in paths if path]
    called = name or system or of or files[0].stem
    stem = opened.workspace.testset_path(set_name).stem
    with opened.reporting(progress):
        outcome, arrived = bring(opened, called, stem, questions, matched, system, files, retry_failed)
    count = len(questions) if matched is None else len(matched.brought)
    hiding = sum(bool(question.hide) for question in questions)
    return Scored(outcome, arrived, matched, count, set_name, hiding)


def read_answers(file: str | Path, fields: Mapping[str, str] | None = None) -> AnswerFile:
    """How a file of answers is read, before any of it is judged: what kind of file it is, the column of each field, the answers.
    Raises `BadInput` for a file that can't be read.

    >>> _ = (elsewhere / "replies.csv").write_text(chr(10).join(["qid;reply", "a1;48 hours."]))
    >>> aventrik.read_answers(elsewhere / "replies.csv").columns
    {'id': 'qid', 'answer': 'reply'}
    """
    from ..workspace.answers import load_answers

    return load_answers(Path(file), fields or {})


def named_runs(opened: OpenWorkspace, names: Sequence[str] = (), *, finished: bool = True) -> NamedRuns:
    """The runs that are meant by numbers, labels, tags, names, sweeps and patterns; without any the latest of each name.
    Raises `BadInput` for what fits none, and where none of them is finished (unless that does not matter).

    >>> [each.name for each in aventrik.named_runs(opened, ["starter"]).runs]
    ['starter']
    """
    from ..kept.run_names import runs_named

    return runs_named(opened.store, names, finished)


def named_run(opened: OpenWorkspace, name: str) -> Run:
    """The one run that a number, label, tag or name means, of several the latest; raises `BadInput` for none.

    >>> aventrik.named_run(opened, "starter").testset
    'small'
    """
    from ..kept.run_names import run_named

    return run_named(opened.store, name)


def latest_run(opened: OpenWorkspace) -> Run:
    """The run that was made last; raises `BadInput` where there is none."""
    from ..kept.run_names import latest_run

    return latest_run(opened.store.runs.all())


@dataclass(frozen=True)
class RunList:
    """Runs, oldest first: those that were meant, of `every` run there is; the measure that is listed with the mean of each
    run that has it, by number; for each number the version of the test set's documents."""

    runs: tuple[Run, ...]
    every: int
    measure: str
    means: Mapping[int, float]
    versions: Mapping[int, int]
    less_is_better: bool


def list_runs(
    opened: OpenWorkspace, names: Sequence[str] = (), *, only: RunFilter | None = None, measure: str = ""
) -> RunList:
    """Lists runs, all or those that are meant, with the mean of a measure (hit@5). Raises `BadInput` for a measure that is
    named and none of them has.

    >>> listed = aventrik.list_runs(opened, ["starter"])
    >>> (listed.measure, listed.means[listed.runs[0].id])
    ('hit@5', 1.0)
    """
    from ..kept.run_names import RunFilter, corpus_versions
    from ..kept.sheets import means_of
    from ..kept.sides import less_is_better_in

    every = opened.store.runs.all()
    wanted = only or RunFilter()
    if names:
        numbers = {each.id for each in meant_runs(opened, names, only)}
        listed = [each for each in every if each.id in numbers]
    else:
        listed = wanted.of(every)
    means = means_of(opened.store, listed, measure)
    return RunList(
        tuple(listed), len(every), measure or "hit@5", means, corpus_versions(every),
        less_is_better_in(listed, measure or "hit@5"),
    )  # fmt: skip


def meant_runs(opened: OpenWorkspace, names: Sequence[str], only: RunFilter | None = None) -> list[Run]:
    """The runs that are named, finished or not, as far as a filter lets them pass, in order of number."""
    from ..kept.run_names import RunFilter

    found = named_runs(opened, names, finished=False)
    return (only or RunFilter()).of(sorted([*found.runs, *found.unfinished], key=lambda each: each.id))


def change_runs(
    opened: OpenWorkspace,
    runs: Sequence[Run],
    *,
    label: str | None = None,
    note: str | None = None,
    tags: Sequence[str] = (),
    untag: Sequence[str] = (),
) -> None:
    """Labels, notes and tags runs; what is None or empty stays as it is.

    >>> aventrik.change_runs(opened, [aventrik.named_run(opened, "starter")], tags=["weekly"])
    >>> aventrik.named_run(opened, "weekly").name
    'starter'
    """
    for each in runs:
        opened.store.runs.set(each.id, label, note)
        opened.store.runs.tag(each.id, tuple(tags), tuple(untag))


def remove_runs(opened: OpenWorkspace, runs: Sequence[Run]) -> None:
    """Removes runs; results that they share with others stay."""
    for each in runs:
        opened.store.runs.remove(each.id)
