"""`aventrik demo`: lays out the demo workspace and runs the full example on it."""

from __future__ import annotations

import argparse
import time
from pathlib import Path
from typing import TYPE_CHECKING

from ..screen import Screen

if TYPE_CHECKING:
    from ...engine.explaining import Explanation
    from ...workspace.runs import Run
    from ...workspace.workspace import Workspace

HELP = "Lays out the demo workspace, the documents of a made-up waterway, and runs the full example on it."


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument("dir", metavar="DIR", nargs="?", type=Path, default=Path("tarrowby"), help="default: tarrowby")


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Every step of the job once, each with the command that does it."""
    from ...demo.layout import lay_out
    from ...workspace.workspace import Workspace
    from ..comparison import compared, show
    from ..explanation import show as show_explanation

    began = time.monotonic()
    made = lay_out(options.dir)
    workspace = Workspace(options.dir)
    where = f"-w {options.dir}"
    screen.say(f"the Tarrowby Navigation's help desk: documents, configurations and real questions in {options.dir}/")
    _gather(workspace, screen, f"aventrik gather {where} {options.dir}/documents")
    _draft(workspace, screen, f"aventrik draft {where} --testset drafted -n 40")
    runs = _run(workspace, screen, where)
    _step(screen, f"aventrik compare {where}")
    result = compared(workspace, runs["enquiries"], None, None, None)
    show(result, screen)
    _easier(workspace, runs, screen)
    best = max(result.runs, key=lambda each: result.means[result.runs.index(each)][result.measure].mean)
    explanation = _worst(workspace, best, result.measure)
    if explanation is not None:
        _step(screen, f"aventrik explain {where} {best.id}")
        show_explanation(explanation, screen, 3)
    screen.title("go on from here")
    screen.say(f"  cd {options.dir}")
    screen.say("  aventrik compare --measure correctness            which one answers best")
    screen.say(f"  aventrik explain {best.id} e001                          any question, stage by stage")
    screen.say("  aventrik cut --testset enquiries                  what each chunking does to the documents")
    screen.say("  aventrik new ~/mine && cd ~/mine && aventrik gather PATH    the same for your own documents")
    screen.say(f"\ndone in {time.monotonic() - began:.1f} s", style="dim")
    screen.result(result.as_json() | {"workspace": str(options.dir), "laid_out": made})
    return 0


def _step(screen: Screen, command: str) -> None:
    screen.say()
    screen.out.rule(f"[bold]$ {command}", align="left", characters="─", style="dim")


def _gather(workspace: Workspace, screen: Screen, command: str) -> None:
    _step(screen, command)
    with screen.progress() as meter:
        made = workspace.corpus.gather(
            [workspace.folder / "documents"], progress=lambda n, total: meter("reading", n, total)
        )
    count, chars = workspace.corpus.figures()
    screen.say(f"{count} documents, {chars:,} characters ({len(made.added)} new, {len(made.updated)} changed)")


def _draft(workspace: Workspace, screen: Screen, command: str) -> None:
    from ...core.drafting import draft
    from ...core.offline import OfflineModel
    from ...workspace.testsets import load_testset, save_testset

    _step(screen, command)
    path = workspace.testset_path("drafted")
    corpus = workspace.corpus
    if path.exists():
        questions = load_testset(path)
        screen.say(f"{len(questions)} questions stand in {path} from before")
    else:
        made = draft(corpus.names(), corpus.document, OfflineModel(), 40, workspace.settings.seed)
        questions = made.questions
        save_testset(path, questions)
        screen.say(
            f"{len(questions)} questions → {path}; dropped as unclear or ambiguous: {sum(made.dropped.values())}"
        )
        for (doc, rival), count in [pair for pair in made.contested.most_common() if pair[0][0] != pair[0][1]][:2]:
            screen.say(f"  {doc} and {rival} say different things in the same words ({count} times)", style="dim")
    for question in questions[:: max(1, len(questions) // 4)][:4]:
        screen.say(f"  {question.id}  {question.question}")
        screen.say(f"         {question.answer}", style="dim")


def _run(workspace: Workspace, screen: Screen, where: str) -> dict[str, list[Run]]:
    from ...engine.runner import Runner
    from ...workspace.runs import Runs
    from ..opening import open_testset

    found = {}
    configurations = workspace.configurations(["baseline", "axes"])
    for testset in ("drafted", "enquiries"):
        _step(screen, f"aventrik run {where} baseline axes --testset {testset}")
        questions = open_testset(workspace, testset, screen)
        with screen.progress() as meter:
            runner = Runner(workspace, meter)
            outcomes = [runner.run(each, testset, questions) for each in configurations]
        new = sum(each.new for each in outcomes)
        shared = sum(each.results for each in outcomes) - new
        screen.say(
            f"{len(outcomes)} configurations × {len(questions)} questions: {new:,} results computed, "
            f"{max(0, shared):,} shared with another configuration or kept from before"
        )
        runs = Runs(workspace.store)
        found[testset] = [runs.find(str(each.run)) for each in outcomes]
    return found


def _easier(workspace: Workspace, runs: dict[str, list[Run]], screen: Screen) -> None:
    """How much easier the drafted questions are than the real ones."""
    from ...core.comparing import means
    from ...engine.comparing import side_of

    screen.title("drafted questions beside real ones: hit@5")
    rows = []
    for drafted, real in zip(runs["drafted"], runs["enquiries"]):
        a, b = (means([side_of(workspace.store, run)], ["hit@5"])[0]["hit@5"].mean for run in (drafted, real))
        rows.append([drafted.name, f"{a:.2f}", f"{b:.2f}", f"{a - b:+.2f}"])
    screen.table(["configuration", "drafted", "real", "easier by"], rows, right=(1, 2, 3))


def _worst(workspace: Workspace, run: Run, measure: str) -> Explanation | None:
    from ...core.comparing import worst_question
    from ...engine.comparing import side_of
    from ...engine.explaining import explain
    from ...engine.resources import Resources
    from ...workspace.testsets import load_testset, located

    worst = worst_question(side_of(workspace.store, run), measure)
    if worst is None:
        return None
    question = next(q for q in load_testset(workspace.testset_path(run.testset)) if q.id == worst)
    [question], _ = located([question], lambda doc: workspace.corpus.document(doc).text)
    return explain(Resources(workspace), run, question)
