"""What runs come to: compared, explained, reported, held against limits; and a question asked now."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from ..core.errors import BadInput
from .documents import configuration_of
from .rows import Rows
from .running import latest_run, named_run, named_runs
from .workspaces import check_documents

if TYPE_CHECKING:
    from ..core.comparing.crossing import Crossed
    from ..corpora.surveying import Survey
    from ..execution.open_workspace import OpenWorkspace
    from ..kept.run_names import NamedRuns
    from ..pipeline.inputs import Progress
    from ..questions.gaps import Gaps
    from ..report.exports import ExportedFiles
    from ..report.map import Drawing
    from ..report.page import WrittenPage
    from ..results.asking import AskedNow
    from ..results.chain_sums import Chained
    from ..results.comparison import Comparison
    from ..results.explaining import Explanation
    from ..results.gated import Gated
    from ..results.model_calls import Recalled
    from ..results.spread import SpreadOut
    from ..storage.protocols import Run
    from ..workspace.configuration import Configuration

PAGE_MEGABYTES = 20  # of a page at the most, without another word


def ask(
    opened: OpenWorkspace,
    question: str,
    configurations: Sequence[str | Configuration] = (),
    *,
    where: str | None = None,
    before: Sequence[str] = (),
    progress: Progress | None = None,
) -> Rows[AskedNow]:
    """Takes one question through configurations (the first there is), now: every stage's output, scores, seconds, and the
    answer with its citations. Nothing of it is kept as a run.

    `where` filters documents for this question; `before` are the questions asked before it in the conversation. Raises
    `BadInput` for an empty question or corpus.

    >>> [found] = aventrik.ask(opened, "What does a bridge key cost?")
    >>> found.explanation.stages["answer"].text
    'A bridge key costs 12 pounds and is sold at the help desk. [1]'
    """
    from ..results.asking import ask as ask_now

    if not question.strip():
        raise BadInput("the question is empty")
    check_documents(opened)
    chosen: list[Configuration] = []
    for each in configurations or [""]:
        if each and isinstance(each, str):
            chosen.extend(opened.workspace.configurations([each]))
        else:
            chosen.append(configuration_of(opened, each))
    if where is not None:
        chosen = [each.with_settings({"search.where": where}) for each in chosen]
    with opened.reporting(progress):
        return Rows(ask_now(opened, each, question, before=before) for each in chosen)


def compare(
    opened: OpenWorkspace,
    runs: Sequence[str] | NamedRuns = (),
    *,
    baseline: str | None = None,
    measure: str | None = None,
    measures: Sequence[str] | None = None,
    pairs: bool | None = False,
    every: bool = True,
    corrected: bool = True,
) -> Comparison:
    """Sets runs side by side on the questions that all of them have: means with 95 % intervals, which is best, whether
    differences are real, what each setting contributed, what it costs, where the evidence was lost.

    `runs` as for `named_runs`. `measure` decides (hit@5); `measures` are the columns. `pairs`: every run against every other
    too (None: where there are few enough). Without `every`, all is worked out for the best 15 alone. `corrected`: what a
    judge says is corrected by what people decided. Raises `BadInput` for runs without a question in common, one that is
    not finished, and a measure that none has.

    >>> found = aventrik.compare(opened, ["starter"])
    >>> found.means[0]["hit@5"].mean
    1.0
    """
    from ..kept.run_names import NamedRuns
    from ..results.comparing import MOST_PAIRED
    from ..results.comparing import compare as compare_runs

    chosen = runs if isinstance(runs, NamedRuns) else named_runs(opened, runs)
    if pairs is None:
        pairs = len({run.id for run in chosen.runs}) <= MOST_PAIRED
    reviews = opened.workspace.reviews if corrected else None
    return compare_runs(
        opened.store, opened.workspace.settings, chosen.runs, baseline, measure, measures, pairs, reviews, every
    )


def spread(found: Comparison, measure: str) -> SpreadOut:
    """How a measure is spread in each run of a comparison, and the questions that two runs differ on."""
    from ..results.spread import spread_of

    return spread_of(found, measure)


def cross(opened: OpenWorkspace, found: Comparison, names: Sequence[str]) -> tuple[Crossed | None, str]:
    """Two settings of a comparison crossed, or a setting with what the questions are (kind, style, difficulty, tag,
    document, writer, topic); (None, facet) for a facet alone, whose groups the comparison has then. Raises `BadInput` for
    what these runs do not differ in."""
    from ..results.crossing import crossed_by

    return crossed_by(opened, found, names)


def chains(opened: OpenWorkspace, runs: Sequence[str] = ()) -> Rows[Chained]:
    """What each rewriting and each reranking step of some runs did over all their questions.

    >>> [found] = aventrik.chains(opened, ["starter"])
    >>> (found.rewrites, found.steps)
    ((), ())
    """
    from ..results.chain_sums import chained

    return Rows(chained(opened.store, run) for run in named_runs(opened, runs).runs if run.made.get("format"))


def doubts(opened: OpenWorkspace, found: Comparison) -> list[str]:
    """How far the test sets of a comparison can be trusted, a sentence a doubt."""
    from ..report.notes import doubts_about

    return list(doubts_about(opened, found))


def explain(opened: OpenWorkspace, run: str | Run = "", question: str = "", *, measure: str = "hit@5") -> Explanation:
    """One question of a run (the latest), taken apart: what each stage held, where each need was lost, the answer, each
    verdict. Without a question the run's worst by a measure. All of it is read from what the run keeps. Raises `BadInput`
    where the run has no such question.

    >>> aventrik.explain(opened, "starter", "a1").needs[0]["lost"]
    'answered'
    """
    from ..results.explaining import explain as explain_question
    from ..results.explaining import worst_of

    chosen = (named_run(opened, run) if run else latest_run(opened)) if isinstance(run, str) else run
    name = question or worst_of(opened.store, chosen, measure)
    if name is None:
        raise BadInput(f"run {chosen.id} has no question with a score for '{measure}'; name a question")
    return explain_question(opened.store, opened.bench, chosen, name)


def explain_two(
    opened: OpenWorkspace, first: str | Run, second: str | Run, question: str = "", *, measure: str = "hit@5"
) -> tuple[Explanation, Explanation]:
    """One question of two runs; without one that on which the second is most worse than the first. Raises `BadInput` where
    both score all of them alike."""
    from ..results.explaining import most_worse_of

    one, other = (named_run(opened, each) if isinstance(each, str) else each for each in (first, second))
    name = question or most_worse_of(opened.store, one, other, measure)
    return explain(opened, one, name), explain(opened, other, name)


@dataclass(frozen=True)
class Meant:
    """What names of `explain` mean: a run, a second one or None, a question's id or ""."""

    first: Run
    second: Run | None
    question: str


def meant_by(opened: OpenWorkspace, names: Sequence[str]) -> Meant:
    """What one to three names mean: a run, another run, a question. The second of two is a question where the run has one of
    that id. Raises `BadInput` for a name that is neither.

    >>> aventrik.meant_by(opened, ["starter", "a1"]).question
    'a1'
    """
    from ..kept.run_names import meant

    if len(names) > 3:
        raise BadInput("name one run or two, and at most one question")
    first = named_run(opened, names[0])
    if len(names) == 3:
        return Meant(first, named_run(opened, names[1]), names[2])
    if len(names) == 1:
        return Meant(first, None, "")
    if names[1] not in opened.store.runs.results(first.id) and meant(opened.store.runs.all(), names[1]):
        return Meant(first, named_run(opened, names[1]), "")
    return Meant(first, None, names[1])


def model_calls(opened: OpenWorkspace, found: Explanation) -> list[Recalled]:
    """Every call of a model server behind an explained question: the prompt as it was sent, the raw reply, time, tokens,
    money. Built-in models make none.

    >>> aventrik.model_calls(opened, aventrik.explain(opened, "starter", "a1"))
    []
    """
    from ..results.model_calls import calls_of

    if found.run is None:
        raise BadInput("a question that was asked just now is of no run")
    return calls_of(opened.store, opened.bench, found.run, found)


def gate(
    opened: OpenWorkspace,
    run: str | Run = "",
    *,
    limits: str | Path | None = None,
    baseline: str = "",
    undecided: str = "",
) -> Gated:
    """Holds a run (the latest) against the limits of a file (gate.toml) and a baseline, a run or a file: passed, failed, or
    not decided by so few questions. `undecided` says what an undecided limit counts as,
    "pass" or "fail". Raises `BadInput` for a baseline that is not there, was judged otherwise, or shares no question.

    >>> _ = (elsewhere / "gate.toml").write_text('[[limit]]\\nmeasure = "hit@5"\\nleast = 0.1\\n')
    >>> found = aventrik.gate(opened, "starter", limits=elsewhere / "gate.toml")
    >>> (found.checks[0].measure, found.failed)
    ('hit@5', False)
    """
    from ..results.gating import gated
    from ..workspace.gates import load_gate

    held = load_gate(Path(limits) if limits else opened.folder / "gate.toml")
    chosen = (named_run(opened, run) if run else latest_run(opened)) if isinstance(run, str) else run
    where = Path.cwd() if baseline and Path(baseline).is_file() else held.path.parent
    found = gated(opened.store, opened.workspace.settings, held, chosen, where, baseline)
    if undecided:
        found = replace(found, undecided_counts=undecided)
    return found


def write_report(
    opened: OpenWorkspace,
    found: Comparison,
    file: str | Path | None = None,
    *,
    title: str = "",
    most: int = PAGE_MEGABYTES,
    calls: bool = False,
    progress: Progress | None = None,
) -> WrittenPage:
    """Writes a comparison as one self-contained page (reports/report.html), of at most about `most` megabytes; with `calls`,
    also every prompt and reply of the runs that matter. (`report` is the name of a package.) Raises `BadInput` for a file
    that can be none.

    >>> aventrik.write_report(opened, aventrik.compare(opened, ["starter"]), elsewhere / "page.html").runs
    1
    """
    from ..pipeline.inputs import nothing
    from ..report.page import write_report as write_page

    path = Path(file) if file else opened.folder / "reports" / "report.html"
    return write_page(path, opened, found, title, most * 1_000_000, progress or nothing, calls)


def export(
    opened: OpenWorkspace,
    found: Comparison,
    folder: str | Path,
    formats: Sequence[str] = (),
    *,
    progress: Progress | None = None,
) -> ExportedFiles:
    """Writes a comparison into a folder as tables and TREC files: "csv", "jsonl", "parquet", "trec", all without any.

    >>> sorted(path.name for path in aventrik.export(opened, aventrik.compare(opened, ["starter"]), elsewhere, ["csv"]).files)[:2]
    ['answers.csv', 'claims.csv']
    """
    from ..pipeline.inputs import nothing
    from ..report.exports import export as export_files
    from ..report.exports import formats_of

    return export_files(opened.store, found, Path(folder), formats_of(",".join(formats)), progress or nothing)


def draw_survey(
    opened: OpenWorkspace,
    made: Survey,
    *,
    points: int = 2000,
    layout: str = "tsne",
    run: str = "",
    measure: str = "hit@5",
    seed: int | None = None,
    gaps: Gaps | None = None,
    progress: Progress | None = None,
) -> Drawing:
    """The map of a survey: at most so many points; with a `run` also coloured by how well it served the questions there,
    with `gaps` with what people ask and no document answers."""
    from ..report.survey import drawing

    judged = named_run(opened, run) if run else None
    lot = opened.workspace.settings.seed if seed is None else seed
    with opened.reporting(progress):
        return drawing(opened, made, points, layout, judged, measure, lot, gaps)
