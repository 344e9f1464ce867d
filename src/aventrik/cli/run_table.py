"""The runs of a comparison as a table: a line a run, a column for each setting that varies."""

from __future__ import annotations

from collections.abc import Sequence

from rich.text import Text

from ..core.comparing.contributions import said
from ..core.comparing.leading import ALPHA
from ..engine.comparing import Compared
from ..workspace.configuration import Configuration
from .bars import axis, bar
from .columns import Column, fitted, lines
from .screen import Screen, number, shortened

_NAME = 24  # characters of a name at the most
_VALUE = 12  # and of a setting's value
_LEAST_BAR, _MOST_BAR = 14, 30
SHORT = {"reciprocal-rank": "rr", "groundedness": "grounded", "hallucinated": "halluc.", "correctness": "correct"}


def show_runs(found: Compared, places: Sequence[int], screen: Screen) -> None:
    """Prints the rows of these runs, and what was left out for want of room."""
    width = screen.out.width
    along = axis(
        [end for place in places if (each := found.means[place].get(found.measure)) for end in (each.low, each.high)]
        or [0.0, 1.0],
        _LEAST_BAR,
        found.scored.kind in ("share", "score"),
    )
    fixed = _columns(found, places)
    drawn = next(column for column in fixed if column.title == "")
    rest = [column for column in fixed if column is not drawn]
    kept, out = fitted([*rest, Column("-" * _LEAST_BAR, [])], width)
    room = width - sum(column.width + 2 for column in kept[:-1])
    along = axis([along.low, along.high], max(_LEAST_BAR, min(_MOST_BAR, room)))
    mark = found.means[found.baseline].get(found.measure)
    bars: list[str | Text] = []
    for place in places:
        each = found.means[place].get(found.measure)
        bars.append("" if each is None else bar(along, each.low, each.mean, each.high, mark.mean if mark else None))
    shown = [column for column in fixed if column in kept or column is drawn]
    shown = [Column(along.title, bars) if column is drawn else column for column in shown]
    for line in lines(shown, width):
        screen.text(line)
    if out:
        left = [column.title for column in out]
        screen.say(f"left out for want of room: {', '.join(sorted(left, key=left.index))}", style="dim")


def _columns(found: Compared, places: Sequence[int]) -> list[Column]:
    """All columns there may be, in order; the one without a title is to be drawn."""
    rows = list(places)
    columns = [Column("run", [_mark(found, place) for place in rows], right=True)]
    bases = {base_name(found, place) for place in range(len(found.runs))}
    if len(bases) > 1:
        columns.append(Column("configuration", [shortened(base_name(found, place), _NAME) for place in rows]))
    ranks = {name: rank for rank, name in enumerate(by_weight(found))}
    short = short_names(found)
    for name in settings_shown(found):
        cells = [shortened(_value(found, place, name), _VALUE) for place in rows]
        columns.append(Column(short[name], cells, rank=20 + ranks.get(name, 99)))
    labels = [found.runs[place].label for place in rows]
    if any(labels):
        columns.append(Column("label", [shortened(label, _VALUE) for label in labels], rank=30))
    columns.append(Column(found.measure, [_mean(found, place, found.measure) for place in rows], right=True))
    columns.append(Column("", [""] * len(rows)))
    if found.contrasts:
        columns.append(Column("from base", [_from_base(found, place) for place in rows], right=True, rank=5))
    if found.leading and len(found.leading.chance) > 1:
        chance = [found.leading.chance.get(place) for place in rows]
        told = ["–" if each is None else f"{each:.0%}" for each in chance]
        columns.append(Column("P(best)", told, right=True, rank=10))
    for rank, name in enumerate(name for name in found.measures if name != found.measure):
        cells = [_mean(found, place, name) for place in rows]
        columns.append(Column(_short(name), cells, right=True, rank=70 + rank))
    columns += _costs(found, rows)
    return columns


def _costs(found: Compared, rows: Sequence[int]) -> list[Column]:
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


def cost_told(name: str, value: float) -> str:
    """A cost a question."""
    return f"{value:.5f}" if name == "money" else f"{value:,.0f}" if "tokens" in name else f"{seconds(value)} s"


def seconds(value: float | None) -> str:
    """Seconds with as many decimals as they need."""
    return "–" if value is None else f"{value:.2f}" if value >= 0.1 else f"{value:.3f}"


def _mark(found: Compared, place: int) -> Text:
    """The number of a run; ≈ for one of the group that can't be told from the best, which itself has a *."""
    lead = found.leading
    mark = "*" if lead and place == lead.best else "≈" if lead and lead.p.get(place, 0.0) >= ALPHA else " "
    return Text(f"{mark}{found.runs[place].id}", style="bold" if mark == "*" else "")


def _mean(found: Compared, place: int, name: str) -> str:
    each = found.means[place].get(name)
    return "–" if each is None else number(each.mean)


def _from_base(found: Compared, place: int) -> Text:
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


def base_name(found: Compared, place: int) -> str:
    """The name of a run, or of the sweep that it is one of."""
    name = found.runs[place].name
    return name.partition("/")[0] if "/" in name and not found.runs[place].made.get("outside") else name


def settings_shown(found: Compared) -> list[str]:
    """The settings that vary, in the order of the stages."""
    order = {name: place for place, name in enumerate(Configuration(name="x").settings())}
    values: dict[str, set[str]] = {}
    for side in found.sides:
        for name, value in side.settings.items():
            if value is not None:
                values.setdefault(name, set()).add(said(value))
    varying = [name for name, several in values.items() if len(several) > 1]
    return sorted(varying, key=lambda name: (order.get(name, len(order)), name))


def by_weight(found: Compared) -> list[str]:
    """The settings that vary, by how much they contributed at the most."""
    most: dict[str, float] = {}
    for each in found.contributions:
        most[each.setting] = max(most.get(each.setting, 0.0), abs(each.difference.mean))
    return sorted(most, key=lambda name: -most[name])


def short_names(found: Compared) -> dict[str, str]:
    """For each setting that varies the last part of its name, where that is the only such one."""
    names = settings_shown(found)
    last = [name.rpartition(".")[2] for name in names]
    return {name: short if last.count(short) == 1 else name for name, short in zip(names, last)}


def _value(found: Compared, place: int, name: str) -> str:
    """The value of a setting; where runs with other values came to the same, all of these."""
    places = [place, *found.folded(place)]
    values = list(dict.fromkeys(said(found.sides[each].settings.get(name)) for each in places))
    if len(values) == 1:
        return values[0]
    every = {said(side.settings[name]) for side in found.sides if side.settings.get(name) is not None}
    return "any" if every <= set(values) else "/".join(values)


def told(found: Compared, place: int) -> str:
    """A run in a sentence: its number, and its settings that vary, the weightiest first."""
    run = found.runs[place]
    base = base_name(found, place)
    if base == run.name:
        return f"run {run.id} ({shortened(run.name, 40)})"
    short = short_names(found)
    order = by_weight(found)
    names = sorted(short, key=lambda name: order.index(name) if name in order else len(order))
    values = [(name, _value(found, place, name)) for name in names]
    parts = [_said_of(short[name], shortened(value, _VALUE)) for name, value in values if value != "–"][:4]
    return f"run {run.id} ({', '.join(parts)})" if parts else f"run {run.id}"


def _said_of(name: str, value: str) -> str:
    """A setting in a sentence: a word speaks for itself, a figure or a yes or no does not."""
    word = value.replace("-", "").replace("+", "").isalpha() and value not in ("True", "False", "any", "none")
    return value if word else f"{name} {value}"
