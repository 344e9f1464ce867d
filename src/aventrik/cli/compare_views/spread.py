"""How a measure is spread, drawn with characters, and the questions that two runs differ on."""

from __future__ import annotations

from typing import TYPE_CHECKING

from rich.text import Text

from ...api.records import SHOWN
from ...report.figures import number
from ..screen import Screen, shortened

if TYPE_CHECKING:
    from ...api.records import Comparison, MovedQuestion, Spread, SpreadOut


_BLOCKS = "▁▂▃▄▅▆▇█"
_SIDE_BY_SIDE = 3  # runs whose bars are drawn in full
_ROWS = 12
_NAME = 60  # characters of a run's name


def show_spread(found: Comparison, spread: SpreadOut, screen: Screen, every: bool = False) -> None:
    """Prints the spreads, in full for a few runs, and what moved against the baseline; of many runs the best ones, unless
    `every` is wanted."""
    screen.title(f"{spread.measure} over the questions of each run, {found.shared} at the most")
    rows: list[list[str | Text]] = []
    places = range(len(found.runs)) if every or len(found.runs) <= SHOWN else found.shown_first
    for place in places:
        run, each = found.runs[place], spread.spreads[place]
        if each is None:
            rows.append([str(run.id), shortened(run.name, _NAME), "–", "", "", ""])
            continue
        least, lower, middle, upper, most = each.quantiles
        quartiles = f"{number(lower)} · {number(middle)} · {number(upper)}"
        rows.append(
            [
                str(run.id),
                shortened(run.name, _NAME),
                _line(each),
                quartiles,
                f"{number(least)}–{number(most)}",
                number(each.mean),
            ]
        )
    some = next((each for each in spread.spreads if each), None)
    ends = f"{number(some.low)} … {number(some.high)}" if some else ""
    screen.table(["run", "configuration", ends, "quartiles", "range", "mean"], rows, right=(0, 5))
    if len(places) < len(found.runs):
        screen.say(f"{len(found.runs) - len(places)} more are not shown: --all", style="dim")
    if len(found.runs) <= _SIDE_BY_SIDE and some is not None:
        _bars(found, spread, some, screen)
    for place, changes in spread.moved[:1] if len(found.runs) > 2 else spread.moved:
        _moved(found, place, changes, screen)
    if len(spread.moved) > 1:
        screen.say("name two runs to see the questions that others differ on", style="dim")


def _line(spread: Spread) -> str:
    most = max(spread.counts)
    return "".join(_BLOCKS[round(count / most * (len(_BLOCKS) - 1))] if count else "·" for count in spread.counts)


def _bars(found: Comparison, spread: SpreadOut, some: Spread, screen: Screen) -> None:
    """A line for each tenth, from the top; bars of all runs on one scale."""
    width = max(8, (screen.out.width - 14) // len(found.runs) - 7)
    most = max(max(each.counts) for each in spread.spreads if each)
    step = (some.high - some.low) / len(some.counts)
    rows: list[list[str | Text]] = []
    for bin_ in reversed(range(len(some.counts))):
        cells: list[str | Text] = [f"{number(some.low + bin_ * step)}–{number(some.low + (bin_ + 1) * step)}"]
        for each in spread.spreads:
            count = each.counts[bin_] if each else 0
            cells.append(f"{'█' * round(count / most * width) or ('▏' if count else '')} {count or ''}")
        rows.append(cells)
    screen.say()
    screen.table([spread.measure, *(f"run {run.id}" for run in found.runs)], rows)


def _moved(found: Comparison, place: int, changes: list[MovedQuestion], screen: Screen) -> None:
    base, other = found.runs[found.baseline], found.runs[place]
    worse, better = (sum(each.better is way for each in changes) for way in (False, True))
    screen.title(
        f"from {base.name} (run {base.id}) to {other.name} (run {other.id}): {worse} questions worse, {better} better"
    )
    rows: list[list[str | Text]] = []
    shown = changes if len(changes) <= _ROWS else [*changes[: _ROWS // 2], *changes[-(_ROWS // 2) :]]
    for each in shown:
        told = Text("▲ better" if each.better else "▼ worse", style="green" if each.better else "red")
        question = shortened(found.wordings.get(each.key, ""), 60)
        gap = f"{each.second - each.first:+.2f}"
        rows.append([found.ids[each.key], question, number(each.first), number(each.second), gap, told])
    if not rows:
        screen.say("no question is scored otherwise")
        return
    screen.table(
        ["id", "question", f"run {base.id}", f"run {other.id}", "by", ""], rows, right=(2, 3, 4)
    )  # fmt: skip
    if len(shown) < len(changes):
        screen.say(f"the {_ROWS // 2} worst and best of {len(changes)}; --json has all", style="dim")
    worst = changes[0]
    screen.say(f"next: aventrik explain {base.id} {other.id} {found.ids[worst.key]}    (both side by side)")
