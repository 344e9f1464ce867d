"""The comparison of runs as it is shown by `compare` and at the end of the demo."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from rich.text import Text

from ..core.comparing.account import losses, worst_question
from ..core.comparing.differences import ALPHA
from ..core.comparing.sides import Contrast, less_is_better
from ..core.measures.loss import STAGES
from ..engine.comparing import Compared, verdict
from ..engine.leading import Leading
from ..report.run_names import told
from .run_table import cost_told, seconds, show_measures, show_runs
from .screen import Screen, number
from .verdict_views import kappa_told
from .what_mattered import show_contributions, show_interactions
from .where_differs import show_flips, show_turned

_MANY = 0.1  # share of claims that a judge can't tell, from which its figures decide little
_FEW = 10  # runs whose differences and costs are told one by one
_SIDE_BY_SIDE = 8  # runs whose lost needs stand side by side
_FRONT = 3  # runs of a front that are told


def show(found: Compared, screen: Screen, every: bool = False) -> None:
    """Prints a comparison, the decision first; with `every`, all runs and all differences."""
    sets = ", ".join(sorted({run.testset for run in found.runs}))
    screen.title(f"{len(found.runs)} {_runs(found)} on {found.shared} questions of {sets}, by {found.measure}")
    _warnings(found, screen)
    _decision(found, screen)
    screen.say()
    few = len(found.order) <= _FEW
    places = found.order if every else found.shown_first
    show_runs(found, places, screen)
    _legend(found, places, screen)
    _fronts(found, screen)
    _notes(found, screen)
    _corrected(found, screen)
    if every:
        show_measures(found, places, screen)
    if few or every:
        _costs(found, places, screen)
        if found.contrasts:
            _differences(found.contrasts, found, screen, f"against the baseline {found.runs[found.baseline].name}")
    if found.pairs:
        _differences(found.pairs, found, screen, "of all pairs of runs")
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


def _warnings(found: Compared, screen: Screen) -> None:
    if found.apart:
        screen.warn(
            f"these runs differ in {', '.join(found.apart)} too: a difference between them is not one of settings alone; "
            f"contributions are of the runs that are like the baseline in this ({_bases(found)})"
        )
    left = [(run.id, count) for run, count in zip(found.runs, found.left_out) if count]
    if left:
        listed = ", ".join(f"run {number}: {count}" for number, count in left[:5])
        more = f" and {len(left) - 5} more runs" if len(left) > 5 else ""
        screen.warn(f"questions that not all of these runs have, or have otherwise, are left out: {listed}{more}")


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
    assert best is not None
    assert least is not None
    told_best = f"{cost_told(lead.price.measure, best)} {name}".rstrip()
    if lead.cheapest == lead.best:
        return f"{told_best} a question; none of the group is cheaper"
    mean = found.means[lead.cheapest][found.measure].mean
    told_least = f"{cost_told(lead.price.measure, least)} {name}".rstrip()
    return f"{told_best} a question; the cheapest of the group is {told(found, lead.cheapest)}: {number(mean)} for {told_least}"


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


def _notes(found: Compared, screen: Screen) -> None:
    """Of the answers: how many were declined, could not be told, or are not sound; and how judges agree."""
    counts = [_behind(found, name) for name in dict.fromkeys((found.measure, *found.measures))]
    if len({count.rpartition(" ")[2] for count in counts}) > 1 or len(found.order) <= 2:
        screen.say(f"questions behind each: {', '.join(counts)}", style="dim")
    shown = found.shown_first
    if any(found.declined[place][0] for place in shown):
        told_ = _each(found, shown, lambda place: f"{found.declined[place][0]} of {found.declined[place][1]}")
        screen.say(f"declined to answer: {told_}; groundedness and the like are of the other answers", style="dim")
    if found.by_document and found.contrasts and (draws := _draws(found)) < _draws_needed(len(found.contrasts)):
        screen.warn(
            f"these questions are about {draws} documents, and a document's questions count as one draw: so few can show no "
            f"difference among {len(found.order)} runs; ask about more documents, or name fewer runs"
        )
    _untold(found, screen)
    for place, judges in found.judges.items():
        for first, other, each in judges:
            screen.say(
                f"judges of run {found.runs[place].id}: {other} says of {each.raw:.0%} of {each.n} claims what {first} says, "
                f"kappa {kappa_told(each)}",
                style="dim",
            )
    if any(found.failures):
        failed = [place for place, count in enumerate(found.failures) if count]
        told_ = _each(found, failed, lambda place: str(found.failures[place]))
        screen.warn(f"questions without a sound answer or judgement, left out of the answer measures: {told_}")


def _draws(found: Compared) -> int:
    return max((each.difference.clusters for each in found.contrasts), default=0)


def _draws_needed(together: int) -> int:
    """Draws from which on the sign-flip test can show anything at all when so many comparisons are corrected for."""
    return math.ceil(math.log2(2 * together / ALPHA))


def _each(found: Compared, places: Sequence[int], what: Callable[[int], str]) -> str:
    """Something of several runs, in a line."""
    listed = ", ".join(f"run {found.runs[place].id}: {what(place)}" for place in places[:_SIDE_BY_SIDE])
    return listed + (f" and {len(places) - _SIDE_BY_SIDE} more" if len(places) > _SIDE_BY_SIDE else "")


def _untold(found: Compared, screen: Screen) -> None:
    """Claims that the judge could not tell: they count neither for nor against groundedness."""
    shares = {place: share for place in found.order if (share := found.untold[place])}
    told = _each(found, list(shares), lambda place: f"{100 * shares[place]:.0f} %")
    most = max(shares.values(), default=0.0)
    if most > _MANY:
        screen.warn(
            f"claims too far in wording for the judge to tell: {told}; groundedness and hallucination are of the others "
            "alone, so take a language model as judge ([roles] judge)"
        )
    elif most:
        screen.say(f"claims too far in wording for the judge to tell: {told}; they count for neither side", style="dim")


def _bases(found: Compared) -> str:
    """For each run, where it differs, by what it was judged."""
    judges = {str(run.made.get("judge", "unknown")) for run in found.runs}
    if len(judges) > 1:
        return ", ".join(f"run {run.id} judged by {run.made.get('judge', 'unknown')}" for run in found.runs)
    return ", ".join(f"run {run.id} on documents {run.corpus[:6]}" for run in found.runs)


def _behind(found: Compared, measure: str) -> str:
    """How many questions a measure's means are over: 'hit@5 36', or the least and most over the runs."""
    counts = sorted({row[measure].n for row in found.means if measure in row})
    return f"{measure} {'–'.join(map(str, dict.fromkeys((counts[0], counts[-1])))) if counts else 0}"


def _corrected(found: Compared, screen: Screen) -> None:
    """What judges said, corrected by what people decided; and the difference from the baseline where both are."""
    rows: list[list[str | Text]] = []
    for place, fixed in found.corrected.items():
        run = found.runs[place]
        for measure, each in fixed.means.items():
            if measure not in (*found.measures, found.measure):
                continue
            gap = fixed.gaps.get(measure)
            told = f"{gap.mean:+.2f} [{gap.low:+.2f} {gap.high:+.2f}] on {gap.n}" if gap else ""
            rows.append(
                [
                    str(run.id), measure, number(each.judged), f"{each.mean:.2f} [{each.low:.2f} {each.high:.2f}]",
                    f"{each.labels} of {each.n}", told,
                ]
            )  # fmt: skip
    if not rows:
        return
    screen.title("what the judge says, corrected by what people decided")
    columns = ["run", "measure", "the judge", "corrected, 95 %", "decided", "from the baseline"]
    if not any(row[5] for row in rows):
        columns, rows = columns[:5], [row[:5] for row in rows]
    screen.table(columns, rows, right=(0, *range(2, len(columns))))


def _costs(found: Compared, places: Sequence[int], screen: Screen) -> None:
    """Of runs that ask models: calls, and the 95th percentile of the time."""
    if not any(cost.get("calls") for cost in found.costs):
        return
    screen.title("what a question costs, were nothing kept from before")
    rows = [(found.runs[place], found.costs[place]) for place in places]
    screen.table(
        ["run", "configuration", "seconds, median", "95th percentile", "calls", "tokens", "money"],
        [
            [
                str(run.id),
                run.name,
                seconds(cost["seconds_median"]),
                seconds(cost["seconds_95"]),
                f"{cost['calls']:.1f}",
                f"{cost['model-tokens']:,.0f}",
                f"{cost['money']:.5f}",
            ]
            if cost
            else [str(run.id), run.name, *["–"] * 5]
            for run, cost in rows
        ],
        right=(0, 2, 3, 4, 5, 6),
    )
    screen.say("the time of a batch is shared evenly among its questions; indexes are not counted here", style="dim")


def _differences(contrasts: list[Contrast], found: Compared, screen: Screen, title: str) -> None:
    screen.title(f"{found.measure} {title}")
    against = ["against"] if len({each.against for each in contrasts}) > 1 else []
    screen.table(
        ["configuration", *against, "difference", "95 % interval", "p (Holm)", "verdict"],
        [
            [
                each.name,
                *([each.against] if against else []),
                f"{each.difference.mean:+.2f}",
                f"[{each.difference.low:+.2f} {each.difference.high:+.2f}]",
                f"{each.p:.3f}",
                verdict(each.difference, each.p, less_is_better(each.measure, found.own)),
            ]
            for each in contrasts
        ],
        right=(1 + len(against), 3 + len(against)),
    )
    tests = sorted({each.difference.test for each in contrasts if not each.difference.same}) or ["none"]
    counts = {each.difference.n for each in contrasts}
    clusters = sorted({each.difference.clusters for each in contrasts if each.difference.clusters})
    by = f" about {'/'.join(map(str, clusters))} documents" if clusters else ""
    screen.say(
        f"paired on the same {'/'.join(map(str, sorted(counts)))} questions{by}; test: {', '.join(tests)}", style="dim"
    )


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
