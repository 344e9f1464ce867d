"""`aventrik report`: what colleagues see."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from ..arguments import given_path, whole
from ..opening import open_workspace
from ..screen import Screen

if TYPE_CHECKING:
    from ...api.records import Comparison, OpenWorkspace

HELP = (
    "One self-contained page for people who were not there: the decision, tables, pictures, every question with its evidence, "
    "lists, answers and verdicts; it asks nothing of any network. With --to, tables and TREC files for other programs."
)
_MEGABYTES = 20


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument("runs", metavar="RUN", nargs="*", help="as for compare (default: the latest of each)")
    parser.add_argument(
        "--baseline", metavar="RUN", help="the run that the others are held against (default: the first)"
    )
    parser.add_argument("--measure", metavar="NAME", help="the measure that decides (default: hit@5)")
    parser.add_argument("--measures", metavar="A,B,…", help="the columns of the table")
    parser.add_argument("--title", metavar="TEXT", help="what stands above the page")
    parser.add_argument("--out", metavar="FILE", type=given_path, help="the page (default: reports/report.html)")
    parser.add_argument(
        "--most", metavar="MEGABYTES", type=whole(1, 500), default=_MEGABYTES,
        help=f"the page is at most so large: texts that are furthest from the decision stay out (default {_MEGABYTES})",
    )  # fmt: skip
    parser.add_argument(
        "--calls", action="store_true",
        help="also every prompt as it was sent and every raw reply, of the best run, the baseline and the one that the best is held "
        "against",
    )  # fmt: skip
    parser.add_argument(
        "--to", metavar="FOLDER", type=given_path, help="write tables and TREC files there, and no page"
    )
    parser.add_argument("--as", metavar="A,B,…", dest="formats", help="of csv, jsonl, parquet, trec (default: all)")


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Compares and writes."""
    from ... import api
    from ...core.errors import BadInput
    from ...report.exports import formats_of
    from ..compare_views.notes import show_warnings

    if options.formats and not options.to:
        raise BadInput("--as is for --to FOLDER")
    if options.to and (options.out or options.title or options.calls):
        raise BadInput("--to writes no page: --out, --title and --calls are not for it")
    formats = formats_of(options.formats) if options.to else []
    opened = open_workspace(options, screen)
    found = api.compare(
        opened, options.runs, baseline=options.baseline, measure=options.measure,
        measures=options.measures.split(",") if options.measures else None, pairs=None,
    )  # fmt: skip
    show_warnings(found, screen)
    if options.to:
        return _export(options, opened, found, formats, screen)
    return _page(options, opened, found, screen)


def _export(
    options: argparse.Namespace, opened: OpenWorkspace, found: Comparison, formats: list[str], screen: Screen
) -> int:
    from ... import api

    with screen.progress() as meter:
        written = api.export(opened, found, options.to, formats, progress=meter)
    rows = [(str(path.relative_to(options.to)), count) for path, count in written.files.items()]
    screen.result({"folder": str(options.to), "files": dict(rows)})
    shown = [row for row in rows if not row[0].endswith(".run")]
    if runs := len(rows) - len(shown):
        shown.append((f"trec/*.run ({runs} files)", sum(count for name, count in rows if name.endswith(".run"))))
    screen.table(["file", "rows"], [[name, f"{count:,}"] for name, count in shown], right=(1,))
    screen.say(f"{len(rows)} files in {options.to}/")
    return 0


def _page(options: argparse.Namespace, opened: OpenWorkspace, found: Comparison, screen: Screen) -> int:
    from ... import api

    with screen.progress() as meter:
        made = api.write_report(
            opened, found, options.out, title=options.title or "", most=options.most, calls=options.calls, progress=meter
        )  # fmt: skip
    screen.result(made.as_json())
    screen.say(
        f"{len(found.runs)} runs, {found.shared} questions → {made.path} ({made.size / 1_000_000:.1f} MB; opens from the file, "
        "asks no network)"
    )
    if made.size > options.most * 1_000_000:
        screen.warn(f"what the runs found and answered is more than {options.most} MB by itself: name fewer runs")
    elif made.cut:
        screen.warn(
            f"the texts of {made.cut:,} items were left out so that the page stays under {options.most} MB: --most"
        )
    return 0
