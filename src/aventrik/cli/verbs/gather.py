"""`aventrik gather`: reads files and folders into the corpus."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from ..arguments import given_path, whole, workers_option
from ..screen import Screen, shortened

if TYPE_CHECKING:
    from ...engine.opened import Opened

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
    from ...core.errors import BadInput
    from ...engine.gathering import gather
    from ...engine.hiring import workers
    from ...engine.opened import Opened
    from ...workspace.gathered import GatheredSources, Source
    from ..reading_views import show_document, show_report, try_readers

    if options.try_readers:
        screen.result(try_readers(options.try_readers, options.page or 1, screen))
        return 0
    opened = Opened(Path(options.workspace))
    opened.tell = screen.warn
    if options.show:
        screen.result(show_document(opened, options.show, options.page, screen))
        return 0
    if options.report:
        screen.result(show_report(opened, screen))
        return 0
    sources = [
        Source(path, options.prefix, tuple(options.include), tuple(options.exclude), options.follow_links)
        for path in options.paths
    ]
    if not sources and not options.metadata:
        sources = list(GatheredSources(opened.workspace.folder))
        if not sources:
            raise BadInput("nothing to gather: name files or folders")
    with screen.progress() as meter:
        opened.progress = meter
        with workers(opened, options.on, screen.warn) as reader:
            where = f"reading{opened.bench.executor.label}" if reader else "reading"
            made = gather(
                opened, sources, options.prune, options.largest, lambda done, total: meter(where, done, total), reader
            )
    if options.metadata:
        _metadata(opened, options.metadata, screen)
        if not sources:
            return 0
    count, chars = opened.corpus.figures()
    screen.result(
        {
            "added": made.added,
            "updated": made.updated,
            "unchanged": len(made.unchanged),
            "removed": made.removed,
            "vanished": made.vanished,
            "passed_over": made.passed_over,
            "links": made.links,
            "own": made.own,
            "documents": count,
            "chars": chars,
            "failed": [{"file": file, "reason": reason} for file, reason in made.failed],
        }
    )
    parts = [
        f"{len(names):,} {word}"
        for names, word in (
            (made.added, "added"),
            (made.updated, "updated"),
            (made.unchanged, "unchanged"),
            (made.removed, "removed"),
        )
        if names
    ]
    screen.say(f"gathered: {', '.join(parts) or 'nothing'}; the corpus holds {count:,} documents, {chars:,} characters")
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


def _warnings(opened: Opened, screen: Screen) -> None:
    """Documents that were read badly, worst first."""
    bad = [each for each in opened.corpus.reports() if each["warnings"] and not each["left_out"]]
    if bad:
        screen.say(f"read with warnings: {len(bad):,} (--report lists all, --show DOCUMENT shows one as it was read)")
        for each in sorted(bad, key=lambda row: (-row["odd"], row["document"]))[:5]:
            screen.say(shortened(f"  {each['document']}: {'; '.join(each['warnings'])}", 160))


def _metadata(opened: Opened, path: Path, screen: Screen) -> None:
    """Takes metadata from a CSV with a column 'document'."""
    import csv
    import io

    from ...core.errors import BadInput, Unreadable
    from ...core.reading.decoding import decode

    try:
        text, _ = decode(path.read_bytes())
    except (OSError, Unreadable) as error:
        raise BadInput(f"{path}: can't be read ({error})") from None
    rows = list(csv.DictReader(io.StringIO(text, newline="")))
    if not rows or "document" not in rows[0]:
        raise BadInput(f"{path}, line 1: there must be a column 'document'")
    meta = {
        row["document"]: {key: value for key, value in row.items() if key and key != "document" and value}
        for row in rows
        if row["document"]
    }
    unknown = opened.corpus.add_metadata(meta)
    screen.say(f"metadata of {len(meta) - len(unknown):,} documents taken from {path}")
    if unknown:
        screen.warn(f"{len(unknown):,} documents of {path} are not in the corpus: {', '.join(unknown[:3])} …")
