"""What rewriting and reranking did to one question: each wording with its drift, and each step with what it kept."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from rich.text import Text

from ...api.records import common, list_names
from ...report.figures import number, time_told
from ..screen import Screen, shortened

if TYPE_CHECKING:
    from ...api.records import Chained, Explanation, ListItem


_CUT_LINES = 8  # of an item that was cut, stretches that are shown


def show_queries(found: Explanation, screen: Screen) -> None:
    """The question and its rewrites; of each how alike it still is, which names and figures changed, and what its list
    brought or cost."""
    queries = found.stages["queries"]
    if queries.failure:
        screen.warn(f"rewriting failed: {queries.failure}")
    if len(queries.texts) < 2:
        return
    drift, gains = found.stages.get("drift"), found.stages.get("gains")
    screen.title("what was searched for: the question, and each rewrite with its likeness to it")
    screen.say(f"  asked         {queries.texts[0]}")
    methods = [each["method"] for each in found.configuration.rewriting]
    for place, text in enumerate(queries.texts[1:]):
        method = methods[queries.origin(place + 1) - 1] if methods else ""
        each = drift.rewrites[place] if drift is not None and place < len(drift.rewrites) else None
        line = Text(f"  {method:<13} ", style="bold")
        if each is not None:
            line.append(f"{each.likeness:.2f}  ", style="red" if each.dropped else "default")
        line.append(
            shortened(text, 400), style="strike dim not bold" if each is not None and each.dropped else "not bold"
        )
        told = [] if each is None else _changes(each)
        if gains is not None and place < len(gains.rewrites):
            told.extend(_gained(gains.rewrites[place]))
        if told:
            line.append(f"\n{'':16}{'; '.join(told)}", style="dim not bold")
        screen.text(line)


def _changes(drifted: Any) -> list[str]:
    told = ["dropped: less alike than the least that is asked for"] if drifted.dropped else []
    if drifted.lost:
        told.append(f"lost {', '.join(drifted.lost[:6])}")
    if drifted.added:
        told.append(f"added {', '.join(drifted.added[:6])}")
    return told


def _gained(gain: Any) -> list[str]:
    named = (
        (gain.found, "alone finds need {}"),
        (gain.lost, "pushes need {} out of the candidates"),
        (gain.found_first, "brings need {} among the first"),
        (gain.lost_first, "pushes need {} from the first"),
    )
    return [told.format(", ".join(map(str, needs))) for needs, told in named if needs]


def show_steps(found: Explanation, screen: Screen, seconds: dict[str, float] | None = None) -> None:
    """A line a step: what the list held behind it, in all and among the first that a context takes."""
    account = found.stages.get("chain")
    if account is None:
        return
    names = list_names(found.stages)
    steps = found.configuration.reranking
    needs = len(found.question.needs)
    rows = []
    for place, (name, held) in enumerate(zip(names, account.lists)):
        record = found.stages[name]
        told = "search" if not place else f"{place} {steps[place - 1]['step']}"
        row = [told, str(held.items), f"{held.tokens:,}", f"{held.first_tokens:,}"]
        if needs:
            row.extend([f"{sum(held.met)} of {needs}", f"{sum(held.met_first)} of {needs}"])
        if seconds is not None:
            row.append(time_told(seconds[name]) if place and name in seconds else "")
        rows.append(row)
        if place and record.failure:
            screen.warn(f"step {place}, {told.split(' ', 1)[1]}: failed on some items: {record.failure}")
        if place and record.unfound:
            screen.warn(
                f"step {place}, {told.split(' ', 1)[1]}: {record.unfound} quotes occur nowhere in what the model was shown, "
                "and were passed over"
            )
    first = found.configuration.context.keep
    screen.title("what each reranking step left")
    heads = ["", "items", "tokens", f"tokens of first {first}"]
    heads.extend(["needs met", f"by first {first}"] if needs else [])
    heads.extend(["time"] if seconds is not None else [])
    screen.table(heads, rows, right=range(1, len(heads)))
    empty = next((place for place, held in enumerate(account.lists) if not held.items), None)
    if empty:
        screen.warn(f"step {empty}, {steps[empty - 1]['step']}, left nothing of this list")


def show_list(found: Explanation, screen: Screen, name: str, top: int) -> None:
    """The list behind one step: each item with where it was before, and of a text that was cut what fell away."""
    names = list_names(found.stages)
    before = found.lists[names[names.index(name) - 1]] if name != "candidates" else []
    step = (
        "search"
        if name == "candidates"
        else f"{name}, {found.configuration.reranking[int(name.split()[1]) - 1]['step']}"
    )
    items = found.lists[name]
    screen.title(f"{step}: {len(items)} items" + (f", {len(before)} before" if before else ""))
    for rank, item in enumerate(items[:top], 1):
        chunk = found.chunks[item.chunk]
        line = Text(f"{rank:>3}. ", style="bold")
        line.append(
            f"{number(item.score, 3)}  {shortened(chunk['doc'] + ': ' + ' › '.join(chunk['source'][-2:]), 90)}",
            style="not bold",
        )
        was = next((n for n, other in enumerate(before, 1) if other.chunk == item.chunk), None)
        if was is not None and was != rank:
            line.append(f"  (was {was})", style="not bold")
        line.append(covers_told(item), style="bold green")
        screen.text(line)
        show_cut(item, screen)
        if not item.cut:
            screen.say(f"       {shortened(' '.join(item.text.split()), _room(screen))}", style="dim")
    gone = [other for other in before if not any(other.chunk == item.chunk for item in items)]
    if gone:
        screen.say(f"dropped here: {len(gone)}", style="dim")
        for other in gone[:top]:
            chunk = found.chunks[other.chunk]
            screen.say(
                f"   − {shortened(chunk['doc'] + ': ' + ' '.join(other.text.split()), _room(screen) - 20)}{covers_told(other)}",
                style="dim",
            )


def show_cut(item: ListItem, screen: Screen) -> None:
    """The text that would have been served, in order: what is still there, and what fell away."""
    for text, there in item.cut[:_CUT_LINES]:
        line = Text("       keeps │ " if there else "       drops │ ", style="green" if there else "dim red")
        line.append(
            shortened(" ".join(text.split()), _room(screen)), style="not dim default" if there else "dim strike"
        )
        screen.text(line)
    if len(item.cut) > _CUT_LINES:
        screen.say(f"             │ and {len(item.cut) - _CUT_LINES} stretches more", style="dim")


def show_rewrite_sums(chained: Sequence[Chained], screen: Screen) -> None:
    """Of each run with rewritings what each of them did; says so where no run has one."""
    some = [each for each in chained if each.rewrites]
    if not some:
        screen.say("none of these runs rewrites its questions")
        return
    for each in some:
        screen.title(
            f"run {each.run.id}, {each.run.name}: what each rewriting did ({each.questions} questions, {each.needs} needs)"
        )
        heads = [
            "", "made", "dropped", "likeness", "changed", "finds\nalone", "pushes\nout", "brings\nto first",
            "pushes\nfrom first", "seconds",
        ]  # fmt: skip
        rows = [
            [
                row.name, str(row.made), str(row.dropped or "·"), number(row.likeness) if row.likeness is not None else "",
                str(row.changed or "·"), *(str(n or "·") for n in (row.found, row.lost, row.found_first, row.lost_first)),
                f"{row.seconds * each.questions:.2f}",
            ]
            for row in each.rewrites
        ]  # fmt: skip
        screen.table(heads, rows, right=range(1, len(heads)))
    screen.say(
        "changed: a name or figure was lost or added; finds alone: needs that the candidates without its list do not meet; "
        "first: the candidates that a context takes, before any reranking; seconds: those of making the rewrites",
        style="dim",
    )


def show_step_sums(chained: Sequence[Chained], screen: Screen) -> None:
    """Of each run with reranking steps what the list behind each of them held; says so where no run has one."""
    some = [each for each in chained if each.steps]
    if not some:
        screen.say("none of these runs has reranking steps")
        return
    for each in some:
        screen.title(
            f"run {each.run.id}, {each.run.name}: the list behind each step ({each.questions} questions, {each.needs} needs)"
        )
        heads = ["", "items", "tokens", "tokens of\nthe first", "needs met", "met by\nthe first", "emptied", "seconds"]
        rows = [
            [
                row.name, f"{row.items:.1f}", f"{row.tokens:,.0f}", f"{row.first_tokens:,.0f}",
                number(row.met) if row.met is not None else "", number(row.met_first) if row.met_first is not None else "",
                str(row.emptied or "·"), f"{row.seconds * each.questions:.2f}" if place else "",
            ]
            for place, row in enumerate(each.steps)
        ]  # fmt: skip
        screen.table(heads, rows, right=range(1, len(heads)))
        start, last = each.steps[0], each.steps[-1]
        if start.met_first is not None and last.met_first is not None and start.first_tokens:
            saved = 1 - last.first_tokens / start.first_tokens
            lost = round((start.met_first - last.met_first) * each.needs)
            screen.say(
                f"the first that a context takes: {last.first_tokens:,.0f} tokens beside {start.first_tokens:,.0f} before the "
                f"steps ({'-' if saved >= 0 else '+'}{abs(saved):.0%}), and "
                + (f"{_needs(lost)} fewer" if lost > 0 else f"{_needs(-lost)} more" if lost else "as many needs met")
            )
        for row in each.steps:
            if row.unfound:
                screen.warn(
                    f"{row.name}: {row.unfound} quotes occur nowhere in what the model was shown; they were passed over"
                )
            if row.emptied:
                screen.warn(
                    f"{row.name}: left nothing of the list of {row.emptied} questions, which can only be declined"
                )


def _needs(count: int) -> str:
    return f"{count} need{'' if count == 1 else 's'}"


def _room(screen: Screen) -> int:
    """Characters that a line has beside what stands before it."""
    return max(40, screen.out.width - 16)


def covers_told(item: ListItem) -> str:
    """Which needs an item covers, in words; empty for none."""
    told = [f"holds {cover:.0%} of need {n}" for n, cover in enumerate(item.covers, 1) if cover > 0]
    return f"  {', '.join(told)}" if told else ""


def in_context(found: Explanation, item: ListItem) -> bool:
    """Whether some text of an item stands in the context."""
    if "context" not in found.stages:
        return False
    shown = found.stages["served"].items[: len(found.stages["context"].items)]
    return any(
        each.chunk == item.chunk and any(common(item.ranges, start, end) for start, end in each.ranges)
        for each in shown
    )
