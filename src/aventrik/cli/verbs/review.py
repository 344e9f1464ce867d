"""`aventrik review`: a person decides, and what that says of the judge."""

from __future__ import annotations

import argparse
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

HELP = (
    "A person gives verdicts on a sample of a run's answers, without seeing the judge's first; then: how far the judge "
    "can be believed, and the run's means as people would have them. Every decision is written down at once in "
    "reviews/, so one can leave and come back."
)


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument("--verdicts", metavar="RUN", required=True, help="a run by number, label or name")
    parser.add_argument(
        "--of", metavar="WHAT", default="verdict",
        help="what is decided: verdict (on each claim; the default), relevance, or one of the run's criteria",
    )  # fmt: skip
    parser.add_argument("--who", metavar="NAME", help="who decides (default: the name of the account)")
    parser.add_argument(
        "--questions", metavar="N", type=whole(1), default=60, help="how many to ask about (default 60)"
    )
    parser.add_argument("--agreement", action="store_true", help="ask nothing, only tell what the decisions come to")
    parser.add_argument("--to", metavar="FILE", type=given_path, help="write a CSV sheet to fill in elsewhere")
    parser.add_argument("--from", metavar="FILE", type=given_path, dest="sheet", help="read such a sheet back")
    parser.add_argument("--width", metavar="W", type=finite, help="say how many labels more narrow an interval to W")
    parser.add_argument(
        "--teach", metavar="N", type=whole(1, 30), nargs="?", const=6,
        help="put N decided cases (default 6) into the judge's prompt as examples, in prompts/verdict.txt",
    )  # fmt: skip


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Opens the screen, a sheet, or the account of what was decided."""
    from ...core.errors import BadInput
    from ...engine.opened import Opened
    from ...engine.reviewing import sample_of
    from ...workspace.reviews import Reviews, check_name
    from ..verdict_views import choices_of, read_sheet, report, write_sheet

    if options.width is not None and not 0 < options.width < 1:
        raise BadInput("--width must lie between 0 and 1")
    opened = Opened(Path(options.workspace))
    run_ = opened.run(options.verdicts)
    if not run_.finished:
        raise BadInput(f"run {run_.id} ({run_.name}) is not finished")
    seed = opened.workspace.settings.seed
    who = check_name(options.who or _account())
    reviews = Reviews(opened.workspace.folder / "reviews")
    sample = sample_of(opened.store, run_, options.of, seed, reviews=reviews)
    for place, reason in reviews.broken[:5]:
        screen.warn(f"{place}: {reason}; the line is passed over, and left as it is")
    items = [item for asked in sample.questions[: options.questions] for item in asked.items]
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
        _ask(sample, reviews, who, items)
    report(screen, opened.store, sample, reviews, options.width, seed)
    return 0


def _ask(sample: Sample, reviews: Reviews, who: str, items: Sequence[Item]) -> None:
    from ...core.errors import BadInput
    from ..reviewing import Session, review
    from ..verdict_views import Verdicts

    if not (sys.stdin.isatty() and sys.stdout.isatty()):
        raise BadInput(
            "there is no terminal here to decide in; --to FILE writes a CSV sheet to fill in, --from FILE reads it, "
            "--agreement tells what was decided so far"
        )
    session = Session(Verdicts(sample, reviews, who, items))
    session.start()
    review(session)


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
