"""The comparison of runs as it is shown by `compare` and at the end of the demo."""

from __future__ import annotations

from collections.abc import Sequence

from rich.text import Text

from ..core.comparing.account import losses, worst_question
from ..core.comparing.sides import less_is_better
from ..core.measures.loss import STAGES
from ..engine.compared import Compared
from ..engine.comparing import verdict
from ..engine.leading import Leading
from ..report.run_names import told
from .comparison_notes import show_corrected, show_costs, show_differences, show_notes, show_warnings
from .run_table import cost_told, show_measures, show_runs
from .screen import Screen, number
from .what_mattered import show_contributions, show_interactions
from .where_differs import show_flips, show_turned

_FEW = 10  # runs whose differences and costs are told one by one
_SIDE_BY_SIDE = 8  # runs whose lost needs stand side by side
_APART = 0.005  # between two means that are not told as one
_FRONT = 3  # runs of a front that are told


def show(found: Compared, screen: Screen, every: bool = False) -> None:
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


def _runs(found: Compared) -> str:
    return "configuration" if len(found.runs) == 1 else "configurations"


def _decision(found: Compared, screen: Screen) -> None:
    """What a reader wants first: which is best, whether that is real, what it costs, how it stands to the baseline."""
    lead = found.leading
    if lead is None:
        if len(found.order) > 1:
            screen.say(f"which is best can't be said: no question has {found.measure} in all of these runs")
        return
    if len(lead.p) < 2:
        if len(found.runs) > 1:
            screen.say("all of these runs came to the same, by the same results" if len(found.order) == 1 else
                       f"only {told(found, lead.best)} has {found.measure}")  # fmt: skip
        return
    mean = found.means[lead.best][found.measure]
    won = Text("best   ", style="bold")
    won.append(told(found, lead.best), style="bold")
    won.append(f": {found.measure} {number(mean.mean)} [{number(mean.low)} {number(mean.high)}]", style="not bold")
    winner = lead.winner
    if len(lead.p) > 2:
        if abs(winner.mean - mean.mean) > _APART:
            won.append(
                f", {number(winner.mean)} on the {lead.n} questions for which all runs have it", style="not bold"
            )
        won.append(
            f"; expect {number(winner.corrected)} [{number(winner.low)} {number(winner.high)}], {number(winner.taken)} less: "
            f"it was chosen from {len(lead.p)}",
            style="not bold",
        )
    screen.text(won)
    screen.text(_line("real?", _real(found, lead)))
    if lead.price is not None and lead.cheapest is not None:
        screen.text(_line("cost", _price(found, lead)))
    base = found.twins[found.baseline]
    if base != lead.best and lead.best in found.by_place:
        each = found.by_place[lead.best]
        gap = each.difference
        told_ = verdict(gap, each.p, found.less)
        screen.text(
            _line(
                "base",
                f"{gap.mean:+.2f} [{gap.low:+.2f} {gap.high:+.2f}] from the baseline {told(found, base)}: {told_}, "
                f"p {each.p:.3f}",
            )
        )


def _line(label: str, text: str) -> Text:
    line = Text(f"{label:<7}", style="bold")
    line.append(text, style="not bold")
    return line


def _real(found: Compared, lead: Leading) -> str:
    """How far the best one can be told from the others."""
    chance = lead.chance[lead.best]
    count = len(lead.p)
    on = f" on {lead.n} questions" if lead.n < found.shared else ""
    if len(lead.group) == 1:
        return f"yes: it is better than {'the other one' if count == 2 else 'every other one'}, and not by chance{on}"
    if count == 2:
        return f"not shown: the two can't be told apart{on}; it is the better one in {chance:.0%} of resamples"
    if len(lead.group) == count:
        return f"not shown: none of the {count} can be told from it{on}; it is the best in {chance:.0%} of resamples"
    return (
        f"not alone: {len(lead.group)} of the {count} (≈), itself among them, can't be told from it{on}; best in {chance:.0%} of "
        "resamples"
    )


def _price(found: Compared, lead: Leading) -> str:
    assert lead.price is not None
    assert lead.cheapest is not None
    name = {"money": "money", "model-tokens": "tokens", "seconds": ""}.get(lead.price.measure, "tokens to read")
    best, least = lead.price.values[lead.best], lead.price.values[lead.cheapest]
    assert least is not None
    told_best = (
        "not known" if best is None else f"{cost_told(lead.price.measure, best)} {name}".rstrip() + " a question"
    )
    if lead.cheapest == lead.best:
        return f"{told_best}; none of the group is cheaper"
    mean = found.means[lead.cheapest][found.measure].mean
    told_least = f"{cost_told(lead.price.measure, least)} {name}".rstrip()
    return f"{told_best}; the cheapest of the group is {told(found, lead.cheapest)}: {number(mean)} for {told_least}"


def _legend(found: Compared, places: Sequence[int], screen: Screen) -> None:
    """What the marks mean, and what is not shown."""
    parts = ["* best, ≈ can't be told from it", "├●┤ 95 %"]
    if found.contrasts:
        parts += ["┊ baseline", "▲▼ real"]
    less = [m for m in (found.measure, *found.measures) if less_is_better(m, found.own)]
    if less:
        parts.append(f"less is better: {', '.join(dict.fromkeys(less))}")
    if found.by_document:
        parts.append("a document is one draw")
    if hidden := len(found.order) - len(places):
        parts.append(f"{hidden} more: --all")
    if len(found.order) > 1:
        screen.say("; ".join(parts), style="dim")
    if folded := len(found.runs) - len(found.order):
        screen.say(f"{folded} more came to the same by the same results {_twins(found)}", style="dim")


def _twins(found: Compared) -> str:
    some = [(found.runs[place].id, [found.runs[n].id for n in found.folded(place)]) for place in found.order]
    listed = [f"{', '.join(map(str, others))} as {one}" for one, others in some if others]
    return f"({'; '.join(listed[:2])}{'; …' if len(listed) > 2 else ''})"


def _fronts(found: Compared, screen: Screen) -> None:
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


def _of(found: Compared, place: int) -> float:
    return found.means[place][found.measure].mean


def _losses(found: Compared, screen: Screen) -> None:
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
    screen.table(
        ["stage", *numbers],
        [[stage, *(str(count[stage] or "·") for count in counts)] for stage in stages],
        right=range(1, len(places) + 1),
    )
