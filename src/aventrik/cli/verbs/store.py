"""`aventrik store`: what is stored; backing up, restoring, cleaning."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from ..arguments import given_path
from ..opening import open_workspace
from ..screen import Screen

if TYPE_CHECKING:
    from ...api.records import OpenWorkspace

HELP = (
    "Shows what the store holds. Runs and finished model calls are all in it that can't be had again: --back-up writes "
    "them into one file, --restore takes them from it. --clean drops what no run and no document refers to. --check looks "
    "whether all of it is still what was written. --move copies all of it to a PostgreSQL server, or back into the "
    "workspace's folder, checks it there, and has the settings name it; the old store stays."
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
    what.add_argument("--clean", action="store_true", help="drop what nothing refers to, and all arrays")


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Does what was asked for, and says what there is."""
    from ... import api

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
        screen.say("the store is sound: every row can be read, and every array is what was written")
        return 0
    screen.say(f"{len(wrong):,} damaged; --clean drops arrays, which are made again; runs come back from a backup")
    return 1


def _counts(done: dict[str, int]) -> str:
    return ", ".join(f"{count:,} {name}" for name, count in done.items())
