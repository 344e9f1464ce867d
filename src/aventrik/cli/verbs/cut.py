"""`aventrik cut`: how configurations would chunk the corpus."""

from __future__ import annotations

import argparse
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from rich.text import Text

from ..arguments import whole
from ..opening import open_testset, open_workspace
from ..screen import Screen, shortened

if TYPE_CHECKING:
    from ...api.records import ChunkFigures

HELP = "Shows how configurations would chunk the corpus: counts, lengths, samples, and evidence that is cut apart."
_BARS = " ▁▂▃▄▅▆▇█"
_BARS_WIDE = 20
_LABELS = 23


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument(
        "configurations", metavar="CONFIG", nargs="*", help="configuration files (default: all in configs/)"
    )
    parser.add_argument("--testset", metavar="NAME", help="count the needs that no single chunk holds whole")
    parser.add_argument(
        "--samples",
        metavar="N",
        type=whole(0),
        default=2,
        help="chunks to show (default 2; from 3 on also the shortest and the longest)",
    )


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Cuts, counts and shows."""
    from ... import api

    opened = open_workspace(options, screen)
    api.check_documents(opened)
    questions = open_testset(opened, options.testset, screen) if options.testset else []
    with screen.progress() as meter:
        rows = api.chunk(opened, options.configurations, questions=questions, progress=meter)
    screen.result([row.as_json() for row in rows])
    _table(screen, rows, bool(questions))
    for row in rows[: 1 if len(rows) > 3 else len(rows)]:
        _samples(screen, row, options.samples)
    return 0


def _table(screen: Screen, rows: Sequence[ChunkFigures], tested: bool) -> None:
    """Configurations side by side, as many in a block as the terminal is wide."""
    wide = any(row.served != row.chunks or row.served_median != row.median for row in rows)
    written = any(row.index_texts != row.chunks for row in rows)
    lines: list[tuple[str, Callable[[ChunkFigures], str]]] = [
        ("chunks", lambda row: f"{row.chunks:,}"),
        *((name, lambda row, name=name: f"{getattr(row, name):,}") for name in ("shortest", "median", "longest")),
        ("lengths, from 0 on", lambda row: _drawn(row.histogram)),
        ("end inside a sentence", lambda row: f"{row.mid_sentence:.0%}"),
        ("repeated text", lambda row: f"{row.repeated:.1%}"),
        ("tables cut apart", lambda row: f"{row.tables_cut_apart} of {row.tables}"),
    ]
    if tested:
        lines.append(("needs cut apart", lambda row: f"{row.needs_cut_apart} of {row.needs}"))
    if wide:
        lines.append(("units served", lambda row: f"{row.served:,}"))
        lines.append(("their median length", lambda row: f"{row.served_median:,}"))
    if wide and tested:
        lines.append(("needs apart in these", lambda row: f"{row.needs_served_apart} of {row.needs}"))
    if written:
        lines.append(("index texts", lambda row: f"{row.index_texts:,}"))
    together = max(1, (screen.out.width - _LABELS) // (_BARS_WIDE + 2))
    for place in range(0, len(rows), together):
        some = rows[place : place + together]
        screen.table(
            ["chunking", *(row.chunking for row in some)],
            [[name, *(shown(row) for row in some)] for name, shown in lines],
            right=range(1, len(some) + 1),
        )
        screen.say()
    screen.say("lengths are in characters; a bar's height: how many chunks are so long, up to the longest", style="dim")
    for row in rows:
        if row.index_texts_failed:
            screen.warn(f"{row.name}: {row.index_texts_failed:,} chunks have no written index text; their own is used")


def _drawn(histogram: list[int]) -> str:
    most = max(histogram, default=0)
    return "".join(_BARS[-(-count * (len(_BARS) - 1) // most)] if most else " " for count in histogram)


def _samples(screen: Screen, row: ChunkFigures, count: int) -> None:
    picked = [("", sample) for sample in row.samples[:count]]
    if count > 2:
        picked.extend((f"{name}, ", sample) for name, sample in row.ends.items())
    for lead, sample in picked:
        screen.title(f"{row.chunking}: {lead}chunk {sample.chunk:,} of {row.chunks:,} · {sample.doc}")
        if sample.headings:
            screen.say(" › ".join(sample.headings), style="dim")
        again = sample.overlap
        body = sample.text.rstrip()
        text = Text(body[: len(body) - again] if again else body)
        if again:
            text.append(f"‹{body[len(body) - again :]}›", style="underline")
        screen.text(text)
        told = f"; the {again:,} in ‹ › stand in the next chunk too" if again else ""
        ending = f"— {len(sample.text):,} characters{told}; the next begins: {shortened(sample.next, 60)}"
        screen.say(ending, style="dim")
