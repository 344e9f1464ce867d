"""A comparison as a figure: intervals, quality against cost, two settings crossed, where needs were lost, how a measure is
spread, and how it went over time."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from ..core.comparing.account import losses
from ..core.comparing.crossing import Crossed
from ..core.comparing.spread import spreads
from ..core.errors import BadInput
from ..core.measures.loss import KEPT, STAGES
from ..results.comparison import Comparison
from .pictures import DEEP, INK, MIDDLE, PALE, WARM, figure_svg, plain, write_figure
from .run_names import base_name, settings_told

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

_ROWS = 45  # runs that a panel of rows holds, legibly
_FEW_ROWS = 24  # beside other panels
_SETTINGS = 8  # that a label has, as far as there is room
_NUMBERED = 25  # points that are numbered
_HATCHES = ("", "///", "...", "xxx", "\\\\\\", "ooo", "++", "---", "**", "||")


def write_comparison(path: Path, found: Comparison, panel: str = "overview", crossed: Crossed | None = None) -> None:
    """The figure as PNG or SVG, by the file's name. Raises `BadInput` for a panel that has nothing to show, and for a file
    of another kind."""

    def draw(figure: Figure) -> None:
        if panel == "overview":
            _overview(figure, found, crossed)
        else:
            _single(figure, found, panel, crossed)

    write_figure(path, draw)


def panel_svg(found: Comparison, panel: str, crossed: Crossed | None = None) -> str:
    """One panel by itself as SVG, 9.6 inches wide and as high as its rows need. Raises `BadInput` where there is nothing to
    draw."""
    rows = (
        min(_ROWS, len(found.order))
        if panel in ("intervals", "lost")
        else len(crossed.rows)
        if crossed and panel == "settings"
        else 0
    )
    height = min(8.4, max(3.2, 1.9 + 0.24 * rows)) if rows else 4.6

    def draw(figure: Figure) -> None:
        longest = max((len(_label(found, place, 44)) for place in _first(found, _ROWS)), default=0)
        left = {"cost": 0.8, "time": 0.8, "settings": 1.6}.get(panel, min(3.9, 0.3 + 0.085 * longest)) / 9.6
        top = 0.62 / height
        bottom = {"lost": 1.15, "cost": 0.6}.get(panel, 0.4) / height
        axes = figure.add_axes((left, bottom, 0.97 - left, 1 - top - bottom))
        _panels(found, crossed)[panel](axes)

    return figure_svg(draw, 9.6, height)


def _panels(found: Comparison, crossed: Crossed | None) -> dict[str, Callable[[Axes], None]]:
    return {
        "intervals": lambda axes: _intervals(axes, found, _ROWS, 44),
        "cost": lambda axes: _cost(axes, found),
        "settings": lambda axes: _settings(axes, crossed, found),
        "lost": lambda axes: _lost(axes, found, _first(found, _ROWS), 44),
        "spread": lambda axes: _spread(axes, found),
        "time": lambda axes: _time(axes, found),
    }


def _title(found: Comparison) -> str:
    sets = ", ".join(sorted({run.testset for run in found.runs}))
    count = len(found.runs)
    runs = f"{count} configuration{'s' if count > 1 else ''}"
    return plain(f"{runs} on {found.shared} questions of {sets}, by {found.measure}", 110)


def _overview(figure: Figure, found: Comparison, crossed: Crossed | None) -> None:
    right: list[Callable[[Axes], None]] = []
    if found.leading and found.leading.fronts:
        right.append(lambda axes: _cost(axes, found))
    if any(sum(losses(found.sides[place]).values()) for place in _side_by_side(found)):
        right.append(lambda axes: _lost(axes, found, _side_by_side(found)))
    if not right:
        right.append(lambda axes: _spread(axes, found))
    grid = figure.add_gridspec(
        len(right), 2, width_ratios=(1.0, 1.0), left=0.2, right=0.98, top=0.86, bottom=0.13, wspace=0.36, hspace=0.5
    )
    _intervals(figure.add_subplot(grid[:, 0]), found, _FEW_ROWS, 27)
    for row, draw in enumerate(right):
        draw(figure.add_subplot(grid[row, 1]))
    figure.text(0.015, 0.965, _title(found), fontsize=14, weight="bold", color=INK, va="center")


def _single(figure: Figure, found: Comparison, panel: str, crossed: Crossed | None) -> None:
    left = 0.075 if panel in ("cost", "time") else 0.16 if panel == "settings" else 0.3
    axes = figure.add_axes((left, 0.12, 0.97 - left, 0.76))
    _panels(found, crossed)[panel](axes)
    figure.text(0.015, 0.965, _title(found), fontsize=14, weight="bold", color=INK, va="center")


def _first(found: Comparison, most: int) -> list[int]:
    """The best runs, and the baseline, in their order."""
    have = [place for place in found.order if found.measure in found.means[place]]
    base = found.twins[found.baseline]
    chosen = have[:most]
    if base in have and base not in chosen:
        chosen = [*chosen[: most - 1], base]
    return chosen


def _label(found: Comparison, place: int, width: int) -> str:
    run = found.runs[place]
    lead = "baseline: " if place == found.twins[found.baseline] else ""
    name = lead + run.name
    if base_name(found, place) != run.name:
        told_ = [lead + settings_told(found, place, most) for most in range(_SETTINGS, 0, -1)]
        name = next((each for each in told_ if len(each) <= width), told_[-1])
    return f"{plain(name, width)}  {run.id}"


def _frame(axes: Axes, title: str, note: str = "") -> None:
    """What all panels look like: no box, a title flush left, a line of explanation under it."""
    for side in ("top", "right", "left", "bottom"):
        axes.spines[side].set_visible(side == "bottom")
        axes.spines[side].set_color(PALE)
    axes.set_title(plain(title, 90), loc="left", fontsize=11, weight="bold", color=INK, pad=22 if note else 8)
    if note:
        axes.text(0, 1.012, plain(note, 120), transform=axes.transAxes, fontsize=8.5, color=MIDDLE, va="bottom")
    axes.tick_params(colors=INK, labelsize=9, length=0)
    axes.grid(visible=True, axis="x", color="#eeeeee")
    axes.set_axisbelow(True)


def _rows(axes: Axes, labels: Sequence[str]) -> None:
    axes.set_yticks(range(len(labels)), labels)
    axes.set_ylim(max(len(labels), 4) - 0.4, -0.6)
    axes.tick_params(axis="y", labelsize=9 if len(labels) <= 26 else 7)


def _intervals(axes: Axes, found: Comparison, most: int, width: int) -> None:
    """A row a run: mean and interval; filled where the run may be the best."""
    places = _first(found, most)
    if not places:
        raise BadInput(f"there is nothing to draw: no run has {found.measure}")
    lead = found.leading
    for row, place in enumerate(places):
        each = found.means[place][found.measure]
        among = lead is None or place in lead.group
        base = place == found.twins[found.baseline]
        colour = WARM if base else DEEP if among else MIDDLE
        axes.plot(
            [each.low, each.high], [row, row], color=colour, linewidth=2.2 if among else 1.3, solid_capstyle="butt"
        )
        axes.plot(
            each.mean, row, marker="D" if base else "o", markersize=7 if base else 6, color=colour,
            markerfacecolor=colour if among else "white", markeredgewidth=1.4,
        )  # fmt: skip
    _rows(axes, [_label(found, place, width) for place in places])
    note = "95 % intervals; filled: may be the best; diamond: the baseline" if len(places) > 1 else "95 % interval"
    hidden = len(found.order) - len(places)
    more = f"; the best {len(places)} of {len(found.order)} that differ" if hidden else ""
    _frame(axes, f"{found.measure}{' (less is better)' if found.less else ''}{more}", note)


_COSTS = {
    "money": "money a question", "model-tokens": "tokens of models a question", "seconds": "seconds a question (median)",
}  # fmt: skip


def _cost(axes: Axes, found: Comparison) -> None:
    """Quality against cost, with the front of what can't be had better for less."""
    from matplotlib.ticker import LogLocator, NullLocator

    lead = found.leading
    if lead is None or not lead.fronts:
        raise BadInput("there is nothing to draw: these runs have no cost (a brought run tells none)")
    name = next(iter(lead.fronts))
    places = [place for place in found.order if found.measure in found.means[place]]
    values = {place: cost for place in places if (cost := found.cost(name, place)) is not None}
    group = set(lead.group)
    base = found.twins[found.baseline]
    for place, cost in values.items():
        mean = found.means[place][found.measure].mean
        among = place in group
        colour = WARM if place == base else DEEP if among else MIDDLE
        axes.plot(
            cost, mean, marker="D" if place == base else "o", markersize=7 if among or place == base else 5, color=colour,
            markerfacecolor=colour if among else "white", linestyle="none",
        )  # fmt: skip
    path = [place for place in lead.fronts[name] if place in values]
    axes.plot(
        [values[place] for place in path], [found.means[place][found.measure].mean for place in path], color=INK,
        linewidth=1, linestyle="--", drawstyle="steps-post",
    )  # fmt: skip
    numbered = path if len(path) <= _NUMBERED else [*path[:: max(1, len(path) // _NUMBERED)], path[-1]]
    wanted = list(dict.fromkeys([lead.best, *([lead.cheapest] if lead.cheapest is not None else []), base, *numbered]))
    _numbers(
        axes, [(values[p], found.means[p][found.measure].mean, str(found.runs[p].id)) for p in wanted if p in values]
    )
    costs = list(values.values())
    if min(costs) > 0 and max(costs) / min(costs) > 15:
        axes.set_xscale("log")
        axes.xaxis.set_major_locator(LogLocator(subs=(1.0, 2.0, 5.0)))
        axes.xaxis.set_major_formatter(_plainly)
        axes.xaxis.set_minor_locator(NullLocator())
    what = _COSTS.get(name, "tokens to read a question")
    axes.margins(x=0.06, y=0.12)
    _frame(axes, f"{found.measure} against {what}", "dashed: the front, nothing is better for less; numbers are runs")
    axes.set_xlabel(what, fontsize=9, color=INK)
    axes.grid(visible=True, axis="y", color="#eeeeee")
    if found.less:
        axes.invert_yaxis()


def _plainly(value: float, _: Any = None) -> str:
    return f"{value:,.0f}" if value >= 10 else f"{value:g}"


def _numbers(axes: Axes, points: Sequence[tuple[float, float, str]]) -> None:
    """Numbers beside points, those left out that would stand on others."""
    figure = axes.figure
    figure.canvas.draw()
    taken: list[tuple[float, float]] = []
    for x, y, told_ in points:
        at = axes.transData.transform((x, y))
        if any(abs(at[0] - other[0]) < 9 * len(told_) + 4 and abs(at[1] - other[1]) < 12 for other in taken):
            continue
        taken.append((float(at[0]), float(at[1])))
        axes.annotate(told_, (x, y), xytext=(5, 5), textcoords="offset points", fontsize=8.5, color=INK)


def _settings(axes: Axes, crossed: Crossed | None, found: Comparison) -> None:
    """Two settings crossed, darker where better, the figures in the cells."""
    if crossed is None:
        raise BadInput("there is nothing to draw: fewer than two settings vary; --by A,B names two")
    values = np.full((len(crossed.rows), len(crossed.columns)), np.nan)
    marks = {}
    for cell in crossed.cells:
        at = crossed.rows.index(cell.row), crossed.columns.index(cell.column)
        values[at] = cell.interval.mean
        marks[at] = "*" if cell.best else "≈" if cell.level else ""
    shown = -values if found.less else values
    low, high = float(np.nanmin(shown)), float(np.nanmax(shown))
    axes.imshow(
        shown, cmap="Blues", vmin=low - 0.25 * (high - low or 1), vmax=high + 0.35 * (high - low or 1), aspect="auto"
    )
    for (row, column), mark in marks.items():
        dark = (shown[row, column] - low) / ((high - low) or 1) > 0.75
        axes.text(
            column, row, f"{values[row, column]:.2f}{mark}", ha="center", va="center", color="white" if dark else INK,
            fontsize=11 if values.size <= 60 else 8, weight="bold" if mark == "*" else "normal",
        )  # fmt: skip
    small = max(values.shape) > 20
    axes.set_xticks(range(values.shape[1]), [plain(name, 18) for name in crossed.columns])
    axes.set_yticks(range(values.shape[0]), [plain(name, 30) for name in crossed.rows])
    _frame(
        axes, f"{found.measure}: {crossed.first} (rows) by {crossed.second} (columns)",
        "means over the runs with both values; * best, ≈ may be the best",
    )  # fmt: skip
    axes.grid(visible=False)
    axes.tick_params(labelsize=7 if small else 10)
    if values.shape[1] > 8:
        axes.tick_params(axis="x", rotation=60)


def _side_by_side(found: Comparison) -> list[int]:
    """The runs whose losses stand beside other panels: all of a few, else those that matter."""
    if len(found.order) <= 10:
        return list(found.order)
    cheapest = found.leading.cheapest if found.leading else None
    wanted = [found.best, cheapest, found.against, found.twins[found.baseline]]
    return list(dict.fromkeys(place for place in wanted if place is not None))


def _lost(axes: Axes, found: Comparison, places: Sequence[int], width: int = 20) -> None:
    """A bar a run: the share of the needs that were lost at each stage, from the documents to the answer."""
    counts = [losses(found.sides[place]) for place in places]
    totals = [sum(count.values()) for count in counts]
    if not any(totals):
        raise BadInput("there is nothing to draw: these runs tell nothing of where needs were lost")
    stages = [stage for stage in STAGES if any(count[stage] for count in counts)]
    shades = np.linspace(0.12, 0.92, len(stages)) if len(stages) > 1 else np.array([0.5])
    left = np.zeros(len(places))
    for number, (stage, shade) in enumerate(zip(stages, shades.tolist())):
        share = np.array([count[stage] / total if total else 0.0 for count, total in zip(counts, totals)])
        axes.barh(
            range(len(places)), share, left=left, color=str(shade), edgecolor="#999999" if shade < 0.5 else "#555555",
            hatch="" if stage in KEPT or not number else _HATCHES[number % len(_HATCHES)], linewidth=0.5, height=0.72, label=stage,
        )  # fmt: skip
        left += share
    _rows(axes, [_label(found, place, width) for place in places])
    axes.set_xlim(0, 1)
    axes.xaxis.set_major_formatter(lambda value, _: f"{value:.0%}")
    most = max(totals)
    _frame(axes, f"where needed facts were lost ({most:,} needs)", "")
    axes.legend(
        loc="upper left", bbox_to_anchor=(0, -0.05 if width > 20 else -0.13), ncols=4 if width > 20 else 2, fontsize=8.5,
        frameon=False, handlelength=1.6,
    )  # fmt: skip


def _spread(axes: Axes, found: Comparison) -> None:
    """A bar a run: the share of its questions in each tenth of the measure, dark where it is good."""
    places = _first(found, _ROWS)
    made = [
        (place, each) for place, each in zip(places, spreads([found.sides[n] for n in places], found.measure)) if each
    ]
    if not made:
        raise BadInput(f"there is nothing to draw: no run has {found.measure}")
    some = made[0][1]
    bins = len(some.counts)
    step = (some.high - some.low) / bins
    left = np.zeros(len(made))
    order = range(bins) if found.less else reversed(range(bins))
    for number, bin_ in enumerate(order):
        share = np.array([each.counts[bin_] / each.n for _, each in made])
        told_ = f"{some.low + bin_ * step:.3g} to {some.low + (bin_ + 1) * step:.3g}"
        axes.barh(
            range(len(made)), share, left=left, color=str(0.12 + 0.8 * number / (bins - 1)), edgecolor="white",
            linewidth=0.6, height=0.78, label=told_ if share.any() else None,
        )  # fmt: skip
        left += share
    _rows(axes, [_label(found, place, 44) for place, _ in made])
    axes.set_xlim(0, 1)
    axes.xaxis.set_major_formatter(lambda value, _: f"{value:.0%}")
    _frame(axes, f"how {found.measure} is spread: the share of the questions", "dark: good")
    axes.legend(loc="upper left", bbox_to_anchor=(0, -0.05), ncols=6, fontsize=8.5, frameon=False, handlelength=1.2)


def _time(axes: Axes, found: Comparison) -> None:
    """The mean of each run at the time when it was finished, with its interval."""
    from datetime import datetime

    from matplotlib import dates

    rows = sorted(
        (datetime.fromisoformat(found.runs[place].finished), place) for place in range(len(found.runs))
        if found.measure in found.means[place]
    )  # fmt: skip
    if len({when for when, _ in rows}) < 2:
        raise BadInput("there is nothing to draw: fewer than two of these runs were finished at different times")
    series: dict[str, list[tuple[datetime, int]]] = {}
    for when, place in rows:
        series.setdefault(found.runs[place].name, []).append((when, place))
    several = 1 < len(series) <= len(_LINES)
    lines = list(series.items()) if len(series) <= len(_LINES) else [("all runs", rows)]
    for number, (name, points) in enumerate(lines):
        style, marker, shade = _LINES[number % len(_LINES)]
        means = [found.means[place][found.measure] for _, place in points]
        times = [float(dates.date2num(when)) for when, _ in points]
        errors = [[each.mean - each.low for each in means], [each.high - each.mean for each in means]]
        axes.errorbar(
            times, [each.mean for each in means], yerr=errors, color=shade, linestyle=style if len(points) > 1 else "none",
            marker=marker, markersize=6, linewidth=1.4, elinewidth=1, capsize=3, label=plain(name, 40) if several else None,
        )  # fmt: skip
    ticks = dates.AutoDateLocator(minticks=3, maxticks=9)
    axes.xaxis.set_major_locator(ticks)
    axes.xaxis.set_major_formatter(dates.ConciseDateFormatter(ticks))
    label = {found.runs[place].label for _, place in rows}
    which = f", label {plain(label.pop(), 40)}" if len(label) == 1 and any(label) else ""
    _frame(
        axes,
        f"{found.measure} over time{which}",
        "means with 95 % intervals, at the time when each run was finished (UTC)",
    )
    axes.grid(visible=True, axis="y", color="#eeeeee")
    if several:
        axes.legend(loc="best", fontsize=9, frameon=False)


_LINES = (
    ("-", "o", DEEP), ("--", "s", WARM), (":", "^", INK), ("-.", "D", MIDDLE), ("-", "v", WARM), ("--", "P", DEEP),
    (":", "X", MIDDLE), ("-.", "*", INK),
)  # fmt: skip
