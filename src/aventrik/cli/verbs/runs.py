"""`aventrik runs`: lists runs; labels, notes, tags, removes them."""

from __future__ import annotations

import argparse
import re
from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from ..arguments import whole
from ..opening import open_workspace
from ..screen import Screen

if TYPE_CHECKING:
    from ...api.records import OpenWorkspace, Run

HELP = (
    "Lists runs, all or those that are meant, with what they came to over time; with runs named, labels them, tags them, notes "
    "something on one, or removes them."
)


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument(
        "runs", metavar="RUN", nargs="*",
        help="runs by number, label, tag or name, a sweep by its name, several by a pattern such as 'wide/*both*'",
    )  # fmt: skip
    change = parser.add_argument_group("change the named runs")
    change.add_argument(
        "--label", metavar="TEXT", help="give them a label: compare takes all that have it, other verbs the latest"
    )
    change.add_argument("--tag", metavar="A,B,…", type=_tags, help="add tags; a run has as many as you like")
    change.add_argument("--untag", metavar="A,B,…", type=_tags, help="take tags away")
    change.add_argument("--note", metavar="TEXT", help="note something on the named run")
    change.add_argument("--remove", action="store_true", help="remove them; computed results stay for others")
    only = parser.add_argument_group("which are listed")
    only.add_argument("--last", metavar="N", type=whole(1), help="the last so many")
    only.add_argument("--testset", metavar="NAME", default="", help="on a test set; patterns work, as in the next two")
    only.add_argument("--configuration", metavar="NAME", default="", help="of a configuration")
    only.add_argument("--labelled", metavar="TEXT", default="", help="with a label")
    only.add_argument("--tagged", metavar="A,B,…", type=_tags, default=(), help="with all of these tags")
    only.add_argument("--state", choices=("finished", "unfinished", "stopped"), default="", help="by how they ended")
    only.add_argument("--since", metavar="DAY", type=_day, help="begun on that day or later, as 2031-05-01")
    parser.add_argument("--measure", metavar="NAME", help="the mean that is listed (default: hit@5)")


def _tags(text: str) -> tuple[str, ...]:
    found = tuple(dict.fromkeys(tag.strip() for tag in text.split(",") if tag.strip()))
    if not found or any(len(tag) > 60 or not tag.isprintable() for tag in found):
        raise argparse.ArgumentTypeError(f"'{text[:60]}' holds no tag, or one that is too long or can't be printed")
    return found


def _day(text: str) -> str:
    from datetime import date

    try:
        if not re.fullmatch(r"\d{4}-\d{2}-\d{2}", text):
            raise ValueError
        return date.fromisoformat(text).isoformat()
    except ValueError:
        raise argparse.ArgumentTypeError(f"'{text[:40]}' is no day such as 2031-05-01") from None


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Changes what was asked for, then lists."""
    from ... import api
    from ...api.records import RunFilter
    from ..views.run_list import listed_json, show_listed

    opened = open_workspace(options, screen)
    only = RunFilter(
        options.testset, options.configuration, options.labelled, options.tagged, options.state, options.since or "", options.last or 0
    )  # fmt: skip
    chosen = api.meant_runs(opened, options.runs, only) if options.runs else []
    _change(opened, options, chosen)
    named = [str(each.id) for each in chosen] if options.runs and not options.remove else []
    found = api.list_runs(opened, named, only=None if named else only, measure=options.measure or "")
    if options.runs and not options.remove and not named:
        found = replace(found, runs=())
    screen.result(listed_json(found))
    if options.remove:
        screen.say(f"removed: {', '.join(f'run {each.id} ({each.name})' for each in chosen) or 'none'}")
    show_listed(found, screen)
    return 0


def _change(opened: OpenWorkspace, options: argparse.Namespace, chosen: Sequence[Run]) -> None:
    from ... import api
    from ...core.errors import BadInput

    if options.note is not None and len(chosen) != 1:
        raise BadInput("--note needs exactly one run")
    changes = {
        "--label": options.label,
        "--tag": options.tag,
        "--untag": options.untag,
        "--remove": options.remove or None,
    }
    asked = [name for name, value in changes.items() if value is not None]
    if asked and not options.runs:
        raise BadInput(f"{asked[0]} needs the runs to {asked[0].removeprefix('--')}")
    if options.remove:
        api.remove_runs(opened, chosen)
    else:
        api.change_runs(
            opened, chosen, label=options.label, note=options.note, tags=options.tag or (), untag=options.untag or ()
        )
