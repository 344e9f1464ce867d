"""`aventrik locate`: turns a log of real questions into a test set."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from ..arguments import SEEDS, given_path, whole
from ..opening import open_workspace
from ..screen import Screen, shortened

if TYPE_CHECKING:
    from pathlib import Path

    from ...api import LocatedLog
    from ...api.records import Gaps, Located, QuestionLog

HELP = (
    "Turns a log of real questions (CSV, TSV, JSONL, lines of text) into a test set: folds repeats, masks personal data, "
    "proposes where each question is answered, and tells which no document answers. A person then looks with 'review'."
)
_COUNT = 1000


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument("log", metavar="LOG", type=given_path, help="a file with what people asked")
    parser.add_argument("--testset", metavar="NAME", default="asked", help="the file in testsets/ (default asked)")
    parser.add_argument(
        "--columns", metavar="NAME=COLUMN,…", default="",
        help="where question, when, conversation, speaker and count stand (default: found by name and content)",
    )  # fmt: skip
    parser.add_argument(
        "-n", "--count", metavar="N", type=whole(1), default=_COUNT,
        help=f"questions at the most: half those asked most, half by lot (default {_COUNT:,})",
    )  # fmt: skip
    parser.add_argument(
        "--pool", metavar="CONFIG", action="append", default=[],
        help="take candidates from this configuration; repeat it (default: a built-in pool)",
    )  # fmt: skip
    parser.add_argument(
        "--embedding", metavar="MODEL", default="", help="of the built-in pool (default: static where it is there)"
    )
    parser.add_argument("--judge", metavar="MODEL", default="", help="who says what answers (default: aventrik.toml)")
    parser.add_argument("--add", action="store_true", help="add to the test set if it exists; repeats count there")
    parser.add_argument("--replace", action="store_true", help="write it anew if it exists")
    parser.add_argument("--seed", type=whole(0, SEEDS), help="for what is drawn by lot (default: aventrik.toml)")
    parser.add_argument("--show", metavar="N", type=whole(0), default=6, help="questions to print (default 6)")


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Reads, folds, locates, saves, and shows some of it."""
    from ... import api
    from ...core.errors import Unavailable

    opened = open_workspace(options, screen)
    with screen.progress() as meter:
        found = api.locate(
            opened, options.log, options.testset, columns=_columns(options.columns), count=options.count, pool=options.pool,
            embedding=options.embedding, judge=options.judge, seed=options.seed, add=options.add, replace=options.replace,
            progress=meter,
        )  # fmt: skip
    made, spent = found.located, found.spent
    screen.result(_record(found))
    _show_log(made, found.log, screen)
    if not made.questions:
        screen.say(
            f"nothing new: all {made.again} questions of the log stand in testsets/{found.path.name}, counted there"
        )
        return 0
    show_made(made, found.path, screen)
    if spent["calls"]:
        screen.say(
            f"  calls of {made.judge}: {spent['calls']:,}, {spent['tokens_in'] + spent['tokens_out']:,} tokens, money "
            f"{spent['money']:.4f}; none is made again for a question that comes again",
            style="dim",
        )
    _show_some(made, options.show, screen)
    screen.title("what people ask and no document holds")
    show_gaps_of(found.gaps, screen)
    if made.failures:
        reason, times = max(made.failures.items(), key=lambda pair: pair[1])
        screen.warn(
            f"{sum(made.failures.values())} of the judge's calls failed, such as: {shortened(reason, 120)} ({times})"
        )
        if sum(made.failures.values()) == sum(len(q.meta.get("proposed", ())) for q in made.questions):
            raise Unavailable(f"the judge '{made.judge}' gave nothing at all; the places are those of the search alone")
    screen.say(f"\ngo on with: aventrik review {found.path.stem}")
    return 0


def show_gaps_of(gaps: Gaps, screen: Screen) -> None:
    """The table of gaps, and how to see more of them."""
    from ..views.gaps import show_gaps

    show_gaps(gaps, screen)
    if gaps.groups:
        screen.say(
            "'aventrik survey --gaps NAME' draws them on the map; with --run RUN those that it serves badly too",
            style="dim",
        )


def _columns(text: str) -> dict[str, str]:
    from ...core.errors import BadInput

    found = {}
    for piece in text.split(",") if text else ():
        name, sign, column = piece.partition("=")
        if not sign or not column.strip():
            raise BadInput(f"--columns: '{piece.strip()}' must be a name and a column, such as question=Text")
        found[name.strip()] = column.strip()
    return found


def _show_log(made: Located, log: QuestionLog, screen: Screen) -> None:
    gathered = made.log
    if log.columns:
        screen.say(
            "columns: " + ", ".join(f"{name} in '{column}'" for name, column in log.columns.items()), style="dim"
        )
    if log.encoding not in ("utf-8", "utf-8-sig"):
        screen.say(f"read as {log.encoding}", style="dim")
    different = len(gathered.enquiries)
    asked = sum(each.asked for each in gathered.enquiries)
    screen.say(f"{gathered.entries:,} entries, asked {asked:,} times, fold to {different:,} different questions")
    for count, told in (
        (log.other_side, "entries are of the other side of a conversation"),
        (log.no_date, "dates can't be read"),
        (gathered.masked, "entries held personal data, which is masked"),
        (gathered.leaning, f"lean on a question before them and were made to stand alone by {made.judge}"),
        (gathered.unfounded, "lean on something that the log does not have; look at them"),
        (made.again, "ask what the test set has, and are counted there"),
        (made.left, "are left out for lack of room (--count)"),
    ):
        if count:
            screen.say(f"  {count:,} {told}")
    if gathered.passed_over:
        told = ", ".join(f"{reason} {count:,}" for reason, count in list(gathered.passed_over.items())[:4])
        screen.say(f"  passed over: {told}")


def show_made(made: Located, path: Path, screen: Screen) -> None:
    """How many questions have a place, how many nothing answers, and how far that can be trusted."""
    needs = [question for question in made.questions if question.needs]
    doubtful = made.doubtful
    screen.say(
        f"{len(made.questions):,} questions → testsets/{path.name}: {len(needs):,} with a place that answers, "
        f"{len(made.unanswerable):,} that nothing answers; of all these {doubtful:,} are doubtful and come first in review",
        style="bold",
    )
    screen.say(f"  judged by {made.judge}; candidates of {', '.join(made.pool)}", style="dim")
    if made.judge == "offline":
        screen.warn(
            "the built-in judge goes by words: it finds the place about every other time; nothing is to be decided by this "
            "set until people have looked at it"
        )


def _show_some(made: Located, count: int, screen: Screen) -> None:
    for question in made.questions[:: max(1, len(made.questions) // max(1, count))][:count]:
        asked = question.meta["asked"]
        screen.title(f"{question.id}  {question.question}" + (f"  ({asked:,} times)" if asked > 1 else ""))
        if question.meta.get("as_asked"):
            screen.say(
                f"  asked as “{question.meta['as_asked']}”, after “{question.meta.get('after', '')}”", style="dim"
            )
        near = question.meta.get("proposed", ())
        if not question.needs:
            screen.say(f"  nothing answers it ({question.meta['confidence']:.2f})", style="yellow")
            if near:
                screen.say(f"  nearest: {shortened(near[0]['quote'], 60)}…  {near[0]['doc']}", style="dim")
            continue
        for need in question.needs:
            screen.say(f"  {shortened(need.spans[0].quote, 200)}")
            more = f", and {len(need.spans) - 1} more" if len(need.spans) > 1 else ""
            screen.say(f"  {need.spans[0].doc}{more}; sure to {question.meta['confidence']:.2f}", style="dim")


def _record(found: LocatedLog) -> dict[str, Any]:
    made, log = found.located, found.log
    return {
        "testset": str(found.path),
        "entries": made.log.entries,
        "asked": sum(each.asked for each in made.log.enquiries),
        "different": len(made.log.enquiries),
        "columns": dict(log.columns),
        "encoding": log.encoding,
        "other_side": log.other_side,
        "no_date": log.no_date,
        "passed_over": made.log.passed_over,
        "masked": made.log.masked,
        "leaning": made.log.leaning,
        "unfounded": made.log.unfounded,
        "counted_there": made.again,
        "left_out": made.left,
        "questions": len(made.questions),
        "unanswerable": len(made.unanswerable),
        "doubtful": made.doubtful,
        "judge": made.judge,
        "pool": list(made.pool),
        "failures": dict(made.failures),
        "gaps": found.gaps.as_json()["gaps"],
        "models": found.spent,
    }
