"""What is told of a comparison beside its table: what is left out, how far judges go, costs and differences one by one."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from rich.text import Text

from ...api.records import less_is_better, verdict
from ...report.decision import population_told
from ...report.figures import number, p_told, seconds, together_told
from ...report.notes import notes_of, warnings_of
from ..screen import Screen

if TYPE_CHECKING:
    from ...api.records import Comparison, Contrast


def show_warnings(found: Comparison, screen: Screen) -> None:
    """Warns of what else the runs differ in, and of questions that are left out."""
    for told in warnings_of(found):
        screen.warn(told)


def show_notes(found: Comparison, screen: Screen) -> None:
    """Of the answers: how many were declined, could not be told, or are not sound; and how judges agree."""
    for note in notes_of(found):
        if note.heed:
            screen.warn(note.text)
        else:
            screen.say(note.text, style="dim")


def show_corrected(found: Comparison, screen: Screen) -> None:
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


def show_costs(found: Comparison, places: Sequence[int], screen: Screen) -> None:
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


def show_differences(contrasts: list[Contrast], found: Comparison, screen: Screen, title: str) -> None:
    """Prints differences one by one, with what decides them."""
    screen.title(f"{found.measure} {title}")
    against = ["against"] if len({each.against for each in contrasts}) > 1 else []
    screen.table(
        ["configuration", *against, "difference", "95 % interval", "p", "verdict"],
        [
            [
                each.name,
                *([each.against] if against else []),
                f"{each.difference.mean:+.2f}",
                f"[{each.difference.low:+.2f} {each.difference.high:+.2f}]",
                p_told(each.p),
                verdict(each.difference, each.p, less_is_better(each.measure, found.own))
                + (
                    ""
                    if each.difference.same or found.explained(each.place, each.against_place)
                    else "; not by settings alone"
                ),
            ]
            for each in contrasts
        ],
        right=(1 + len(against), 3 + len(against)),
    )
    tests = sorted({each.difference.test for each in contrasts if not each.difference.same}) or ["none"]
    counts = {each.difference.n for each in contrasts}
    documents = sorted({each.difference.documents for each in contrasts if each.difference.documents})
    by = f" about {'/'.join(map(str, documents))} documents" if documents else ""
    screen.say(
        f"paired on the same {'/'.join(map(str, sorted(counts)))} questions{by}; test: {', '.join(tests)}; intervals and p hold "
        f"{together_told(contrasts)}; {population_told(found)}",
        style="dim",
    )
