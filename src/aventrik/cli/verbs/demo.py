"""`aventrik demo`: lays out the demo workspace and runs the full example on it."""

from __future__ import annotations

import argparse
import time
from pathlib import Path
from typing import TYPE_CHECKING

from ..arguments import given_path
from ..screen import Screen

if TYPE_CHECKING:
    from ...engine.compared import Compared
    from ...engine.explaining import Explanation
    from ...engine.opened import Opened
    from ...storage.protocols import Run

_DRAFTED = 60
HELP = "Lays out the demo workspace, the documents of a made-up waterway, and runs the full example on it."


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument(
        "dir", metavar="DIR", nargs="?", type=given_path, default=Path("tarrowby"), help="default: tarrowby"
    )


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Every step of the job once, each with the command that does it."""
    from ...demo.layout import lay_out
    from ...engine.comparing import compare
    from ...engine.comparison_json import comparison_json
    from ...engine.opened import Opened
    from ..comparison import show
    from ..explanation import show as show_explanation

    began = time.monotonic()
    made = lay_out(options.dir)
    opened = Opened(options.dir)
    where = f"-w {options.dir}"
    screen.say(f"the Tarrowby Navigation's help desk: documents, configurations and real questions in {options.dir}/")
    _gather(opened, screen, f"aventrik gather {where} {options.dir}/documents")
    _draft(opened, screen, f"aventrik draft {where} --testset drafted -n {_DRAFTED}")
    _locate(opened, screen, where)
    runs = _run(opened, screen, where)
    _step(screen, f"aventrik compare {where}")
    result = compare(opened.store, opened.workspace.settings, runs["enquiries"])
    show(result, screen)
    _easier(opened, runs, screen)
    _live(opened, result, screen, where)
    best = result.runs[result.best]
    explanation = _worst(opened, best, result.measure)
    if explanation is not None:
        _step(screen, f"aventrik explain {where} {best.id}")
        show_explanation(explanation, screen, 3)
    screen.title("go on from here")
    screen.say(f"  cd {options.dir}")
    screen.say("  aventrik compare --measure correctness            which one answers best")
    screen.say(f"  aventrik explain {best.id} e001                          any question, stage by stage")
    screen.say(f"  aventrik explain desk {best.id} e034                     the live system beside the best run")
    screen.say("  aventrik review asked                             decide where the questions of the log are answered")
    screen.say("  aventrik review --verdicts desk                   decide on the live system's answers yourself")
    screen.say("  aventrik report                                   a page for those who were not there")
    screen.say("  aventrik gate                                     is the live system worse than the baseline?")
    screen.say("  aventrik cut --testset enquiries                  what each chunking does to the documents")
    screen.say("  aventrik new ~/mine && cd ~/mine && aventrik gather PATH    the same for your own documents")
    screen.say(f"\ndone in {time.monotonic() - began:.1f} s", style="dim")
    screen.result(comparison_json(result) | {"workspace": str(options.dir), "laid_out": made})
    return 0


def _step(screen: Screen, command: str) -> None:
    screen.say()
    screen.out.rule(f"[bold]$ {command}", align="left", characters="─", style="dim")


def _gather(opened: Opened, screen: Screen, command: str) -> None:
    from ...engine.gathering import gather
    from ...workspace.gathered import Source

    _step(screen, command)
    with screen.progress() as meter:
        source = Source(opened.workspace.folder / "documents")
        made = gather(opened, [source], progress=lambda n, total: meter("reading", n, total))
    count, chars = opened.corpus.figures()
    screen.say(f"{count} documents, {chars:,} characters ({len(made.added)} new, {len(made.updated)} changed)")


def _draft(opened: Opened, screen: Screen, command: str) -> None:
    from ...engine.drafting import brief_of, draft_questions
    from ...workspace.testsets import load_testset, save_testset
    from .draft import show_made, show_some

    _step(screen, command)
    path = opened.workspace.testset_path("drafted")
    if path.exists():
        questions = load_testset(path)
        screen.say(f"{len(questions)} questions stand in {path} from before")
    else:
        brief = brief_of(opened, _DRAFTED)
        made = draft_questions(opened, brief)
        save_testset(path, made.questions)
        screen.say(f"{len(made.questions)} questions → {path}")
        show_made(made, brief, screen)
        show_some(made, 2, screen)


def _locate(opened: Opened, screen: Screen, where: str) -> None:
    """A log of what people typed, as a test set; and what they ask that no document holds."""
    from ...demo.layout import LOG
    from ...engine.gaps import find_gaps
    from ...engine.locating import locate
    from ...engine.pooling import pool_of
    from ...workspace.logs import load_log
    from ...workspace.testsets import load_testset, save_testset
    from ..gap_views import show_gaps
    from .locate import show_made as show_located

    source = opened.workspace.folder / LOG
    if not source.is_file():
        return  # a workspace of an earlier version
    _step(screen, f"aventrik locate {where} {source}")
    path = opened.workspace.testset_path("asked")
    if path.exists():
        questions = load_testset(path)
        screen.say(f"{len(questions)} questions stand in {path} from before")
    else:
        entries = load_log(source).entries
        with screen.progress() as meter:
            made = locate(opened, entries, pool_of(opened, []), len(entries), progress=meter)
        questions = list(made.questions)
        save_testset(path, questions)
        screen.say(f"{made.log.entries} entries fold to {len(made.log.enquiries)} different questions")
        show_located(made, path, screen)
    show_gaps(find_gaps(opened, questions), screen, 3)


def _run(opened: Opened, screen: Screen, where: str) -> dict[str, list[Run]]:
    from ...engine.runs import Runner
    from ..opening import open_testset

    found = {}
    configurations = opened.workspace.configurations(["baseline", "axes"])
    for testset in ("drafted", "enquiries"):
        _step(screen, f"aventrik run {where} baseline axes --testset {testset}")
        questions = open_testset(opened, testset, screen)
        with screen.progress() as meter:
            opened.progress = meter
            runner = Runner(opened)
            outcomes = [runner.run(each, testset, questions) for each in configurations]
        new = sum(each.new for each in outcomes)
        shared = sum(each.results for each in outcomes) - new
        screen.say(
            f"{len(outcomes)} configurations × {len(questions)} questions: {new:,} results computed, "
            f"{max(0, shared):,} shared with another configuration or kept from before"
        )
        found[testset] = [opened.run(str(each.run)) for each in outcomes]
    return found


def _live(opened: Opened, result: Compared, screen: Screen, where: str) -> None:
    """The system that is live beside the best of the configurations, and its judge beside a person."""
    from ...demo.layout import SEED, SYSTEM, WRONG
    from ...engine.bringing import bring
    from ...engine.comparing import compare
    from ...engine.reviewing import VERDICT, sample_of
    from ...standin.desk import InProcess, desk_of
    from ..comparison import show
    from ..opening import open_testset
    from ..verdict_views import report
    from .score import show as show_brought

    if SYSTEM not in opened.workspace.settings.able("system"):
        screen.warn(
            f"aventrik.toml has no system '{SYSTEM}' (it is of an earlier version): the live system is left out"
        )
        return
    _step(screen, f"aventrik score {where} --system {SYSTEM} --testset enquiries")
    opened.models.transports[SYSTEM] = InProcess(desk_of(opened.workspace.folder, WRONG, SEED))
    questions = open_testset(opened, "enquiries", screen)
    with screen.progress() as meter:
        opened.progress = meter
        outcome, arrived = bring(opened, SYSTEM, "enquiries", questions, system=SYSTEM)
    show_brought(screen, outcome, arrived, None, len(questions), "enquiries")
    live = opened.run(str(outcome.run))
    best = result.best
    _step(screen, f"aventrik compare {where} {SYSTEM} {result.runs[best].id} --measure groundedness")
    pair = [live, result.runs[best]]
    columns = ["hit@5", "groundedness", "hallucinated", "relevance", "from-when", "declined-rightly"]
    settings = opened.workspace.settings
    show(compare(opened.store, settings, pair, measure="groundedness", measures=columns), screen)
    _step(screen, f"aventrik review {where} --verdicts {SYSTEM} --agreement")
    reviews = opened.workspace.reviews
    sample = sample_of(opened.store, live, VERDICT, settings.seed, reviews=reviews)
    report(screen, opened.store, sample, reviews, 0.1, settings.seed)


def _easier(opened: Opened, runs: dict[str, list[Run]], screen: Screen) -> None:
    """How much easier the drafted questions are than the real ones."""
    import numpy as np

    from ...engine.run_sides import side_of

    screen.title("drafted questions beside real ones: hit@5")
    rows = []
    for drafted, real in zip(runs["drafted"], runs["enquiries"]):
        sides = [side_of(opened.store, run).side for run in (drafted, real)]
        a, b = (float(np.mean([s["hit@5"] for s in side.scores.values() if "hit@5" in s])) for side in sides)
        rows.append([drafted.name, f"{a:.2f}", f"{b:.2f}", f"{a - b:+.2f}"])
    screen.table(["configuration", "drafted", "real", "easier by"], rows, right=(1, 2, 3))


def _worst(opened: Opened, run: Run, measure: str) -> Explanation | None:
    from ...core.comparing.account import worst_question
    from ...engine.explaining import explain
    from ...engine.run_sides import side_of

    found = side_of(opened.store, run)
    worst = worst_question(found.side, measure)
    return None if worst is None else explain(opened.store, opened.bench, run, found.ids[worst])
