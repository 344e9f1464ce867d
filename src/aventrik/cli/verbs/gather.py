"""`aventrik gather`: reads files and folders into the corpus."""

from __future__ import annotations

import argparse
from pathlib import Path

from ..screen import Screen, shortened

HELP = (
    "Reads files and folders into the corpus. Run again it adds what is new, updates what changed and keeps the "
    "rest; a document's name is its path below the gathered folder."
)


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument("paths", metavar="PATH", nargs="+", type=Path, help="files and folders")
    parser.add_argument("--as", dest="prefix", metavar="PREFIX", default="", help="put before the documents' names")
    parser.add_argument("--include", metavar="PATTERN", action="append", default=[], help="only files like '*.html'")
    parser.add_argument("--exclude", metavar="PATTERN", action="append", default=[], help="no files like 'draft/*'")
    parser.add_argument("--prune", action="store_true", help="remove documents whose file is gone")
    parser.add_argument("--largest", metavar="MB", type=int, help="the largest file taken (default: aventrik.toml)")
    parser.add_argument("--strict", action="store_true", help="exit with 2 if any file could not be read")


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Gathers and says what became of each file."""
    from ...core.errors import BadInput
    from ...workspace.workspace import Workspace

    workspace = Workspace.around(Path(options.workspace))
    how = workspace.settings.reading
    with screen.progress() as meter:
        made = workspace.corpus.gather(
            options.paths,
            prefix=options.prefix,
            prune=options.prune,
            largest=options.largest or workspace.settings.limits.file_megabytes,
            include=options.include,
            exclude=options.exclude,
            reading=how.reading,
            workers=how.workers,
            seconds=how.seconds,
            megabytes=how.megabytes,
            progress=lambda done, total: meter("reading", done, total),
        )
    count, chars = workspace.corpus.figures()
    screen.result(
        {
            "added": made.added,
            "updated": made.updated,
            "unchanged": len(made.unchanged),
            "removed": made.removed,
            "vanished": made.vanished,
            "passed_over": made.passed_over,
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
    if made.failed:
        screen.say(f"not read: {len(made.failed):,}")
        width = max(30, screen.out.width)
        for file, reason in made.failed[:50]:
            screen.say(shortened(f"  {file}: {reason}", width * 2))
        if len(made.failed) > 50:
            screen.say(f"  … and {len(made.failed) - 50:,} more (--json lists all)")
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
