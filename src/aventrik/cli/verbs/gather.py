"""`aventrik gather`: reads files and folders into the corpus."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from ..arguments import given_path, whole, workers_option
from ..opening import open_workspace
from ..screen import Screen, shortened

if TYPE_CHECKING:
    from ...api.records import Gathered, OpenWorkspace

HELP = (
    "Reads files and folders into the corpus. Run again it adds what is new, updates what changed and keeps the "
    "rest; a document's name is its path below the gathered folder."
)


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument(
        "paths", metavar="PATH", nargs="*", type=given_path, help="files and folders (none: those of before)"
    )
    parser.add_argument("--as", dest="prefix", metavar="PREFIX", default="", help="put before the documents' names")
    parser.add_argument("--include", metavar="PATTERN", action="append", default=[], help="only files like '*.html'")
    parser.add_argument("--exclude", metavar="PATTERN", action="append", default=[], help="no files like 'draft/*'")
    parser.add_argument(
        "--follow-links", action="store_true", help="follow symbolic links out of a gathered folder too"
    )
    parser.add_argument("--prune", action="store_true", help="remove documents whose file is gone")
    parser.add_argument(
        "--largest", metavar="MB", type=whole(1), help="the largest file taken (default: aventrik.toml)"
    )
    parser.add_argument(
        "--metadata", metavar="CSV", type=given_path, help="a CSV beside the documents: a column 'document', others"
    )
    workers_option(parser)
    look = parser.add_argument_group("looking at what was read (nothing is gathered)")
    look.add_argument("--report", action="store_true", help="the reading report, a line a document")
    look.add_argument("--show", metavar="DOCUMENT", help="a document as it was read, its parts marked")
    look.add_argument("--try-readers", metavar="FILE", type=given_path, help="both ways of reading a PDF, side by side")
    look.add_argument("--page", metavar="N", type=whole(1), help="one page of it (of --try-readers the first)")
    parser.add_argument("--strict", action="store_true", help="exit with 2 if any file could not be read")


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Gathers and says what became of each file."""
    from ... import api
    from ...api.documents import gathered_json
    from ...core.errors import BadInput
    from ..views.reading import show_report, show_ways

    if options.try_readers:
        ways = api.try_readers(options.try_readers, options.page or 1)
        screen.result(ways.as_json())
        show_ways(ways, options.try_readers.name, screen)
        return 0
    opened = open_workspace(options, screen)
    if options.show:
        _show(opened, options.show, options.page, screen)
        return 0
    if options.report:
        reports = api.reading_reports(opened)
        screen.result(list(reports))
        show_report(reports, screen)
        return 0
    if options.metadata and not options.paths:
        _metadata(opened, options.metadata, screen)
        return 0
    with screen.progress() as meter:
        made = api.gather(
            opened, options.paths, prefix=options.prefix, include=options.include, exclude=options.exclude,
            follow_links=options.follow_links, prune=options.prune, largest=options.largest, on=options.on, progress=meter,
        )  # fmt: skip
    if options.metadata:
        _metadata(opened, options.metadata, screen)
    size = api.corpus_size(opened)
    screen.result(gathered_json(made, size))
    _show_gathered(made, size.documents, size.chars, screen)
    _warnings(opened, screen)
    gone = [name for name in made.vanished if name not in made.removed]
    if gone:
        screen.warn(
            f"{len(gone):,} documents stand in the corpus whose file is gone (--prune removes them): {gone[0]} …"
        )
    if not made.good:
        if made.failed:
            raise BadInput("no file could be read")
        raise BadInput(f"nothing to read in {', '.join(map(str, options.paths))}")
    return 2 if options.strict and made.failed else 0


def _show(opened: OpenWorkspace, name: str, page: int | None, screen: Screen) -> None:
    """A document as it was read, or one page of it."""
    from ... import api
    from ...api.documents import page_of
    from ..views.reading import show_document

    document = api.document(opened, name)
    left, right = page_of(document, page)
    parts = show_document(document, left, right, screen)
    screen.result({"document": name, "meta": document.meta, "text": document.text[left:right], "parts": parts})


def _show_gathered(made: Gathered, documents: int, chars: int, screen: Screen) -> None:
    """What became of the files."""
    parts = [
        f"{len(names):,} {word}"
        for names, word in (
            (made.added, "added"), (made.updated, "updated"), (made.unchanged, "unchanged"), (made.removed, "removed"),
        )
        if names
    ]  # fmt: skip
    screen.say(
        f"gathered: {', '.join(parts) or 'nothing'}; the corpus holds {documents:,} documents, {chars:,} characters"
    )
    if made.passed_over:
        screen.say(f"passed over: {made.passed_over:,} files hidden, excluded, or of formats that are not read")
    if made.links:
        what = "symbolic link that leads" if made.links == 1 else "symbolic links that lead"
        screen.say(f"not followed: {made.links:,} {what} out of the folder (--follow-links takes them)")
    if made.own:
        names = "configs, testsets, prompts, reports and settings"
        screen.say(f"left alone: {made.own:,} of the workspace's own files ({names})")
    if made.failed:
        screen.say(f"not read: {len(made.failed):,}")
        width = max(30, screen.out.width)
        for file, reason in made.failed[:50]:
            screen.say(shortened(f"  {file}: {reason}", width * 2))
        if len(made.failed) > 50:
            screen.say(f"  … and {len(made.failed) - 50:,} more (--json lists all)")


def _warnings(opened: OpenWorkspace, screen: Screen) -> None:
    """Documents that were read badly, worst first."""
    from ... import api

    bad = [each for each in api.reading_reports(opened) if each["warnings"] and not each["left_out"]]
    if bad:
        screen.say(f"read with warnings: {len(bad):,} (--report lists all, --show DOCUMENT shows one as it was read)")
        for each in sorted(bad, key=lambda row: (-row["odd"], row["document"]))[:5]:
            screen.say(shortened(f"  {each['document']}: {'; '.join(each['warnings'])}", 160))


def _metadata(opened: OpenWorkspace, path: Path, screen: Screen) -> None:
    """Takes metadata from a CSV with a column 'document'."""
    from ... import api

    made = api.add_metadata(opened, path)
    screen.say(f"metadata of {made.documents:,} documents taken from {path}")
    if made.unknown:
        screen.warn(f"{len(made.unknown):,} documents of {path} are not in the corpus: {', '.join(made.unknown[:3])} …")
