"""`aventrik score`: judges what another system gave."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from ..arguments import given_path
from ..opening import open_workspace, show_moved
from ..screen import Screen

if TYPE_CHECKING:
    from ...api import Scored
    from ...api.records import Matched

HELP = (
    "Judges the answers and ranked lists that another system gave to the questions of a test set: from a file (JSONL or "
    "CSV with question or id, answer, and context; TREC run files with ranked lists), or live, from a system of "
    "aventrik.toml. The result is a run like any other: compare, explain and gate take it."
)


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument("answers", metavar="FILE", nargs="?", type=given_path, help="answers, as JSONL or CSV")
    parser.add_argument("--ranked", metavar="FILE", type=given_path, help="ranked lists, as a TREC run file")
    parser.add_argument(
        "--qrels", metavar="FILE", type=given_path,
        help="take the evidence of the questions from a TREC qrels file, not from the test set",
    )  # fmt: skip
    parser.add_argument("--system", metavar="NAME", help='ask this system of aventrik.toml (does = "system")')
    parser.add_argument("--testset", metavar="NAME", help="the test set (default: the only one there is)")
    parser.add_argument(
        "--name", metavar="TEXT", help="what the run is called (default: the file's name, the system's)"
    )
    parser.add_argument(
        "--fields", metavar="FIELD=NAME,…",
        help="what id, question, answer, context, declined are called in the file; beginning with /, a JSON Pointer",
    )  # fmt: skip
    parser.add_argument(
        "--repeated", choices=("refuse", "first", "last"), default="refuse",
        help="which of several answers to one question counts (default: none, that is an error)",
    )  # fmt: skip
    parser.add_argument("--judge", metavar="A,B,…", help="who judges (default: the role judge of aventrik.toml)")
    parser.add_argument("--fresh", action="store_true", help="ask system and judge anew, whatever the call store has")
    parser.add_argument("--retry-failed", action="store_true", help="make calls that failed before once more")


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Brings the run in and says what came of it."""
    from ... import api
    from ...api.records import scored_json
    from ...core.errors import BadInput
    from ..views.runs import show_judging

    if not (options.answers or options.ranked or options.system):
        raise BadInput("name a file with answers, --ranked with lists, or a --system to ask")
    opened = open_workspace(options, screen, fresh=options.fresh)
    api.check_documents(opened)
    testset = options.testset or api.only_testset(opened)
    with screen.progress() as meter:
        made = api.score(
            opened, options.answers, ranked=options.ranked, system=options.system or "", testset=testset, qrels=options.qrels,
            name=options.name or "", fields=_fields(options.fields), repeated=options.repeated,
            judges=options.judge.split(",") if options.judge else (), retry_failed=options.retry_failed,
            moved=lambda moved: show_moved(moved, api.testset_file(opened, testset).name, screen), progress=meter,
        )  # fmt: skip
    if made.hiding:
        screen.warn(
            f"{made.hiding} questions of '{testset}' hide words of the documents from runs of our own, such as the heading that "
            "asks; another system has seen them"
        )
    screen.result(scored_json(made.outcome, made.arrival, made.matched, made.questions))
    show(screen, made)
    failed = show_judging([made.outcome], screen)
    return 3 if made.arrival.failed == made.questions and options.system else failed


def _fields(text: str | None) -> dict[str, str]:
    from ...core.errors import BadInput

    found = {}
    for part in (text or "").split(","):
        if part.strip():
            name, equals, at = part.partition("=")
            if not equals or not at.strip():
                raise BadInput(f"--fields: '{part}' is not FIELD=NAME")
            found[name.strip()] = at.strip()
    return found


def show(screen: Screen, made: Scored) -> None:
    """What came, what did not, and what to look at next."""
    outcome, arrived, matched, count = made.outcome, made.arrival, made.matched, made.questions
    judging = outcome.judging
    usable = f"{judging.judged} of {count}" if judging and judging.failed else f"{count}"
    screen.say(f"run {outcome.run}, {outcome.configuration.name}: {usable} questions of '{made.testset}' judged")
    if arrived.items:
        share = arrived.found / arrived.items
        screen.say(
            f"of {arrived.items:,} items of contexts and lists {arrived.found:,} ({share:.0%}) were found in the documents"
            + ("; the others are judged by their text, and hold no evidence" if arrived.found < arrived.items else "")
        )
    else:
        screen.warn(
            "no context came: hits, groundedness and where evidence was lost can't be told, only what is answered"
        )
    if arrived.empty:
        screen.warn(f"{arrived.empty:,} answers are empty: they count as declined")
    if arrived.failed:
        screen.warn(f"{arrived.failed:,} questions failed, such as: {arrived.reason}")
    if matched is not None:
        _show_matched(screen, matched, len(matched.missing) + count)
        if arrived.nowhere:
            screen.warn(
                f"{arrived.nowhere:,} items of the lists name a document that is not in the corpus: they keep their ranks"
            )
    screen.say(f"next: aventrik compare …  or  aventrik explain {outcome.run}")


def _show_matched(screen: Screen, matched: Matched, whole: int) -> None:
    from ...api.records import unknown_line

    if matched.unknown:
        screen.warn(f"{len(matched.unknown):,} are of no question of the test set: {unknown_line(matched)}")
    if matched.missing:
        screen.warn(f"{len(matched.missing):,} of {whole:,} questions have nothing in the file and are left out")
    if matched.repeated:
        screen.warn(f"{matched.repeated:,} questions came more than once")
    lists = matched.lists
    for told, number in (
        ("tie in their scores: the rank, then the line decides", lists.tied if lists else 0),
        ("have gaps in their ranks: the order alone counts", lists.gaps if lists else 0),
        ("have ranks that speak against the scores: the scores count", lists.against if lists else 0),
    ):
        if number:
            screen.warn(f"{number:,} lists {told}")
