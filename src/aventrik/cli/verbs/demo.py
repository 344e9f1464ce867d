"""`aventrik demo`: lays out the demo workspace and runs the full example on it."""

from __future__ import annotations

import argparse
import time
from pathlib import Path
from typing import TYPE_CHECKING

from ..arguments import given_path
from ..screen import Screen

if TYPE_CHECKING:
    from ...api.records import Comparison, OpenWorkspace

_DRAFTED = 60
_CONFIGURATIONS = ["baseline", "axes", "careful", "shreds"]
HELP = "Lays out the demo workspace, the documents of a made-up waterway, and runs the full example on it."


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument(
        "dir", metavar="DIR", nargs="?", type=given_path, default=Path("tarrowby"), help="default: tarrowby"
    )


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Every step of the job once, each with the command that does it."""
    from ... import api
    from ...api.records import comparison_json
    from ...demo.layout import lay_out
    from ..compare_views.comparison import show
    from ..explain_views.explanation import show as show_explanation

    began = time.monotonic()
    made = lay_out(options.dir)
    opened = api.open(options.dir)
    where = f"-w {options.dir}"
    screen.say(f"the Tarrowby Navigation's help desk: documents, configurations and real questions in {options.dir}/")
    _gather(opened, screen, f"aventrik gather {where} {options.dir}/documents")
    _draft(opened, screen, f"aventrik draft {where} --testset drafted -n {_DRAFTED}")
    _locate(opened, screen, where)
    runs = _run(opened, screen, where)
    _step(screen, f"aventrik compare {where}")
    result = api.compare(opened, runs["enquiries"], corrected=False)
    show(result, screen)
    _easier(opened, runs, screen)
    _live(opened, result, screen, where)
    best = result.runs[result.best]
    _step(screen, f"aventrik explain {where} {best.id}")
    show_explanation(api.explain(opened, best, measure=result.measure), screen, 3)
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


def _gather(opened: OpenWorkspace, screen: Screen, command: str) -> None:
    from ... import api

    _step(screen, command)
    with screen.progress() as meter:
        made = api.gather(opened, [opened.folder / "documents"], progress=meter)
    size = api.corpus_size(opened)
    screen.say(
        f"{size.documents} documents, {size.chars:,} characters ({len(made.added)} new, {len(made.updated)} changed)"
    )


def _draft(opened: OpenWorkspace, screen: Screen, command: str) -> None:
    from ... import api
    from .draft import show_made, show_some

    _step(screen, command)
    if (questions := api.saved_questions(opened, "drafted")) is not None:
        screen.say(f"{len(questions)} questions stand in {api.testset_file(opened, 'drafted')} from before")
        return
    made = api.draft(opened, "drafted", _DRAFTED)
    screen.say(f"{len(made.questions)} questions → {made.path}")
    show_made(made.draft, made.brief, screen)
    show_some(made.draft, 2, screen)


def _locate(opened: OpenWorkspace, screen: Screen, where: str) -> None:
    """A log of what people typed, as a test set; and what they ask that no document holds."""
    from ... import api
    from ...demo.layout import LOG
    from ..views.gaps import show_gaps
    from .locate import show_made as show_located

    source = opened.folder / LOG
    if not source.is_file():
        return  # a workspace of an earlier version
    _step(screen, f"aventrik locate {where} {source}")
    if (questions := api.saved_questions(opened, "asked")) is not None:
        screen.say(f"{len(questions)} questions stand in {api.testset_file(opened, 'asked')} from before")
        show_gaps(api.gaps_of(opened, questions), screen, 3)
        return
    with screen.progress() as meter:
        made = api.locate(opened, source, progress=meter)
    log = made.located.log
    screen.say(f"{log.entries} entries fold to {len(log.enquiries)} different questions")
    show_located(made.located, made.path, screen)
    show_gaps(made.gaps, screen, 3)


def _run(opened: OpenWorkspace, screen: Screen, where: str) -> dict[str, list[str]]:
    from ... import api
    from ..opening import open_testset

    found = {}
    for testset in ("drafted", "enquiries"):
        _step(screen, f"aventrik run {where} {' '.join(_CONFIGURATIONS)} --testset {testset}")
        questions = open_testset(opened, testset, screen)
        with screen.progress() as meter:
            outcomes = api.run(opened, _CONFIGURATIONS, testset, questions=questions, progress=meter).outcomes
        new = sum(each.new for each in outcomes)
        shared = sum(each.results for each in outcomes) - new
        screen.say(
            f"{len(outcomes)} configurations × {len(questions)} questions: {new:,} results computed, "
            f"{max(0, shared):,} shared with another configuration or kept from before"
        )
        found[testset] = [str(each.run) for each in outcomes]
    return found


def _live(opened: OpenWorkspace, result: Comparison, screen: Screen, where: str) -> None:
    """The system that is live beside the best of the configurations, and its judge beside a person."""
    from ... import api
    from ...demo.layout import SEED, SYSTEM, WRONG
    from ...standin.desk import InProcess, desk_of
    from ..compare_views.comparison import show
    from ..review_views.verdicts import show_agreement
    from .score import show as show_brought

    if SYSTEM not in [each.model for each in api.list_models(opened) if each.does == "system"]:
        screen.warn(
            f"aventrik.toml has no system '{SYSTEM}' (it is of an earlier version): the live system is left out"
        )
        return
    _step(screen, f"aventrik score {where} --system {SYSTEM} --testset enquiries")
    api.play_system(opened, SYSTEM, InProcess(desk_of(opened.folder, WRONG, SEED)))
    with screen.progress() as meter:
        made = api.score(opened, system=SYSTEM, testset="enquiries", progress=meter)
    show_brought(screen, made)
    live = str(made.outcome.run)
    best = str(result.runs[result.best].id)
    _step(screen, f"aventrik compare {where} {SYSTEM} {best} --measure groundedness")
    columns = ["hit@5", "groundedness", "hallucinated", "relevance", "from-when", "declined-rightly"]
    show(api.compare(opened, [live, best], measure="groundedness", measures=columns, corrected=False), screen)
    _step(screen, f"aventrik review {where} --verdicts {SYSTEM} --agreement")
    show_agreement(api.judge_agreement(opened, api.named_run(opened, live)), screen, 0.1)


def _easier(opened: OpenWorkspace, runs: dict[str, list[str]], screen: Screen) -> None:
    """How much easier the drafted questions are than the real ones."""
    from ... import api

    screen.title("drafted questions beside real ones: hit@5")
    listed = {testset: api.list_runs(opened, names) for testset, names in runs.items()}
    rows = []
    for drafted, real in zip(listed["drafted"].runs, listed["enquiries"].runs):
        a, b = listed["drafted"].means[drafted.id], listed["enquiries"].means[real.id]
        rows.append([drafted.name, f"{a:.2f}", f"{b:.2f}", f"{a - b:+.2f}"])
    screen.table(["configuration", "drafted", "real", "easier by"], rows, right=(1, 2, 3))
