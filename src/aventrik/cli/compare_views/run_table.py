"""The runs of a comparison as a table: a line a run, a column for each setting that varies."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from rich.text import Text

from ...report.figures import cost_told, number, seconds
from ...report.run_names import base_name, by_weight, settings_shown, short_names, value_of
from ..screen import Screen, shortened
from ..views.bars import axis, bar
from ..views.columns import Column, fitted, fitted_around, lines

if TYPE_CHECKING:
    from ...api.records import Comparison


_NAME = 28  # characters of a name at the most
_VALUE = 12  # and of a setting's value
_UNTOLD = 200  # rank from which on a column is not missed
_LEAST_BAR, _MOST_BAR = 14, 30
SHORT = {
    "reciprocal-rank": "rr",
    "groundedness": "grounded",
    "grounded-answers": "gr.&answ.",
    "hallucinated": "halluc.",
    "correctness": "correct",
}


def show_runs(found: Comparison, places: Sequence[int], screen: Screen) -> None:
    """Prints the rows of these runs, and what was left out for want of room."""
    width = screen.out.width
    kept, out, room = fitted_around(_columns(found, places), width, _LEAST_BAR, _MOST_BAR)
    ends = [end for place in places if (each := found.means[place].get(found.measure)) for end in (each.low, each.high)]
    along = axis(ends or [0.0, 1.0], room, found.scored.kind in ("share", "score"))
    mark = found.means[found.baseline].get(found.measure)
    bars: list[str | Text] = []
    for place in places:
        each = found.means[place].get(found.measure)
        bars.append("" if each is None else bar(along, each.low, each.mean, each.high, mark.mean if mark else None))
    for line in lines([Column(along.title, bars) if column is None else column for column in kept], width):
        screen.text(line)
    if out:
        left = [column.title for column in reversed(out) if column.rank < _UNTOLD]
        if left:
            screen.say(f"left out for want of room: {', '.join(left)}", style="dim")


def _columns(found: Comparison, places: Sequence[int]) -> list[Column | None]:
    """All columns there may be, in order; None for the one that is to be drawn."""
    rows = list(places)
    columns: list[Column | None] = [Column("run", [_mark(found, place) for place in rows], right=True)]
    names = [found.runs[place].name for place in rows]
    named = max(map(len, names)) <= _NAME  # short names say it all
    if not named:
        names = [base_name(found, place) for place in rows]
    if named or len(set(names)) > 1:
        columns.append(Column("configuration", [shortened(name, _NAME) for name in names]))
    ranks = {name: rank for rank, name in enumerate(by_weight(found))}
    short = short_names(found)
    for name in settings_shown(found):
        cells = [shortened(value_of(found, place, name), _VALUE) for place in rows]
        columns.append(Column(short[name], cells, rank=(_UNTOLD if named else 20) + ranks.get(name, 99)))
    labels = [found.runs[place].label for place in rows]
    if any(labels):
        columns.append(Column("label", [shortened(label, _VALUE) for label in labels], rank=30))
    columns.append(Column(found.measure, [_mean(found, place, found.measure) for place in rows], right=True))
    columns.append(None)
    if found.contrasts:
        columns.append(Column("from base", [_from_base(found, place) for place in rows], right=True, rank=5))
    if found.leading and len(found.leading.chance) > 1:
        chance = [found.leading.chance.get(place) for place in rows]
        told = ["–" if each is None else f"{each:.0%}" for each in chance]
        columns.append(Column("P(best)", told, right=True, rank=10))
    for rank, name in enumerate(name for name in found.measures if name != found.measure):
        cells = [_mean(found, place, name) for place in rows]
        columns.append(Column(_short(name), cells, right=True, rank=(4 if found.named else 70) + rank))
    for title, counts in (
        ("failed", found.failures),
        ("cut", [max(each.cut.values(), default=0) for each in found.health]),
    ):
        if any(counts):
            columns.append(Column(title, [f"{counts[place]}" for place in rows], right=True, rank=3))
    columns += _costs(found, rows)
    return columns


def _costs(found: Comparison, rows: Sequence[int]) -> list[Column]:
    """Seconds, and what tells the runs apart by cost."""
    made = []
    if any(found.costs[place] for place in rows):
        cells = [seconds(found.costs[place].get("seconds_median")) for place in rows]
        made.append(Column("sec", cells, right=True, rank=8))
    for name, title in (("model-tokens", "tokens"), ("money", "money")):
        if any(cost.get(name) for cost in found.costs):
            values = [found.costs[place].get(name) for place in rows]
            cells = ["–" if value is None else cost_told(name, value) for value in values]
            made.append(Column(title, cells, right=True, rank=7 if name == "money" else 9))
    price = found.leading.price if found.leading else None
    if price is not None and price.measure.startswith("tokens@"):
        cells = ["–" if (value := price.values[place]) is None else f"{value:,.0f}" for place in rows]
        made.append(Column("read", cells, right=True, rank=9))
    return made


def _mark(found: Comparison, place: int) -> Text:
    """The number of a run; ≈ for one of the group that may be the best, which itself has a *."""
    lead = found.leading
    mark = "*" if lead and place == lead.best else "≈" if lead and place in lead.group else " "
    return Text(f"{mark}{found.runs[place].id}", style="bold" if mark == "*" else "")


def _mean(found: Comparison, place: int, name: str) -> str:
    each = found.means[place].get(name)
    return "–" if each is None else number(each.mean)


def _from_base(found: Comparison, place: int) -> Text:
    if place == found.twins[found.baseline]:
        return Text("baseline", style="dim")
    each = found.by_place.get(place)
    if each is None:
        return Text("–")
    better = (each.difference.mean > 0) != found.less
    sign = ("▲" if better else "▼") if each.real else "=" if each.difference.same else " "
    return Text(f"{each.difference.mean:+.2f} {sign}", style=("green" if better else "red") if each.real else "")


def _short(name: str) -> str:
    head, at, k = name.partition("@")
    return SHORT.get(head, head) + at + k


def show_measures(found: Comparison, places: Sequence[int], screen: Screen) -> None:
    """Prints all other measures of these runs with their intervals."""
    names = [name for name in found.measures if name != found.measure]
    if not names:
        return
    screen.title("the other measures, with 95 % intervals")
    columns = [Column("run", [_mark(found, place) for place in places], right=True)]
    for rank, name in enumerate(names):
        cells = [
            "–" if (each := found.means[place].get(name)) is None
            else f"{number(each.mean)} [{number(each.low)} {number(each.high)}]"
            for place in places
        ]  # fmt: skip
        columns.append(Column(_short(name), cells, rank=1 + rank))
    while len(columns) > 1:  # too narrow for all side by side: more lines carry on
        kept, _ = fitted(columns, screen.out.width)
        kept = kept if len(kept) > 1 else columns[:2]
        for line in lines(kept, screen.out.width):
            screen.text(line)
        columns = [columns[0], *(column for column in columns[1:] if column not in kept)]
        if len(columns) > 1:
            screen.say()
