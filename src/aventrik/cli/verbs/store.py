"""`aventrik store`: what is stored; backing up, restoring, cleaning."""

from __future__ import annotations

import argparse
from dataclasses import asdict
from typing import TYPE_CHECKING

from ...core.errors import BadInput
from ..arguments import given_path
from ..opening import open_workspace
from ..screen import Screen

if TYPE_CHECKING:
    from ...api.records import OpenWorkspace

_STAGES = 40  # up to so many stages are shown where all is well

HELP = (
    "Shows what the store holds. Runs and finished model calls are all in it that can't be had again: --back-up writes "
    "them into one file, --restore takes them from it. --clean drops what no run and no document refers to. --check looks "
    "whether all of it is still what was written. --move copies all of it to a PostgreSQL server, or back into the "
    "workspace's folder, checks it there, and has the settings name it; the old store stays. --audit makes a run anew, "
    "from its documents and what models replied then, and holds every result against what stands."
)


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    what = parser.add_mutually_exclusive_group()
    what.add_argument("--back-up", metavar="FILE", type=given_path, help="write runs and model calls into a new file")
    what.add_argument(
        "--restore", metavar="FILE", type=given_path, help="take in runs and model calls from such a file"
    )
    what.add_argument("--check", action="store_true", help="read every byte; exit code 1 when something is damaged")
    what.add_argument(
        "--move", metavar="ADDRESS", help="copy the store to postgresql://…, or to 'folder', the workspace's own"
    )
    what.add_argument(
        "--audit",
        metavar="RUN",
        help="make a run anew from its documents alone, and say what comes out otherwise; exit code 1",
    )
    parser.add_argument(
        "--threads", type=int, default=1, metavar="N", help="--audit: threads of numerical libraries (1)"
    )
    parser.add_argument("--on", default="", metavar="ADDRESS", help="--audit: on these workers, as in run")
    what.add_argument("--clean", action="store_true", help="drop what nothing refers to, and all arrays")


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Does what was asked for, and says what there is."""
    from ... import api

    if not options.audit and (options.on or options.threads != 1):
        raise BadInput("--on and --threads go with --audit")
    opened = open_workspace(options, screen)
    done: dict[str, int] = {}
    if options.back_up:
        done = api.back_up(opened, options.back_up)
        screen.say(f"backed up into {options.back_up}: {_counts(done)}")
    elif options.restore:
        done = api.restore(opened, options.restore)
        screen.say(f"restored from {options.restore}: {_counts(done)}")
    elif options.clean:
        done = api.clean_store(opened)
        screen.say(f"dropped: {_counts(done)}; what is wanted again is made again")
    elif options.move:
        return _moved(opened, options.move, screen)
    elif options.audit:
        return _audited(opened, options, screen)
    elif options.check:
        return _checked(opened, screen)
    found = api.store_holdings(opened)
    screen.result({"done": done, "counts": found.counts, "bytes": found.bytes, "address": found.address})
    screen.table(
        ["in the store", "how many"], [[name, f"{count:,}"] for name, count in found.counts.items()], right=(1,)
    )
    where = f" at {found.address}" if "://" in found.address else ""
    screen.say(", ".join(f"{name}: {size / 1e6:,.1f} MB" for name, size in found.bytes.items()) + where)
    return 0


def _moved(opened: OpenWorkspace, to: str, screen: Screen) -> int:
    from ... import api
    from ...api.records import FOLDER

    with screen.progress() as meter:
        done = api.move_store(opened, to, meter)
    moved = {name: done[name] for name in ("documents", "results", "calls", "runs", "arrays")}
    where = "the workspace's folder" if to == FOLDER else to
    screen.say(f"moved to {where}, every key and checksum looked at: {_counts(moved)}")
    screen.say("the settings name it now; the old store stays where it was until you drop it")
    screen.result({"done": done, "address": to})
    return 0


def _checked(opened: OpenWorkspace, screen: Screen) -> int:
    from ... import api

    with screen.progress() as meter:
        wrong = api.damage(opened, meter)
    screen.result({"damaged": wrong})
    for line in wrong:
        screen.say(line)
    if not wrong:
        screen.say(
            "the store is sound: every row can be read, every array is what was written, and the results of every run fit "
            "together"
        )
        return 0
    screen.say(f"{len(wrong):,} damaged; --clean drops arrays, which are made again; runs come back from a backup")
    return 1


def _audited(opened: OpenWorkspace, options: argparse.Namespace, screen: Screen) -> int:
    from ... import api

    with screen.progress() as meter:
        found = api.audit(opened, options.audit, on=options.on, threads=options.threads, progress=meter)
    screen.result(
        {**asdict(found), "run": found.run.id, "name": found.run.name, "sound": found.sound, "first": found.first}
    )
    screen.title(f"run {found.run.id} ({found.run.name}) made anew: {', '.join(found.how)}")
    rows = [
        [each.stage, f"{each.compared:,}", f"{each.other:,}", ", ".join(each.questions[:4])] for each in found.stages
    ]
    shown = rows if not found.sound or len(rows) <= _STAGES else []
    if shown:
        columns = ["stage", "results", "come out otherwise", *(["of questions"] if found.other else [])]
        screen.table(columns, [row[: len(columns)] for row in shown], right=(1, 2))
    if found.apart:
        screen.warn(f"since then these have changed, and a result that rests on them may: {', '.join(found.apart)}")
    for line in found.broken:
        screen.warn(line)
    if found.sound:
        screen.say(f"all {found.results:,} results come out as they stand, byte for byte")
        return 0
    first = f", the first at '{found.first}'" if found.first else ""
    screen.say(f"{found.other:,} of {found.results:,} results come out otherwise{first}")
    return 1


def _counts(done: dict[str, int]) -> str:
    return ", ".join(f"{count:,} {name}" for name, count in done.items())
