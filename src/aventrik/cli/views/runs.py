"""What `run` shows: what was new, what it cost, how a race went, what is planned."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from ...api.records import Planned, of_questions
from ...report.figures import number
from ..screen import Screen, shortened

if TYPE_CHECKING:
    from ...api.records import Raced, RunOutcome


SHOWN = 15  # configurations that are listed of many


def outcome_json(each: RunOutcome, questions: int) -> dict[str, Any]:
    """A line of `run --json`."""
    return {
        "run": each.run,
        "name": each.configuration.name,
        "questions": questions,
        "results": each.results,
        "computed": each.computed,
        "seconds": each.seconds,
        "models": each.models,
        "recall": each.recall,
    }


def race_json(raced: Raced, questions: int) -> dict[str, Any]:
    """The result of `run --race --json`."""
    return {
        "runs": [outcome_json(each, questions) for each in raced.outcomes],
        "race": {
            "measure": raced.measure,
            "looks": raced.looks,
            "saved": raced.saved,
            "stopped": [
                {
                    "run": each.run,
                    "name": each.configuration.name,
                    "after": each.after,
                    "mean": each.mean,
                    "best": each.best,
                }
                for each in raced.stopped
            ],
        },
    }


def show_outcomes(outcomes: Sequence[RunOutcome], questions: int, testset: str, screen: Screen) -> None:
    """What was computed for each configuration, of many for those that took longest; and what models cost."""
    new, total = sum(each.new for each in outcomes), sum(each.results for each in outcomes)
    if not new:
        stand = "stands as it was" if len(outcomes) == 1 else "stand as they were"
        screen.say(f"nothing to compute: {_runs(len(outcomes))} on {questions} questions {stand}")
    else:
        took = sorted(outcomes, key=lambda each: -sum(each.seconds.values()))[:SHOWN]
        shown = [each for each in outcomes if each in took] if len(outcomes) > SHOWN else outcomes
        screen.table(
            ["run", "configuration", "new results", "seconds"],
            [
                [
                    str(each.run),
                    shortened(each.configuration.name, 100),
                    _new(each.computed),
                    f"{sum(each.seconds.values()):.1f}",
                ]
                for each in shown
            ],
            right=(0, 3),
        )
        if len(shown) < len(outcomes):
            screen.say(f"and {len(outcomes) - len(shown)} more, which took less time", style="dim")
        asked = f"{_runs(len(outcomes))} on {questions} questions of '{testset}'"
        screen.say(f"{asked}: {new:,} results computed, {max(0, total - new):,} taken from the store")
    for each in outcomes:
        if each.recall is not None:
            way = each.configuration.search.nearest
            screen.say(
                f"{each.configuration.name}: the approximate index ({way}) finds {each.recall:.1%} of the ten nearest"
            )
    _cost(screen, outcomes)


def show_judging(outcomes: Sequence[RunOutcome], screen: Screen) -> int:
    """Warns of judges whose word can't be used, or tells little; 3 where no reply of a run's judge could be used, else 0."""
    told = [(each, doubt) for each in outcomes if each.judging for doubt in each.judging.doubts]
    for doubt in dict.fromkeys(doubt for _, doubt in told):
        names = [each.configuration.name for each, other in told if other == doubt]
        screen.warn(f"{doubt}{' (' + shortened(', '.join(names), 60) + ')' if len(outcomes) > 1 else ''}")
    return 3 if any(each.judging and each.judging.unusable for each in outcomes) else 0


def _runs(count: int) -> str:
    return f"{count} run{'s' if count != 1 else ''}"


def _cost(screen: Screen, outcomes: Sequence[RunOutcome]) -> None:
    """What was asked of model servers, and what went wrong with it."""
    if not outcomes:
        return
    names = dict.fromkeys(name for each in outcomes for name in each.models)
    total = {name: sum(each.models.get(name, 0) for each in outcomes) for name in names}
    if total.get("calls") or total.get("kept"):
        screen.say(
            f"models: {total['calls']:,.0f} calls made, {total['kept']:,.0f} from the call store, "
            f"{total['tokens_in']:,.0f} tokens in, {total['tokens_out']:,.0f} out, {total['money']:.4f} in money"
        )
    if total.get("failed"):
        screen.warn(
            f"{total['failed']:,.0f} calls failed and are recorded as failed, with what came; --retry-failed makes them again"
        )
    for note, count in outcomes[-1].notes.items():
        screen.warn(f"{note} ({count:,} times)" if count > 1 else note)


def _new(computed: dict[str, int]) -> str:
    """Stages of the corpus by name, stages of the questions from the first to the last."""
    if not computed:
        return "none"
    told = [name for name in computed if not of_questions(name)]
    others = [name for name in computed if name not in told]
    if others:
        told.append(f"{others[0]}…{others[-1]}" if len(others) > 1 else others[0])
    return ", ".join(told)


def show_race(raced: Raced, questions: int, screen: Screen) -> None:
    """Who was stopped when, and what that saved."""
    count = len(raced.outcomes) + len(raced.stopped)
    screen.title(f"the race: {len(raced.stopped)} of {count} configurations stopped early, by {raced.measure}")
    rows = []
    left = count
    for look in raced.looks[:-1]:
        here = [each for each in raced.stopped if each.after == look]
        if here:
            left -= len(here)
            worst, nearest = min(here, key=lambda each: each.mean), max(here, key=lambda each: each.mean)
            means = number(worst.mean) if len(here) == 1 else f"{number(worst.mean)} to {number(nearest.mean)}"
            rows.append([str(look), str(len(here)), means, number(here[0].best), str(left)])
    if rows:
        screen.table(["after questions", "stopped", "their means", "the best", "go on"], rows, right=(0, 1, 3, 4))
    saved = raced.saved
    if saved["results"]:
        asked = f", about {saved['calls']:,.0f} calls and {saved['money']:.4f} in money" if saved["calls"] else ""
        screen.say(
            f"saved: up to {saved['results']:,.0f} of {raced.results:,} results ({saved['share']:.0%}){asked}; those that were "
            "stopped are worse than the best at a level of 5 % for the whole race"
        )
    else:
        screen.say(f"none could be told to be worse than the best before all {questions} questions were asked")


def _servers(rows: Sequence[Planned], screen: Screen) -> None:
    """What each model server would be asked by all configurations together, at which rate and price."""
    names = list(dict.fromkeys(name for row in rows for name in row.servers))
    for name in names:
        some = [row.servers[name] for row in rows if name in row.servers]
        tokens, calls = sum(each.tokens for each in some), sum(each.calls for each in some)
        times = [each.seconds for each in some if each.seconds is not None]
        price = f"{some[0].price_in:g} a million tokens"
        if some[0].does == "language":
            price = f"{some[0].price_in:g} in and {some[0].price_out:g} out, a million tokens"
        rate = f"{some[0].rate:,.0f} tokens a second so far" if some[0].rate else "no rate known yet"
        time = f": about {sum(times):,.0f} s" if times else ""
        screen.say(
            f"{name} ({some[0].does}): {calls:,} requests, {tokens:,} tokens, {rate}{time}; at {price}: "
            f"{sum(each.money for each in some):.4f}"
        )


def show_plan(rows: Sequence[Planned], screen: Screen) -> None:
    """What a run would compute: of many configurations those that take most; and all together."""
    cost = sorted(rows, key=lambda row: (-row.money, -row.seconds, -row.missing))[:SHOWN]
    shown = [row for row in rows if row in cost] if len(rows) > SHOWN else rows
    total = Planned("all")
    for row in rows:
        total.known, total.missing, total.calls = (
            total.known + row.known, total.missing + row.missing, total.calls + row.calls,
        )  # fmt: skip
        total.tokens, total.money, total.seconds = (
            total.tokens + row.tokens, total.money + row.money, total.seconds + row.seconds,
        )  # fmt: skip
        total.guessed, total.open = total.guessed + row.guessed, total.open or row.open
    listed = [*shown, total] if len(rows) > 1 else shown
    screen.table(
        [
            "configuration",
            "to make of the documents",
            "results there",
            "to compute",
            "calls",
            "tokens",
            "money",
            "seconds",
        ],
        [
            [
                shortened(row.name, 100),
                "" if row is total else ", ".join(row.corpus) or "nothing",
                f"{row.known:,}",
                f"{row.missing:,}" + (" or fewer" if row.open else ""),
                f"{row.calls:,}",
                f"{row.tokens:,}",
                f"{row.money:.4f}",
                f"{row.seconds:,.1f}",
            ]
            for row in listed
        ],
        right=(2, 3, 4, 5, 6, 7),
    )
    if len(shown) < len(rows):
        screen.say(f"and {len(rows) - len(shown)} more, which cost less", style="dim")
    _servers(rows, screen)
    screen.say(
        "a result that several configurations share is counted for the first; calls, tokens and seconds are by what earlier "
        "results took, and are guessed where there are none",
        style="dim",
    )
    if total.guessed:
        share = total.guessed / max(1, total.missing)
        screen.say(f"no earlier result tells the time of {share:.0%} of those to compute", style="dim")
