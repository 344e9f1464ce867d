"""The comparison of runs as it is shown by `compare` and at the end of the demo."""

from __future__ import annotations

from rich.text import Text

from ..core.comparing.account import losses, worst_question
from ..core.comparing.intervals import Interval
from ..core.comparing.sides import Contrast, best_of, less_is_better
from ..core.measures.loss import STAGES
from ..engine.comparing import Compared, verdict
from .screen import Screen, number
from .verdict_views import kappa_told

_MANY = 0.1  # share of claims that a judge can't tell, from which its figures decide little
_SHORT = {"reciprocal-rank": "recip. rank", "groundedness": "grounded"}


def show(found: Compared, screen: Screen) -> None:
    """Prints a comparison, part by part."""
    _measures(found, screen)
    _corrected(found, screen)
    _costs(found, screen)
    if len(found.runs) > 1:
        _differences(found.contrasts, found, screen, f"against the baseline {found.runs[found.baseline].name}")
    if found.pairs:
        _differences(found.pairs, found, screen, "of all pairs of runs")
    if found.contributions:
        _contributions(found, screen)
    _losses(found, screen)
    best = min(best_of(found.means, found.measure, found.own), default=found.baseline)
    worst = worst_question(found.sides[best], found.measure)
    if worst:
        run = found.runs[best]
        screen.say(f"\nnext: aventrik explain {run.id} {found.ids[worst]}    (the worst question of {run.name})")


def _measures(found: Compared, screen: Screen) -> None:
    sets = {run.testset for run in found.runs}
    screen.title(f"{len(found.runs)} configurations on {found.shared} questions of {', '.join(sorted(sets))}")
    if found.apart:
        screen.warn(
            f"these runs differ in {', '.join(found.apart)} too: a difference between them is not one of settings alone; "
            f"contributions are of the runs that are like the baseline in this ({_bases(found)})"
        )
    if any(found.left_out):
        told = ", ".join(f"run {run.id}: {left}" for run, left in zip(found.runs, found.left_out) if left)
        screen.warn(f"questions that not all of these runs have, or have otherwise, are left out: {told}")
    marked = {measure: best_of(found.means, measure, found.own) for measure in found.measures}
    # Too narrow for all measures side by side: a second table carries on.
    name_width = min(30, max(len(run.name) for run in found.runs) + 2)
    room = max(2, (screen.out.width - name_width - 5) // 14)
    for start in range(0, len(found.measures), room):
        part = found.measures[start : start + room]
        rows: list[list[str | Text]] = []
        for place, (run, row) in enumerate(zip(found.runs, found.means)):
            name = Text(run.name + ("  (baseline)" if place == found.baseline else ""))
            rows.append([str(run.id), name, *(_cell(row.get(m), place in marked[m]) for m in part)])
        columns = ["run", "configuration", *(_SHORT.get(m, m) for m in part)]
        screen.table(columns, rows, right=(0, *range(2, len(columns))))
    less = [m for m in found.measures if less_is_better(m, found.own)]
    told = f"; less is better: {', '.join(less)}" if less else ""
    drawn = "; questions about one document count as one draw" if found.by_document else ""
    screen.say(f"95 % intervals in brackets{drawn}; * best mean{told}", style="dim")
    screen.say(f"questions behind each: {', '.join(_behind(found, m) for m in found.measures)}", style="dim")
    if any(declined for declined, _ in found.declined):
        told = ", ".join(f"run {run.id}: {d[0]} of {d[1]}" for run, d in zip(found.runs, found.declined) if d[1])
        screen.say(f"declined to answer: {told}; groundedness and the like are of the other answers", style="dim")
    _untold(found, screen)
    for run, judges in zip(found.runs, found.judges):
        for first, other, each in judges:
            screen.say(
                f"judges of run {run.id}: {other} says of {each.raw:.0%} of {each.n} claims what {first} says, kappa "
                f"{kappa_told(each)}",
                style="dim",
            )
    if any(found.failures):
        told = ", ".join(f"run {run.id}: {failed}" for run, failed in zip(found.runs, found.failures) if failed)
        screen.warn(f"questions without a sound answer or judgement, left out of the answer measures: {told}")


def _untold(found: Compared, screen: Screen) -> None:
    """Claims that the judge could not tell: they count neither for nor against groundedness."""
    told = ", ".join(f"run {run.id}: {100 * share:.0f} %" for run, share in zip(found.runs, found.untold) if share)
    most = max((share for share in found.untold if share is not None), default=0.0)
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


def _cell(value: Interval | None, best: bool) -> Text:
    if value is None:
        return Text("–")
    text = Text(number(value.mean) + ("*" if best else " "), style="bold" if best else "")
    text.append(f"\n[{number(value.low)} {number(value.high)}]", style="dim not bold")
    return text


def _corrected(found: Compared, screen: Screen) -> None:
    """What judges said, corrected by what people decided; and the difference from the baseline where both are."""
    rows: list[list[str | Text]] = []
    for run, fixed in zip(found.runs, found.corrected):
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


def _costs(found: Compared, screen: Screen) -> None:
    if not any(found.costs):
        return
    if not any(cost.get("calls") for cost in found.costs):
        times = [
            f"run {run.id}: {_seconds(cost['seconds_median'])} / {_seconds(cost['seconds_95'])}"
            for run, cost in zip(found.runs, found.costs)
            if cost
        ]
        screen.say(f"seconds a question, median / 95th percentile, without indexes: {', '.join(times)}", style="dim")
        return
    screen.title("what a question costs, were nothing kept from before")
    screen.table(
        ["run", "configuration", "seconds, median", "95th percentile", "calls", "tokens", "money"],
        [
            [
                str(run.id),
                run.name,
                _seconds(cost["seconds_median"]),
                _seconds(cost["seconds_95"]),
                f"{cost['calls']:.1f}",
                f"{cost['model-tokens']:,.0f}",
                f"{cost['money']:.5f}",
            ]
            if cost
            else [str(run.id), run.name, *["–"] * 5]
            for run, cost in zip(found.runs, found.costs)
        ],
        right=(0, 2, 3, 4, 5, 6),
    )
    screen.say("the time of a batch is shared evenly among its questions; indexes are not counted here", style="dim")


def _seconds(value: float) -> str:
    return f"{value:.2f}" if value >= 0.1 else f"{value:.3f}"


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


def _contributions(found: Compared, screen: Screen) -> None:
    screen.title(f"what each setting contributed to {found.measure}, all other settings equal")
    screen.table(
        ["setting", "value", "instead of", "difference", "95 % interval", "p (Holm)", "pairs"],
        [
            [
                each.setting,
                each.value,
                each.instead_of,
                f"{each.difference.mean:+.2f}",
                f"[{each.difference.low:+.2f} {each.difference.high:+.2f}]",
                f"{each.p:.3f}",
                str(each.pairs),
            ]
            for each in found.contributions
        ],
        right=(3, 5, 6),
    )


def _losses(found: Compared, screen: Screen) -> None:
    counts = [losses(side) for side in found.sides]
    if not any(sum(count.values()) for count in counts):
        return
    stages = [stage for stage in STAGES if any(count[stage] for count in counts)]
    screen.title("where each needed fact was lost (number of needs a run, by the number of the run)")
    screen.table(
        ["stage", *(f"run {run.id}" if place == 0 else str(run.id) for place, run in enumerate(found.runs))],
        [[stage, *(str(count[stage] or "·") for count in counts)] for stage in stages],
        right=range(1, len(found.runs) + 1),
    )
