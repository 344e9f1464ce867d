"""The comparison of runs as it is shown by `compare` and at the end of the demo."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from rich.text import Text

from ...api.records import DROPPED, STAGES, less_is_better, losses, losses_by_step, worst_question
from ...report.decision import decision, population_told
from ...report.figures import cost_told, number
from ..screen import Screen
from .notes import show_corrected, show_costs, show_differences, show_notes, show_warnings
from .run_table import show_measures, show_runs
from .what_mattered import show_contributions, show_interactions
from .where_differs import show_flips, show_turned

if TYPE_CHECKING:
    from ...api.records import Comparison


_FEW = 10  # runs whose differences and costs are told one by one
_SIDE_BY_SIDE = 8  # runs whose lost needs stand side by side
_FRONT = 3  # runs of a front that are told


def show(found: Comparison, screen: Screen, every: bool = False) -> None:
    """Prints a comparison, the decision first; with `every`, all runs and all differences."""
    sets = ", ".join(sorted({run.testset for run in found.runs}))
    screen.title(f"{len(found.runs)} {_runs(found)} on {found.shared} questions of {sets}, by {found.measure}")
    show_warnings(found, screen)
    _decision(found, screen)
    screen.say()
    few = len(found.order) <= _FEW
    places = found.order if every else found.shown_first
    show_runs(found, places, screen)
    _legend(found, places, screen)
    _fronts(found, screen)
    show_notes(found, screen)
    show_corrected(found, screen)
    if every:
        show_measures(found, places, screen)
    if few or every:
        show_costs(found, places, screen)
        if found.contrasts:
            show_differences(found.contrasts, found, screen, f"against the baseline {found.runs[found.baseline].name}")
    if found.pairs:
        show_differences(found.pairs, found, screen, "of all pairs of runs")
    show_contributions(found, screen, every)
    show_interactions(found, screen, every)
    show_turned(found, screen)
    _losses(found, screen)
    if len(found.order) > 1:
        show_flips(found, screen)
    worst = worst_question(found.sides[found.best], found.measure)
    if worst:
        run = found.runs[found.best]
        screen.say(f"next: aventrik explain {run.id} {found.ids[worst]}    (the worst question of the best run)")


def _runs(found: Comparison) -> str:
    return "configuration" if len(found.runs) == 1 else "configurations"


def _decision(found: Comparison, screen: Screen) -> None:
    """What a reader wants first."""
    for place, (label, told_) in enumerate(decision(found)):
        line = Text(f"{label:<7}" if label else "", style="bold")
        head, colon, rest = told_.partition(": ") if label and not place else ("", "", told_)
        screen.text(line.append(head, style="bold").append(colon + rest, style="not bold"))


def _legend(found: Comparison, places: Sequence[int], screen: Screen) -> None:
    """What the marks mean, and what is not shown."""
    parts = ["* best, ≈ may be the best", "├●┤ 95 %"]
    if found.contrasts:
        parts += ["┊ baseline", "▲▼ real"]
    less = [m for m in (found.measure, *found.measures) if less_is_better(m, found.own)]
    if less:
        parts.append(f"less is better: {', '.join(dict.fromkeys(less))}")
    parts.append(population_told(found))
    if hidden := len(found.order) - len(places):
        parts.append(f"{hidden} more: --all")
    if len(found.order) > 1:
        screen.say("; ".join(parts), style="dim")
    if folded := len(found.runs) - len(found.order):
        screen.say(f"{folded} more came to the same by the same results {_twins(found)}", style="dim")


def _twins(found: Comparison) -> str:
    some = [(found.runs[place].id, [found.runs[n].id for n in found.folded(place)]) for place in found.order]
    listed = [f"{', '.join(map(str, others))} as {one}" for one, others in some if others]
    return f"({'; '.join(listed[:2])}{'; …' if len(listed) > 2 else ''})"


def _fronts(found: Comparison, screen: Screen) -> None:
    """What can't be had better without paying more, where there is a choice."""
    lead = found.leading
    if lead is None:
        return
    for name, places in lead.fronts.items():
        values = {place: cost for place in places if (cost := found.cost(name, place)) is not None}
        if len(values) < 2:
            continue
        some = places if len(places) <= _FRONT else [*places[: _FRONT - 1], places[-1]]
        steps = [f"run {found.runs[n].id} {number(_of(found, n))} for {cost_told(name, values[n])}" for n in some]
        more = f" ({len(places) - len(some)} between)" if len(some) < len(places) else ""
        what = {"money": "money", "model-tokens": "tokens", "seconds": "seconds"}.get(name, "tokens to read")
        screen.say(f"front, {what}: {' → '.join(steps)}{more}", style="dim")


def _of(found: Comparison, place: int) -> float:
    return found.means[place][found.measure].mean


def _losses(found: Comparison, screen: Screen) -> None:
    """Where needs were lost: of all runs where they are few, else of those that matter."""
    places = found.order
    if len(places) > _SIDE_BY_SIDE:
        cheapest = found.leading.cheapest if found.leading else None
        wanted = [found.best, found.against, cheapest]
        places = list(dict.fromkeys(place for place in wanted if place is not None))
    counts = [losses(found.sides[place]) for place in places]
    if not any(sum(count.values()) for count in counts):
        return
    stages = [stage for stage in STAGES if any(count[stage] for count in counts)]
    screen.title("where each needed fact was lost (number of needs a run, by the number of the run)")
    numbers = [str(found.runs[place].id) for place in places]
    numbers[0] = f"run {numbers[0]}"
    steps = [losses_by_step(found.sides[place]) for place in places]
    rows: list[list[str]] = []
    for stage in stages:
        rows.append([stage, *(str(count[stage] or "·") for count in counts)])
        if stage == DROPPED:
            names = sorted(
                {name for each in steps for name in each}, key=lambda name: (int(name.split()[1].rstrip(",")), name)
            )
            rows.extend([f"  by {name}", *(str(each.get(name, "·")) for each in steps)] for name in names)
    screen.table(
        ["stage", *numbers],
        rows,
        right=range(1, len(places) + 1),
    )
