"""The tables of the page: each cell with its text and the value that it is sorted by."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from ..core.comparing.account import losses
from ..core.comparing.sides import less_is_better
from ..core.measures.loss import STAGES
from ..results.best import Leading
from ..results.comparing import verdict
from ..results.comparison import Comparison
from .figures import cost_told, number, p_told, seconds
from .run_names import base_name, by_weight, settings_shown, settings_told, short_names, value_of

_SETTINGS = 6  # settings that have a column of their own; all stand further down
_NAME = 28  # characters of a name up to which it says it all
_LONGEST = 90


@dataclass(frozen=True)
class PageCell:
    """A cell of a table: its text, the value that it is sorted by, and a class."""

    text: str
    value: Any = None
    kind: str = ""


def option_of(found: Comparison, place: int) -> str:
    """A run in a list to choose from: its number, and what it is called."""
    return f"{found.runs[place].id}: {called(found, place)}"


def called(found: Comparison, place: int) -> str:
    """A run's name; of a sweep whose names are long its settings that vary."""
    name = found.runs[place].name
    if len(name) > _NAME and base_name(found, place) != name and (told := settings_told(found, place, _SETTINGS)):
        name = told
    return name if len(name) <= _LONGEST else name[: _LONGEST - 1] + "…"


def runs_table(found: Comparison) -> dict[str, Any]:
    """The table of runs: columns, and a row a run with its settings, measures, differences and costs."""
    lead = found.leading
    settings = [name for name in by_weight(found) if name in settings_shown(found)]
    settings += [name for name in settings_shown(found) if name not in settings]
    settings = settings[:_SETTINGS]
    short = short_names(found)
    others = [name for name in found.measures if name != found.measure]
    labels = any(run.label for run in found.runs)
    price = lead.price if lead else None
    costs = [
        name for name in ("seconds_median", "seconds_95", "calls", "model-tokens", "money")
        if any(cost.get(name) for cost in found.costs)
    ]  # fmt: skip
    read = price is not None and price.measure.startswith("tokens@")
    columns = ["run", "configuration", *(["label"] if labels else []), found.measure, "95 % interval"]
    if found.contrasts:
        columns += ["from baseline", "its interval", "p"]
    if lead and len(lead.chance) > 1:
        columns.append("best in")
    columns += [
        *others,
        *({"seconds_median": "seconds", "seconds_95": "seconds, 95th"}.get(name, name) for name in costs),
    ]
    columns += [*(["tokens to read"] if read else []), *(short[name] for name in settings)]
    ends = [end for row in found.means if (each := row.get(found.measure)) for end in (each.low, each.high)]
    low, high = (min(ends), max(ends)) if ends else (0.0, 1.0)
    order = [*found.order, *(n for n in range(len(found.runs)) if found.twins[n] != n)]
    rows = []
    for place in order:
        run, twin = found.runs[place], found.twins[place]
        mean = found.means[place].get(found.measure)
        cells = [PageCell(f"{_mark(lead, twin)}{run.id}", run.id), PageCell(_named(found, place), run.name, "name")]
        cells += [PageCell(run.label, run.label)] if labels else []
        if mean is None:
            cells += [PageCell("–", None, "figure"), PageCell("–", None)]
        else:
            cells.append(PageCell(number(mean.mean), mean.mean, "figure main"))
            drawn = _bar(mean.low, mean.mean, mean.high, low, high)
            cells.append(PageCell(f"{number(mean.low)} to {number(mean.high)}", mean.low, f"bar {drawn}"))
        if found.contrasts:
            cells += _from_base(found, twin)
        if lead and len(lead.chance) > 1:
            chance = lead.chance.get(twin)
            cells.append(PageCell("–" if chance is None else f"{chance:.0%}", chance, "figure"))
        for name in others:
            each = found.means[place].get(name)
            cells.append(PageCell("–" if each is None else number(each.mean), each and each.mean, "figure"))
        for name in costs:
            cells.append(_cost(name, found.costs[place].get(name)))
        if read and price is not None:
            cells.append(_cost("tokens", price.values[place]))
        cells += [_setting(value_of(found, place, name)) for name in settings]
        rows.append(
            {
                "place": place,
                "cells": cells,
                "best": bool(lead and twin == lead.best),
                "base": place == found.baseline,
            }
        )
    return {"columns": columns, "rows": rows}


def _setting(value: str) -> PageCell:
    """The value of a setting, figures sorted as such."""
    return PageCell(value, _sortable(value))


def _cost(name: str, value: float | None) -> PageCell:
    """What a question costs by one measure."""
    if value is None:
        return PageCell("–", None, "figure")
    told = seconds(value) if "seconds" in name else f"{value:.1f}" if name == "calls" else cost_told(name, value)
    return PageCell(told, value, "figure")


def _mark(lead: Leading | None, place: int) -> str:
    if lead is None:
        return ""
    return "* " if place == lead.best else "≈ " if place in lead.group else ""


def _named(found: Comparison, place: int) -> str:
    twin = found.twins[place]
    same = f" (same results as {found.runs[twin].id})" if twin != place else ""
    return f"{called(found, place)}{same}"


def _from_base(found: Comparison, twin: int) -> list[PageCell]:
    if twin == found.twins[found.baseline]:
        return [PageCell("baseline", 0.0, "figure"), PageCell("", None), PageCell("", None)]
    each = found.by_place.get(twin)
    if each is None:
        return [PageCell("–", None, "figure"), PageCell("–", None), PageCell("–", None)]
    gap = each.difference
    better = (gap.mean > 0) != found.less
    told = ("▲ better" if better else "▼ worse") if each.real else "same" if gap.same else ""
    kind = ("better" if better else "worse") if each.real else ""
    return [
        PageCell(f"{gap.mean:+.2f} {told}".strip(), gap.mean, f"figure {kind}".strip()),
        PageCell(f"{gap.low:+.2f} to {gap.high:+.2f}", gap.low, "figure"), PageCell(p_told(each.p), each.p, "figure"),
    ]  # fmt: skip


def legend(found: Comparison) -> list[str]:
    told = ["* the best; ≈ may be the best too, with 95 %"]
    if found.contrasts:
        told.append("▲▼: the difference from the baseline is real (p below 0.05 after correction for all of them)")
    if less := [name for name in dict.fromkeys((found.measure, *found.measures)) if less_is_better(name, found.own)]:
        told.append(f"less is better: {', '.join(less)}")
    if found.leading and len(found.leading.chance) > 1:
        told.append("best in: the share of 10,000 resamples of the questions in which the run is the best")
    return told


def contributions_table(found: Comparison) -> list[list[PageCell]]:
    rows = sorted(found.contributions, key=lambda each: -abs(each.difference.mean))
    return [
        [
            PageCell(each.setting, each.setting), _setting(each.value), _setting(each.instead_of),
            *_difference(found, each.difference, each.p, each.real), PageCell(f"{each.pairs}", each.pairs, "figure"),
        ]
        for each in rows
    ]  # fmt: skip


def _difference(found: Comparison, gap: Any, p: float, real: bool) -> list[PageCell]:
    better = (gap.mean > 0) != found.less
    kind = ("better" if better else "worse") if real else ""
    return [
        PageCell(f"{gap.mean:+.2f}", gap.mean, f"figure {kind}".strip()),
        PageCell(f"{gap.low:+.2f} to {gap.high:+.2f}", gap.low, "figure"),
        PageCell(verdict(gap, p, found.less), None), PageCell(p_told(p), p, "figure"),
    ]  # fmt: skip


def interactions_told(found: Comparison) -> list[str]:
    short = short_names(found)
    real = sorted((each for each in found.interactions if each.real), key=lambda each: -abs(each.difference.mean))
    return [
        f"{short.get(each.setting, each.setting)} {each.value} instead of {each.instead_of} brings {each.here:+.2f} with "
        f"{short.get(each.other, each.other)} {each.other_value}, {each.there:+.2f} with {each.other_instead_of} "
        f"(p {p_told(each.p)})"
        for each in real
    ]


def groups_table(found: Comparison) -> dict[str, Any]:
    best, other = found.runs[found.best].id, found.runs[found.against].id
    rows = [
        [
            PageCell(each.facet, each.facet), PageCell(each.label, each.label, "name"), PageCell(str(each.n), each.n, "figure"),
            PageCell(number(each.ours), each.ours, "figure"), PageCell(number(each.theirs), each.theirs, "figure"),
            *_difference(found, each.difference, each.p, each.real),
        ]
        for each in found.groups
    ]  # fmt: skip
    return {
        "columns": ["by", "group", "questions", f"run {best}", f"run {other}", "difference", "95 % interval", "", "p"],
        "rows": rows, "best": best, "other": other,
    }  # fmt: skip


def beaten_told(found: Comparison) -> list[str]:
    return [
        f"{each.facet} {each.label} ({each.n} questions): run {found.runs[each.place].id} is better than the best by "
        f"{abs(each.difference.mean):.2f} (p {p_told(each.p)})"
        for each in found.beaten
    ]


def losses_table(found: Comparison) -> dict[str, Any]:
    counts = [losses(side) for side in found.sides]
    stages = [stage for stage in STAGES if any(count[stage] for count in counts)]
    rows = [
        [
            PageCell(str(found.runs[place].id), found.runs[place].id), PageCell(called(found, place), None, "name"),
            *(PageCell(str(counts[place][stage] or "·"), counts[place][stage], "figure") for stage in stages),
        ]
        for place in found.order
    ]  # fmt: skip
    return {
        "columns": ["run", "configuration", *stages],
        "rows": rows if stages else [],
        "told": [(s, STAGES[s]) for s in stages],
    }


def corrected_table(found: Comparison) -> list[list[PageCell]]:
    rows = []
    for place, fixed in found.corrected.items():
        for measure, each in fixed.means.items():
            rows.append(
                [
                    PageCell(str(found.runs[place].id), found.runs[place].id), PageCell(measure, measure),
                    PageCell(number(each.judged), each.judged, "figure"), PageCell(number(each.mean), each.mean, "figure"),
                    PageCell(f"{number(each.low)} to {number(each.high)}", each.low, "figure"),
                    PageCell(f"{each.labels} of {each.n}", each.labels, "figure"),
                ]
            )  # fmt: skip
    return rows


def settings_table(found: Comparison) -> dict[str, Any]:
    """The settings that all runs have in common, and for each run those that vary."""
    sides = found.sides
    names = list(dict.fromkeys(name for side in sides for name in side.settings))
    shown = settings_shown(found)
    common = [
        (name, str(sides[0].settings.get(name))) for name in names
        if name not in shown and sides[0].settings.get(name) is not None
    ]  # fmt: skip
    rows = [
        [
            PageCell(str(run.id), run.id),
            *(_setting(_plainly(side.settings.get(name))) for name in shown),
        ]
        for run, side in zip(found.runs, sides)
    ]
    return {"common": common, "columns": ["run", *shown], "rows": rows if shown else []}


def _sortable(value: str) -> Any:
    try:
        return float(value)
    except ValueError:
        return value


def _plainly(value: Any) -> str:
    return "–" if value is None else str(value)


def _bar(low: float, mean: float, high: float, least: float, most: float) -> str:
    """Where an interval and its mean stand in a bar, in hundredths of its width."""
    span = (most - least) or 1.0
    return " ".join(f"{100 * (value - least) / span:.1f}" for value in (low, mean, high))
