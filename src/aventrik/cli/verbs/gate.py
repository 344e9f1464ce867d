"""`aventrik gate`: passes or fails a run against limits or a baseline."""

from __future__ import annotations

import argparse

from ..arguments import given_path
from ..opening import open_workspace
from ..screen import Screen

HELP = (
    "Holds a run against the limits of gate.toml, and against a baseline run or file: passed, failed, or not decided by so few "
    "questions. Exit code 1 when it is failed."
)


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument("run", metavar="RUN", nargs="?", help="by number, label or name (default: the latest)")
    parser.add_argument(
        "--limits", metavar="FILE", type=given_path, help="what it is held against (default: gate.toml)"
    )
    parser.add_argument(
        "--baseline", metavar="RUN|FILE",
        help="the run, or the file that 'aventrik run --baseline-file' wrote, that drops are reckoned from (default: as gate.toml "
        "says)",
    )  # fmt: skip
    parser.add_argument("--junit", metavar="FILE", type=given_path, help="write JUnit XML too")
    parser.add_argument(
        "--undecided", choices=("pass", "fail"), help="what an undecided limit counts as (default: as gate.toml says)"
    )


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Decides and shows."""
    from ... import api
    from ...report.junit import write_junit
    from ..views.gate import show_gated

    found = api.gate(
        open_workspace(options, screen), options.run or "", limits=options.limits, baseline=options.baseline or "",
        undecided=options.undecided or "",
    )  # fmt: skip
    if options.junit:
        write_junit(options.junit, found)
    screen.result(found.as_json())
    show_gated(found, found.limits.name, screen)
    return 1 if found.failed else 0
