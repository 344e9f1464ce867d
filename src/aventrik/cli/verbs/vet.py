"""`aventrik vet`: documents unfit for use, with the evidence; leaves out, takes back, exports."""

from __future__ import annotations

import argparse
from collections import Counter
from typing import TYPE_CHECKING

from ..arguments import finite, given_path
from ..opening import open_workspace
from ..screen import Screen, shortened

if TYPE_CHECKING:
    from ...api import Vetted
    from ...api.records import OpenWorkspace

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
    from ... import api
    from ...core.errors import BadInput
    from ..review_views.labelling import ask_for_labels, show_suggestions

    opened = open_workspace(options, screen)
    api.check_documents(opened, left_out=True)
    if options.label:
        screen.result(ask_for_labels(opened, options.label, screen))
        return 0
    if options.suggest:
        screen.result(show_suggestions(opened, options.suggest, options.apply, screen))
        return 0

    def looked() -> Vetted:
        with screen.progress() as meter:
            return api.vet(
                opened,
                options.documents,
                kinds=options.kind,
                least=options.least,
                where=options.where or "",
                progress=meter,
            )

    found = looked()
    if options.take_back:
        if not options.documents and not options.where:
            raise BadInput("--take-back needs the documents to take back ('*' for all)")
        screen.say(f"taken back: {api.take_back(opened, sorted(found.documents)):,} documents")
        found = looked()
    elif options.leave_out:
        _leave_out(opened, options, found, screen)
        found = looked()
    if options.export:
        count = api.export_decisions(opened, options.export)
        screen.say(f"decisions on {count:,} documents → {options.export}")
    screen.result(
        {
            "findings": [{**vars(each), "left_out": each.document in found.left_out} for each in found.findings],
            "left_out": sorted(found.left_out),
            "unfit": list(found.unfit),
        }
    )
    _show(found, screen)
    if options.strict and found.unfit:
        screen.warn(f"{len(found.unfit)} unfit documents take part: {shortened(', '.join(found.unfit), 120)}")
        return 1
    return 0


def _leave_out(opened: OpenWorkspace, options: argparse.Namespace, found: Vetted, screen: Screen) -> None:
    """Leaves out documents by finding; by name alone when a reason is given and no kind."""
    from ... import api
    from ...core.errors import BadInput

    if not (options.kind or options.documents or options.least or options.where):
        raise BadInput(
            "--leave-out needs --kind, --least or documents: leaving out every document with any finding is rash"
        )
    if (options.documents or options.where) and not options.kind:
        reasons = dict.fromkeys(sorted(found.documents), options.reason or options.where or "left out by name")
    else:
        reasons = {each.document: options.reason or f"{each.kind}: {each.message}" for each in found.findings}
    screen.say(f"left out: {api.leave_out(opened, reasons):,} documents; --take-back lets them in again")


def _show(vetted: Vetted, screen: Screen) -> None:
    from ...api.records import KINDS

    found, out, documents = vetted.findings, vetted.left_out, len(vetted.documents)
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
