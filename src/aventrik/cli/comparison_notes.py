"""What is told of a comparison beside its table: what is left out, how far judges go, costs and differences one by one."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from rich.text import Text

from ..core.comparing.differences import ALPHA
from ..core.comparing.sides import Contrast, less_is_better
from ..engine.compared import Compared
from ..engine.comparing import verdict
from .run_table import seconds
from .screen import Screen, number
from .verdict_views import kappa_told

_MANY = 0.1  # share of claims that a judge can't tell, from which its figures decide little
_TOLD = 8  # runs that a line tells of


def show_warnings(found: Compared, screen: Screen) -> None:
    """Warns of what else the runs differ in, and of questions that are left out."""
    if found.apart:
        screen.warn(
            f"these runs differ in {', '.join(found.apart)} too: a difference between them is not one of settings alone; "
            f"contributions are of the runs that are like the baseline in this ({_bases(found)})"
        )
    if found.documents:
        numbers = [run.id for run in found.runs]
        screen.warn(f"documents, from run {min(numbers)} to run {max(numbers)}: {found.documents.told()}")
    if found.evidence_gone:
        some = ", ".join(found.evidence_gone[:6]) + (", …" if len(found.evidence_gone) > 6 else "")
        screen.warn(
            f"{len(found.evidence_gone)} questions are left out, because their evidence stands in the documents of some of these "
            f"runs alone: {some}"
        )
    left = [(run.id, count) for run, count in zip(found.runs, found.left_out) if count]
    if left:
        listed = ", ".join(f"run {number}: {count}" for number, count in left[:5])
        more = f" and {len(left) - 5} more runs" if len(left) > 5 else ""
        screen.warn(f"questions that not all of these runs have, or have otherwise, are left out: {listed}{more}")


def show_notes(found: Compared, screen: Screen) -> None:
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
    listed = ", ".join(f"run {found.runs[place].id}: {what(place)}" for place in places[:_TOLD])
    return listed + (f" and {len(places) - _TOLD} more" if len(places) > _TOLD else "")


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


def show_corrected(found: Compared, screen: Screen) -> None:
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


def show_costs(found: Compared, places: Sequence[int], screen: Screen) -> None:
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


def show_differences(contrasts: list[Contrast], found: Compared, screen: Screen, title: str) -> None:
    """Prints differences one by one, with what decides them."""
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
