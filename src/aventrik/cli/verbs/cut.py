"""`aventrik cut`: how configurations would chunk the corpus."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from ..opening import open_corpus, open_testset
from ..screen import Screen, number, shortened

if TYPE_CHECKING:
    from ...workspace.configuration import Configuration

HELP = "Shows how configurations would chunk the corpus: counts, lengths, samples, and evidence that is cut apart."
_BARS = " ▁▂▃▄▅▆▇█"


def arguments(parser: argparse.ArgumentParser) -> None:
    """The verb's own arguments."""
    parser.add_argument(
        "configurations", metavar="CONFIG", nargs="*", help="configuration files (default: all in configs/)"
    )
    parser.add_argument("--testset", metavar="NAME", help="count the needs that no single chunk holds whole")
    parser.add_argument("--samples", metavar="N", type=int, default=2, help="chunks to show (default 2)")


def run(options: argparse.Namespace, screen: Screen) -> int:
    """Cuts, counts and shows."""
    from ...engine.cutting import figures
    from ...engine.resources import Resources

    workspace = open_corpus(options)
    questions = open_testset(workspace, options.testset, screen) if options.testset else []
    with screen.progress() as meter:
        resources = Resources(workspace, meter)
        different: dict[str, Configuration] = {}
        for configuration in workspace.configurations(options.configurations):
            different.setdefault(resources.keys(configuration).chunks, configuration)
        rows = [figures(resources, configuration, questions) for configuration in different.values()]
    screen.result(rows)
    _table(screen, rows, bool(questions))
    for row in rows[: 1 if len(rows) > 3 else len(rows)]:
        _samples(screen, row, options.samples)
    return 0


def _table(screen: Screen, rows: list[dict[str, Any]], tested: bool) -> None:
    columns = ["chunking", "chunks", "shortest", "median", "longest", "lengths", "cut in mid-sentence", "repeated"]
    if tested:
        columns.append("needs cut apart")
    screen.table(
        columns,
        [
            [
                row["chunking"],
                f"{row['chunks']:,}",
                f"{row['shortest']:,}",
                f"{row['median']:,}",
                f"{row['longest']:,}",
                _drawn(row["histogram"]),
                f"{row['mid_sentence']:.0%}",
                f"{row['repeated']:.0%}",
                *([f"{row['needs_cut_apart']} of {row['needs']}"] if tested else []),
            ]
            for row in rows
        ],
        right=(1, 2, 3, 4, 6, 7, 8),
    )
    screen.say("lengths in characters; the bars run from 0 to the longest chunk, tallest = most chunks", style="dim")


def _drawn(histogram: list[int]) -> str:
    most = max(histogram, default=0)
    return "".join(_BARS[-(-count * (len(_BARS) - 1) // most)] if most else " " for count in histogram)


def _samples(screen: Screen, row: dict[str, Any], count: int) -> None:
    for sample in row["samples"][:count]:
        screen.title(f"{row['chunking']}: chunk {sample['chunk']:,} of {row['chunks']:,} · {sample['doc']}")
        if sample["headings"]:
            screen.say(" › ".join(sample["headings"]), style="dim")
        screen.say(sample["text"].strip())
        screen.say(
            f"— {number(len(sample['text']))} characters; the next begins: {shortened(sample['next'], 60)}", style="dim"
        )
