"""`aventrik score`: judges what another system gave."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ..arguments import given_path
from ..opening import open_workspace, show_moved
from ..screen import Screen, shortened

if TYPE_CHECKING:
    from ...api import Scored
    from ...api.records import AnswerFile, Matched, OpenWorkspace

_FIRST, _WIDE = 3, 150  # answers of a file that are shown, and how much of each field
HELP = (
    "Judges the answers and ranked lists that another system gave to the questions of a test set: from a file (JSONL, JSON, "
    "CSV or XLSX with question or id, answer, and context; TREC run files with ranked lists), or live, from a system of "
    "aventrik.toml. The result is a run like any other: compare, explain and gate take it."
)


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument(
        "answers", metavar="FILE", nargs="?", type=given_path, help="answers, as JSONL, JSON, CSV, TSV or XLSX"
    )
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
        help="what id, question, answer, context, declined, system are called in the file (found by usual names): a name, a JSON "
        "Pointer (beginning with /), or - for one that is not to be read",
    )  # fmt: skip
    parser.add_argument(
        "--repeated", choices=("refuse", "first", "last"), default="refuse",
        help="which of several answers to one question counts (default: none, that is an error)",
    )  # fmt: skip
    parser.add_argument(
        "--check",
        action="store_true",
        help="judge nothing, only show how the file is read: columns, and its first answers",
    )
    parser.add_argument("--judge", metavar="A,B,…", help="who judges (default: the role judge of aventrik.toml)")
    parser.add_argument("--fresh", action="store_true", help="ask system and judge anew, whatever the call store has")
    parser.add_argument("--retry-failed", action="store_true", help="make calls that failed before once more")


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Brings the run in and says what came of it."""
    from ... import api
    from ...core.errors import BadInput

    if not (options.answers or options.ranked or options.system):
        raise BadInput("name a file with answers, --ranked with lists, or a --system to ask")
    if options.check and not options.answers:
        raise BadInput("--check shows how a file with answers is read: name one")
    opened = open_workspace(options, screen, fresh=options.fresh)
    fields = _fields(options.fields)
    file = api.read_answers(options.answers, fields) if options.answers else None
    if file is not None:
        show_reading(screen, options.answers, file, whole=options.check)
    if options.check and file is not None:
        screen.result(reading_json(file))
        return 0
    api.check_documents(opened)
    testset = options.testset or api.only_testset(opened)
    systems = file.systems if file is not None and len(file.systems) > 1 else [""]
    if len(systems) > 1 and options.name:
        raise BadInput(
            f"--name is for one run; the file has {len(systems)} systems, which are runs of their own: {', '.join(systems)}"
        )
    return max(_score(options, screen, opened, testset, fields, system) for system in systems)


def _score(
    options: argparse.Namespace,
    screen: Screen,
    opened: OpenWorkspace,
    testset: str,
    fields: dict[str, str],
    system: str,
) -> int:
    """One run: all that the file holds, or what one of its systems said."""
    from ... import api
    from ...api.records import scored_json
    from ..views.runs import show_judging

    with screen.progress() as meter:
        made = api.score(
            opened, options.answers, ranked=options.ranked, system=options.system or "", testset=testset, qrels=options.qrels,
            name=options.name or "", fields=fields, repeated=options.repeated, of=system,
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


def reading_json(file: AnswerFile) -> dict[str, Any]:
    """The documented shape of `score --check --json`."""
    return {
        "kind": file.kind, "encoding": file.encoding, "columns": dict(file.columns), "unused": list(file.unused),
        "rows": len(file.rows), "systems": file.systems, "thoughts": file.thoughts, "markup": file.markup,
        "no_answer": [{"line": row.line, "reason": row.failure} for row in file.rows if row.failure],
    }  # fmt: skip


def show_reading(screen: Screen, path: Path, file: AnswerFile, whole: bool) -> None:
    """How a file was read: what column gave what, and its first answers, one line a field; of many only what is unusual unless
    the `whole` is wanted."""
    told = ", ".join(f"{field} ← {column}" for field, column in file.columns.items())
    encoding = f", {file.encoding}" if file.encoding else ""
    screen.say(f"{path.name}: {len(file.rows):,} answers ({file.kind}{encoding}); {told}", style="dim")
    if file.unused and whole:
        screen.say(f"not read: {', '.join(file.unused[:12])}", style="dim")
    for row in file.rows[: _FIRST if whole else 0]:
        screen.say()
        for field, value in (
            ("id", row.id),
            ("question", row.question),
            ("system", row.system),
            ("answer", row.answer),
        ):
            if value:
                screen.say(f"  {field:9} {shortened(' '.join(value.split()), _WIDE)}")
        if row.context is None:
            screen.say("  context   (nothing is said of it)")
        for number, item in enumerate(row.context or (), 1):
            source = f"{item.doc}: " if item.doc else ""
            screen.say(f"  context {number} {shortened(' '.join((source + item.text).split()), _WIDE)}")
        if row.failure:
            screen.say(f"  no answer: {row.failure}")
    if len(file.systems) > 1:
        screen.say(f"{len(file.systems)} systems, a run each: {', '.join(file.systems)}")
    for count, what in (
        (file.thoughts, "answers held thinking in tags, which was taken off"),
        (file.markup, "answers held HTML, which was taken off"),
        (
            sum(bool(row.failure) for row in file.rows),
            "rows hold no answer, but a word for nothing or the message of an error",
        ),
    ):
        if count:
            screen.warn(f"{count:,} {what}")


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
