"""`aventrik vet`: documents unfit for use, with the evidence; leaves out, takes back, exports."""

from __future__ import annotations

import argparse
from collections import Counter
from collections.abc import Sequence
from fnmatch import fnmatch
from typing import TYPE_CHECKING

from ..arguments import finite, given_path
from ..opening import open_corpus
from ..screen import Screen, shortened

if TYPE_CHECKING:
    from ...core.vetting import Finding
    from ...engine.opened import Opened

HELP = (
    "Looks for documents unfit for use and shows what it found with the evidence. What is left out stays in the "
    "corpus, is searched by no run, and can be taken back."
)


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument("documents", metavar="DOCUMENT", nargs="*", help="only these; shell patterns work: 'notices/*'")
    parser.add_argument("--kind", metavar="KIND", action="append", default=[], help="only findings of this kind")
    parser.add_argument(
        "--least", metavar="C", type=finite, default=0.0, help="only findings of at least this confidence"
    )
    parser.add_argument(
        "--leave-out", action="store_true", help="leave out the documents of the findings that are shown"
    )
    parser.add_argument("--take-back", action="store_true", help="let the named documents back in")
    parser.add_argument("--reason", metavar="TEXT", default="", help="why they are left out (default: the findings)")
    parser.add_argument(
        "--label", metavar="COLUMN", help="ask for labels in the terminal, the most telling document first"
    )
    parser.add_argument("--suggest", metavar="COLUMN", help="suggest the rest of a column of labels.csv")
    parser.add_argument("--apply", metavar="C", type=finite, help="with --suggest: take suggestions of this confidence")
    parser.add_argument(
        "--where", metavar="CONDITION", help="only documents whose labels and metadata say so: \"topic = 'fees'\""
    )
    parser.add_argument(
        "--export", metavar="FILE", type=given_path, help="the table of decisions, .csv, .jsonl or .parquet"
    )
    parser.add_argument("--strict", action="store_true", help="exit with 1 if an unfit document takes part")


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Finds, decides, shows."""
    from ...core.errors import BadInput
    from ...core.vetting import KINDS
    from ...engine.filtering import passed
    from ...engine.vetting import decisions, findings
    from ...report.tables import write_table
    from ...workspace.toml import nearest
    from ..labelling import ask_for_labels, show_suggestions

    for kind in options.kind:
        if kind not in KINDS:
            raise BadInput(f"no finding is of the kind '{kind}'{nearest(kind, list(KINDS))}")
    opened = open_corpus(options, left_out=True)
    if options.label:
        screen.result(ask_for_labels(opened, options.label, screen))
        return 0
    if options.suggest:
        screen.result(show_suggestions(opened, options.suggest, options.apply, screen))
        return 0
    names = _named(opened, options.documents)
    if options.where:
        names &= passed(opened.corpus, options.where, left_out=True)
    with screen.progress() as meter:
        found = findings(opened, meter)
    chosen = [
        each
        for each in found
        if each.document in names
        and each.confidence >= options.least
        and (not options.kind or each.kind in options.kind)
    ]
    if options.take_back:
        if not options.documents and not options.where:
            raise BadInput("--take-back needs the documents to take back ('*' for all)")
        screen.say(f"taken back: {opened.corpus.take_back(sorted(names)):,} documents")
    elif options.leave_out:
        _leave_out(opened, options, chosen, names, screen)
    out = opened.corpus.left_out()
    if options.export:
        write_table(options.export, decisions(opened.corpus, found, opened.workspace.labels))
        screen.say(f"decisions on {len(opened.corpus.names(left_out=True)):,} documents → {options.export}")
    unfit = _unfit(chosen, out)
    screen.result(
        {
            "findings": [{**vars(each), "left_out": each.document in out} for each in chosen],
            "left_out": sorted(out),
            "unfit": unfit,
        }
    )
    _show(chosen, out, len(names), screen)
    if options.strict and unfit:
        screen.warn(f"{len(unfit)} unfit documents take part: {shortened(', '.join(unfit), 120)}")
        return 1
    return 0


def _named(opened: Opened, patterns: Sequence[str]) -> set[str]:
    from ...core.errors import BadInput
    from ...workspace.toml import nearest

    names = opened.corpus.names(left_out=True)
    if not patterns:
        return set(names)
    chosen: set[str] = set()
    for pattern in patterns:
        hit = {name for name in names if name == pattern or fnmatch(name, pattern)}
        if not hit:
            raise BadInput(f"no document is named '{pattern}'{nearest(pattern, names, listing=False)}")
        chosen |= hit
    return chosen


def _leave_out(
    opened: Opened, options: argparse.Namespace, chosen: Sequence[Finding], names: set[str], screen: Screen
) -> None:
    """Leaves out documents by finding; by name alone when a reason is given and no kind."""
    from ...core.errors import BadInput

    if not (options.kind or options.documents or options.least or options.where):
        raise BadInput(
            "--leave-out needs --kind, --least or documents: leaving out every document with any finding is rash"
        )
    if (options.documents or options.where) and not options.kind:
        reasons = dict.fromkeys(sorted(names), options.reason or options.where or "left out by name")
    else:
        reasons = {each.document: options.reason or f"{each.kind}: {each.message}" for each in chosen}
    count = opened.corpus.leave_out(reasons)
    screen.say(f"left out: {count:,} documents; --take-back lets them in again")


def _unfit(found: Sequence[Finding], out: set[str]) -> list[str]:
    from ...core.vetting import UNFIT

    return sorted({each.document for each in found if each.kind in UNFIT and each.confidence >= 0.5} - out)


def _show(found: Sequence[Finding], out: set[str], documents: int, screen: Screen) -> None:
    from ...core.vetting import KINDS

    if not found:
        screen.say(f"nothing found in {documents:,} documents")
        return
    counts = Counter(each.kind for each in found)
    touched = len({each.document for each in found})
    screen.title(f"{len(found):,} finding{'s' * (len(found) != 1)} on {touched:,} of {documents:,} documents")
    screen.table(
        ["finding", "count", "left out", "what it means"],
        [
            [kind, str(counts[kind]), str(sum(each.kind == kind and each.document in out for each in found)), told]
            for kind, (_, told) in KINDS.items()
            if counts[kind]
        ],
        right=(1, 2),
    )
    screen.say()
    rows = [
        [
            each.document + (" (left out)" if each.document in out else ""),
            each.kind,
            f"{each.confidence:.2f}",
            each.message,
        ]
        for each in sorted(found, key=lambda each: (list(KINDS).index(each.kind), -each.confidence, each.document))
    ]
    screen.table(["document", "finding", "sure", "what was found"], rows[:60], right=(2,))
    if len(rows) > 60:
        screen.say(
            f"… and {len(rows) - 60:,} more; --kind, --least or a document narrows it, --json has all with their places"
        )
