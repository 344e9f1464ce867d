"""Test sets: drafted from documents, located from logs, looked at, divided, held against real questions."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ..core.errors import BadInput
from .rows import Rows
from .workspaces import check_documents, spent

if TYPE_CHECKING:
    from ..core.testsets import Question
    from ..core.testsets.drafting import Draft
    from ..core.testsets.drafting.brief import Brief
    from ..core.testsets.likeness import SetForm
    from ..execution.open_workspace import OpenWorkspace
    from ..pipeline.inputs import Progress
    from ..questions.gaps import Gaps
    from ..questions.likeness import Likeness
    from ..questions.locating import Located
    from ..questions.planning import Needed
    from ..workspace.deciding import Settled
    from ..workspace.logs import QuestionLog
    from ..workspace.testsets import MovedEvidence

DRAFTED, ALL_HEADINGS = 50, 10_000  # questions of a draft without a number; of headings alone
LOCATED = 1000  # questions of a log at the most, without a number


@dataclass(frozen=True)
class Drafted:
    """A draft, what was asked for, and where it was written: the test set, and the table of what was dropped and why; how
    many questions were there already. `note` tells where documents are in languages that the built-in writer lacks."""

    draft: Draft
    brief: Brief
    path: Path
    dropped: Path
    already: int
    note: str = ""

    @property
    def questions(self) -> tuple[Question, ...]:
        """The new questions."""
        return tuple(self.draft.questions)

    def to_pandas(self) -> Any:
        """A row a new question."""
        return Rows(self.questions).to_pandas()


def draft(
    opened: OpenWorkspace,
    testset: str = "draft",
    count: int | None = None,
    *,
    writer: str = "",
    wanted: Mapping[str, object] | None = None,
    from_headings: bool = False,
    seed: int | None = None,
    add: bool = False,
    replace: bool = False,
    progress: Progress | None = None,
) -> Drafted:
    """Writes a test set from the corpus: wordings that people made (titles, headings that ask, captions), which are then
    hidden from what is searched, and sentences and table rows that state a fact; each checked against the whole corpus.

    `count` questions (50; with `from_headings`, which takes headings that ask as they are, all). `wanted` has settings of
    [drafting] for this once: audience, examples, at_most, kinds, styles, difficulty. Raises `BadInput` where the test set
    stands already and neither `add` nor `replace` is given, and where no good question is found.

    >>> made = aventrik.draft(opened, "fresh", 4)
    >>> (made.path.name, len(made.questions))
    ('fresh.jsonl', 4)
    """
    from ..corpora.languages import only_english
    from ..questions.drafting import brief_of, draft_questions
    from ..workspace.drafts import save_dropped, save_grades
    from ..workspace.testsets import save_testset

    check_documents(opened)
    path, already = _beside(opened, testset, add, replace)
    many = count or (ALL_HEADINGS if from_headings else DRAFTED)
    brief = brief_of(opened, many, seed, wanted, from_headings)
    with opened.reporting(progress):
        made = draft_questions(opened, brief, writer, already, lambda done: opened.progress("drafting", done, many))
    if not made.questions:
        raise BadInput(f"no good question was found in {made.passages:,} passages; nothing was written")
    offline = (writer or opened.workspace.settings.roles.writer) == "offline"
    note = only_english(opened, "the built-in writer drafts") if offline else ""
    save_testset(path, [*already, *made.questions], opened.corpus.known)
    reports = opened.folder / "reports"
    dropped = reports / f"dropped-{path.stem}.csv"
    save_dropped(dropped, made.dropped, made.passed_over)
    if made.grades:
        save_grades(reports / f"passages-{path.stem}.csv", made.grades)
    return Drafted(made, brief, path, dropped, len(already), note)


def _beside(opened: OpenWorkspace, name: str, add: bool, replace: bool) -> tuple[Path, list[Question]]:
    """The file of a test set that is to be written, and the questions that stay in it."""
    from ..workspace.testsets import load_testset

    path = opened.workspace.testset_path(name)
    if not path.exists() or replace:
        return path, []
    if not add:
        raise BadInput(f"{path}: exists already; --add adds to it, --replace writes it anew")
    return path, load_testset(path)


@dataclass(frozen=True)
class LocatedLog:
    """What a log came to: the questions with their places, the log as it was read, where the test set was written, what
    people ask that no document answers, and what models were asked for it."""

    located: Located
    log: QuestionLog
    path: Path
    gaps: Gaps
    spent: dict[str, float] = field(default_factory=dict)

    @property
    def questions(self) -> tuple[Question, ...]:
        """The new questions."""
        return self.located.questions

    def to_pandas(self) -> Any:
        """A row a new question."""
        return Rows(self.questions).to_pandas()


def locate(
    opened: OpenWorkspace,
    log: str | Path,
    testset: str = "asked",
    *,
    columns: Mapping[str, str] | None = None,
    count: int = LOCATED,
    pool: Sequence[str] = (),
    embedding: str = "",
    judge: str = "",
    seed: int | None = None,
    add: bool = False,
    replace: bool = False,
    progress: Progress | None = None,
) -> LocatedLog:
    """Turns a log of real questions (CSV, TSV, JSONL, lines of text) into a test set: folds repeats, masks personal data,
    proposes where each is answered, tells which no document answers.

    `columns` says which column holds the question, when, conversation, speaker and count; `pool` names configurations whose
    candidates are taken, else a built-in pool with the `embedding` model. Of more than `count` different questions half are
    those asked most and half drawn by lot. Raises `BadInput` for a log in which nothing is asked.

    >>> _ = (elsewhere / "log.txt").write_text("How long may a boat stay at a visitor mooring?\\n")
    >>> made = aventrik.locate(opened, elsewhere / "log.txt", "log", embedding="none")
    >>> [need.spans[0].doc for question in made.questions for need in question.needs]
    ['moorings.md']
    """
    from ..questions.gaps import find_gaps
    from ..questions.locating import locate as locate_entries
    from ..runs.pooling import pool_of
    from ..workspace.logs import load_log
    from ..workspace.testsets import save_testset

    check_documents(opened)
    path, already = _beside(opened, testset, add, replace)
    if judge:
        opened.check_language("--judge", judge)
    pooled = pool_of(opened, pool, embedding)
    read = load_log(Path(log), columns or {})
    lot = opened.workspace.settings.seed if seed is None else seed
    with opened.reporting(progress):
        made = locate_entries(opened, read.entries, pooled, count, judge, already, lot, progress=opened.progress)
        asked = [*made.already, *made.questions]
        if asked:
            save_testset(path, asked, opened.corpus.known)
        found = find_gaps(opened, asked, embedding="" if pool else embedding)
    return LocatedLog(made, read, path, found, vars(spent(opened)))


def gaps(
    opened: OpenWorkspace, testset: str, *, run: str = "", measure: str = "hit@5", progress: Progress | None = None
) -> Gaps:
    """What people ask and no document answers, in groups; with a `run`, also what it serves badly by a measure (worse than
    0.5). Raises `BadInput` for a test set or run that there is not.

    >>> [member.question for group in aventrik.gaps(opened, "small").groups for member in group.members]
    ['Is there a cinema?']
    """
    from ..kept.run_names import run_named
    from ..questions.gaps import find_gaps

    judged = run_named(opened.store, run) if run else None
    with opened.reporting(progress):
        return find_gaps(opened, opened.questions(testset)[0], judged, measure)


def gaps_of(opened: OpenWorkspace, questions: Sequence[Question]) -> Gaps:
    """What of some questions no document answers, in groups."""
    from ..questions.gaps import find_gaps

    return find_gaps(opened, questions)


def load_questions(opened: OpenWorkspace, testset: str) -> tuple[list[Question], MovedEvidence]:
    """The questions of a test set that are not rejected, their evidence at its present place in the documents, and what
    moved. Raises `BadInput` for a test set that there is not.

    >>> [question.id for question in aventrik.load_questions(opened, "small")[0]]
    ['a1', 'a2', 'a3']
    """
    return opened.questions(testset)


def saved_questions(opened: OpenWorkspace, testset: str) -> list[Question] | None:
    """The questions as they stand in the file of a test set; None where there is no such file."""
    from ..workspace.testsets import load_testset

    path = opened.workspace.testset_path(testset)
    return load_testset(path) if path.exists() else None


def save_questions(
    opened: OpenWorkspace, testset: str, questions: Sequence[Question], *, replace: bool = False
) -> Path:
    """Writes questions as a test set; returns its file. Raises `BadInput` where one stands that is not to be replaced, and
    for no question at all.

    >>> asked, _ = aventrik.load_questions(opened, "small")
    >>> aventrik.save_questions(opened, "two", asked[:2]).name
    'two.jsonl'
    """
    from ..workspace.testsets import save_testset

    path = opened.workspace.testset_path(testset)
    if path.exists() and not replace:
        raise BadInput(f"{path}: exists already; --replace writes over it")
    if not questions:
        raise BadInput(f"{testset}: would be empty; nothing was written")
    save_testset(path, questions, opened.corpus.known)
    return path


def testset_file(opened: OpenWorkspace, testset: str) -> Path:
    """The file of a test set; it need not be there."""
    return opened.workspace.testset_path(testset)


def only_testset(opened: OpenWorkspace) -> str:
    """The name of the only test set there is; raises `BadInput` for none or several."""
    names = sorted(path.stem for path in (opened.folder / "testsets").glob("*.jsonl"))
    if len(names) == 1:
        return names[0]
    if not names:
        raise BadInput(f"{opened.folder / 'testsets'}: holds no test set; 'aventrik draft' writes one")
    raise BadInput(f"there are several test sets ({', '.join(names)}); name one with --testset")


def decided_testset(opened: OpenWorkspace, testset: str) -> Settled:
    """A test set as people left it: its file, with what they decided laid over it."""
    return opened.testset(testset)


@dataclass(frozen=True)
class TestsetLine:
    """A test set: how many questions of each kind and status, who wrote how many, runs that were made on it, questions that
    people decided on, and on which they contradict each other."""

    testset: str
    questions: int
    kinds: dict[str, int]
    statuses: dict[str, int]
    by: dict[str, int]
    runs: int
    decided: int
    conflicts: int


def list_testsets(opened: OpenWorkspace) -> Rows[TestsetLine]:
    """The test sets of a workspace in order of name; those that can't be read are told, and left out.

    >>> [(each.testset, each.questions) for each in aventrik.list_testsets(opened) if each.testset == "small"]
    [('small', 3)]
    """
    runs = Counter(run.testset for run in opened.store.runs.all())
    found = []
    for path in sorted((opened.folder / "testsets").glob("*.jsonl")):
        try:
            settled = opened.testset(path.stem)
        except BadInput as error:
            opened.tell(str(error))
            continue
        kinds, statuses, by = (
            dict(Counter(getattr(question, what) for question in settled.questions).most_common())
            for what in ("kind", "status", "by")
        )
        found.append(
            TestsetLine(
                testset=path.stem,
                questions=len(settled.questions),
                kinds=kinds,
                statuses=statuses,
                by=by,
                runs=runs[path.stem],
                decided=len(settled.decided),
                conflicts=len(settled.conflicts),
            )
        )
    return Rows(found)


def form_of(questions: Sequence[Question]) -> SetForm:
    """What questions look like: words, beginnings, styles, kinds."""
    from ..core.testsets.likeness import form_of

    return form_of(questions, {})


def remove_testsets(opened: OpenWorkspace, names: Sequence[str]) -> list[Path]:
    """Removes the files of test sets; runs that were made on them keep their questions. Raises `BadInput`, and removes
    none, where one of them is not there."""
    paths = check_testsets(opened, names)
    for path in paths:
        path.unlink()
    return paths


def check_testsets(opened: OpenWorkspace, names: Sequence[str]) -> list[Path]:
    """The files of test sets; raises `BadInput` for one that is not there."""
    paths = [opened.workspace.testset_path(name) for name in names]
    for path in paths:
        if not path.is_file():
            raise BadInput(f"{path}: no such test set")
    return paths


def merge_testsets(opened: OpenWorkspace, names: Sequence[str]) -> list[Question]:
    """The questions of several test sets, those that ask the same once.

    >>> len(aventrik.merge_testsets(opened, ["small", "small"]))
    3
    """
    from ..core.testsets.dividing import merged

    return merged([opened.testset(name).questions for name in names])


def sample_testset(opened: OpenWorkspace, testset: str, count: int, *, seed: int | None = None) -> list[Question]:
    """So many questions of a test set, drawn by lot.

    >>> len(aventrik.sample_testset(opened, "small", 2))
    2
    """
    from ..core.testsets.dividing import sample

    lot = opened.workspace.settings.seed if seed is None else seed
    return sample(opened.testset(testset).questions, count, lot)


def split_testset(
    opened: OpenWorkspace, testset: str, share: float, *, seed: int | None = None
) -> tuple[list[Question], list[Question]]:
    """A test set in two, the first with about that share of the questions (0 to 1), no document in both.

    >>> sum(map(len, aventrik.split_testset(opened, "small", 0.5)))
    3
    """
    from ..core.testsets.dividing import split

    lot = opened.workspace.settings.seed if seed is None else seed
    return split(opened.testset(testset).questions, share, lot)


def export_testset(opened: OpenWorkspace, testset: str, file: str | Path) -> tuple[list[Path], int]:
    """Writes a test set as a table, a line a question (.csv, .jsonl, .parquet, .xlsx), or as TREC topics and qrels (.trec);
    returns the files and how many questions they hold."""
    from ..questions.exporting import qrels_of, rows_of, topics_of
    from ..workspace.files import write_whole
    from ..workspace.tables import write_table

    path = Path(file)
    asked = opened.located(list(opened.testset(testset).questions))[0]
    if path.suffix.lower() != ".trec":
        write_table(path, rows_of(asked, opened.corpus))
        return [path], len(asked)
    files = [path.with_suffix(suffix) for suffix in (".topics", ".qrels")]
    for each, text in zip(files, (topics_of(asked), qrels_of(asked))):
        write_whole(each, text)
    return files, len(asked)


def likeness(opened: OpenWorkspace, draft: str, real: str) -> Likeness:
    """Is a draft like real questions, in form, difficulty and topics, and does it put configurations into the same order?
    Raises `BadInput` for a set that can't be read, or is held against itself.

    >>> aventrik.likeness(opened, "two", "small").decides
    False
    """
    from ..questions.likeness import check_apart
    from ..questions.likeness import likeness as likeness_of

    check_apart(draft, real)
    return likeness_of(opened, draft, real)


def plan_testset(
    opened: OpenWorkspace,
    difference: float,
    *,
    questions: Sequence[Question] = (),
    count: int = 0,
    measure: str = "hit@5",
) -> Needed:
    """How many questions show a true difference of a measure with 80 % power on this corpus, among 2, 8 and 40 configurations;
    of `questions` that are there, or a `count` of them that are not yet, what they show. How questions change is taken from the
    latest runs. Raises `BadInput` for a difference outside 0…1, and a measure that is no share or score.

    >>> aventrik.plan_testset(opened, 0.1).these[0].configurations
    2
    """
    from ..questions.planning import needed

    return needed(opened, difference, questions, count, measure)


def most_alike(opened: OpenWorkspace, draft: str, real: str) -> list[Question]:
    """The subset of a draft that is most like the real questions."""
    from ..questions.likeness import matched

    return matched(opened, draft, real)
