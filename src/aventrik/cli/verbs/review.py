"""`aventrik review`: a person goes through questions, passages or verdicts and decides; and what comes of it."""

from __future__ import annotations

import argparse
import gc
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from ..arguments import finite, given_path, whole
from ..screen import Screen

if TYPE_CHECKING:
    from ...engine.opened import Opened
    from ...engine.reviewing import Item, Sample
    from ...workspace.reviews import Reviews
    from ..reviewing import Matter

HELP = (
    "A person looks through the questions of a test set (keep, reject, change), passages (fit to be asked about or not) or "
    "the verdicts on a run's answers; then: how far people agree with each other and with the judge. Every decision is "
    "written down at once in reviews/, so one can leave and come back."
)
_QUESTIONS, _PASSAGES = 60, 60


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument("testset", metavar="TESTSET", nargs="?", help="go through its questions, doubtful ones first")
    parser.add_argument("--passages", action="store_true", help="go through passages: fit to be asked about, or not")
    parser.add_argument("--verdicts", metavar="RUN", help="go through the claims of a run by number, label or name")
    parser.add_argument(
        "--of", metavar="WHAT", default="verdict",
        help="with --verdicts: verdict (on each claim; the default), relevance, or one of the run's criteria",
    )  # fmt: skip
    parser.add_argument("--who", metavar="NAME", help="who decides (default: the name of the account)")
    parser.add_argument(
        "--questions", metavar="N", type=whole(1),
        help=f"how many to ask about (default: all of a test set, {_PASSAGES} passages, the claims of {_QUESTIONS} answers)",
    )  # fmt: skip
    parser.add_argument("--agreement", action="store_true", help="ask nothing, only tell what the decisions come to")
    parser.add_argument(
        "--to", metavar="FILE", type=given_path, help="write a sheet to fill in elsewhere (.csv, .xlsx)"
    )
    parser.add_argument("--from", metavar="FILE", type=given_path, dest="sheet", help="read such a sheet back")
    parser.add_argument("--width", metavar="W", type=finite, help="say how many labels more narrow an interval to W")
    parser.add_argument(
        "--teach", metavar="N", type=whole(1, 30), nargs="?", const=6,
        help="put N decided cases (default 6) into the prompt as examples: of the judge, or of the writer's filter",
    )  # fmt: skip
    parser.add_argument("--seed", type=whole(0), help="for what is drawn by lot (default: aventrik.toml)")


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Opens the screen, a sheet, or the account of what was decided."""
    from ...core.errors import BadInput
    from ...engine.opened import Opened
    from ...workspace.reviews import check_name

    wanted = [name for name in ("testset", "passages", "verdicts") if getattr(options, name)]
    if len(wanted) != 1:
        raise BadInput("name a test set, or --passages, or --verdicts RUN" + ("" if not wanted else "; one of them"))
    if options.width is not None and not 0 < options.width < 1:
        raise BadInput("--width must lie between 0 and 1")
    if options.width is not None and not options.verdicts:
        raise BadInput("--width goes with --verdicts")
    opened = Opened(Path(options.workspace))
    opened.tell = screen.warn
    who = check_name(options.who or _account())
    seed = opened.workspace.settings.seed if options.seed is None else options.seed
    reviews = opened.workspace.reviews
    for place, reason in reviews.broken[:5]:
        screen.warn(f"{place}: {reason}; the line is passed over, and left as it is")
    if options.verdicts:
        return _verdicts(options, opened, who, seed, screen)
    if options.passages:
        from ..passage_views import passages

        return passages(options, opened, who, seed, options.questions or _PASSAGES, screen)
    if options.teach is not None:
        raise BadInput("--teach goes with --verdicts or --passages")
    return _questions(options, opened, who, seed, screen)


def _questions(options: argparse.Namespace, opened: Opened, who: str, seed: int, screen: Screen) -> int:
    from ...core.testsets.deciding import order_of
    from ...engine.deciding import Spots
    from ...workspace.testsets import load_rows
    from ..question_sheets import read_sheet, write_sheet
    from ..question_views import Ledger, Questions

    path = opened.workspace.testset_path(options.testset)
    rows = load_rows(path)
    gc.freeze()  # they stay to the end: looking for garbage among them would take as long as reading them
    ledger = Ledger(path, rows, opened.workspace.reviews, who)
    spots = Spots(opened)
    order = order_of([row for _, row in rows], seed)[: options.questions]
    if options.to is not None:
        write_sheet(options.to, ledger, order, spots)
        screen.result({"file": str(options.to), "items": len(order)})
        screen.say(
            f"{len(order)} questions → {options.to}; fill in 'decision' (keep, reject, can't tell), 'reason', and what is to "
            f"be changed; then --from {options.to}"
        )
        return 0
    if options.sheet is not None:
        new, strange = read_sheet(options.sheet, ledger, spots)
        screen.say(f"{new} decisions read, as {who}'s")
        if strange:
            screen.warn(f"{strange} lines are of questions that '{path.stem}' does not have as they were")
    elif not options.agreement and not screen.as_json:
        ask(Questions(ledger, order, spots))
    _agreement(opened, path.stem, seed, screen)
    return 0


def _agreement(opened: Opened, name: str, seed: int, screen: Screen) -> None:
    from ...engine.decided import decided
    from ...workspace.testsets import load_testset
    from ..decided_views import show_decided

    filed = {question.id: question for question in load_testset(opened.workspace.testset_path(name))}
    settled = opened.testset(name)
    for question, reason in settled.broken[:5]:
        screen.warn(f"question {question}: a change can't be understood ({reason}); it is passed over")
    found = decided(settled, filed, seed)
    screen.result({"testset": name, **found.as_json()})
    show_decided(found, name, screen)


def ask(matter: Matter) -> None:
    """Opens the screen; raises `BadInput` where there is no terminal for it."""
    from ...core.errors import BadInput
    from ..reviewing import Session, review

    if not (sys.stdin.isatty() and sys.stdout.isatty()):
        raise BadInput(
            "there is no terminal here to decide in; --to FILE writes a CSV sheet to fill in, --from FILE reads it, "
            "--agreement tells what was decided so far"
        )
    session = Session(matter)
    session.start()
    review(session)


def _verdicts(options: argparse.Namespace, opened: Opened, who: str, seed: int, screen: Screen) -> int:
    from ...core.errors import BadInput
    from ...engine.reviewing import sample_of
    from ..verdict_views import Verdicts, choices_of, read_sheet, report, write_sheet

    run_ = opened.run(options.verdicts)
    if not run_.finished:
        raise BadInput(f"run {run_.id} ({run_.name}) is not finished")
    reviews = opened.workspace.reviews
    sample = sample_of(opened.store, run_, options.of, seed, reviews=reviews)
    items: Sequence[Item] = [
        item for asked in sample.questions[: options.questions or _QUESTIONS] for item in asked.items
    ]
    if options.teach is not None:
        return _teach(opened, sample, reviews, options.teach, screen)
    if options.to is not None:
        write_sheet(options.to, sample, reviews, who, items)
        screen.result({"file": str(options.to), "items": len(items)})
        for choice in choices_of(sample):
            screen.say(f"  {choice.name}{f': {choice.means}' if choice.means else ''}")
        screen.say(
            f"{len(items)} things to decide on → {options.to}; fill in the column 'decision', then --from {options.to}"
        )
        return 0
    if options.sheet is not None:
        new, strange = read_sheet(options.sheet, sample, reviews, who)
        screen.say(f"{new} decisions read, as {who}'s")
        if strange:
            screen.warn(f"{strange} lines are of things that this run does not have")
    elif not options.agreement and not screen.as_json:
        ask(Verdicts(sample, reviews, who, items))
    report(screen, opened.store, sample, reviews, options.width, seed)
    return 0


def _account() -> str:
    import getpass
    import re

    try:
        name = getpass.getuser()
    except (OSError, KeyError, ImportError):
        name = "reviewer"
    return re.sub(r"[^A-Za-z0-9._-]", "-", name).strip("-._")[:40] or "reviewer"


def _teach(opened: Opened, sample: Sample, reviews: Reviews, count: int, screen: Screen) -> int:
    from ...engine.teaching import teach

    made = teach(opened, sample, reviews, count)
    screen.result(made.as_json())
    screen.say(f"{made.examples} decided cases → {made.path}")
    screen.say(
        f"on {made.held_out} held-out claims the judge agrees with people {made.before:.0%} of the time without them, "
        f"{made.after:.0%} with them"
    )
    if made.after <= made.before:
        screen.warn("that is no better; delete the file to go back")
    screen.say("the next run is judged with them; runs from before keep their verdicts")
    return 0
